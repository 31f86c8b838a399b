// Package theme reads prebuilt designs: the opening, the layouts, the closing,
// type, colours, motion and transition that a slideshow's pictures and details
// are poured into. A theme is data; package scene turns it into layers.
package theme

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
)

// Theme is one prebuilt design. Positions and sizes are fractions of the
// frame unless their name says otherwise.
type Theme struct {
	ID         string          `json:"id"`
	Name       string          `json:"name"`
	Version    string          `json:"version"`
	Author     string          `json:"author"`
	Licence    string          `json:"licence"`
	About      string          `json:"about"`
	Occasions  []string        `json:"occasions"`
	Details    []Detail        `json:"details"`
	Fonts      map[string]Font `json:"fonts"`
	Pace       Pace            `json:"pace"`
	Opening    Card            `json:"opening"`
	Layouts    []Layout        `json:"layouts"`
	Closing    Card            `json:"closing"`
	Transition Transition      `json:"transition"`
	Motion     Motion          `json:"motion"`
	Fades      Fades           `json:"fades"`
}

// Fades are the film's way in from black and out to black.
type Fades struct {
	InSeconds  float64 `json:"in_seconds"`
	OutSeconds float64 `json:"out_seconds"`
}

// Detail is a value the theme prints and an order fills.
type Detail struct {
	Key      string `json:"key"`
	Label    string `json:"label"`
	Example  string `json:"example"`
	Required bool   `json:"required"`
	Max      int    `json:"max"` // characters that can be set well
}

// Font names a face by its Pango description without the size.
type Font struct {
	Face     string  `json:"face"`
	Tracking float64 `json:"tracking"` // extra space between letters, in ems
	Upper    bool    `json:"upper"`    // set in capitals
}

// Pace is the number of seconds a still suits and its comfortable range.
type Pace struct {
	Seconds  float64 `json:"seconds"`
	Quickest float64 `json:"quickest"`
	Calmest  float64 `json:"calmest"`
}

// Card is an opening or closing: words over a backdrop.
type Card struct {
	Seconds  float64  `json:"seconds"`
	Backdrop Backdrop `json:"backdrop"`
	Rules    []Rule   `json:"rules"`
	Lines    []Line   `json:"lines"`
}

// BackdropKind is what lies behind pictures and words.
type BackdropKind string

// Plain is one colour, Soft a blurred copy of the slide's first picture (of
// the film's first or last picture on a card), toned towards the colour.
const (
	Plain BackdropKind = "plain"
	Soft  BackdropKind = "soft"
)

// Backdrop is what is behind the pictures.
type Backdrop struct {
	Kind   BackdropKind `json:"kind"`
	Colour raster.RGB   `json:"colour"`
	Tone   float64      `json:"tone"` // Soft: 0 keeps the picture's colours, 1 is all Colour
	Blur   float64      `json:"blur"` // Soft: radius as a share of the frame height
}

// Rule is a thin drawn line, as typographers say; it grows from its centre.
type Rule struct {
	Place        framing.Rect `json:"place"`
	Colour       raster.RGB   `json:"colour"`
	EnterSeconds float64      `json:"enter_seconds"`
}

// Line is one detail set in type, centred in its box and shrunk to fit it.
type Line struct {
	Detail       string       `json:"detail"`
	Text         string       `json:"text"` // printed when the detail is empty or not named
	Font         string       `json:"font"`
	Size         float64      `json:"size"` // height of the type as a share of the frame's shorter side
	Colour       raster.RGB   `json:"colour"`
	Box          framing.Rect `json:"box"`
	EnterSeconds float64      `json:"enter_seconds"` // from the slide's start
	Rise         float64      `json:"rise"`          // how far it moves up while entering, share of the frame height
}

// Layout says where one to six pictures sit in a slide.
type Layout struct {
	ID       string   `json:"id"`
	Suits    string   `json:"suits"` // wide, upright or any
	Backdrop Backdrop `json:"backdrop"`
	Places   []Place  `json:"places"`
	Share    float64  `json:"share"` // of the chances it is taken when it suits
}

// Framing is how a picture sits in its place.
type Framing string

// FillPlace crops the picture to cover the place; WholePicture shows all of
// it.
const (
	FillPlace    Framing = "fill"
	WholePicture Framing = "whole"
)

// Place is where one picture goes.
type Place struct {
	Rect    framing.Rect `json:"rect"`
	Framing Framing      `json:"framing"`
	Mat     float64      `json:"mat"` // width of the border, share of the frame height
	MatRGB  raster.RGB   `json:"mat_colour"`
	Shadow  float64      `json:"shadow"` // strength 0 to 1
}

// Transition is how one slide gives way to the next.
type Transition struct {
	Kind    string  `json:"kind"`
	Seconds float64 `json:"seconds"`
}

// Motion is the slow pan and zoom of pictures.
type Motion struct {
	Zoom float64      `json:"zoom"` // share of the size, 0.12 is 12 %
	Ease framing.Ease `json:"ease"`
}

// Layout finds a layout by ID.
func (t *Theme) Layout(id string) (Layout, bool) {
	i := slices.IndexFunc(t.Layouts, func(l Layout) bool { return l.ID == id })
	if i < 0 {
		return Layout{}, false
	}
	return t.Layouts[i], true
}

