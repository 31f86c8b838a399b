// Package field reads forms into structs: the tag form gives a field's name, the tag label what it is
// called when it is wrong. A struct in a struct reads the fields whose names begin with its own and
// a hyphen. Its types say how people type what a field holds; one of them must be in the form, a
// pointer to one may be missing or empty.
package field

import (
	"errors"
	"fmt"
	"net/url"
	"reflect"
	"strconv"
	"strings"

	"github.com/go-playground/form/v4"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/invalid"
)

// Amount is what people type: a comma may be the decimal sign.
type Amount float64

// Share is a share, typed as per cent.
type Share float64

// Place is a point of the frame, of a picture or of the film's frame.
type Place struct {
	X Share `form:"x"`
	Y Share `form:"y"`
}

// Maybe is a place that need not be given.
type Maybe struct {
	X *Share `form:"x"`
	Y *Share `form:"y"`
}

// Point is nil if nothing was typed.
func (m Maybe) Point(field, label string) (*framing.Point, error) {
	if m.X == nil && m.Y == nil {
		return nil, nil
	}
	x, errX := Need(m.X, field+"-x", label)
	y, errY := Need(m.Y, field+"-y", label)
	return &framing.Point{X: x, Y: y}, errors.Join(errX, errY)
}

// Area is a rectangle of a picture.
type Area struct {
	Place
	W Share `form:"w"`
	H Share `form:"h"`
}

// Rect is the area as a rectangle.
func (a Area) Rect() framing.Rect {
	return framing.Rect{X: float64(a.X), Y: float64(a.Y), W: float64(a.W), H: float64(a.H)}
}

// Ease is an easing; a gentle one if none was chosen.
type Ease framing.Ease

// Or is the easing, or the usual one.
func (e Ease) Or() framing.Ease {
	if e == "" {
		return framing.InOut
	}
	return framing.Ease(e)
}

// Need gives a field that must be there after all, because of what another
// one says.
func Need[N ~float64](v *N, field, label string) (float64, error) {
	if v == nil {
		return 0, &invalid.Input{Field: field, Problem: label + `: "" is not a number.`}
	}
	return float64(*v), nil
}

// Number is a number as people type it: a comma may be the decimal sign.
func Number(text string) (float64, error) {
	text = strings.TrimSpace(text)
	v, err := strconv.ParseFloat(strings.Replace(text, ",", ".", 1), 64)
	if err != nil || v != v {
		return 0, fmt.Errorf("%q is not a number", text)
	}
	return v, nil
}

func first(values []string) string {
	if len(values) == 0 {
		return ""
	}
	return values[0]
}

var decoder = func() *form.Decoder {
	d := form.NewDecoder()
	d.SetNamespacePrefix("-")
	d.RegisterCustomTypeFunc(func(v []string) (any, error) {
		n, err := Number(first(v))
		return Amount(n), err
	}, Amount(0))
	d.RegisterCustomTypeFunc(func(v []string) (any, error) {
		n, err := Number(first(v))
		return Share(n / 100), err
	}, Share(0))
	d.RegisterCustomTypeFunc(func(v []string) (any, error) {
		var none *Amount
		if strings.TrimSpace(first(v)) == "" {
			return none, nil
		}
		n, err := Number(first(v))
		return (*Amount)(&n), err
	}, (*Amount)(nil))
	d.RegisterCustomTypeFunc(func(v []string) (any, error) {
		var none *Share
		if strings.TrimSpace(first(v)) == "" {
			return none, nil
		}
		n, err := Number(first(v))
		n /= 100
		return (*Share)(&n), err
	}, (*Share)(nil))
	colour := func(text string) (raster.RGB, error) {
		c, err := raster.ParseRGB(text)
		if err != nil {
			err = fmt.Errorf("%q is not a colour like #1f6f78", text)
		}
		return c, err
	}
	d.RegisterCustomTypeFunc(func(v []string) (any, error) { return colour(first(v)) }, raster.RGB{})
	d.RegisterCustomTypeFunc(func(v []string) (any, error) {
		var none *raster.RGB
		if first(v) == "" {
			return none, nil
		}
		c, err := colour(first(v))
		return &c, err
	}, (*raster.RGB)(nil))
	return d
}()

// required are the types of fields that must be in a form.
var required = map[reflect.Type]string{
	reflect.TypeFor[Amount]():     "number",
	reflect.TypeFor[Share]():      "number",
	reflect.TypeFor[raster.RGB](): "colour like #1f6f78",
}

// Decode reads a form into a struct; the first field that is wrong, in the
// order of the struct, is an invalid.Input.
func Decode[F any](v url.Values) (F, error) {
	var f F
	var problems form.DecodeErrors
	if err := decoder.Decode(&f, v); err != nil && !errors.As(err, &problems) {
		return f, &invalid.Input{Field: "form", Problem: "The form could not be read: " + err.Error()}
	}
	return f, firstProblem(reflect.TypeFor[F](), "", "", v, problems)
}

func firstProblem(t reflect.Type, prefix, label string, v url.Values, problems form.DecodeErrors) error {
	for i := range t.NumField() {
		f := t.Field(i)
		name := prefix + f.Tag.Get("form")
		called := f.Tag.Get("label")
		if called == "" {
			called = label
		}
		if f.Anonymous {
			if err := firstProblem(f.Type, prefix, called, v, problems); err != nil {
				return err
			}
			continue
		}
		tell := called
		if tell == "" {
			tell = strings.ToUpper(name[:1]) + name[1:]
		}
		if err, ok := problems[name]; ok {
			return &invalid.Input{Field: name, Problem: fmt.Sprintf("%s: %s.", tell, err)}
		}
		if what, ok := required[f.Type]; ok && !v.Has(name) {
			return &invalid.Input{Field: name, Problem: fmt.Sprintf("%s: %q is not a %s.", tell, "", what)}
		}
		if f.Type.Kind() == reflect.Struct && required[f.Type] == "" {
			if err := firstProblem(f.Type, name+"-", called, v, problems); err != nil {
				return err
			}
		}
	}
	return nil
}
