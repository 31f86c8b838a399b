package theme

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"

	"nelko/internal/core/design"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
)

// Parse reads a theme. Unknown fields and values that cannot be are refused
// with their path.
func Parse(b []byte) (*Theme, error) {
	var t Theme
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	if err := d.Decode(&t); err != nil {
		return nil, fmt.Errorf("theme: %w", err)
	}
	if t.Format != Format {
		return nil, fmt.Errorf("theme %q: format: %d; this program reads %d", t.ID, t.Format, Format)
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
		if slices.Contains([]string{"main", "smaller", "text"}, d.Key) {
			return fmt.Errorf("details[%d].key: %q is kept for text cards", i, d.Key)
		}
		switch d.Type {
		case OfText, OfNames, OfDate:
		case OfColour:
			if _, err := raster.ParseRGB(d.Example); err != nil {
				return fmt.Errorf("details[%d].example: %w", i, err)
			}
		case OfChoice:
			if len(d.Choices) < 2 {
				return fmt.Errorf("details[%d].choices: there must be two at least", i)
			}
		default:
			return fmt.Errorf("details[%d].type: %q is not names, date, colour or choice", i, d.Type)
		}
	}
	for name, f := range t.Fonts {
		if f.Face == "" || !in(f.Tracking, -0.2, 1) || !in(f.Leading, 0, 3) {
			return fmt.Errorf("fonts.%s: face must be given, tracking be -0.2 to 1 and leading 0 to 3", name)
		}
	}
	own := []string{"main", "smaller", "text"}
	for _, c := range []struct {
		name string
		card *Card
		keys []string
	}{{"opening", &t.Opening, nil}, {"title_card", &t.Title, own}, {"text_card", &t.Text, own},
		{"credits", &t.Credits, own}, {"closing", &t.Closing, nil}} {
		if err := t.validateCard(c.card, c.keys); err != nil {
			return fmt.Errorf("%s.%w", c.name, err)
		}
	}
	if err := t.validateLayouts(); err != nil {
		return err
	}
	if len(t.Transitions.Set) == 0 || (t.Transitions.Rule != "turns" && t.Transitions.Rule != "seeded") {
		return fmt.Errorf("transitions: set must not be empty and rule be turns or seeded")
	}
	for i, j := range t.Transitions.Set {
		if err := j.Validate(); err != nil {
			return fmt.Errorf("transitions.set[%d].%w", i, err)
		}
	}
	if err := t.Motion.Validate(); err != nil {
		return fmt.Errorf("motion.%w", err)
	}
	if t.Motion.Kind == design.ByHand {
		return fmt.Errorf("motion.kind: a theme knows no framing by hand")
	}
	if err := t.Look.Validate(); err != nil {
		return err
	}
	if err := t.validateType(t.Caption.Type); err != nil {
		return fmt.Errorf("caption.%w", err)
	}
	if err := t.Caption.Validate(); err != nil {
		return fmt.Errorf("caption.%w", err)
	}
	for i, d := range t.Decor {
		if !slices.Contains([]string{"opening", "closing", "cards", "pictures", "all"}, d.On) {
			return fmt.Errorf("decor[%d].on: %q is not opening, closing, cards, pictures or all", i, d.On)
		}
		if err := d.Validate(); err != nil {
			return fmt.Errorf("decor[%d].%w", i, err)
		}
	}
	if !in(t.Fades.InSeconds, 0, 5) || !in(t.Fades.OutSeconds, 0, 5) {
		return fmt.Errorf("fades: must be 0 to 5 s")
	}
	if s := t.ClipSound(); !in(s, 0, 4) {
		return fmt.Errorf("clip_sound: %g; must be 0 to 4", s)
	}
	if p := t.Pace; !in(p.Seconds, 0.5, 60) || p.Quickest <= 0 || p.Calmest < p.Quickest {
		return fmt.Errorf("pace: seconds must be 0.5 to 60 and quickest at most calmest")
	}
	return nil
}

func (t *Theme) validateLayouts() error {
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
	return nil
}

func (t *Theme) validateType(y design.Type) error {
	if _, ok := t.Fonts[y.Font]; !ok {
		return fmt.Errorf("font: %q is not among fonts", y.Font)
	}
	return y.Validate()
}

