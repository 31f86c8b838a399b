package focus

import (
	"math/bits"
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
)

// field is a grey field with a red disc.
func field(w, h, cx, cy int, light byte) raster.Pixels {
	p := raster.Pixels{W: w, H: h, Channels: 3}
	for y := range h {
		for x := range w {
			if (x-cx)*(x-cx)+(y-cy)*(y-cy) < w*w/80 {
				p.Pix = append(p.Pix, 220, 40, 30)
			} else {
				p.Pix = append(p.Pix, light+byte(x%3), light, light)
			}
		}
	}
	return p
}

// The eye goes to what stands out, wherever it is.
func TestTheEyeGoesToWhatStandsOut(t *testing.T) {
	for _, at := range [][2]int{{20, 20}, {100, 30}, {64, 48}, {30, 80}} {
		f := Point(field(128, 96, at[0], at[1], 128))
		assert.InDelta(t, float64(at[0])/128, f.X, 0.08, "%v", at)
		assert.InDelta(t, float64(at[1])/96, f.Y, 0.08, "%v", at)
	}
	f := Point(raster.Pixels{W: 8, H: 8, Channels: 3, Pix: make([]byte, 192)})
	assert.InDelta(t, 0.5, f.X, 0.01, "nothing stands out: the middle")
}

// The same picture lighter and smaller is alike; another one is not.
func TestPrintsOfLookAlikes(t *testing.T) {
	scene := func(w, h int, light byte, cx float64, lean int) raster.Pixels {
		p := field(w, h, int(cx*float64(w)), h/2, light)
		for y := range h {
			for x := range w {
				p.Pix[(y*w+x)*3+1] = byte(int(p.Pix[(y*w+x)*3+1]) + lean*x/w - 40*y/h)
			}
		}
		return p
	}
	a := Print(scene(128, 96, 120, 0.3, 60))
	assert.LessOrEqual(t, bits.OnesCount64(a^Print(scene(64, 48, 130, 0.3, 60))), 8)
	assert.Greater(t, bits.OnesCount64(a^Print(scene(128, 96, 120, 0.75, -60))), 8)
	assert.NotZero(t, Print(raster.Pixels{W: 9, H: 8, Channels: 3, Pix: make([]byte, 9*8*3)}))
}

// Blurring a picture step by step makes it less sharp each time, whatever its
// contrast; a picture without edges has no sharpness.
func TestSharpness(t *testing.T) {
	picture := func(contrast float64) raster.Pixels {
		p := raster.Pixels{W: 320, H: 240, Channels: 3}
		for y := range p.H {
			for x := range p.W {
				v := 90.0
				if (x/23+y/31)%2 == 0 {
					v += 120 * contrast
				}
				if (x*x+y*y)%977 < 300 {
					v += 40 * contrast
				}
				p.Pix = append(p.Pix, byte(v), byte(v), byte(v))
			}
		}
		return p
	}
	for _, contrast := range []float64{1, 0.4} {
		sharp := picture(contrast)
		last := Sharpness(sharp)
		assert.Greater(t, last, 2*Blurred)
		for r := 1; r <= 5; r++ {
			soft := raster.Pixels{W: sharp.W, H: sharp.H, Channels: 3, Pix: append([]byte(nil), sharp.Pix...)}
			raster.Blur(soft, r)
			now := Sharpness(soft)
			assert.Less(t, now, last, "blurred by %d", r)
			last = now
			if r >= 3 {
				assert.Less(t, now, Blurred, "blurred by %d", r)
			}
		}
	}
	assert.Zero(t, Sharpness(raster.Pixels{W: 64, H: 64, Channels: 3, Pix: make([]byte, 64*64*3)}))
	assert.Zero(t, Sharpness(raster.Pixels{W: 8, H: 8, Channels: 3, Pix: make([]byte, 192)}))
}

// What stands out in two corners needs nearly all of a picture; what stands out
// in one place little of it; where nothing does nothing is said.
func TestInterest(t *testing.T) {
	at := func(spots ...[2]int) framing.Rect {
		p := raster.Pixels{W: 120, H: 80, Channels: 3, Pix: make([]byte, 120*80*3)}
		for i := range p.Pix {
			p.Pix[i] = 90
		}
		for _, s := range spots {
			for y := s[1] - 6; y < s[1]+6; y++ {
				for x := s[0] - 6; x < s[0]+6; x++ {
					copy(p.Pix[(y*p.W+x)*3:], []byte{240, 60, 40})
				}
			}
		}
		return Interest(p)
	}
	both := at([2]int{15, 40}, [2]int{105, 40})
	assert.InDelta(t, 0.8, both.W, 0.12)
	assert.Less(t, both.H, 0.25)
	one := at([2]int{30, 20})
	assert.InDelta(t, 0.25, one.Centre().X, 0.03)
	assert.InDelta(t, 0.25, one.Centre().Y, 0.03)
	assert.Less(t, max(one.W, one.H), 0.25)
	assert.Empty(t, at())
	assert.Empty(t, Interest(raster.Pixels{W: 2, H: 2, Channels: 3, Pix: make([]byte, 12)}))
}
