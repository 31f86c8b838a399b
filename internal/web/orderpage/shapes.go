package orderpage

import (
	"fmt"
	"net/http"
	"net/url"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/web/field"
	"nelko/internal/web/parts"
)

// shapeView is a frame shape the film is made in.
type shapeView struct {
	Name, Frame string // 9:16, and 1080x1920; the first has no Frame
	Size        string // in pixels
	At          string // the order in it, in addresses
	Here        bool   // it is the one seen
	Own         string // what is its own, in words
	W, H        int    // of small pictures
}

// shapeSide is the longer side of the pictures that show shapes beside each
// other.
const shapeSide = 150

// shapesOf are the shapes an order's film is made in, the first one first.
func shapesOf(d *orders.Dossier) (out []shapeView) {
	for _, f := range d.Shapes() {
		in := d.In(f)
		v := shapeView{
			Name:  in.Doc.Frame.Ratio(),
			Frame: in.ShapeName(),
			At:    seenPath(in),
			Here:  f == d.Shape,
			Size:  fmt.Sprintf("%d × %d", in.Doc.Frame.W, in.Doc.Frame.H),
		}
		if v.W, v.H = shapeSide, shapeSide*in.Doc.Frame.H/in.Doc.Frame.W; v.H > shapeSide {
			v.W, v.H = shapeSide*in.Doc.Frame.W/in.Doc.Frame.H, shapeSide
		}
		if n := d.Whole.Exceptions(f); n > 0 {
			v.Own = wording.Counted(n, "slide") + " of its own"
		}
		out = append(out, v)
	}
	return out
}

// shapeSlide is a slide in every shape.
type shapeSlide struct {
	ID     doc.SlideID
	Number int
	Words  string
	In     []shapedSlide
}

type shapedSlide struct {
	Shape  shapeView
	Own    string // parts that are the shape's own
	Wrong  string // what is to be looked at in it
	About  string
	Number int
}

// shapesView is the film in all its shapes, beside each other.
type shapesView struct {
	At     string
	Shapes []shapeView
	More   []parts.Choice // shapes it can be made in too
	Slides []shapeSlide
}

// shapes shows the film in its frame shapes, slide by slide beside each other.
func (e *editing) shapes(w http.ResponseWriter, r *http.Request) {
	d, err := e.Orders.See(r.Context(), seen(r))
	if err != nil {
		e.Fail(w, r, err)
		return
	}
	v := shapesView{At: seenPath(d), Shapes: shapesOf(d)}
	for _, c := range frameChoices {
		f, err := doc.ParseFrame(c.ID)
		if err == nil && f.Ratio() != d.Whole.Frame.Ratio() && !made(d, f.Ratio()) {
			v.More = append(v.More, c)
		}
	}
	for i, sl := range d.Plan.Slides {
		v.Slides = append(v.Slides, shapeSlide{ID: sl.ID, Number: i + 1, Words: sl.Caption})
	}
	for k, f := range d.Shapes() {
		in := d.In(f)
		found, err := e.Looking.Findings.Findings(in)
		if err != nil {
			e.Fail(w, r, err)
			return
		}
		wrong := map[string]string{}
		for _, c := range found {
			wrong[c.Field] = c.Text
		}
		for i, sl := range d.Plan.Slides {
			x := shapedSlide{
				Shape:  v.Shapes[k],
				Wrong:  wrong["slide:"+string(sl.ID)],
				About:  e.Looking.Choices.About(in, sl.ID),
				Number: i + 1,
			}
			if at := d.Whole.ShapeAt(f); at >= 0 {
				x.Own = wording.Listed(d.Whole.Shapes[at].Own(sl.Slide))
			}
			v.Slides[i].In = append(v.Slides[i].In, x)
		}
	}
	e.Render(w, r, http.StatusOK, "shapes", v)
}

func made(d *orders.Dossier, ratio string) bool {
	for _, x := range d.Whole.Shapes {
		if x.Frame.Ratio() == ratio {
			return true
		}
	}
	return false
}

// frameOf reads a frame of a form.
func frameOf(text string) (doc.Frame, error) {
	f, err := doc.ParseFrame(text)
	if err != nil {
		return f, &invalid.Input{
			Field:   "frame",
			Problem: fmt.Sprintf("The frame %q is not of the form 1920x1080.", text),
		}
	}
	return f, nil
}

// shaped makes a control of an edit about a frame shape.
func shaped(op func(f doc.Frame, slides []doc.SlideID) edit.Op) control {
	return func(_ *shared, v url.Values) (edit.Op, error) {
		f, err := frameOf(v.Get("frame"))
		if err != nil {
			return nil, err
		}
		c, err := field.Decode[chosen](v)
		return op(f, c.Slides), err
	}
}

// inShape tells a check of a frame in a further shape.
func inShape(in *orders.Dossier, c plan.Check) findingView {
	v := findingView{
		Text:  in.Shape.Ratio() + ": " + c.Text,
		Path:  "/orders/" + seenPath(in) + "#" + orders.Place(c.Field),
		Stops: c.Weight == plan.Stops,
	}
	if c.Key != "" {
		v.Key = shapeKey(in, c.Key)
	}
	return v
}

// shapeKey is the key of a check in the shape an order is seen in.
func shapeKey(in *orders.Dossier, key string) string {
	if shape := in.ShapeName(); shape != "" && key != "" {
		return shape + " " + key
	}
	return key
}
