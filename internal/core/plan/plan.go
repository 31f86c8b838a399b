// Package plan lays a slideshow out in time: when each slide starts, how long
// it lasts, how far pictures and music are apart, and what a careful colleague
// would point out before rendering.
package plan

import (
	"errors"
	"fmt"
	"math"

	"nelko/internal/core/doc"
	"nelko/internal/core/fit"
	"nelko/internal/core/rhythm"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
	"nelko/internal/core/wording"
)

// Plan is a slideshow in time.
type Plan struct {
	Rate     timecode.Rate
	Slides   []Slide
	Frames   timecode.Frames  // length of the film's picture
	Music    timecode.Samples // where the music ends
	MusicEnd timecode.Frames  // the frame nearest to where the music ends
	Short    bool             // overlaps are shorter than wanted
	OnBeat   int              // cuts that lie on a beat, where they should
	// what is heard: the document's, with the last song as long as the pictures where that is wanted
	Sound doc.Soundtrack
	// how the last song was made so long, with the joins of all that were; nil: none was
	Made     *rhythm.Made
	FitError error // why the slides could not be fitted: an *fit.Error, ErrNoMusic or ErrNoVersion
}

// ErrNoMusic means that slides are to be fitted to a soundtrack without songs.
var ErrNoMusic = errors.New("there is no song to fit the pictures to")

// Slide is one slide in time. Its last Overlap frames are shared with the
// next slide, into which Into leads.
type Slide struct {
	doc.Slide
	Start, Length, Overlap timecode.Frames
	Into                   transition.Transition
}

// End is the frame after the slide's last.
func (s Slide) End() timecode.Frames { return s.Start + s.Length }

// Build lays d out. It always returns a plan that can be shown: where fitting
// is impossible FitError says why, and the slides come as near to the music as their
// limits let them; where that is nowhere they follow the pace.
func Build(d doc.Slideshow, t *theme.Theme, lib doc.Library) Plan {
	p := Plan{Rate: d.Rate, Sound: d.Soundtrack}
	p.hear(lib)
	if len(d.Slides) == 0 {
		return p
	}
	in := make([]fit.Slide, len(d.Slides))
	into := make([]transition.Transition, len(d.Slides))
	wanted := make([]timecode.Frames, len(d.Slides)-1)
	for i, s := range d.Slides {
		length := fixed(d, t, lib, s)
		in[i] = fit.Slide{
			Fixed:  length,
			Give:   give(d, s, length),
			Linger: s.Linger,
			Least:  frames(d.Rate, d.Fit.Shortest, math.Ceil),
			Most:   frames(d.Rate, d.Fit.Longest, math.Floor),
		}
		if i < len(wanted) {
			into[i] = joinOf(d, t, i)
			if into[i].Kind != "cut" {
				wanted[i] = d.Rate.Frames(into[i].Seconds)
			}
		}
	}
	until := p.holdSlides(d, lib, in, wanted)
	sol := fit.Lay(in, wanted, d.Rate.Frames(d.Fit.PaceSeconds))
	holdAtPace(&sol, until)
	switch music := len(d.Soundtrack.Songs()) > 0; {
	case d.Fit.Mode == doc.AtPace && d.Fit.Hold && sol.Total() < p.MusicEnd:
		sol.Lengths[len(sol.Lengths)-1] += p.MusicEnd - sol.Total()
	case d.Fit.Mode == doc.AtPace:
	case !music:
		p.FitError = ErrNoMusic
	case d.Fit.Mode == doc.MusicToPictures:
		p.FitError = p.makeMusic(lib, sol.Total(), d.Fit.EvenSongs)
	default:
		if solved, err := p.solve(d, lib, in, wanted, sol); err != nil {
			p.FitError = err
			if near, err := fit.Nearest(in, wanted, p.MusicEnd); err == nil {
				sol = near
			}
		} else {
			sol = solved
		}
	}
	p.Short = sol.Shortened
	p.Frames = sol.Total()
	starts := sol.Starts()
	for i, s := range d.Slides {
		ps := Slide{Slide: s, Start: starts[i], Length: sol.Lengths[i], Into: into[i]}
		if i < len(sol.Overlaps) {
			ps.Overlap = sol.Overlaps[i]
		}
		p.Slides = append(p.Slides, ps)
	}
	p.placeNarration()
	return p
}

// frames are seconds in whole frames, rounded so that a limit is held.
func frames(rate timecode.Rate, seconds float64, round func(float64) float64) timecode.Frames {
	if seconds <= 0 {
		return 0
	}
	return max(1, timecode.Frames(round(math.Round(seconds*rate.FPS()*1e6)/1e6)))
}

// joinOf is the transition from slide i to the next: as set for this join, for
// all joins, or by the theme's rule.
func joinOf(d doc.Slideshow, t *theme.Theme, i int) transition.Transition {
	switch {
	case d.Slides[i].Join != nil:
		return d.Slides[i].Join.Turned(i)
	case d.Join != nil:
		return d.Join.Turned(i)
	}
	return t.JoinOf(i, d.Seed)
}

// fixed is the length a slide keeps whatever the music, 0 for none.
func fixed(d doc.Slideshow, t *theme.Theme, lib doc.Library, s doc.Slide) timecode.Frames {
	switch {
	case s.Kind == doc.Clip:
		_, length := d.Cut(s, lib[s.Media[0]])
		return max(1, d.Rate.FramesIn(length))
	case s.Pinned > 0:
		return max(1, d.Rate.Frames(s.Pinned))
	case s.Kind == doc.Opening:
		return max(1, d.Rate.Frames(t.Opening.Seconds*s.Linger))
	case s.Kind == doc.Card:
		return max(1, d.Rate.Frames(t.Card(s.Card.Kind).Seconds*s.Linger))
	case s.Kind == doc.Closing:
		return max(1, d.Rate.Frames(t.Closing.Seconds*s.Linger))
	}
	return 0
}

// Each is the time from a slide's own beginning to the beginning of the next: what
// is called its seconds wherever seconds are told, so that slides can be added up.
func (s Slide) Each() timecode.Frames { return s.Length - s.Overlap }

// Seen is the time a slide is wholly seen: between its joins.
func (p Plan) Seen(i int) timecode.Frames {
	seen := p.Slides[i].Length - p.Slides[i].Overlap
	if i > 0 {
		seen -= p.Slides[i-1].Overlap
	}
	return max(0, seen)
}

// Left is music time minus picture time: positive when music is left over,
// negative when pictures run on.
func (p Plan) Left() timecode.Frames { return p.MusicEnd - p.Frames }

// At finds the slide or the two slides shown at frame n. second is -1 outside
// a join.
func (p Plan) At(n timecode.Frames) (first, second int) {
	first, second = -1, -1
	for i, s := range p.Slides {
		if n >= s.Start && n < s.End() {
			if first < 0 {
				first = i
			} else {
				second = i
			}
		}
	}
	return
}

func apart(r timecode.Rate, n timecode.Frames) string {
	if r.Seconds(n) < 0.95 {
		return wording.Counted(int(n), "frame")
	}
	if r.Seconds(n) >= 59.95 {
		return timecode.Clock(r.Seconds(n))
	}
	return fmt.Sprintf("%.1f s", r.Seconds(n))
}
