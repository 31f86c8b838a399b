package design

import (
	"fmt"
	"slices"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
)

// Effect is how words enter and leave.
type Effect string

// Effects lists how words can enter and leave: all at once, rising, word by
// word, letter by letter, as if typed, or from a little larger.
var Effects = []Effect{"none", "fade", "rise", "words", "letters", "type", "settle"}

// Known reports whether e is an effect or empty.
func (e Effect) Known() bool { return e == "" || slices.Contains(Effects, e) }

// Type is how words are set. Sizes are shares of the frame's shorter side.
type Type struct {
	Font        string     `json:"font,omitempty"` // name in the theme's fonts
	Size        float64    `json:"size,omitempty"`
	Colour      raster.RGB `json:"colour"`
	Outline     float64    `json:"outline,omitempty"` // width, share of the type's size
	OutlineRGB  raster.RGB `json:"outline_colour,omitzero"`
	Shadow      float64    `json:"shadow,omitempty"` // strength 0 to 1
	Plate       float64    `json:"plate,omitempty"`  // opacity of a plate behind the words
	PlateColour raster.RGB `json:"plate_colour,omitzero"`
}

// Validate reports the first value that cannot be.
func (t Type) Validate() error {
	if !in(t.Size, 0.01, 0.5) || !in(t.Outline, 0, 0.3) || !in(t.Shadow, 0, 1) || !in(t.Plate, 0, 1) {
		return fmt.Errorf("size must be 0.01 to 0.5, outline 0 to 0.3, shadow and plate 0 to 1")
	}
	return nil
}

// Anchors lists where words can stand in their area.
var Anchors = []string{"centre", "left", "right", "upper", "lower", "upper-left", "upper-right", "lower-left",
	"lower-right"}

// Caption is how captions on pictures are set. It is comparable, but for At.
type Caption struct {
	Type
	Anchor string  `json:"anchor"` // one of Anchors
	Width  float64 `json:"width"`  // share of the title-safe area
	Enter  Effect  `json:"enter,omitempty"`
	// the words' middle in fractions of the frame, instead of Anchor
	At *framing.Point `json:"at,omitempty"`
}

// Validate reports the first value that cannot be.
func (c Caption) Validate() error {
	if err := c.Type.Validate(); err != nil {
		return err
	}
	switch {
	case !in(c.Width, 0.1, 1):
		return fmt.Errorf("width: %g; must be 0.1 to 1", c.Width)
	case !slices.Contains(Anchors, c.Anchor):
		return fmt.Errorf("anchor: there is no %q", c.Anchor)
	case !c.Enter.Known():
		return fmt.Errorf("enter: there is no effect %q", c.Enter)
	}
	return InFrame(c.At)
}

// InFrame reports a position outside the frame.
func InFrame(at *framing.Point) error {
	if at != nil && (!in(at.X, 0, 1) || !in(at.Y, 0, 1)) {
		return fmt.Errorf("at: %g, %g; both must be 0 to 1", at.X, at.Y)
	}
	return nil
}
