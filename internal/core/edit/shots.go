package edit

import (
	"fmt"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/wording"
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
	AsFilm bool // takes its own look away
	Trim   *doc.Trim
	Sound  *float64
	Anew   bool // forget everything set by hand
	Called string
}

// Title implements Op.
func (s Shots) Title() string {
	if s.Called != "" {
		return s.Called + ": " + wording.Counted(len(s.Media), "picture")
	}
	return "Changed " + wording.Counted(len(s.Media), "picture")
}

// onlyClips reports whether what is set is for clips.
func (s Shots) onlyClips() bool { return s.Trim != nil || s.Sound != nil }

// Tells implements Telling: of a mixed choice it says to how many it applied.
func (s Shots) Tells(before, after doc.Slideshow) string {
	if !s.onlyClips() {
		return s.Title()
	}
	n := 0
	for _, id := range s.Media {
		if before.Shots[id] != after.Shots[id] {
			n++
		}
	}
	return s.Called + ": " + wording.Counted(n, "clip")
}

// Apply implements Op. Among several, what is for clips passes photos over.
func (s Shots) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	applied := 0
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
		if s.onlyClips() && m.Kind != doc.ClipMedia {
			if len(s.Media) == 1 {
				return d, fmt.Errorf("%s is not a clip: %w", m.Name, ErrInvalid)
			}
			continue
		}
		applied++
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
		if s.AsFilm {
			shot.Look = nil
		}
		if s.Look != nil {
			shot.Look = s.Look
		}
		d.SetShot(id, shot)
	}
	if s.onlyClips() && applied == 0 {
		return d, fmt.Errorf("there is no clip among these: %w", ErrInvalid)
	}
	return d, nil
}

func set[T any](to *T, from *T) {
	if from != nil {
		*to = *from
	}
}

// Framing lets the picture of slides with one picture go from one framing to
// another. Both are fractions of the whole picture, turned but not cropped.
type Framing struct {
	Slides   []doc.SlideID
	From, To framing.Rect
	Ease     framing.Ease
}

// Title implements Op.
func (f Framing) Title() string {
	return "Framed " + wording.Counted(len(f.Slides), "slide") + " by hand"
}

// Apply implements Op.
func (f Framing) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	return d, on(&d, f.Slides, func(s *doc.Slide) error {
		if len(s.Media) != 1 {
			return fmt.Errorf("slide %s has %s; only one can be framed from one to another: %w", s.ID,
				wording.Counted(len(s.Media), "picture"), ErrInvalid)
		}
		crop := d.Shots[s.Media[0]].Crop
		s.Motion = &design.Motion{
			Kind: design.ByHand,
			Ease: f.Ease,
			From: within(f.From, crop),
			To:   within(f.To, crop),
		}
		return nil
	})
}

// within turns a rectangle of the whole picture into fractions of a crop, as
// far as it lies in it. An empty crop is the whole.
func within(r, crop framing.Rect) framing.Rect {
	if crop == (framing.Rect{}) {
		crop = framing.Rect{W: 1, H: 1}
	}
	x, y := max(r.X, crop.X), max(r.Y, crop.Y)
	w, h := min(r.X+r.W, crop.X+crop.W)-x, min(r.Y+r.H, crop.Y+crop.H)-y
	return framing.Rect{X: (x - crop.X) / crop.W, Y: (y - crop.Y) / crop.H, W: w / crop.W, H: h / crop.H}
}
