package plan

import (
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/fit"
	"nelko/internal/core/timecode"
)

// holdSlides makes slides that wait for their narration last at least so long, and says
// how long it is from the beginning of each until the speaking ends, 0 for the others.
// A pinned slide and a clip keep their time.
func (p *Plan) holdSlides(d doc.Slideshow, lib doc.Library, in []fit.Slide,
	wanted []timecode.Frames) (until []timecode.Frames) {
	until = make([]timecode.Frames, len(in))
	for i, it := range d.Soundtrack.Items {
		at := d.Index(it.On)
		if !it.Hold || it.At == nil || at < 0 || d.Slides[at].Pinned > 0 || d.Slides[at].Kind == doc.Clip {
			continue
		}
		until[at] = max(until[at], p.Rate.Frames(*it.At)+p.Rate.FramesIn(d.Soundtrack.Placed(lib)[i].Length)+
			1)
		s := &in[at]
		if s.Fixed > 0 {
			if s.Fixed = max(s.Fixed, until[at]); at < len(wanted) {
				s.Fixed = max(s.Fixed, until[at]+wanted[at])
			}
			continue
		}
		lead := timecode.Frames(0)
		if at > 0 {
			lead = wanted[at-1]
		}
		s.Least = max(s.Least, until[at]-lead)
		if s.Most > 0 {
			s.Most = max(s.Most, s.Least)
		}
	}
	return until
}

// holdAtPace makes slides that are laid at a pace stay until their speaking ends.
func holdAtPace(sol *fit.Solution, until []timecode.Frames) {
	for i, u := range until {
		if u > 0 && i < len(sol.Overlaps) {
			u += sol.Overlaps[i]
		}
		if u > 0 {
			sol.Lengths[i] = max(sol.Lengths[i], u)
		}
	}
}

// placeNarration puts narration that goes with a slide where that slide is.
func (p *Plan) placeNarration() {
	for i, it := range p.Sound.Items {
		if it.On == "" || it.At == nil {
			continue
		}
		at := slices.IndexFunc(p.Slides, func(s Slide) bool { return s.ID == it.On })
		if at < 0 {
			continue
		}
		p.Sound.Items = slices.Clone(p.Sound.Items)
		seconds := *it.At + p.Rate.Seconds(p.Slides[at].Start)
		p.Sound.Items[i].At = &seconds
	}
}

// SlideAt is the slide that is seen at a second of the film, the later one in a join;
// -1 outside of it.
func (p Plan) SlideAt(second float64) int {
	first, then := p.At(p.Rate.Frames(second))
	if then >= 0 {
		return then
	}
	return first
}
