package edit

import (
	"fmt"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/wording"
)

// CopyKinds are the kinds of settings that are copied from one slide to others.
var CopyKinds = []string{"layout", "motion", "transition", "backdrop", "look", "framing", "captions", "linger"}

// CopySettings gives slides the settings of another, of the kinds named. What
// is left to the theme there is left to the theme here. A layout is given to
// slides of as many pictures; look and framing are those of its first picture,
// crops are a picture's own and stay.
type CopySettings struct {
	From   doc.SlideID
	Slides []doc.SlideID
	Kinds  []string
}

// Title implements Op.
func (c CopySettings) Title() string {
	return "Copied settings to " + wording.Counted(len(c.Slides), "slide")
}

// Apply implements Op.
func (c CopySettings) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	at := d.Index(c.From)
	if at < 0 {
		return d, fmt.Errorf("slide %s: %w", c.From, ErrGone)
	}
	for _, k := range c.Kinds {
		if !slices.Contains(CopyKinds, k) {
			return d, fmt.Errorf("settings %q: %w", k, ErrInvalid)
		}
	}
	from := d.Slides[at]
	has := func(kind string) bool { return slices.Contains(c.Kinds, kind) }
	err := on(&d, c.Slides, func(s *doc.Slide) error {
		if s.ID == from.ID {
			return nil
		}
		if has("layout") && len(s.Media) == len(from.Media) {
			s.Layout = from.Layout
		}
		if has("motion") && len(s.Media) > 0 && len(from.Media) > 0 {
			s.Motion = from.Motion
		}
		if has("transition") {
			s.Join = from.Join
		}
		if has("backdrop") {
			s.Backdrop = from.Backdrop
		}
		if has("captions") && len(s.Media) > 0 {
			s.CaptionStyle = from.CaptionStyle
		}
		if has("linger") && s.Kind != doc.Clip && from.Kind != doc.Clip {
			s.Linger = from.Linger
		}
		if len(from.Media) == 0 {
			return nil
		}
		given := d.Shots[from.Media[0]]
		for _, m := range s.Media {
			shot := d.Shots[m]
			if has("look") {
				shot.Look = given.Look
			}
			if has("framing") {
				shot.Fit, shot.Scale, shot.Tilt = given.Fit, given.Scale, given.Tilt
			}
			setShot(&d, m, shot)
		}
		return nil
	})
	return d, err
}

// Again shows slides with pictures once more, each right after itself.
type Again struct{ Slides []doc.SlideID }

// Title implements Op.
func (a Again) Title() string { return "Showed " + wording.Counted(len(a.Slides), "slide") + " again" }

// Apply implements Op.
func (a Again) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	for _, id := range a.Slides {
		i := d.Index(id)
		if i < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
		if len(d.Slides[i].Media) == 0 {
			return d, fmt.Errorf("only slides with pictures are shown again: %w", ErrInvalid)
		}
		s := d.Slides[i]
		s.ID, s.Placed, s.Chapter, s.CommonAt, s.Row = d.NextSlide(), true, "", nil, false
		s.Media = slices.Clone(s.Media)
		d.Slides = slices.Insert(slices.Clone(d.Slides), i+1, s)
	}
	return d, nil
}

// Replace puts another picture in the place of one, on a slide, and keeps all
// else: position, time, layout, words, and the look; what was set for what can
// be seen in the old one (turning, crop, focal point) is the new one's own.
type Replace struct {
	Slide    doc.SlideID
	Old, New doc.MediaID
}

// Title implements Op.
func (Replace) Title() string { return "Replaced a picture" }

// Apply implements Op.
func (r Replace) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	was, okOld := with.Library[r.Old]
	is, ok := with.Library[r.New]
	if !ok {
		return d, fmt.Errorf("medium %s: %w", r.New, ErrGone)
	}
	if is.Kind == doc.SongMedia || (okOld && was.Kind != is.Kind) {
		return d, fmt.Errorf("a %s cannot stand in the place of a %s: %w", is.Kind, was.Kind, ErrInvalid)
	}
	err := on(&d, []doc.SlideID{r.Slide}, func(s *doc.Slide) error {
		i := slices.Index(s.Media, r.Old)
		if i < 0 {
			return fmt.Errorf("medium %s: %w", r.Old, ErrGone)
		}
		s.Media = slices.Clone(s.Media)
		s.Media[i] = r.New
		s.Placed = true
		return nil
	})
	if err != nil {
		return d, err
	}
	old := d.Shot(r.Old)
	old.Turn, old.Crop, old.Focal, old.Trim = 0, framing.Rect{}, nil, doc.Trim{}
	if _, own := d.Shots[r.New]; !own {
		setShot(&d, r.New, old)
	}
	d.LeftOut = without(d.LeftOut, r.New)
	if !d.Uses()[r.Old] {
		d.LeftOut = append(d.LeftOut, r.Old)
	}
	return d, nil
}
