package drift

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/design"
	"nelko/internal/core/raster"
)

// Particles go on from frame to frame without a jump (but where one leaves
// the frame and comes in again), are the same for the same seed, and their
// pictures are not empty.
func TestDriftsMoveSteadily(t *testing.T) {
	for _, k := range design.Drifts {
		a := Specks(k, 1, 1, 7, 60, 16.0/9)
		assert.Equal(t, a, Specks(k, 1, 1, 7, 60, 16.0/9), k)
		assert.NotEqual(t, a, Specks(k, 1, 1, 8, 60, 16.0/9), k)
		b := Specks(k, 1, 1, 7, 60+1.0/30, 16.0/9)
		assert.Len(t, b, len(a))
		for i := range a {
			dx, dy := math.Abs(a[i].X-b[i].X), math.Abs(a[i].Y-b[i].Y)
			if dx > 0.9 || dy > 0.9 {
				continue
			}
			assert.Less(t, math.Hypot(dx, dy), 0.02, "%s %d", k, i)
			assert.InDelta(t, a[i].Opacity, b[i].Opacity, 0.1)
			assert.True(t, a[i].Opacity >= 0 && a[i].Opacity <= 1 && a[i].Size > 0)
		}
		assert.Greater(t, len(Specks(k, 2, 1, 7, 60, 16.0/9)), len(a))
		for v := range Variants {
			ink := 0
			for i, x := range Paint(k, v, 32, raster.RGB{}).Pix {
				if i%4 == 3 {
					ink += int(x)
				}
			}
			assert.Greater(t, ink, 2000, "%s %d", k, v)
		}
	}
}

// Over a minute particles pass everywhere: no part of the frame stays empty.
func TestDriftsReachEverywhere(t *testing.T) {
	for _, k := range []design.Particles{"snow", "leaves", "confetti"} {
		var seen [4][4]bool
		for s := 0.0; s < 60; s += 0.5 {
			for _, p := range Specks(k, 1, 1, 3, s, 16.0/9) {
				if p.X >= 0 && p.X < 1 && p.Y >= 0 && p.Y < 1 {
					seen[int(p.Y*4)][int(p.X*4)] = true
				}
			}
		}
		for _, row := range seen {
			for _, s := range row {
				assert.True(t, s, k)
			}
		}
	}
}

// A heart is whole in its square, has a cleft above and a point below, and is
// as wide left as right.
func TestHearts(t *testing.T) {
	const side = 96
	p := Paint("hearts", 0, side, raster.RGB{})
	alpha := func(x, y int) byte { return p.Pix[(y*side+x)*4+3] }
	for i := range side {
		assert.Zero(t, alpha(i, 0)|alpha(i, side-1)|alpha(0, i)|alpha(side-1, i),
			"nothing is cut off at the edges")
		for y := range side {
			assert.InDelta(t, alpha(i, y), alpha(side-1-i, y), 2)
		}
	}
	top := func(x int) int {
		for y := range side {
			if alpha(x, y) > 128 {
				return y
			}
		}
		return side
	}
	assert.Less(t, top(side/4), top(side/2), "a cleft")
	assert.Greater(t, int(alpha(side/2, side*3/4)), 200)
	assert.Zero(t, alpha(side/8, side*3/4), "a point")
}
