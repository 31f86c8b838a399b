package doc

import (
	"fmt"
	"maps"
	"reflect"
	"slices"

	"nelko/internal/core/design"
	"nelko/internal/core/framing"
)

// MaxShapes is how many further frame shapes a film may be made in.
const MaxShapes = 5

// Shape is a further frame shape in which the film is made: the same slides,
// words, lengths and music. How pictures and words stand in the frame is as in
// the first shape but for the exceptions kept here. A Shape is a value: its maps
// are replaced, never written to.
type Shape struct {
	Frame  Frame                `json:"frame"`
	Slides map[SlideID]SlideOwn `json:"slides,omitempty"`
	Shots  map[MediaID]ShotOwn  `json:"shots,omitempty"`
}

// SlideOwn is what of a slide is a shape's own: the parts named, with their
// values here. A part named whose value is empty follows the theme.
type SlideOwn struct {
	Parts []string `json:"parts"`
	Slide Slide    `json:"slide"` // of which the parts count
}

// ShotOwn is what of a picture is a shape's own.
type ShotOwn struct {
	Parts []string `json:"parts"`
	Shot  Shot     `json:"shot"` // of which the parts count
}

// framed is a part of a slide or shot that a shape may have of its own.
type framed[T any] struct {
	name string
	same func(a, b *T) bool
	take func(to, from *T)
}

func framedField[T, V any](name string, of func(*T) *V) framed[T] {
	return framed[T]{name,
		func(a, b *T) bool { return reflect.DeepEqual(*of(a), *of(b)) },
		func(to, from *T) { *of(to) = *of(from) },
	}
}

// What stands in the frame by its shape: all else is the film's.
var (
	framedSlides = []framed[Slide]{
		framedField("layout", func(s *Slide) *string { return &s.Layout }),
		framedField("motion", func(s *Slide) **design.Motion { return &s.Motion }),
		framedField("captions", func(s *Slide) **design.Caption { return &s.CaptionStyle }),
		{"words", func(a, b *Slide) bool {
			return reflect.DeepEqual(placeOf(a), placeOf(b))
		}, func(to, from *Slide) {
			if to.Card != nil && from.Card != nil {
				w := *to.Card
				w.At = from.Card.At
				to.Card = &w
			}
		}},
	}
	framedShots = []framed[Shot]{
		framedField("crop", func(s *Shot) *framing.Rect { return &s.Crop }),
		framedField("focal point", func(s *Shot) **framing.Point { return &s.Focal }),
		framedField("fitting", func(s *Shot) *design.Fit { return &s.Fit }),
		framedField("size", func(s *Shot) *float64 { return &s.Scale }),
		framedField("tilt", func(s *Shot) **float64 { return &s.Tilt }),
	}
)

func placeOf(s *Slide) any {
	if s.Card == nil {
		return nil
	}
	return s.Card.At
}

// over lays the parts named of own over v.
func over[T any](v T, parts []string, own T, all []framed[T]) T {
	for _, f := range all {
		if slices.Contains(parts, f.name) {
			f.take(&v, &own)
		}
	}
	return v
}

// apart divides what was made of a value in a shape: base is the value in the
// first shape, was what it was in this one, now what it has become there. It
// gives the first shape's new value, and the parts that are now the shape's own.
func apart[T any](base, was, now T, parts []string, all []framed[T]) (first T, own []string) {
	first = now
	for _, f := range all {
		if slices.Contains(parts, f.name) || !f.same(&was, &now) {
			f.take(&first, &base)
			if !f.same(&base, &now) {
				own = append(own, f.name)
			}
		}
	}
	return first, own
}

// ShapeAt is the position among the further shapes of the one with a frame, or
// -1.
func (s Slideshow) ShapeAt(f Frame) int {
	return slices.IndexFunc(s.Shapes, func(x Shape) bool { return x.Frame == f })
}

// In is the film in one of its further shapes; ok is false if it is not made in
// that one. What is given has no further shapes of its own.
func (s Slideshow) In(f Frame) (in Slideshow, ok bool) {
	at := s.ShapeAt(f)
	if at < 0 {
		return s, false
	}
	shape := s.Shapes[at]
	in = s.Clone()
	in.Frame, in.Shapes = f, nil
	for i, sl := range in.Slides {
		if own, is := shape.Slides[sl.ID]; is {
			in.Slides[i] = over(sl, own.Parts, own.Slide, framedSlides)
		}
	}
	for id, own := range shape.Shots {
		in.SetShot(id, over(in.Shots[id], own.Parts, own.Shot, framedShots))
	}
	return in, true
}

// SetShot writes what is set for a picture; nothing set is not written.
func (s *Slideshow) SetShot(id MediaID, v Shot) {
	if s.Shots == nil {
		s.Shots = map[MediaID]Shot{}
	}
	s.Shots[id] = v
	if v == (Shot{}) {
		delete(s.Shots, id)
	}
	if len(s.Shots) == 0 {
		s.Shots = nil
	}
}

