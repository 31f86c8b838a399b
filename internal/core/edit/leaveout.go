package edit

import (
	"fmt"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/wording"
)

// LeaveOut takes pictures and clips out of the film wherever they are shown,
// or songs out of the soundtrack. Slides with other pictures keep those; slides
// left without any go.
type LeaveOut struct {
	Media []doc.MediaID
	Gone  bool // they are done away with: should they come again, they are new
}

// Title implements Op.
func (l LeaveOut) Title() string { return "Left out " + wording.Counted(len(l.Media), "file") }

// Apply implements Op.
func (l LeaveOut) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	out := map[doc.MediaID]bool{}
	for _, id := range l.Media {
		if _, ok := with.Library[id]; !ok {
			return d, fmt.Errorf("medium %s: %w", id, ErrGone)
		}
		out[id] = true
		if l.Gone {
			d.LeftOut = without(d.LeftOut, id)
			continue
		}
		if !slices.Contains(d.LeftOut, id) && with.Library[id].Kind != doc.SongMedia {
			d.LeftOut = append(d.LeftOut, id)
		}
	}
	d.Soundtrack.Items = slices.DeleteFunc(slices.Clone(d.Soundtrack.Items), func(it doc.Item) bool {
		return out[it.Media]
	})
	var kept []doc.Slide
	for _, s := range d.Slides {
		had := len(s.Media)
		s.Media = slices.DeleteFunc(slices.Clone(s.Media), func(id doc.MediaID) bool { return out[id] })
		if had > 0 && len(s.Media) == 0 {
			continue
		}
		if len(s.Media) != had {
			s.Layout = "" // it was for as many pictures as there were
		}
		kept = append(kept, s)
	}
	d.Slides = kept
	return d, nil
}
