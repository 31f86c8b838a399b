package web

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Whatever the film, its rows hold all of it, and films up to five minutes
// are no higher than one page of 800 pixels can show.
func TestMeasures(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		total := rapid.Float64Range(1, 3600).Draw(t, "total")
		slide := rapid.Float64Range(0.2, 20).Draw(t, "slide")
		row, h := measures(total, slide)
		assert.GreaterOrEqual(t, h, 40.0)
		assert.LessOrEqual(t, h, 112.0)
		if total <= 300 {
			n := float64(int((total + row - 0.001) / row))
			assert.LessOrEqual(t, n*(h+rulerH+waveH+rowGap), 620.0, "%g s in rows of %g s", total, row)
		}
	})
	row, _ := measures(62, 4.1)
	assert.Equal(t, 25.0, row, "three rows, nearly full")
}
