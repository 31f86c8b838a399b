package design

import (
	"math"

	"nelko/internal/core/raster"
)

// CaptionStyle is a named way of setting captions, which changes only what
// makes it up and leaves the type and the colours of the theme where it can.
type CaptionStyle struct {
	ID, Name string
	Change   func(*Caption)
}

// CaptionStyles are the ones offered by name.
var CaptionStyles = []CaptionStyle{
	{"foot", "At the foot", func(c *Caption) {
		c.Anchor, c.At, c.Width = "lower", nil, math.Max(c.Width, 0.8)
	}},
	{"head", "At the head", func(c *Caption) {
		c.Anchor, c.At, c.Width = "upper", nil, math.Max(c.Width, 0.8)
	}},
	{"corner", "In the left corner", func(c *Caption) {
		c.Anchor, c.At, c.Width = "lower-left", nil, math.Min(c.Width, 0.6)
	}},
	{"middle", "Large, in the middle", func(c *Caption) { c.Anchor, c.At, c.Size = "centre", nil, 0.09 }},
	{"plate", "On a plate", func(c *Caption) {
		c.Plate, c.Outline, c.Shadow = 0.7, 0, 0
		c.PlateColour = Against(c.Colour)
	}},
	{"outline", "Outlined", func(c *Caption) {
		c.Plate, c.Outline, c.Shadow = 0, 0.08, 0
		c.OutlineRGB = Against(c.Colour)
	}},
	{"shadow", "With a shadow", func(c *Caption) { c.Plate, c.Outline, c.Shadow = 0, 0, 0.8 }},
	{"small", "Small", func(c *Caption) { c.Size = 0.035 }},
}

// Against is what words of a colour are read on: nearly black or nearly white.
func Against(c raster.RGB) raster.RGB {
	if 0.2126*float64(c.R)+0.7152*float64(c.G)+0.0722*float64(c.B) > 128 {
		return raster.RGB{R: 16, G: 18, B: 20}
	}
	return raster.RGB{R: 245, G: 245, B: 243}
}
