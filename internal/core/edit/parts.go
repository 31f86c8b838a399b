package edit

import (
	"fmt"
	"slices"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/look"
	"nelko/internal/core/transition"
	"nelko/internal/core/wording"
)

// The edits below change a part of something that is set and leave the rest of
// it, so that what was touched once is written to a whole selection and nothing
// else. Where nothing is set by hand they begin with what holds there: what
// the film has, else the theme. Change must change nothing but what it is given.

// MotionPart changes a part of how pictures move: of slides, or of the whole
// film if none are named.
type MotionPart struct {
	Slides []doc.SlideID
	Change func(*design.Motion)
}

// Title implements Op.
func (m MotionPart) Title() string { return Motion{Slides: m.Slides}.Title() }

// Apply implements Op.
func (m MotionPart) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	err := onOrFilm(&d, m.Slides, &d.Motion, func(s *doc.Slide) **design.Motion {
		return &s.Motion
	}, func(s doc.Slide) design.Motion {
		if l, ok := caster(d, with).Layout(s, with.Library, d.Seed); ok && l.Motion != nil {
			return *l.Motion
		}
		return with.Theme.Motion
	}, func(n *design.Motion) error {
		m.Change(n)
		if n.Kind != design.Still && n.Kind != design.ByHand && n.Zoom == 0 {
			n.Zoom = with.Theme.Motion.Zoom
		}
		return invalid("motion", n.Validate())
	})
	return d, err
}

// CaptionPart changes a part of how captions are set: on slides, or in the
// whole film if none are named.
type CaptionPart struct {
	Slides []doc.SlideID
	Change func(*design.Caption)
	Snap   bool // moves At as the first of the captions needs it to snap
}

// Title implements Op.
func (c CaptionPart) Title() string { return CaptionStyle{Slides: c.Slides}.Title() }

// Apply implements Op.
func (c CaptionPart) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	var set []*design.Caption
	err := onOrFilm(&d, c.Slides, &d.CaptionStyle, func(s *doc.Slide) **design.Caption {
		return &s.CaptionStyle
	}, func(doc.Slide) design.Caption { return with.Theme.Caption }, func(n *design.Caption) error {
		c.Change(n)
		set = append(set, n)
		return invalid("caption style", n.Validate())
	})
	if err != nil || !c.Snap {
		return d, err
	}
	first := CaptionStyle{Slides: c.Slides}.first(d)
	for _, n := range set {
		if n.At != nil {
			n.At = with.snap(d, first, *n.At)
		}
	}
	return d, nil
}

// BackdropPart changes a part of the backdrops that slides were given by hand.
// Slides whose backdrop follows the theme are left alone; at least one must
// have its own.
type BackdropPart struct {
	Slides []doc.SlideID
	Change func(*design.Backdrop)
}

// Title implements Op.
func (b BackdropPart) Title() string { return Backdrop{Slides: b.Slides}.Title() }

// Apply implements Op.
func (b BackdropPart) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	some := false
	err := on(&d, b.Slides, func(s *doc.Slide) error {
		if s.Backdrop == nil {
			return nil
		}
		some = true
		n := *s.Backdrop
		b.Change(&n)
		s.Backdrop = &n
		return invalid("backdrop", n.Validate())
	})
	if err == nil && !some {
		err = fmt.Errorf("choose a backdrop first: %w", ErrInvalid)
	}
	return d, err
}

// JoinPart changes a part of the transitions out of slides, or of all joins if
// none are named; then what was set for single joins is changed with it, and
// where the theme rules its transitions stay and only take the new length.
type JoinPart struct {
	Slides []doc.SlideID
	Change func(*transition.Transition)
	All    bool // and if no slides are named: one transition for all joins, whatever was set for single ones
}

// Title implements Op.
func (j JoinPart) Title() string { return Join{Slides: j.Slides}.Title() }

// Apply implements Op.
func (j JoinPart) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	change := func(n *transition.Transition) error {
		j.Change(n)
		if n.Kind == "cut" {
			n.Seconds = 0
		} else if n.Seconds == 0 {
			n.Seconds = with.Theme.Transitions.Set[0].Seconds
		}
		if !n.Kind.Softens() {
			n.Soft = 0
		}
		return invalid("transition", n.Validate())
	}
	slides := j.Slides
	if len(slides) == 0 && j.All {
		n := with.Theme.Transitions.Set[0]
		if d.Join != nil {
			n = *d.Join
		}
		if err := change(&n); err != nil {
			return d, err
		}
		return Join{Join: &n}.Apply(d, with)
	}
	if len(slides) == 0 {
		if d.Join != nil {
			n := *d.Join
			d.Join = &n
			if err := change(&n); err != nil {
				return d, err
			}
		}
		for _, s := range d.Slides[:max(0, len(d.Slides)-1)] {
			if d.Join == nil || s.Join != nil {
				slides = append(slides, s.ID)
			}
		}
		if len(slides) == 0 {
			return d, nil
		}
	}
	return d, on(&d, slides, func(s *doc.Slide) error {
		var n transition.Transition
		switch at := d.Index(s.ID); {
		case s.Join != nil:
			n = *s.Join
		case d.Join != nil:
			n = *d.Join
		default:
			n = with.Theme.JoinOf(at, d.Seed)
		}
		s.Join = &n
		return change(&n)
	})
}

// LookPart changes a part of the look of single pictures, or of all pictures
// that have none of their own if none are named.
type LookPart struct {
	Media  []doc.MediaID
	Change func(*look.Look)
}

// Title implements Op.
func (l LookPart) Title() string {
	if len(l.Media) == 0 {
		return Look{}.Title()
	}
	return "Changed light and colour: " + wording.Counted(len(l.Media), "picture")
}

// Apply implements Op.
func (l LookPart) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	film := with.Theme.Look
	if d.Look != nil {
		film = *d.Look
	}
	if len(l.Media) == 0 {
		l.Change(&film)
		d.Look = &film
		return d, invalid("look", film.Validate())
	}
	for _, id := range l.Media {
		n := film
		if own := d.Shot(id).Look; own != nil {
			n = *own
		}
		l.Change(&n)
		if err := invalid("look", n.Validate()); err != nil {
			return d, err
		}
		var err error
		if d, err = (Shots{Media: []doc.MediaID{id}, Look: &n}).Apply(d, with); err != nil {
			return d, err
		}
	}
	return d, nil
}

// invalid names what a value cannot be set of.
func invalid(what string, err error) error {
	if err == nil {
		return nil
	}
	return fmt.Errorf("%w: %s: %w", ErrInvalid, what, err)
}

// onOrFilm changes what is set for slides, or for the whole film if none are
// named: a copy of what is set, of what the film has, or of what the theme has.
func onOrFilm[T any](d *doc.Slideshow, slides []doc.SlideID, film **T, of func(*doc.Slide) **T,
	theme func(doc.Slide) T, change func(*T) error) error {
	holds := func(s doc.Slide) T {
		if *film != nil {
			return **film
		}
		return theme(s)
	}
	if len(slides) == 0 {
		n := holds(doc.Slide{})
		*film = &n
		return change(&n)
	}
	return on(d, slices.Clone(slides), func(s *doc.Slide) error {
		n := holds(*s)
		if set := of(s); *set != nil {
			n = **set
		}
		*of(s) = &n
		return change(&n)
	})
}
