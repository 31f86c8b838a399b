package edit

import (
	"fmt"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/look"
	"nelko/internal/core/transition"
	"nelko/internal/core/wording"
)

// SetTheme changes the theme, or takes another version of it, by its content.
// Everything else stays as it is, so that going back gives the document back.
type SetTheme struct{ Theme, Version, Name string }

// Title implements Op.
func (s SetTheme) Title() string { return "Changed the theme to " + s.Name }

// Apply implements Op.
func (s SetTheme) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	if s.Theme == "" {
		return d, fmt.Errorf("no theme: %w", ErrInvalid)
	}
	d.Theme, d.ThemeVersion = s.Theme, s.Version
	return d, nil
}

// Shape changes the frame's size.
type Shape struct{ Frame doc.Frame }

// Title implements Op.
func (s Shape) Title() string {
	return fmt.Sprintf("Set the frame to %d×%d", s.Frame.W, s.Frame.H)
}

// Apply implements Op.
func (s Shape) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	d.Frame = s.Frame
	return d, nil
}

// on applies a change to slides of the running order.
func on(d *doc.Slideshow, ids []doc.SlideID, change func(*doc.Slide) error) error {
	for _, id := range ids {
		i := d.Index(id)
		if i < 0 {
			return fmt.Errorf("slide %s: %w", id, ErrGone)
		}
		if err := change(&d.Slides[i]); err != nil {
			return err
		}
	}
	return nil
}

// Layout chooses a layout of the theme; empty leaves it to the theme's rule.
type Layout struct {
	Slides []doc.SlideID
	Layout string
}

// Title implements Op.
func (l Layout) Title() string {
	return "Changed the layout of " + wording.Counted(len(l.Slides), "slide")
}

// Apply implements Op.
func (l Layout) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	return d, on(&d, l.Slides, func(s *doc.Slide) error {
		if l.Layout != "" {
			lay, ok := with.Theme.Layout(l.Layout)
			if !ok {
				return fmt.Errorf("theme %s has no layout %q: %w", with.Theme.Name, l.Layout, ErrInvalid)
			}
			if lay.Pictures != len(s.Media) {
				return fmt.Errorf("layout %s is for %s, the slide has %d: %w", lay.Name,
					wording.Counted(lay.Pictures, "picture"), len(s.Media), ErrInvalid)
			}
		}
		s.Layout = l.Layout
		return nil
	})
}

// Motion sets how pictures move: of slides, or of the whole film if none are
// named. Nil leaves it to the theme.
type Motion struct {
	Slides []doc.SlideID
	Motion *design.Motion
}

// Title implements Op.
func (m Motion) Title() string { return "Changed the motion" + ofSlides(m.Slides) }

func ofSlides(ids []doc.SlideID) string {
	if len(ids) == 0 {
		return " of the film"
	}
	return " of " + wording.Counted(len(ids), "slide")
}

// Apply implements Op.
func (m Motion) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	if len(m.Slides) == 0 {
		d.Motion = m.Motion
		return d, nil
	}
	return d, on(&d, m.Slides, func(s *doc.Slide) error { s.Motion = m.Motion; return nil })
}

// Backdrop sets what is behind the pictures of slides. Nil leaves it to the
// theme.
type Backdrop struct {
	Slides   []doc.SlideID
	Backdrop *design.Backdrop
}

// Title implements Op.
func (b Backdrop) Title() string { return "Changed the backdrop" + ofSlides(b.Slides) }

// Apply implements Op.
func (b Backdrop) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	return d, on(&d, b.Slides, func(s *doc.Slide) error { s.Backdrop = b.Backdrop; return nil })
}

// Join sets the transition out of slides, or of all joins if none are named.
// Nil leaves it to the theme.
type Join struct {
	Slides []doc.SlideID
	Join   *transition.Transition
}

// Title implements Op.
func (j Join) Title() string {
	if len(j.Slides) == 0 {
		return "Changed all transitions"
	}
	return "Changed " + wording.Counted(len(j.Slides), "transition")
}

// Apply implements Op.
func (j Join) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	if len(j.Slides) == 0 {
		d.Join = j.Join
		for i := range d.Slides {
			d.Slides[i].Join = nil
		}
		return d, nil
	}
	return d, on(&d, j.Slides, func(s *doc.Slide) error { s.Join = j.Join; return nil })
}

// Look sets the look of all pictures that have none of their own. Nil leaves
// it to the theme.
type Look struct{ Look *look.Look }

// Title implements Op.
func (Look) Title() string { return "Changed the look of the film" }

// Apply implements Op.
func (l Look) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	d.Look = l.Look
	return d, nil
}
