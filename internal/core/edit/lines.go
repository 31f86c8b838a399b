package edit

import (
	"fmt"
	"maps"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/wording"
)

// Lines captions a slide with words at times of their own; none: the slide has
// its caption again.
type Lines struct {
	Slide doc.SlideID
	Lines []doc.Line
}

// Title implements Op.
func (Lines) Title() string { return "Set captions with times" }

// Apply implements Op.
func (l Lines) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	return d, on(&d, []doc.SlideID{l.Slide}, func(s *doc.Slide) error {
		if len(s.Media) == 0 {
			return fmt.Errorf("captions stand on pictures: %w", ErrInvalid)
		}
		s.Lines = l.Lines
		return nil
	})
}

// Subtitles captions slides from a file of subtitles; slides that are not named
// lose their captions, since the file is all of them.
type Subtitles struct{ Of map[doc.SlideID]plan.Said }

// Title implements Op.
func (s Subtitles) Title() string {
	return "Captioned " + wording.Counted(len(s.Of), "slide") + " from subtitles"
}

// Apply implements Op.
func (s Subtitles) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	for _, id := range slices.Sorted(maps.Keys(s.Of)) {
		if d.Index(id) < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
	}
	d.Slides = slices.Clone(d.Slides)
	for i := range d.Slides {
		if sl := &d.Slides[i]; len(sl.Media) > 0 {
			sl.Caption, sl.Lines = s.Of[sl.ID].Caption, s.Of[sl.ID].Lines
		}
	}
	return d, nil
}
