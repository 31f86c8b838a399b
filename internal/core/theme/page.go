package theme

import (
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
	if picture && ink.Luminance() > 0.4 {
		paper = raster.RGB{R: 24, G: 26, B: 28} // what is behind is a picture: a ground by the words
	}
	if raster.Contrast(paper.Luminance(), ink.Luminance()) < leastContrast {
		ink = raster.RGB{R: 255, G: 255, B: 255}
		if raster.Contrast(paper.Luminance(), ink.Luminance()) < leastContrast {
			ink = raster.RGB{R: 16, G: 16, B: 16}
		}
	}
	return paper, ink
}

// leastContrast is that of text on its ground (WCAG 2.2, 1.4.3).
const leastContrast = 4.5
