package raster

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/framing"
)

// ITU-R BT.709-6 item 3.3 and BT.601-7 section 2.5.1 give the luma and colour
// difference equations, and their digital forms 219·E′+16 and 224·E′+128.
// Every colour of the 100 % bars, and a grid, must be within one code value.
func TestMatrixAgainstTheStandardsEquations(t *testing.T) {
	for m, k := range map[Matrix][3]float64{BT709: {0.2126, 0.7152, 0.0722}, BT601: {0.299, 0.587, 0.114}} {
		for r := 0; r < 256; r += 15 {
			for g := 0; g < 256; g += 15 {
				for b := 0; b < 256; b += 15 {
					er, eg, eb := float64(r)/255, float64(g)/255, float64(b)/255
					ey := k[0]*er + k[1]*eg + k[2]*eb
					y, u, v := m.YUV(byte(r), byte(g), byte(b))
					assert.InDelta(t, 219*ey+16, float64(y), 0.51)
					assert.InDelta(t, 224*(eb-ey)/(2*(1-k[2]))+128, float64(u), 0.51)
					assert.InDelta(t, 224*(er-ey)/(2*(1-k[0]))+128, float64(v), 0.51)
					r2, g2, b2 := m.rgb(int(y), int(u), int(v))
					assert.InDelta(t, r, r2, 3)
					assert.InDelta(t, g, g2, 3)
					assert.InDelta(t, b, b2, 3)
				}
			}
		}
	}
	// The 100 % yellow bar in 8-bit BT.709 is 219, 16, 138 (from memory, as
	// test generators show it).
	y, u, v := BT709.YUV(255, 255, 0)
	assert.Equal(t, [3]byte{219, 16, 138}, [3]byte{y, u, v})
	assert.Equal(t, BT601, MatrixFor(854, 480))
	assert.Equal(t, BT709, MatrixFor(1080, 1920))
}

func flat(w, h int, px ...byte) Pixels {
	p := Pixels{W: w, H: h, Channels: len(px)}
	for i := 0; i < w*h; i++ {
		p.Pix = append(p.Pix, px...)
	}
	return p
}

func sprite(t require.TestingT, p Pixels) *Sprite {
	s, err := NewSprite(p, BT709)
	require.NoError(t, err)
	return s
}

func TestDrawWholeFrameIsTheSpriteItself(t *testing.T) {
	p := Pixels{W: 32, H: 18, Channels: 3}
	for i := 0; i < 32*18*3; i++ {
		p.Pix = append(p.Pix, byte(i*7))
	}
	s := sprite(t, p)
	f := NewFrame(32, 18)
	f.Draw(s, framing.Rect{W: 32, H: 18}, framing.Rect{W: 32, H: 18}, 1)
	assert.Equal(t, s.Y, f.Y)
	assert.Equal(t, s.U, f.U)
	assert.Equal(t, s.V, f.V)
}

// T. Porter, T. Duff: Compositing Digital Images, SIGGRAPH 1984: A over B is
// A + (1 − αA)·B for premultiplied A.
func TestOver(t *testing.T) {
	red, white := RGB{200, 30, 20}.In(BT709), RGB{255, 255, 255}.In(BT709)
	for _, alpha := range []byte{0, 1, 64, 128, 200, 254, 255} {
		for _, opacity := range []float64{1, 0.5, 0} {
			f := NewFrame(8, 8)
			f.Clear(white)
			f.Draw(sprite(t, flat(8, 8, 200, 30, 20, alpha)), framing.Rect{W: 8, H: 8}, framing.Rect{
				W: 8,
				H: 8,
			}, opacity)
			a := float64(alpha) / 255 * opacity
			assert.InDelta(t, float64(red.Y)*a+float64(white.Y)*(1-a), float64(f.Y[27]), 1.01)
			assert.InDelta(t, float64(red.U)*a+float64(white.U)*(1-a), float64(f.U[5]), 1.01)
			assert.InDelta(t, float64(red.V)*a+float64(white.V)*(1-a), float64(f.V[5]), 1.01)
		}
	}
}

// A picture drawn between pixels covers each edge pixel by the share of it
// that lies inside: total light equals area whatever the offset.
func TestEdgesAreCoveredInPart(t *testing.T) {
	white := sprite(t, flat(4, 4, 255, 255, 255))
	rapid.Check(t, func(t *rapid.T) {
		x := rapid.Float64Range(2, 6).Draw(t, "x")
		y := rapid.Float64Range(2, 6).Draw(t, "y")
		w := rapid.Float64Range(1, 8).Draw(t, "w")
		f := NewFrame(16, 16)
		f.Draw(white, framing.Rect{X: x, Y: y, W: w, H: 5}, framing.Rect{W: 4, H: 4}, 1)
		light := 0.0
		for _, v := range f.Y {
			light += float64(v-16) / 219
		}
		assert.InDelta(t, w*5, light, 0.2)
		g := NewFrame(16, 16)
		g.Fill(framing.Rect{X: x, Y: y, W: w, H: 5}, RGB{255, 255, 255}.In(BT709), 1)
		assert.Equal(t, f.Y, g.Y)
		assert.Equal(t, f.U, g.U)
	})
}

