package film

import (
	"errors"
	"slices"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/media"
)

// Faulty is a slide that shows a clip whose decoder complains.
type Faulty struct {
	Slide doc.SlideID
	Media doc.Media
}

// Faults are the slides of the film that show clips which cannot be decoded
// without errors, in order: what they show may be no picture that anyone made.
func (f *Film) Faults() (out []Faulty) {
	for id, m := range f.Library {
		if m.Faulty == "" {
			continue
		}
		if s, ok := showing(f, id); ok {
			out = append(out, Faulty{s, m})
		}
	}
	slices.SortFunc(out, func(a, b Faulty) int { return f.Doc.Index(a.Slide) - f.Doc.Index(b.Slide) })
	return out
}

// Blame names the slide that shows the medium of a *media.Complaint, as a
// *compose.SlideError. Other errors stay as they are.
func (f *Film) Blame(err error) error {
	var told *media.Complaint
	if !errors.As(err, &told) {
		return err
	}
	if s, ok := showing(f, told.Media); ok {
		return &compose.SlideError{Slide: s, Err: told}
	}
	return err
}

// showing is the first slide in which a medium is seen.
func showing(f *Film, id doc.MediaID) (doc.SlideID, bool) {
	for _, s := range f.Scene.Slides {
		for i := range s.Layers {
			if s.Layers[i].Asset.Media == id {
				return s.ID, true
			}
		}
	}
	for i := range f.Scene.Overlays {
		if o := &f.Scene.Overlays[i]; o.Layer.Asset.Media == id {
			for _, s := range f.Scene.Slides {
				if s.End() > o.Start {
					return s.ID, true
				}
			}
		}
	}
	return "", false
}
