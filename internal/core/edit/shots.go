package edit

import (
	"fmt"
	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
)

// Shots sets something of single photos and clips. What is nil stays.
type Shots struct {
	Media  []doc.MediaID
	Turn   int // quarter turns to add
	Focal  *framing.Point
	Crop   *framing.Rect
	Fit    *design.Fit
	Scale  *float64
	Tilt   *float64
	Look   *look.Look
	Trim   *doc.Trim
	Sound  *float64
	Anew   bool // forget everything set by hand
	Called string
}

// Title implements Op.
func (s Shots) Title() string {
	if s.Called != "" {
		return s.Called + ": " + plural(len(s.Media), "picture")
	}
	return "Changed " + plural(len(s.Media), "picture")
}

// Apply implements Op.
func (s Shots) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	if d.Shots == nil {
		d.Shots = map[doc.MediaID]doc.Shot{}
	}
	for _, id := range s.Media {
		m, ok := with.Library[id]
		if !ok {
			return d, fmt.Errorf("medium %s: %w", id, ErrGone)
		}
		shot := d.Shots[id]
		if s.Anew {
			shot = doc.Shot{}
		}
		if s.Turn != 0 {
			shot.Turn = ((shot.Turn+s.Turn)%4 + 4) % 4
			shot.Focal, shot.Crop = nil, framing.Rect{} // they lay in the picture as it was
		}
		if (s.Trim != nil || s.Sound != nil) && m.Kind != doc.ClipMedia {
			return d, fmt.Errorf("%s is not a clip: %w", m.Name, ErrInvalid)
		}
		set(&shot.Crop, s.Crop)
		set(&shot.Fit, s.Fit)
		set(&shot.Scale, s.Scale)
		set(&shot.Trim, s.Trim)
		set(&shot.Sound, s.Sound)
		if s.Focal != nil {
			shot.Focal = s.Focal
		}
		if s.Tilt != nil {
			shot.Tilt = s.Tilt
		}
		if s.Look != nil {
			shot.Look = s.Look
		}
		if shot == (doc.Shot{}) {
			delete(d.Shots, id)
		} else {
			d.Shots[id] = shot
		}
	}
	return d, nil
}

func set[T any](to *T, from *T) {
	if from != nil {
		*to = *from
	}
}