// The centre of a small bright blob moves exactly as far as its place moves,
// in steps far below a pixel: no stepping, no jitter.
func TestMotionIsSubPixel(t *testing.T) {
	const n = 64
	p := flat(n, n, 0, 0, 0)
	for y := 0; y < n; y++ {
		for x := 0; x < n; x++ {
			d := math.Hypot(float64(x)-31.5, float64(y)-31.5)
			v := byte(255 * math.Exp(-d*d/18))
			for c := 0; c < 3; c++ {
				p.Pix[(y*n+x)*3+c] = v
			}
		}
	}
	s := sprite(t, p)
	for i := 0; i <= 40; i++ {
		shift, zoom := float64(i)*0.037, 1+float64(i)*0.004
		f := NewFrame(96, 96)
		f.Draw(s, framing.Rect{
			X: 10 + shift,
			Y: 12 - shift/2,
			W: n * zoom,
			H: n * zoom,
		}, framing.Rect{W: n, H: n}, 1)
		var sum, sx, sy float64
		for y := 0; y < f.H; y++ {
			for x := 0; x < f.W; x++ {
				v := float64(f.Y[y*f.W+x]) - 16
				sum, sx, sy = sum+v, sx+v*(float64(x)+0.5), sy+v*(float64(y)+0.5)
			}
		}
		assert.InDelta(t, 10+shift+32*zoom, sx/sum, 0.05)
		assert.InDelta(t, 12-shift/2+32*zoom, sy/sum, 0.05)
	}
}

func TestDissolveEndsArePure(t *testing.T) {
	a, b, f := NewFrame(8, 8), NewFrame(8, 8), NewFrame(8, 8)
	a.Clear(Colour{100, 90, 140})
	b.Clear(Colour{180, 130, 120})
	f.Dissolve(a, b, 0)
	assert.Equal(t, a, f)
	f.Dissolve(a, b, 256)
	assert.Equal(t, b, f)
	f.Dissolve(a, b, 128)
	assert.Equal(t, Colour{140, 110, 130}, Colour{f.Y[0], f.U[0], f.V[0]})
}

func TestBlurKeepsLightAndSpreadsAsAGaussian(t *testing.T) {
	p := flat(81, 81, 0, 0, 0)
	for c := 0; c < 3; c++ {
		for dy := -3; dy <= 3; dy++ {
			for dx := -3; dx <= 3; dx++ {
				p.Pix[((40+dy)*81+40+dx)*3+c] = 255
			}
		}
	}
	Blur(p, 4)
	var sum, varx float64
	for y := 0; y < 81; y++ {
		for x := 0; x < 81; x++ {
			v := float64(p.Pix[(y*81+x)*3])
			sum += v
			varx += v * float64((x-40)*(x-40))
		}
	}
	assert.InDelta(t, 49*255, sum, 49*255*0.05, "light is kept to rounding")
	// Variances add: three boxes of 9, ((2r+1)²−1)/12 each, and the 7-wide spot.
	assert.InDelta(t, 3*80.0/12+48.0/12, varx/sum, 2)
}

func TestBadInput(t *testing.T) {
	_, err := NewSprite(Pixels{W: 2, H: 2, Channels: 3, Pix: make([]byte, 11)}, BT709)
	assert.Error(t, err)
	for _, s := range []string{"", "#12345", "123456", "#12345g", "#1234567"} {
		_, err := ParseRGB(s)
		assert.Error(t, err, s)
	}
	c, err := ParseRGB("#0a10ff")
	require.NoError(t, err)
	assert.Equal(t, "#0a10ff", c.String())
	assert.Panics(t, func() { NewFrame(3, 2) })
}

func FuzzDrawAnywhere(f *testing.F) {
	f.Add(1.5, -2.0, 30.0, 7.0, 0.5)
	s := sprite(f, flat(5, 3, 9, 99, 200, 128))
	f.Fuzz(func(t *testing.T, x, y, w, h, o float64) {
		for _, v := range []float64{x, y, w, h} {
			if math.IsNaN(v) || math.Abs(v) > 1e6 {
				t.Skip()
			}
		}
		if !(o >= 0 && o <= 1) {
			t.Skip()
		}
		NewFrame(16, 8).Draw(s, framing.Rect{X: x, Y: y, W: w, H: h}, framing.Rect{W: 5, H: 3}, o)
	})
}
