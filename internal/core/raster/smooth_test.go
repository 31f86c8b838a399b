package raster

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A slow change shows no step: where it lies between two codes, as many pixels of each eight by
// eight have the higher one as it is higher.
func TestSlowChangesAreDithered(t *testing.T) {
	const w, h = 1024, 64
	p := Pixels{W: 16, H: 8, Channels: 3, Pix: make([]byte, 16*8*3)}
	for i := range p.Pix {
		p.Pix[i] = byte(20 + i/3%16/4) // four codes over the width
	}
	soft := Soften(p, 3, RGB{}, 0.3)
	s := soft.Sprite(Window{0, 0, 1, 1}, w, h, BT709)
	mean := func(plane []byte, stride, x0 int) float64 {
		sum := 0
		for y := range 16 {
			for x := range 16 {
				sum += int(plane[y*stride+x0+x])
			}
		}
		return float64(sum) / 256
	}
	most := 0.0
	for x0 := 16; x0+32 <= w; x0 += 16 {
		most = max(most, math.Abs(mean(s.Y, w, x0)-mean(s.Y, w, x0-16)))
	}
	assert.Less(t, most, 0.2, "from sixteen pixels to the next, not a whole code at once")
	assert.Greater(t, mean(s.Y, w, w-16)-mean(s.Y, w, 0), 1.0, "though it does change")
	codes := map[byte]bool{}
	for y := range 8 {
		for x := range 8 {
			codes[s.Y[y*w+500+x]] = true
		}
	}
	assert.LessOrEqual(t, len(codes), 3, "by one code only")
}

// The means of what is dithered are those of Blur and Tone, on whole codes, within one.
func TestSmoothIsBlurAndTone(t *testing.T) {
	p := Pixels{W: 40, H: 30, Channels: 3, Pix: make([]byte, 40*30*3)}
	for i := range p.Pix {
		p.Pix[i] = byte(i * 37)
	}
	soft := Soften(Pixels{
		W:        p.W,
		H:        p.H,
		Channels: 3,
		Pix:      append([]byte(nil), p.Pix...),
	}, 4, RGB{R: 200, G: 10, B: 90}, 0.4)
	Blur(p, 4)
	Tone(p, RGB{R: 200, G: 10, B: 90}, 0.4)
	for i, v := range p.Pix {
		assert.InDelta(t, float64(v), float64(soft.Pix[i])/256, 2.2, "rounded once, not seven times")
	}
	// As a sprite, each of its planes is what NewSprite makes of the same pixels.
	want, err := NewSprite(p, BT709)
	assert.NoError(t, err)
	got := soft.Sprite(Window{0, 0, 1, 1}, p.W, p.H, BT709)
	for i := range want.Y {
		assert.InDelta(t, float64(want.Y[i]), float64(got.Y[i]), 3)
	}
	for i := range want.U {
		assert.InDelta(t, float64(want.U[i]), float64(got.U[i]), 3)
		assert.InDelta(t, float64(want.V[i]), float64(got.V[i]), 3)
	}
	// Half of it, twice as large, begins in its middle.
	half := soft.Sprite(Window{0.5, 0, 0.5, 1}, p.W, p.H, BT709)
	assert.InDelta(t, float64(got.Y[15*40+20]), float64(half.Y[15*40+1]), 3)
}
