package compose

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
)

var little = doc.Frame{W: 160, H: 90}

// pushing is a film whose joins push, which goes 160 pixels in 24 frames.
func pushing(t *testing.T) *scene.Scene {
	sc := film(t, little)
	for i := range sc.Slides {
		if sc.Slides[i].Overlap > 0 {
			sc.Slides[i].Into = transition.Transition{Kind: "push", Direction: transition.Left, Seconds: 0.8}
		}
	}
	return sc
}

// The finely stepped film has every frame of the film among its own, byte for
// byte: joins, motion, words that come in, fades and all.
func TestFineStepsHoldTheFilm(t *testing.T) {
	for _, sc := range []*scene.Scene{film(t, little), pushing(t)} {
		c := New(sc, flatAssets{})
		a, b := raster.NewFrame(160, 90), raster.NewFrame(160, 90)
		for n := timecode.Frames(0); n < sc.Frames; n += 7 {
			require.NoError(t, c.sharp(a, n))
			require.NoError(t, c.finer().sharp(b, n*fineness))
			require.Equal(t, a, b, "frame %d", n)
		}
	}
}

// A frame with motion blur is the mean of finely stepped frames to within two
// code values, at any angle, of the film's or of one transition; it has at least
// eight moments.
func TestBlurIsTheMeanOfFineSteps(t *testing.T) {
	for _, angle := range []float64{90, 180, 360} {
		for _, own := range []bool{false, true} {
			sc := pushing(t)
			second := sc.Slides[2].Start
			if sc.Shutter = angle; own {
				sc.Shutter, sc.Slides[1].Into.Shutter = 0, angle
			}
			c := New(sc, flatAssets{})
			for _, n := range []timecode.Frames{second + 3, second + 11, second + sc.Slides[1].Overlap - 2} {
				times := c.opening(n)
				require.GreaterOrEqual(t, len(times), leastMoments, "%g° at frame %d", angle, n)
				got, one := raster.NewFrame(160, 90), raster.NewFrame(160, 90)
				require.NoError(t, c.Frame(got, n))
				const steps = 512
				want := make([]float64, len(got.Y))
				for k := range steps {
					at := n*fineness + timecode.Frames((float64(k)+0.5)/steps*angle/360*fineness)
					require.NoError(t, c.finer().sharp(one, at))
					for i, v := range one.Y {
						want[i] += float64(v) / steps
					}
				}
				for i, v := range got.Y {
					require.InDelta(t, want[i], float64(v), 2, "%g°, frame %d, pixel %d", angle, n, i)
				}
			}
		}
	}
}

// Where nothing moves fast a film with a shutter is drawn as without, once: a
// slow zoom costs nothing more; and what is blurred is never taken for the same
// as the frame before.
func TestSlowMotionIsNotBlurred(t *testing.T) {
	plain, blurred := film(t, little), film(t, little)
	for _, sc := range []*scene.Scene{plain, blurred} {
		for i := range sc.Slides {
			sc.Slides[i].Into.Kind = "dissolve"
		}
	}
	blurred.Shutter = 180
	a, b := New(plain, flatAssets{}), New(blurred, flatAssets{})
	x, y := raster.NewFrame(160, 90), raster.NewFrame(160, 90)
	for n := timecode.Frames(0); n < plain.Frames; n += 11 {
		require.Nil(t, b.opening(n), "frame %d", n)
		require.NoError(t, a.Frame(x, n))
		require.NoError(t, b.Frame(y, n))
		require.Equal(t, x, y, "frame %d", n)
	}
	fast := pushing(t)
	fast.Shutter = 180
	c := New(fast, flatAssets{})
	some := 0
	for n := timecode.Frames(1); n < fast.Frames; n++ {
		if c.opening(n) != nil {
			some++
			assert.False(t, c.Same(n))
		}
	}
	assert.Greater(t, some, 20, "joins are blurred")
	assert.Less(t, timecode.Frames(some), fast.Frames/2, "and little else")
}
