package edit

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/wording"
)

// Caption sets the words on a slide's pictures.
type Caption struct {
	Slides []doc.SlideID
	Text   string
}

// Title implements Op.
func (c Caption) Title() string {
	if strings.TrimSpace(c.Text) == "" {
		return "Took off the caption of " + wording.Counted(len(c.Slides), "slide")
	}
	return "Captioned " + wording.Counted(len(c.Slides), "slide")
}

// Apply implements Op.
func (c Caption) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	return d, on(&d, c.Slides, func(s *doc.Slide) error {
		if len(s.Media) == 0 {
			return fmt.Errorf("captions stand on pictures: %w", ErrInvalid)
		}
		s.Caption = strings.TrimSpace(c.Text)
		return nil
	})
}

// CaptionNames captions slides with the names of their pictures' files, without
// endings, with spaces for underscores.
type CaptionNames struct{ Slides []doc.SlideID }

// Title implements Op.
func (c CaptionNames) Title() string {
	return "Captioned " + wording.Counted(len(c.Slides), "slide") + " from file names"
}

// Apply implements Op.
func (c CaptionNames) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	return d, on(&d, c.Slides, func(s *doc.Slide) error {
		if len(s.Media) == 0 {
			return fmt.Errorf("captions stand on pictures: %w", ErrInvalid)
		}
		names := make([]string, len(s.Media))
		for i, id := range s.Media {
			name := with.Library[id].Name
			names[i] = strings.Join(strings.Fields(strings.ReplaceAll(strings.TrimSuffix(name,
				path.Ext(name)), "_", " ")), " ")
		}
		s.Caption = wording.Beside(names...)
		return nil
	})
}

// CaptionDescriptions captions slides with what their pictures' files say of
// them in words; slides whose pictures say nothing stay as they are.
type CaptionDescriptions struct{ Slides []doc.SlideID }

// Title implements Op.
func (c CaptionDescriptions) Title() string {
	return "Captioned " + wording.Counted(len(c.Slides), "slide") + " from descriptions"
}

// Apply implements Op.
func (c CaptionDescriptions) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	any := false
	err := on(&d, c.Slides, func(s *doc.Slide) error {
		var words []string
		for _, id := range s.Media {
			if w := with.Library[id].Description; w != "" && !slices.Contains(words, w) {
				words = append(words, w)
			}
		}
		if len(words) > 0 {
			s.Caption, any = wording.Beside(words...), true
		}
		return nil
	})
	if err == nil && !any {
		err = fmt.Errorf("none of these pictures has a description: %w", ErrInvalid)
	}
	return d, err
}

// Chapter begins a chapter of the film at each of the slides; without a title
// there is none.
type Chapter struct {
	Slides []doc.SlideID
	Text   string
}

// Title implements Op.
func (c Chapter) Title() string {
	if strings.TrimSpace(c.Text) == "" {
		return "Took chapters away" + ofSlides(c.Slides)
	}
	return "Began a chapter" + ofSlides(c.Slides)
}

// Apply implements Op.
func (c Chapter) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	return d, on(&d, c.Slides, func(s *doc.Slide) error {
		s.Chapter = strings.Join(strings.Fields(c.Text), " ")
		return nil
	})
}

// CaptionStyle sets how captions are set: on slides, or in the whole film if
// none are named. Nil leaves it to the film, or to the theme.
type CaptionStyle struct {
	Slides []doc.SlideID
	Style  *design.Caption
	Snap   bool // moves its At as the first of the captions needs it to snap
}

// Title implements Op.
func (c CaptionStyle) Title() string { return "Changed the caption style" + ofSlides(c.Slides) }

// Apply implements Op.
func (c CaptionStyle) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	var style *design.Caption
	if c.Style != nil {
		own := *c.Style
		style = &own
	}
	if len(c.Slides) == 0 {
		d.CaptionStyle = style
	} else if err := on(&d, c.Slides, func(s *doc.Slide) error {
		s.CaptionStyle = style
		return nil
	}); err != nil {
		return d, err
	}
	if c.Snap && style != nil && style.At != nil {
		style.At = with.snap(d, c.first(d), *style.At)
	}
	return d, nil
}

// first is the first slide whose caption has the style, if any has.
func (c CaptionStyle) first(d doc.Slideshow) doc.SlideID {
	for _, s := range d.Slides {
		if s.Caption != "" && (len(c.Slides) == 0 && s.CaptionStyle == nil ||
			slices.Contains(c.Slides, s.ID)) {
			return s.ID
		}
	}
	return ""
}

// snap moves the middle of a slide's words so that they snap.
func (with Context) snap(d doc.Slideshow, id doc.SlideID, at framing.Point) *framing.Point {
	var box framing.Rect
	if with.Words != nil && id != "" {
		box = with.Words(d, id)
	}
	at = framing.Snap(at, box.W, box.H, snapWithin)
	return &at
}

// AddCard puts a text card before a slide, or before the closing.
type AddCard struct {
	Words  doc.Words
	Before doc.SlideID
}

// Title implements Op.
func (AddCard) Title() string { return "Added a text card" }

// Apply implements Op.
func (a AddCard) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	w := a.Words
	return insert(d, doc.Slide{Kind: doc.Card, Card: &w, Linger: 1}, a.Before)
}

// insert puts a new slide before another, or last of all but the closing.
func insert(d doc.Slideshow, s doc.Slide, before doc.SlideID) (doc.Slideshow, error) {
	lo, hi := bounds(d)
	at := hi
	if before != "" {
		if at = d.Index(before); at < 0 {
			return d, fmt.Errorf("slide %s: %w", before, ErrGone)
		}
		at = max(lo, min(at, hi))
	}
	s.ID = d.NextSlide()
	d.Slides = slices.Insert(slices.Clone(d.Slides), at, s)
	return d, nil
}

// Words changes what a text card says.
type Words struct {
	Slide doc.SlideID
	Words doc.Words
	Snap  bool // moves the words' At so that it snaps
}

// Title implements Op.
func (Words) Title() string { return "Changed a text card" }

// Apply implements Op.
func (w Words) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	words := w.Words
	err := on(&d, []doc.SlideID{w.Slide}, func(s *doc.Slide) error {
		if s.Kind != doc.Card {
			return fmt.Errorf("slide %s is not a text card: %w", w.Slide, ErrInvalid)
		}
		s.Card = &words
		return nil
	})
	if err == nil && w.Snap && words.At != nil {
		words.At = with.snap(d, w.Slide, *words.At)
	}
	return d, err
}
