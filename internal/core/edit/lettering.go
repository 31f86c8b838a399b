package edit

import (
	"fmt"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
)

// Lettering changes how the words of openings, closings and cards are set; a nil
// Change leaves all of it to the theme.
type Lettering struct {
	Slides []doc.SlideID
	Change func(*design.Lettering)
}

// Title implements Op.
func (l Lettering) Title() string { return "Changed how words are set" + ofSlides(l.Slides) }

// Apply implements Op.
func (l Lettering) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	return d, on(&d, l.Slides, func(s *doc.Slide) error {
		if len(s.Media) > 0 {
			return fmt.Errorf("words on pictures are captions: %w", ErrInvalid)
		}
		if l.Change == nil {
			s.Lettering = nil
			return nil
		}
		var n design.Lettering
		if s.Lettering != nil {
			n = *s.Lettering
		}
		l.Change(&n)
		s.Lettering = &n
		if n == (design.Lettering{}) {
			s.Lettering = nil
		}
		return invalid("lettering", n.Validate())
	})
}

// Picture chooses the picture that slides show beside or behind what stands on
// them; none leaves it to the rule.
type Picture struct {
	Slides  []doc.SlideID
	Picture doc.MediaID
}

// Title implements Op.
func (p Picture) Title() string { return "Changed the picture behind or beside" + ofSlides(p.Slides) }

// Apply implements Op.
func (p Picture) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	if p.Picture != "" {
		m, ok := with.Library[p.Picture]
		if !ok {
			return d, fmt.Errorf("picture %s: %w", p.Picture, ErrGone)
		}
		if m.Kind == doc.SongMedia {
			return d, fmt.Errorf("a song is no picture: %w", ErrInvalid)
		}
	}
	return d, on(&d, p.Slides, func(s *doc.Slide) error { s.Picture = p.Picture; return nil })
}
