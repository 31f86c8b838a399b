package edit

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"

	"nelko/internal/core/cast"
	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/transition"
)

// SetTheme changes the theme. Everything else stays as it is, so that going
// back gives the document back.
type SetTheme struct{ Theme, Name string }

// Title implements Op.
func (s SetTheme) Title() string { return "Changed the theme to " + s.Name }

// Apply implements Op.
func (s SetTheme) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	if s.Theme == "" {
		return d, fmt.Errorf("no theme: %w", ErrInvalid)
	}
	d.Theme = s.Theme
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
func (l Layout) Title() string { return "Changed the layout of " + plural(len(l.Slides), "slide") }

// Apply implements Op.
func (l Layout) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	return d, on(&d, l.Slides, func(s *doc.Slide) error {
		if l.Layout != "" {
			lay, ok := with.Theme.Layout(l.Layout)
			if !ok {
				return fmt.Errorf("theme %s has no layout %q: %w", with.Theme.Name, l.Layout, ErrInvalid)
			}
			if lay.Pictures != len(s.Media) {
				return fmt.Errorf("layout %s is for %s, the slide has %d: %w", lay.Name, plural(lay.Pictures, "picture"), len(s.Media), ErrInvalid)
			}
		}
		s.Layout = l.Layout
		return nil
	})
}

// Caption sets the words on a slide's pictures.
type Caption struct {
	Slides []doc.SlideID
	Text   string
}

// Title implements Op.
func (c Caption) Title() string {
	if strings.TrimSpace(c.Text) == "" {
		return "Took off the caption of " + plural(len(c.Slides), "slide")
	}
	return "Captioned " + plural(len(c.Slides), "slide")
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
	return " of " + plural(len(ids), "slide")
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
	return "Changed " + plural(len(j.Slides), "transition")
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

// AddCard puts a text card before a slide, or before the closing.
type AddCard struct {
	Words  doc.Words
	Before doc.SlideID
}

// Title implements Op.
func (AddCard) Title() string { return "Added a text card" }

// Apply implements Op.
func (a AddCard) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	lo, hi := bounds(d)
	at := hi
	if a.Before != "" {
		if at = d.Index(a.Before); at < 0 {
			return d, fmt.Errorf("slide %s: %w", a.Before, ErrGone)
		}
		at = max(lo, min(at, hi))
	}
	w := a.Words
	s := doc.Slide{ID: d.NextSlide(), Kind: doc.Card, Card: &w, Linger: 1}
	d.Slides = slices.Insert(slices.Clone(d.Slides), at, s)
	return d, nil
}

// Words changes what a text card says.
type Words struct {
	Slide doc.SlideID
	Words doc.Words
}

// Title implements Op.
func (Words) Title() string { return "Changed a text card" }

// Apply implements Op.
func (w Words) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	return d, on(&d, []doc.SlideID{w.Slide}, func(s *doc.Slide) error {
		if s.Kind != doc.Card {
			return fmt.Errorf("slide %s is not a text card: %w", w.Slide, ErrInvalid)
		}
		words := w.Words
		s.Card = &words
		return nil
	})
}

// Group puts the pictures of several slides together on the first of them.
type Group struct{ Slides []doc.SlideID }

// Title implements Op.
func (g Group) Title() string { return "Put " + plural(len(g.Slides), "slide") + " together" }

// Apply implements Op.
func (g Group) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	ids := slices.Clone(g.Slides)
	for _, id := range ids {
		if d.Index(id) < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
	}
	slices.SortFunc(ids, func(a, b doc.SlideID) int { return cmp.Compare(d.Index(a), d.Index(b)) })
	if len(ids) < 2 {
		return d, fmt.Errorf("one slide cannot be put together: %w", ErrInvalid)
	}
	var media []doc.MediaID
	for _, id := range ids {
		s := d.Slides[d.Index(id)]
		if s.Kind != doc.Pictures && s.Kind != doc.Clip {
			return d, fmt.Errorf("only slides with pictures or clips can be put together: %w", ErrInvalid)
		}
		media = append(media, s.Media...)
	}
	if len(media) > 6 {
		return d, fmt.Errorf("a slide holds at most six pictures, these have %d: %w", len(media), ErrInvalid)
	}
	first := &d.Slides[d.Index(ids[0])]
	first.Kind, first.Media, first.Layout, first.Placed = doc.Pictures, media, "", true
	d.Slides = slices.DeleteFunc(slices.Clone(d.Slides), func(s doc.Slide) bool { return slices.Contains(ids[1:], s.ID) })
	return d, nil
}

