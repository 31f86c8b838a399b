package remedy

import (
	"math"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
)

// Way is one way to fit a film and what would come of it, before it is taken.
type Way struct {
	Name              string
	Op                edit.Fit
	Now               bool    // it is how the film is fitted
	Cannot            string  // why it cannot be; the rest is unknown then
	Film, Music       float64 // seconds
	Shortest, Longest float64 // seconds a picture, from its own beginning to that of the next
	ShortAt, LongAt   int     // the numbers of those slides, from 1; 0: no pictures
	OnBeat, Cuts      int     // cuts that lie on a beat, of how many; OnBeat is counted where cuts should
	Beats             bool    // cuts should lie on beats
	Changed           int     // slides that would have another length
	Most              float64 // seconds by which the one that changes most would
	Joined            int     // places at which the music would be joined
}

// Ways are the ways to fit a film with music, each tried.
func Ways(d doc.Slideshow, with edit.Context) []Way {
	if len(d.Soundtrack.Songs()) == 0 || len(d.Slides) == 0 {
		return nil
	}
	free, yes, no := doc.Beat(""), true, false
	all := []Way{{Name: "to the music, cuts where they fall", Op: edit.Fit{Mode: doc.ToMusic, Beat: &free}}}
	for _, b := range []struct {
		beat doc.Beat
		name string
	}{{doc.AnyBeat, "to the music, cuts on beats"}, {doc.Downbeat, "to the music, cuts on bars"},
		{doc.HalfBeat, "to the music, cuts on half beats"}} {
		tried := d
		tried.Fit.Beat = b.beat
		if beats, _ := (plan.Plan{
			Rate:  d.Rate,
			Sound: d.Soundtrack,
		}).Beats(tried, with.Library); len(beats) > 0 {
			all = append(all, Way{Name: b.name, Op: edit.Fit{Mode: doc.ToMusic, Beat: &b.beat}, Beats: true})
		}
	}
	all = append(all, Way{Name: "the music to the pictures", Op: edit.Fit{Mode: doc.MusicToPictures}},
		Way{
			Name: "at the pace, the music fades with the pictures",
			Op:   edit.Fit{Mode: doc.AtPace, Hold: &no},
		},
		Way{Name: "at the pace, the last picture holds", Op: edit.Fit{Mode: doc.AtPace, Hold: &yes}})
	now := plan.Build(d, with.Theme, with.Library)
	for i := range all {
		all[i].try(d, now, with)
	}
	return all
}

// try finds what would come of it.
func (w *Way) try(d doc.Slideshow, now plan.Plan, with edit.Context) {
	n, err := edit.Do(d, w.Op, with)
	if err != nil {
		w.Cannot = err.Error()
		return
	}
	w.Now = n.Fit.Mode == d.Fit.Mode && (w.Op.Beat == nil || *w.Op.Beat == d.Fit.Beat) &&
		(w.Op.Hold == nil || *w.Op.Hold == d.Fit.Hold)
	p := plan.Build(n, with.Theme, with.Library)
	if p.FitError != nil {
		w.Cannot = p.CannotFit()
		return
	}
	w.Film, w.Music = p.Rate.Seconds(p.Frames), float64(p.Music)/timecode.SampleRate
	w.OnBeat, w.Cuts = p.OnBeat, len(p.Slides)-1
	if p.Made != nil {
		w.Joined = p.Made.Joins
	}
	for i, s := range p.Slides {
		if by := p.Rate.Seconds(s.Length - now.Slides[i].Length); by != 0 {
			w.Changed++
			w.Most = math.Max(w.Most, math.Abs(by))
		}
		if s.Kind != doc.Pictures {
			continue
		}
		each := p.Rate.Seconds(s.Each())
		if w.ShortAt == 0 || each < w.Shortest {
			w.Shortest, w.ShortAt = each, i+1
		}
		if w.LongAt == 0 || each > w.Longest {
			w.Longest, w.LongAt = each, i+1
		}
	}
}

// Suit says how many pictures suit a film's music, and what music its pictures.
type Suit struct {
	Have int // pictures in slides that follow the music
	// that suit: at the calmest pace, the film's, the quickest that theme and limits allow
	Least, Usual, Most int
	Seconds            float64
	Shortest, Longest  float64 // music for the pictures it has, at the quickest and the calmest pace
}

// Suiting counts what suits a film: its slides of set length, its clips and joins stay
// as they are, and slides hold as many pictures as they do on average. Seconds is how
// long the film is at its pace. ok is false where no slide follows the music.
func Suiting(d doc.Slideshow, with edit.Context) (s Suit, ok bool) {
	at := d
	at.Fit.Mode, at.Fit.Hold = doc.AtPace, false
	p := plan.Build(at, with.Theme, with.Library)
	slides, free, joins := 0, 0.0, 0.0
	for _, sl := range p.Slides {
		if sl.Kind == doc.Pictures && sl.Pinned == 0 {
			slides++
			s.Have += len(sl.Media)
			free += p.Rate.Seconds(sl.Length - sl.Overlap)
			joins += p.Rate.Seconds(sl.Overlap)
		}
	}
	if slides == 0 {
		return s, false
	}
	join := joins / float64(slides)
	s.Seconds = p.Rate.Seconds(p.Frames)
	others := s.Seconds - free
	// A pace is from one slide to the next, a limit without the join.
	calm, quick := with.Theme.Pace.Calmest, with.Theme.Pace.Quickest
	if d.Fit.Longest > 0 {
		calm = math.Min(calm, d.Fit.Longest+join)
	}
	quick = math.Max(quick, math.Max(0.1, d.Fit.Shortest+join))
	calm = math.Max(calm, quick)
	s.Shortest, s.Longest = others+quick*float64(slides), others+calm*float64(slides)
	count := func(step float64) int {
		left := float64(p.Music)/timecode.SampleRate - others
		return int(math.Round(math.Max(0, left) / step * float64(s.Have) / float64(slides)))
	}
	s.Least, s.Usual, s.Most = count(calm), count(math.Max(quick, math.Min(calm, d.Fit.PaceSeconds))),
		count(quick)
	return s, true
}
