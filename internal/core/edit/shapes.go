package edit

import (
	"fmt"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/wording"
)

// AddShape makes the film in a further frame shape, which follows the first.
type AddShape struct{ Frame doc.Frame }

// Title implements Op.
func (a AddShape) Title() string {
	return fmt.Sprintf("Made the film in %s too", a.Frame.Ratio())
}

// Apply implements Op.
func (a AddShape) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	d.Shapes = append(d.Shapes, doc.Shape{Frame: a.Frame})
	return d, nil
}

// DropShape no longer makes the film in a further frame shape. What was that
// shape's own is given up; undo gives it back.
type DropShape struct{ Frame doc.Frame }

// Title implements Op.
func (x DropShape) Title() string {
	return fmt.Sprintf("Gave up the film in %s", x.Frame.Ratio())
}

// Apply implements Op.
func (x DropShape) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	at := d.ShapeAt(x.Frame)
	if at < 0 {
		return d, notMade(x.Frame)
	}
	d.Shapes = slices.Delete(d.Shapes, at, at+1)
	return d, nil
}

func notMade(f doc.Frame) error {
	return fmt.Errorf("the film in %d×%d: %w", f.W, f.H, ErrGone)
}

// In is an edit by somebody who sees the film in a frame shape: in a further one it
// is InShape, unless it is about shapes itself; the zero Frame is the first.
func In(f doc.Frame, op Op) Op {
	switch op.(type) {
	case AddShape, DropShape, AsFirst:
		return op // of the film with all its shapes
	}
	if f == (doc.Frame{}) {
		return op
	}
	return InShape{f, op}
}

// InShape is an edit made while the film is seen in a further frame shape: how
// things stand in the frame is changed for that shape alone, the rest for all.
type InShape struct {
	Frame doc.Frame
	Op    Op
}

// Title implements Op.
func (x InShape) Title() string { return x.of(x.Op.Title()) }

// Tells implements Telling.
func (x InShape) Tells(before, after doc.Slideshow) string {
	t, ok := x.Op.(Telling)
	if !ok {
		return x.Title()
	}
	was, _ := before.In(x.Frame)
	now, _ := after.In(x.Frame)
	return x.of(t.Tells(was, now))
}

func (x InShape) of(title string) string {
	return title + ", in " + x.Frame.Ratio()
}

// Apply implements Op.
func (x InShape) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	was, ok := d.In(x.Frame)
	if !ok {
		return d, notMade(x.Frame)
	}
	now, err := x.Op.Apply(was, with)
	if err != nil {
		return d, err
	}
	return d.With(x.Frame, now)
}

// AsFirst lets slides stand in a further frame shape as they do in the first; no
// slides: all of them.
type AsFirst struct {
	Frame  doc.Frame
	Slides []doc.SlideID
}

// Title implements Op.
func (x AsFirst) Title() string {
	what := "all slides"
	if len(x.Slides) > 0 {
		what = wording.Counted(len(x.Slides), "slide")
	}
	return fmt.Sprintf("Let %s stand in %s as in the first shape", what, x.Frame.Ratio())
}

// Apply implements Op.
func (x AsFirst) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	at := d.ShapeAt(x.Frame)
	if at < 0 {
		return d, notMade(x.Frame)
	}
	n := doc.Shape{Frame: x.Frame}
	if len(x.Slides) > 0 {
		n = d.Shapes[at].Without(d, x.Slides)
	}
	d.Shapes[at] = n
	return d, nil
}
