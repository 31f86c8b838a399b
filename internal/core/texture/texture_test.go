package texture

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/raster"
)

func spread(p raster.Pixels) (mean, deviation float64) {
	n := float64(len(p.Pix) / 3)
	for i := 0; i < len(p.Pix); i += 3 {
		mean += float64(p.Pix[i]) / n
	}
	for i := 0; i < len(p.Pix); i += 3 {
		d := float64(p.Pix[i]) - mean
		deviation += d * d / n
	}
	return mean, math.Sqrt(deviation)
}

// A texture keeps its colour on the whole, is flat without contrast and
// livelier with more, and is the same for the same seed.
func TestTexturesKeepTheirColour(t *testing.T) {
	c := raster.RGB{R: 140, G: 120, B: 90}
	for _, k := range Kinds {
		assert.True(t, k.Valid())
		flat := Paint(k, 64, 48, c, 0, 1)
		_, d := spread(flat)
		assert.InDelta(t, 0, d, 1e-6, k)
		mean, little := spread(Paint(k, 320, 180, c, 0.4, 1))
		assert.InDelta(t, 140, mean, 8, k)
		_, much := spread(Paint(k, 320, 180, c, 1, 1))
		assert.Greater(t, much, little*1.8, k)
		assert.Equal(t, Paint(k, 64, 48, c, 0.5, 9), Paint(k, 64, 48, c, 0.5, 9), k)
	}
	assert.False(t, Kind("velvet").Valid())
}

// The same cloth at every resolution: shrunk to half, a large painting is the
// small one to within what averaging takes from fine threads.
func TestTexturesAreTheSameAtEverySize(t *testing.T) {
	c := raster.RGB{R: 140, G: 120, B: 90}
	for _, k := range []Kind{Plaster, Wood, Slate, Ripple} {
		big, small := raster.Shrink(Paint(k, 640, 360, c, 0.6, 5), 320), Paint(k, 320, 180, c, 0.6, 5)
		sum := 0.0
		for i := range small.Pix {
			sum += math.Abs(float64(small.Pix[i]) - float64(big.Pix[i]))
		}
		assert.Less(t, sum/float64(len(small.Pix)), 6.0, k)
	}
}

func TestCloudLiesBetweenNoughtAndOne(t *testing.T) {
	lo, hi := 1.0, 0.0
	for i := range 4000 {
		v := Cloud(float64(i)*0.37, float64(i%61)*0.71, 4, 3)
		lo, hi = math.Min(lo, v), math.Max(hi, v)
		assert.InDelta(t, v, Cloud(float64(i)*0.37+1e-6, float64(i%61)*0.71, 4, 3), 1e-3, "without a jump")
	}
	assert.True(t, lo >= 0 && hi <= 1 && hi-lo > 0.4, "%g to %g", lo, hi)
}