// With is the film after its version in a further shape, as In gave it, has
// become now. How things stand in the frame becomes that shape's own where it
// was changed; everything else is changed in all shapes. An exception that is as
// the first shape has it is none.
func (s Slideshow) With(f Frame, now Slideshow) (Slideshow, error) {
	at := s.ShapeAt(f)
	was, ok := s.In(f)
	if !ok {
		return s, fmt.Errorf("the film is not made in %d×%d", f.W, f.H)
	}
	out := now.Clone()
	out.Frame, out.Shapes = s.Frame, slices.Clone(s.Shapes)
	shape := Shape{Frame: now.Frame, Slides: map[SlideID]SlideOwn{}, Shots: map[MediaID]ShotOwn{}}
	for i, sl := range now.Slides {
		base, before := s.Index(sl.ID), was.Index(sl.ID)
		if base < 0 || before < 0 {
			continue // a new slide is new in all shapes
		}
		first, own := apart(s.Slides[base], was.Slides[before], sl, s.Shapes[at].Slides[sl.ID].Parts,
			framedSlides)
		out.Slides[i] = first
		if len(own) > 0 {
			shape.Slides[sl.ID] = SlideOwn{own, over(Slide{
				ID:   sl.ID,
				Kind: sl.Kind,
				Card: cardOf(sl),
			}, own, sl, framedSlides)}
		}
	}
	ids := maps.Clone(now.Shots)
	if ids == nil {
		ids = map[MediaID]Shot{}
	}
	maps.Copy(ids, s.Shots)
	maps.Copy(ids, was.Shots)
	for id := range ids {
		if now.Shots[id].Turn != was.Shots[id].Turn {
			continue // crops and places are of the picture as it was turned: see Turned
		}
		first, own := apart(s.Shots[id], was.Shots[id], now.Shots[id], s.Shapes[at].Shots[id].Parts,
			framedShots)
		out.SetShot(id, first)
		if len(own) > 0 {
			shape.Shots[id] = ShotOwn{own, over(Shot{}, own, now.Shots[id], framedShots)}
		}
	}
	if len(shape.Slides) == 0 {
		shape.Slides = nil
	}
	if len(shape.Shots) == 0 {
		shape.Shots = nil
	}
	out.Shapes[at] = shape
	return out, nil
}

// Turned is the film without what its further shapes had of their own of pictures
// that are turned otherwise than they were: crops and places in them mean
// something else then.
func (s Slideshow) Turned(was Slideshow) Slideshow {
	for i, x := range s.Shapes {
		n := Shape{x.Frame, x.Slides, maps.Clone(x.Shots)}
		maps.DeleteFunc(n.Shots, func(id MediaID, _ ShotOwn) bool {
			return s.Shots[id].Turn != was.Shots[id].Turn
		})
		if len(n.Shots) == 0 {
			n.Shots = nil
		}
		s.Shapes[i] = n
	}
	return s
}

// cardOf is a card that can take a place and says nothing.
func cardOf(s Slide) *Words {
	if s.Card == nil {
		return nil
	}
	return &Words{Kind: s.Card.Kind}
}

// Own names what of a slide and its pictures is a shape's own, in words.
func (x Shape) Own(s Slide) []string {
	out := slices.Clone(x.Slides[s.ID].Parts)
	for _, id := range s.Media {
		for _, p := range x.Shots[id].Parts {
			if !slices.Contains(out, p) {
				out = append(out, p)
			}
		}
	}
	return out
}

// Exceptions counts the slides of which something is a shape's own.
func (s Slideshow) Exceptions(f Frame) (n int) {
	at := s.ShapeAt(f)
	if at < 0 {
		return 0
	}
	for _, sl := range s.Slides {
		if len(s.Shapes[at].Own(sl)) > 0 {
			n++
		}
	}
	return n
}

// validateShapes checks every further shape as a film of its own.
func (s Slideshow) validateShapes() error {
	if len(s.Shapes) > MaxShapes {
		return fmt.Errorf("shapes: %d; at most %d beside the first", len(s.Shapes), MaxShapes)
	}
	seen := map[string]bool{s.Frame.Ratio(): true}
	for i, x := range s.Shapes {
		if seen[x.Frame.Ratio()] {
			return fmt.Errorf("shapes[%d].frame: the film is made in %s already", i, x.Frame.Ratio())
		}
		seen[x.Frame.Ratio()] = true
		in, _ := s.In(x.Frame)
		if err := in.Validate(); err != nil {
			return fmt.Errorf("shapes[%d].%w", i, err)
		}
	}
	return nil
}

// Without is the shape without what is its own of slides and of the pictures on
// them.
func (x Shape) Without(d Slideshow, slides []SlideID) Shape {
	n := Shape{x.Frame, maps.Clone(x.Slides), maps.Clone(x.Shots)}
	for _, id := range slides {
		delete(n.Slides, id)
		if i := d.Index(id); i >= 0 {
			for _, m := range d.Slides[i].Media {
				delete(n.Shots, m)
			}
		}
	}
	if len(n.Slides) == 0 {
		n.Slides = nil
	}
	if len(n.Shots) == 0 {
		n.Shots = nil
	}
	return n
}
