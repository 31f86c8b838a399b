package film_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/raster"
)

// Ratios of the Web Content Accessibility Guidelines 2.2: black on white is
// 21 : 1, #767676 on white the palest grey that passes 4.5 : 1 (a figure that
// is widely published; from memory).
func TestContrast(t *testing.T) {
	white, black := raster.RGB{R: 255, G: 255, B: 255}.Luminance(), raster.RGB{}.Luminance()
	assert.InDelta(t, 21, raster.Contrast(white, black), 1e-9)
	assert.InDelta(t, 21, raster.Contrast(black, white), 1e-9)
	grey := func(v byte) float64 { return raster.Contrast(white, raster.RGB{R: v, G: v, B: v}.Luminance()) }
	assert.GreaterOrEqual(t, grey(0x76), 4.5)
	assert.Less(t, grey(0x77), 4.5)
}
