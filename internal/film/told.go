package film

import (
	"slices"
	"strings"

	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// shorten leaves of the film what a teaser shows: that many seconds, moved to
// end with the film where it is shorter, with the teaser's own fades.
func shorten(f *Film, t profile.Teaser) {
	rate, sc := f.Doc.Rate, f.Scene
	n := max(1, min(rate.Frames(t.Seconds), sc.Frames))
	f.From = max(0, min(rate.Frames(t.From), sc.Frames-n))
	within := func(start, length timecode.Frames) bool { return start < n && start+length > 0 }
	for i := range sc.Slides {
		sc.Slides[i].Start -= f.From
	}
	for i := range sc.Overlays {
		sc.Overlays[i].Start -= f.From
	}
	sc.Slides = slices.DeleteFunc(sc.Slides, func(s scene.Slide) bool { return !within(s.Start, s.Length) })
	sc.Overlays = slices.DeleteFunc(sc.Overlays, func(o scene.Overlay) bool {
		return !within(o.Start, o.Length)
	})
	sc.Frames, sc.FadeIn, sc.FadeOut = n, rate.Frames(t.Fade), rate.Frames(t.Fade)
}

// Captions are the film's captions at their times, one at a time: a caption
// ends where the next slide is half there.
func (f *Film) Captions() (out []plan.Cue) {
	for i, s := range f.Plan.Slides {
		text := strings.TrimSpace(s.Caption)
		for _, l := range s.Lines {
			from, to := s.Start+f.Doc.Rate.Frames(l.From), s.End()-(s.Overlap+1)/2
			if l.To > 0 {
				to = min(to, s.Start+f.Doc.Rate.Frames(l.To))
			}
			if from, to = max(0, from-f.From), min(to-f.From, f.Frames()); to > from {
				out = append(out, plan.Cue{From: from, To: to, Text: strings.TrimSpace(l.Text)})
			}
		}
		if text == "" || len(s.Lines) > 0 {
			continue
		}
		from, to := s.Start, s.End()-(s.Overlap+1)/2
		if i > 0 {
			from += f.Plan.Slides[i-1].Overlap / 2
		}
		from, to = max(0, from-f.From), min(to-f.From, f.Frames())
		if to > from {
			out = append(out, plan.Cue{From: from, To: to, Text: text})
		}
	}
	return out
}

// Chapters are the film's chapters, the first at its first frame.
func (f *Film) Chapters() (out []plan.Chapter) {
	for _, c := range f.Plan.Chapters(f.Title()) {
		if c.At -= f.From; c.At >= f.Frames() {
			break
		}
		if c.At <= 0 {
			out, c.At = nil, 0
		}
		out = append(out, c)
	}
	return out
}
