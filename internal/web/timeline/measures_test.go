package timeline

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Whatever the film, its shortest slide is wide enough to be seen; films of four
// minutes of usual slides are no higher than one page of 800 pixels can show.
func TestMeasures(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		total := rapid.Float64Range(1, 3600).Draw(t, "total")
		slide := rapid.Float64Range(0.2, 20).Draw(t, "slide")
		shortest := slide * rapid.Float64Range(0.2, 1).Draw(t, "shortest")
		row, h := measures(total, slide, shortest)
		assert.GreaterOrEqual(t, h, 52.0)
		assert.LessOrEqual(t, h, 112.0)
		wide := shortest / row * width
		assert.True(t, wide >= 56-1e-9 || row == leastSeconds, "the shortest slide is %g wide", wide)
		if total <= 240 && shortest > 4 {
			n := float64(int((total + row - 0.001) / row))
			assert.LessOrEqual(t, n*(h+rulerH+waveH+rowGap), 620.0, "%g s in rows of %g s", total, row)
		}
	})
	row, _ := measures(62, 4.1, 3.2)
	assert.Equal(t, 25.0, row, "three rows, nearly full")
}
