package plan

import (
	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
)

// Laid is when something laid over slides is there, from a frame to the one after
// its last; both are the same where it is never there. A clip is there no longer
// than it plays.
func (p Plan) Laid(laid doc.Laid, lib doc.Library) (from, to timecode.Frames) {
	first, last := -1, -1
	for i, s := range p.Slides {
		if s.ID == laid.From {
			first = i
		}
		if s.ID == laid.To {
			last = i
		}
	}
	if first < 0 || last < first {
		return 0, 0
	}
	from, to = p.Slides[first].Start+p.Rate.Frames(laid.After), p.Slides[last].End()
	if laid.Lasts > 0 {
		to = min(to, from+p.Rate.Frames(laid.Lasts))
	}
	if m := lib[doc.MediaID(laid.Media)]; m.Kind == doc.ClipMedia {
		left := float64(m.Length)/timecode.SampleRate - laid.Begin // in seconds
		to = min(to, from+p.Rate.FramesIn(timecode.Samples(max(0, left)*timecode.SampleRate)))
	}
	return from, max(from, to)
}
