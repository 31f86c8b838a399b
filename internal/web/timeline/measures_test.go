package timeline

import (
	"math"
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

// Where rows of some seconds show the whole film on one page, those that are chosen do.
func TestAllOfItOnOnePage(t *testing.T) {
	for total := 20.0; total < 400; total++ {
		for _, slide := range []float64{1, 1.5, 2, 4, 7, 12} {
			for _, share := range []float64{0.3, 0.6, 1} {
				row, _ := measures(total, slide, slide*share)
				for _, s := range rowSeconds {
					if s <= width/shortestSlide*slide*share && high(total, s) <= onePage {
						assert.LessOrEqual(t, high(total, row), onePage,
							"%g s of slides of %g s in rows of %g s", total, slide, row)
						break
					}
				}
			}
		}
	}
}

// high is how high a film is in rows of some seconds.
func high(total, row float64) float64 {
	n := math.Ceil(total/row - 1e-9)
	return n * (slideHeight(n) + rulerH + waveH + rowGap)
}
