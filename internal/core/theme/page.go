package theme

import (
	"math"

	"nelko/internal/core/design"
	"nelko/internal/core/raster"
)

// Page is how a page or a paper wears the theme: the backdrop of its text cards
// and the colour of the words on it, which stand out enough to be read.
func (t *Theme) Page() (paper, ink raster.RGB) {
	paper, ink = raster.RGB{R: 244, G: 244, B: 244}, raster.RGB{R: 28, G: 28, B: 28}
	picture := t.Title.Backdrop.Kind == design.Soft || t.Title.Backdrop.Kind == design.Image
	if !picture {
		paper = t.Title.Backdrop.Colour
	}
	if y, ok := t.TitleType("main"); ok {
		ink = y.Colour
	}
	if picture && luminance(ink) > 0.4 {
		paper = raster.RGB{R: 24, G: 26, B: 28} // what is behind is a picture: a ground by the words
	}
	if contrast(paper, ink) < leastContrast {
		ink = raster.RGB{R: 255, G: 255, B: 255}
		if contrast(paper, ink) < leastContrast {
			ink = raster.RGB{R: 16, G: 16, B: 16}
		}
	}
	return paper, ink
}

// leastContrast is that of text on its ground (WCAG 2.2, 1.4.3).
const leastContrast = 4.5

// contrast is the ratio of two colours' relative luminances (WCAG 2.2).
func contrast(a, b raster.RGB) float64 {
	x, y := luminance(a)+0.05, luminance(b)+0.05
	return math.Max(x, y) / math.Min(x, y)
}

func luminance(c raster.RGB) float64 {
	linear := func(v uint8) float64 {
		s := float64(v) / 255
		if s <= 0.04045 {
			return s / 12.92
		}
		return math.Pow((s+0.055)/1.055, 2.4)
	}
	return 0.2126*linear(c.R) + 0.7152*linear(c.G) + 0.0722*linear(c.B)
}