// Holds lists the layouts for n pictures that suit the shape; "any" suits
// all. The list may be empty.
func (t *Theme) Holds(n int, shape string) []Layout {
	var out []Layout
	for _, l := range t.Layouts {
		if len(l.Places) == n && (l.Suits == shape || l.Suits == "any") {
			out = append(out, l)
		}
	}
	return out
}

// Missing lists the required details the order has not filled.
func (t *Theme) Missing(details map[string]string) []Detail {
	var out []Detail
	for _, d := range t.Details {
		if d.Required && details[d.Key] == "" {
			out = append(out, d)
		}
	}
	return out
}

// Parse reads a theme. Unknown fields and values that cannot be are refused
// with their path.
func Parse(b []byte) (*Theme, error) {
	var t Theme
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	if err := d.Decode(&t); err != nil {
		return nil, fmt.Errorf("theme: %w", err)
	}
	if err := t.validate(); err != nil {
		return nil, fmt.Errorf("theme %q: %w", t.ID, err)
	}
	return &t, nil
}

func (t *Theme) validate() error {
	if t.ID == "" || t.Name == "" || t.Version == "" || t.Licence == "" || t.Author == "" {
		return fmt.Errorf("id, name, version, author and licence must be given")
	}
	for i, d := range t.Details {
		if d.Key == "" || d.Label == "" {
			return fmt.Errorf("details[%d]: key and label must be given", i)
		}
	}
	if err := t.validateCard(t.Opening); err != nil {
		return fmt.Errorf("opening.%w", err)
	}
	if err := t.validateCard(t.Closing); err != nil {
		return fmt.Errorf("closing.%w", err)
	}
	for i, l := range t.Layouts {
		if err := l.validate(); err != nil {
			return fmt.Errorf("layouts[%d].%w", i, err)
		}
		if j := slices.IndexFunc(t.Layouts, func(o Layout) bool { return o.ID == l.ID }); j < i {
			return fmt.Errorf("layouts[%d].id: %q is used twice", i, l.ID)
		}
	}
	for _, shape := range []string{"wide", "upright"} {
		if len(t.Holds(1, shape)) == 0 {
			return fmt.Errorf("layouts: none for one %s picture", shape)
		}
	}
	if t.Transition.Kind != "dissolve" && t.Transition.Kind != "cut" {
		return fmt.Errorf("transition.kind: %q is not dissolve or cut", t.Transition.Kind)
	}
	if !in(t.Transition.Seconds, 0, 5) {
		return fmt.Errorf("transition.seconds: %g; must be 0 to 5", t.Transition.Seconds)
	}
	if !in(t.Motion.Zoom, 0, 0.5) || !t.Motion.Ease.Valid() {
		return fmt.Errorf("motion: zoom must be 0 to 0.5 and ease linear, in-out or out")
	}
	if !in(t.Fades.InSeconds, 0, 5) || !in(t.Fades.OutSeconds, 0, 5) {
		return fmt.Errorf("fades: must be 0 to 5 s")
	}
	if p := t.Pace; !in(p.Seconds, 0.5, 60) || p.Quickest <= 0 || p.Calmest < p.Quickest {
		return fmt.Errorf("pace: seconds must be 0.5 to 60 and quickest at most calmest")
	}
	return nil
}

func (t *Theme) validateCard(c Card) error {
	if !in(c.Seconds, 0.5, 60) {
		return fmt.Errorf("seconds: %g; must be 0.5 to 60", c.Seconds)
	}
	if err := c.Backdrop.validate(); err != nil {
		return err
	}
	for i, l := range c.Lines {
		if _, ok := t.Fonts[l.Font]; !ok {
			return fmt.Errorf("lines[%d].font: %q is not among fonts", i, l.Font)
		}
		known := slices.ContainsFunc(t.Details, func(d Detail) bool { return d.Key == l.Detail })
		if l.Detail != "" && !known {
			return fmt.Errorf("lines[%d].detail: %q is not among details", i, l.Detail)
		}
		if !in(l.Size, 0.01, 0.5) || !inFrame(l.Box) {
			return fmt.Errorf("lines[%d]: size must be 0.01 to 0.5 and box inside the frame", i)
		}
	}
	return nil
}

func (l Layout) validate() error {
	if l.ID == "" {
		return fmt.Errorf("id: missing")
	}
	if len(l.Places) < 1 || len(l.Places) > 6 {
		return fmt.Errorf("places: %d; must be one to six", len(l.Places))
	}
	if !slices.Contains([]string{"wide", "upright", "any"}, l.Suits) {
		return fmt.Errorf("suits: %q is not wide, upright or any", l.Suits)
	}
	for i, p := range l.Places {
		if !inFrame(p.Rect) || (p.Framing != FillPlace && p.Framing != WholePicture) {
			return fmt.Errorf("places[%d]: rect must lie in the frame and framing be fill or whole", i)
		}
	}
	return l.Backdrop.validate()
}

func (b Backdrop) validate() error {
	if b.Kind != Plain && b.Kind != Soft {
		return fmt.Errorf("backdrop.kind: %q is not plain or soft", b.Kind)
	}
	if !in(b.Tone, 0, 1) || !in(b.Blur, 0, 0.3) {
		return fmt.Errorf("backdrop: tone must be 0 to 1 and blur 0 to 0.3")
	}
	return nil
}

func inFrame(r framing.Rect) bool {
	return r.W > 0 && r.H > 0 && framing.Rect{W: 1, H: 1}.Contains(r, 1e-9)
}

func in(v, lo, hi float64) bool { return v >= lo && v <= hi }
