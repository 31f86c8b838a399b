package plan

import (
	"errors"
	"fmt"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/fit"
	"nelko/internal/core/timecode"
)

// hear says where the music ends.
func (p *Plan) hear(lib doc.Library) {
	p.Music = p.Sound.MusicEnd(lib)
	p.MusicEnd = p.Rate.FramesIn(p.Music)
}

// ErrNoVersion means that a song cannot be made as long as the pictures last.
var ErrNoVersion = errors.New("the song cannot be made as long as the pictures last")

// evenFade is over how many seconds a song that is not heard to its end gives way to
// the next (common practice, no source).
const evenFade = 2

// makeMusic makes the last song so long that the music ends with so many frames of
// pictures; or all songs, if they are to share the time evenly.
// Where that cannot be, all of it is as it was.
func (p *Plan) makeMusic(lib doc.Library, frames timecode.Frames, even bool) (err error) {
	were, made := p.Sound, p.Made
	defer func() {
		if err != nil {
			p.Sound, p.Made = were, made
		}
	}()
	var songs []int
	for i, it := range p.Sound.Items {
		if it.Role == doc.Music {
			songs = append(songs, i)
		}
	}
	p.Sound.Items = slices.Clone(p.Sound.Items)
	end := p.Rate.SampleAt(frames)
	for k, i := range songs {
		last := k == len(songs)-1
		if !even && !last {
			continue
		}
		until := end
		if !last {
			// One gives way to the next in the middle of their join.
			until = end * timecode.Samples(k+1) / timecode.Samples(len(songs))
			if j := p.Sound.Items[songs[k+1]].Join; j != nil && j.Kind != doc.Segue {
				half := timecode.Samples(j.Seconds * timecode.SampleRate / 2)
				if j.Kind == doc.Gap {
					half = -half
				}
				until += half
			}
		}
		over, err := p.makeSong(lib, i, until)
		if err != nil {
			return err
		}
		if !last && over > 0 {
			p.Sound.Items[i].FadeOutSeconds = max(p.Sound.Items[i].FadeOutSeconds, evenFade)
		}
	}
	p.hear(lib)
	return nil
}

// makeSong makes item i so long that it ends at a sample of the film; over is how many
// seconds before its own end.
func (p *Plan) makeSong(lib doc.Library, i int, until timecode.Samples) (over float64, err error) {
	placed := p.Sound.Placed(lib)[i]
	m := lib[placed.Media]
	want := float64(until-placed.Start) / timecode.SampleRate
	from := float64(placed.Begin) / timecode.SampleRate
	length := float64(m.Length)/timecode.SampleRate - from
	if to := p.Sound.Items[i].Trim.To; to > 0 {
		length = min(length, to-from)
	}
	if want <= 0 {
		return 0, nil // the pictures end before it begins; what goes on is cut with the film
	}
	made, ok := m.Version(from, length, want)
	if !ok {
		return 0, fmt.Errorf("%w: %s has %s, they last %s, and there is no place where it could go on unheard", ErrNoVersion,
			m.Name, timecode.Clock(length), timecode.Clock(want))
	}
	p.Sound.Items[i].Trim, p.Sound.Items[i].Made = doc.Trim{}, made.Stretches
	over = made.Over
	if p.Made != nil {
		made.Joins += p.Made.Joins
		made.Alike = min(made.Alike, p.Made.Alike)
		made.Over = max(made.Over, p.Made.Over)
	}
	p.Made = &made
	return over, nil
}

// Beats are the film's: where in it cuts are welcome, as the document's rule has it.
// first is the first downbeat, 0 if there is none.
func (p Plan) Beats(d doc.Slideshow, lib doc.Library) (beats []fit.Beat, first timecode.Frames) {
	if d.Fit.Beat == "" {
		return nil, 0
	}
	for _, placed := range p.Sound.Placed(lib) {
		h := lib[placed.Media].Heard
		if placed.Role != doc.Music || h == nil {
			continue
		}
		all := h.Rhythm.Beats
		for _, piece := range placed.Pieces {
			for i, b := range all {
				add := func(at, strength float64) (timecode.Frames, bool) {
					s, ok := piece.InFilm(timecode.Samples(at * timecode.SampleRate))
					if f := p.Rate.FramesIn(s); ok && f > 0 {
						beats = append(beats, fit.Beat{At: f, Strength: strength})
						return f, true
					}
					return 0, false
				}
				if d.Fit.Beat == doc.Downbeat && !b.Down {
					continue
				}
				if f, ok := add(b.At, b.Strength); ok && b.Down && first == 0 {
					first = f
				}
				if d.Fit.Beat == doc.HalfBeat && i+1 < len(all) && all[i+1].At-b.At < 2 {
					add((b.At+all[i+1].At)/2, b.Strength/2)
				}
			}
		}
	}
	slices.SortFunc(beats, func(a, b fit.Beat) int { return int(a.At - b.At) })
	return slices.CompactFunc(beats, func(a, b fit.Beat) bool { return a.At == b.At }), first
}

// give is by how much a slide of set length may differ from it to end on a beat:
// what the theme says may by a fifth, what somebody typed and clips not at all.
func give(d doc.Slideshow, s doc.Slide, length timecode.Frames) timecode.Frames {
	if d.Fit.Beat == "" || s.Pinned > 0 || s.Kind == doc.Clip {
		return 0
	}
	return length / 5
}

// solve fits slides to the music. lay is how long they would be at the film's pace.
func (p *Plan) solve(d doc.Slideshow, lib doc.Library, in []fit.Slide, wanted []timecode.Frames,
	lay fit.Solution) (s fit.Solution, err error) {
	beats, first := p.Beats(d, lib)
	g := fit.Grid{Beats: beats, Strict: d.Fit.Strict}
	if in[0].Fixed > 0 && in[0].Give > 0 && first > in[0].Fixed-in[0].Give && first < 2*in[0].Fixed {
		g.Wait = first
	}
	ends := []timecode.Frames{p.MusicEnd}
	if d.Fit.OwnPictures {
		ends = p.songEnds(lib)
	}
	if len(ends) > 1 && len(ends) <= len(in) {
		s, p.OnBeat, err = fit.Parted(in, wanted, ends, firsts(d, in, wanted, lay, ends), g)
	} else {
		s, p.OnBeat, err = fit.OnBeats(in, wanted, p.MusicEnd, g)
	}
	if len(beats) == 0 {
		p.OnBeat = 0
	}
	return s, err
}

// songEnds are the frames at which one song gives way to the next, in the middle of
// a cross-fade, and the end of the music.
func (p Plan) songEnds(lib doc.Library) (out []timecode.Frames) {
	var before *doc.Placed
	for _, placed := range p.Sound.Placed(lib) {
		if placed.Role != doc.Music {
			continue
		}
		if before != nil {
			out = append(out, p.Rate.FramesIn((before.End()+placed.Start)/2))
		}
		before = &placed
	}
	out = append(out, p.MusicEnd)
	if !slices.IsSorted(out) {
		return out[len(out)-1:] // songs placed beside each other are one
	}
	return out
}

// firsts are the slides that songs begin with: those marked by hand, else by share of
// time.
func firsts(d doc.Slideshow, in []fit.Slide, wanted []timecode.Frames, lay fit.Solution,
	ends []timecode.Frames) []int {
	out := []int{0}
	for i, s := range d.Slides {
		if i > 0 && s.NewSong && len(out) < len(ends) {
			out = append(out, i)
		}
	}
	if len(out) == len(ends) {
		return out
	}
	return fit.Share(in, wanted, lay.Lengths, ends)
}