func (t *Theme) validateCard(c *Card, keys []string) error {
	if !in(c.Seconds, 0.5, 60) {
		return fmt.Errorf("seconds: %g; must be 0.5 to 60", c.Seconds)
	}
	if err := c.Backdrop.Validate(); err != nil {
		return fmt.Errorf("backdrop.%w", err)
	}
	if p := c.Picture; p != nil {
		if (p.Side != "left" && p.Side != "right") || !in(p.Share, 0.1, 0.9) || !in(p.Inset, 0, 0.2) {
			return fmt.Errorf("picture: side must be left or right, share 0.1 to 0.9 and inset 0 to 0.2")
		}
		if err := p.Dress.validate(); err != nil {
			return fmt.Errorf("picture.%w", err)
		}
	}
	if err := t.validateBlock(c.Block, keys); err != nil {
		return fmt.Errorf("block.%w", err)
	}
	for s, b := range c.Shapes {
		if !slices.Contains(framing.Shapes, s) {
			return fmt.Errorf("shapes.%s: not a frame shape", s)
		}
		if err := t.validateBlock(b, keys); err != nil {
			return fmt.Errorf("shapes.%s.%w", s, err)
		}
	}
	for i, d := range c.Decor {
		if err := d.Validate(); err != nil {
			return fmt.Errorf("decor[%d].%w", i, err)
		}
	}
	return nil
}

func (t *Theme) validateBlock(b Block, keys []string) error {
	if !slices.Contains(design.Anchors, b.Anchor) || (b.Align != "left" && b.Align != "centre" &&
		b.Align != "right") || !in(b.Width, 0.1, 1) || !in(b.Shift, -0.5, 0.5) {
		return fmt.Errorf("anchor and align must be known, width 0.1 to 1 and shift -0.5 to 0.5")
	}
	for i, e := range b.Elements {
		if !in(e.Gap, 0, 0.5) || !e.Enter.Known() || !in(e.EnterSeconds, 0, 60) ||
			!in(e.LeaveSeconds, 0, 60) || e.Lines < 0 || e.Lines > 100 {
			return fmt.Errorf("elements[%d]: gap must be 0 to 0.5, times 0 to 60 s, lines 0 to 100 and "+
				"enter known", i)
		}
		if e.Rule > 0 {
			if !in(e.Rule, 0, 1) || !in(e.Thickness, 0.0005, 0.05) {
				return fmt.Errorf("elements[%d]: rule must be 0 to 1 and thickness 0.0005 to 0.05", i)
			}
			continue
		}
		if err := t.validateType(e.Type); err != nil {
			return fmt.Errorf("elements[%d].%w", i, err)
		}
		known := slices.ContainsFunc(t.Details, func(d Detail) bool {
			return d.Key == e.Detail
		}) || slices.Contains(keys, e.Detail)
		if e.Detail != "" && !known {
			return fmt.Errorf("elements[%d].detail: %q is not among details", i, e.Detail)
		}
	}
	return nil
}

func (l Layout) validate() error {
	if l.ID == "" {
		return fmt.Errorf("id: missing")
	}
	if l.Pictures < 1 || l.Pictures > 6 {
		return fmt.Errorf("pictures: %d; must be one to six", l.Pictures)
	}
	if !slices.Contains([]string{"wide", "upright", "any"}, l.Suits) {
		return fmt.Errorf("suits: %q is not wide, upright or any", l.Suits)
	}
	if !l.Arrange.Known() {
		return fmt.Errorf("arrange: there is no arrangement %q", l.Arrange)
	}
	if !in(l.Margin, 0, 0.4) || !in(l.Gap, -0.3, 0.3) || !in(l.Tilt, 0, 45) || !in(l.Share, 0, 1000) {
		return fmt.Errorf("margin must be 0 to 0.4, gap -0.3 to 0.3, tilt 0 to 45 and share at least 0")
	}
	for s, places := range l.Places {
		if !slices.Contains(framing.Shapes, s) || len(places) != l.Pictures {
			return fmt.Errorf("places.%s: must be a frame shape with a place for each picture", s)
		}
		for i, p := range places {
			if p.Rect.W <= 0 || p.Rect.H <= 0 || !(framing.Rect{W: 1, H: 1}).Contains(p.Rect, 1e-9) {
				return fmt.Errorf("places.%s[%d]: rect must lie in the frame", s, i)
			}
		}
	}
	if l.Backdrop != nil {
		if err := l.Backdrop.Validate(); err != nil {
			return fmt.Errorf("backdrop.%w", err)
		}
	}
	if l.Motion != nil {
		if err := l.Motion.Validate(); err != nil {
			return fmt.Errorf("motion.%w", err)
		}
	}
	return l.Dress.validate()
}

func (d Dress) validate() error {
	if !d.Fit.Valid() {
		return fmt.Errorf("fit: %q is not fill, whole, native or stretch", d.Fit)
	}
	if !in(d.Mat, 0, 0.2) || !in(d.Shadow, 0, 1) || !in(d.Corner, 0, 0.5) || !in(d.Scale, 0, 1) {
		return fmt.Errorf("mat must be 0 to 0.2, shadow and scale 0 to 1, corner 0 to 0.5")
	}
	if !slices.Contains(Masks, d.Mask) {
		return fmt.Errorf("mask: there is no mask %q", d.Mask)
	}
	return nil
}

func in(v, lo, hi float64) bool { return v >= lo && v <= hi }