// Split gives every picture of slides a slide of its own.
type Split struct{ Slides []doc.SlideID }

// Title implements Op.
func (s Split) Title() string { return "Took " + plural(len(s.Slides), "slide") + " apart" }

// Apply implements Op.
func (s Split) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	var out []doc.Slide
	for _, id := range s.Slides {
		if d.Index(id) < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
	}
	for _, x := range d.Slides {
		if !slices.Contains(s.Slides, x.ID) || len(x.Media) < 2 {
			out = append(out, x)
			continue
		}
		for i, m := range x.Media {
			one := x
			if i > 0 {
				one.ID, one.Caption = d.NextSlide(), ""
			}
			one.Media, one.Layout, one.Placed, one.Kind = []doc.MediaID{m}, "", true, doc.Pictures
			if with.Library[m].Kind == doc.ClipMedia {
				one.Kind = doc.Clip
			}
			out = append(out, one)
		}
	}
	d.Slides = out
	return d, nil
}

// Sort puts the body of the film in order: by capture "time", by file "name",
// at "random" by the seed, or with clips and cards spread "evenly". Opening
// and closing stay.
type Sort struct {
	By   string
	Seed uint64
}

// Title implements Op.
func (s Sort) Title() string {
	return map[string]string{"time": "Sorted by capture time", "name": "Sorted by file name", "random": "Shuffled", "evenly": "Spread clips and cards evenly"}[s.By]
}

// Apply implements Op.
func (s Sort) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	b := slices.Clone(body(d))
	first := func(x doc.Slide) doc.Media {
		if len(x.Media) == 0 {
			return doc.Media{}
		}
		return with.Library[x.Media[0]]
	}
	switch s.By {
	case "time":
		slices.SortStableFunc(b, func(x, y doc.Slide) int { return first(x).Captured.Compare(first(y).Captured) })
	case "name":
		slices.SortStableFunc(b, func(x, y doc.Slide) int { return cast.CompareNames(first(x).Name, first(y).Name) })
	case "random":
		rng := rand.New(rand.NewPCG(s.Seed, 7))
		rng.Shuffle(len(b), func(i, j int) { b[i], b[j] = b[j], b[i] })
	case "evenly":
		b = cast.Spread(b)
	default:
		return d, fmt.Errorf("order %q: %w", s.By, ErrInvalid)
	}
	for i := range b {
		b[i].Placed = true
	}
	setBody(&d, b)
	return d, nil
}

// Decorate lays decor over the film; an index replaces what was laid there,
// and nil takes it off. Index −1 adds.
type Decorate struct {
	Index int
	Laid  *doc.Laid
}

// Title implements Op.
func (e Decorate) Title() string {
	switch {
	case e.Laid == nil:
		return "Took off decor"
	case e.Index < 0:
		return "Laid decor over slides"
	}
	return "Changed decor"
}

// Apply implements Op.
func (e Decorate) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	if e.Index >= len(d.Decor) || (e.Index < 0 && e.Laid == nil) {
		return d, fmt.Errorf("decor %d: %w", e.Index, ErrGone)
	}
	if e.Laid == nil {
		d.Decor = slices.Delete(slices.Clone(d.Decor), e.Index, e.Index+1)
		return d, nil
	}
	if d.Index(e.Laid.From) < 0 || d.Index(e.Laid.To) < 0 {
		return d, fmt.Errorf("the slides of the decor: %w", ErrGone)
	}
	if e.Index < 0 {
		d.Decor = append(d.Decor, *e.Laid)
	} else {
		d.Decor = slices.Clone(d.Decor)
		d.Decor[e.Index] = *e.Laid
	}
	return d, nil
}
