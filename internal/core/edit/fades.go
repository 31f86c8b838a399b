package edit

import "nelko/internal/core/doc"

// Fades sets how the film begins and ends; nil: as the theme has it.
type Fades struct{ Fades *doc.Fades }

// Title implements Op.
func (Fades) Title() string { return "Set the film’s beginning and end" }

// Apply implements Op.
func (f Fades) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	d.Fades = f.Fades
	return d, nil
}

// Shutter sets the film's motion blur, as the angle of a shutter in degrees; 0
// is none.
type Shutter struct{ Degrees float64 }

// Title implements Op.
func (Shutter) Title() string { return "Set the motion blur" }

// Apply implements Op.
func (s Shutter) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	d.Shutter = s.Degrees
	return d, nil
}
