package scene

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// A turned rectangle that has grown so covers every corner of what it covered.
func TestTiltCovers(t *testing.T) {
	assert.InDelta(t, 1, tiltCovers(16, 9, 0), 1e-12)
	assert.InDelta(t, math.Sqrt2, tiltCovers(9, 9, 45), 1e-12, "a square by an eighth turn")
	rapid.Check(t, func(t *rapid.T) {
		w, h := rapid.Float64Range(10, 4000).Draw(t, "w"), rapid.Float64Range(10, 4000).Draw(t, "h")
		by := rapid.Float64Range(-30, 30).Draw(t, "degrees")
		k := tiltCovers(w, h, by)
		sin, cos := math.Sincos(by * math.Pi / 180)
		for _, c := range [][2]float64{{w / 2, h / 2}, {-w / 2, h / 2}, {w / 2, -h / 2}, {-w / 2, -h / 2}} {
			// The corner as seen from the turned rectangle.
			x, y := c[0]*cos+c[1]*sin, -c[0]*sin+c[1]*cos
			assert.LessOrEqual(t, math.Abs(x), k*w/2*(1+1e-9))
			assert.LessOrEqual(t, math.Abs(y), k*h/2*(1+1e-9))
		}
	})
}
