package raster

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/framing"
)

func noise(n int, seed uint32) []byte {
	p := make([]byte, n)
	for i := range p {
		seed = seed*1664525 + 1013904223
		p[i] = byte(seed >> 24)
	}
	return p
}

// plainly runs draw with the portable kernels.
func plainly(draw func()) {
	was := vectors
	vectors = false
	defer func() { vectors = was }()
	draw()
}

func sameBytes(t require.TestingT, fast, slow []byte) {
	assert.Equal(t, slow, fast)
}

// The vector kernels give the same bytes as the portable ones, for every
// length and strength. Where there are no vector kernels both are portable.
func TestVectorKernelsGiveTheSameBytes(t *testing.T) {
	t.Logf("kernels: %s", Kernels())
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 200).Draw(t, "n")
		s := uint32(rapid.IntRange(0, 256).Draw(t, "strength"))
		seed := rapid.Uint32().Draw(t, "seed")
		a, b, c := noise(n, seed), noise(n, seed+1), noise(n, seed+2)
		for _, f := range []func(dst []byte){
			func(dst []byte) { blend(dst, a, b, s) },
			func(dst []byte) { copy(dst, c); masked(dst, a, b, s) },
			func(dst []byte) { copy(dst, c); over(dst, a, b, s) },
			func(dst []byte) {
				m := make([]uint16, n)
				for i := range m {
					m[i] = uint16(a[i])<<8 | uint16(b[i])
				}
				threshold(dst, m, seed%70000, seed>>3%65536)
			},
			func(dst []byte) { converted(dst, noise(3*n, seed), 3) },
			func(dst []byte) { converted(dst, noise(4*n, seed), 4) },
		} {
			fast, slow := make([]byte, n), make([]byte, n)
			f(fast)
			plainly(func() { f(slow) })
			sameBytes(t, fast, slow)
		}
	})
}

// converted writes the luma of a row of pixels, with its chroma added so that
// a difference in that shows too.
func converted(dst, row []byte, channels int) {
	u, v := make([]int32, len(dst)), make([]int32, len(dst))
	BT709.convert(row, channels, dst, u, v)
	for i := range dst {
		dst[i] += byte(3*u[i] + 7*v[i])
	}
}

// Whole pictures drawn anywhere, at any zoom, masked and with transparency:
// the same bytes with vector and portable kernels.
func TestDrawingGivesTheSameBytes(t *testing.T) {
	opaque, err := NewSprite(Pixels{W: 120, H: 80, Channels: 3, Pix: noise(120*80*3, 1)}, BT709)
	require.NoError(t, err)
	clear, err := NewSprite(Pixels{W: 97, H: 61, Channels: 4, Pix: noise(97*61*4, 2)}, BT709)
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		real := func(name string, lo, hi float64) float64 { return rapid.Float64Range(lo, hi).Draw(t, name) }
		place := framing.Rect{
			X: real("x", -60, 90),
			Y: real("y", -60, 60),
			W: real("w", 2, 200),
			H: real("h", 2, 150),
		}
		s := opaque
		if rapid.Bool().Draw(t, "transparent") {
			s = clear
		}
		var mask *Sprite
		if rapid.Bool().Draw(t, "masked") {
			mask = clear
		}
		window := framing.Rect{
			X: real("u", 0, 30),
			Y: real("v", 0, 20),
			W: real("ww", 4, 60),
			H: real("wh", 4, 40),
		}
		o := real("opacity", 0, 1)
		fast, slow := NewFrame(130, 90), NewFrame(130, 90)
		fast.DrawMasked(s, mask, place, window, o)
		plainly(func() { slow.DrawMasked(s, mask, place, window, o) })
		assert.Equal(t, slow, fast)
	})
}

// The turned path draws what the upright one does where both can: at an angle
// so small that nothing moves, inside the edges, to within two code values
// (weights are rounded differently).
func TestTurnedPathAgreesWithTheUprightOne(t *testing.T) {
	p := Pixels{W: 64, H: 48, Channels: 3}
	for y := range p.H {
		for x := range p.W {
			p.Pix = append(p.Pix, byte(2*x+y), byte(200-x), byte(3*y))
		}
	}
	s := sprite(t, p)
	place, window := framing.Rect{X: 5.3, Y: 4.6, W: 70, H: 50}, framing.Rect{X: 2, Y: 1, W: 58, H: 44}
	a, b := NewFrame(96, 64), NewFrame(96, 64)
	a.Draw(s, place, window, 1)
	b.DrawTurned(s, place, window, 1e-9, 1)
	for y := 8; y < 50; y++ {
		for x := 8; x < 70; x++ {
			require.InDelta(t, a.Y[y*96+x], b.Y[y*96+x], 2, "%d,%d", x, y)
		}
	}
}

// A picture turned by a quarter is the picture turned by a quarter, and light
// is kept at every angle.
func TestTurning(t *testing.T) {
	white := sprite(t, flat(20, 10, 255, 255, 255))
	for _, deg := range []float64{7, 33, 90, 135, 200} {
		f := NewFrame(64, 64)
		f.DrawTurned(white, framing.Rect{X: 20, Y: 25, W: 24, H: 12}, framing.Rect{W: 20, H: 10}, deg, 1)
		light := 0.0
		for _, v := range f.Y {
			light += float64(v-16) / 219
		}
		assert.InDelta(t, 24*12, light, 9, "%g°", deg)
	}
	p := Pixels{W: 2, H: 1, Channels: 3, Pix: []byte{1, 2, 3, 4, 5, 6}}
	assert.Equal(t, []byte{1, 2, 3, 4, 5, 6}, Turn(p, 1).Pix)
	assert.Equal(t, []byte{4, 5, 6, 1, 2, 3}, Turn(p, 2).Pix)
	assert.Equal(t, []byte{4, 5, 6, 1, 2, 3}, Turn(p, 3).Pix)
	assert.Equal(t, p, Turn(Turn(p, 1), -1))
	assert.Equal(t, []byte{4, 5, 6}, Cut(p, 1, 0, 1, 1).Pix)
}

// A zone plate, whose rings grow finer towards the edge, shrunk by the most a
// slow zoom shrinks, shows no rings that are not there: the wide ones keep
// their place and contrast; the finest, which the smaller frame cannot hold,
// lose contrast and leave an even grey without any coarser pattern.
func TestZonePlateShowsNoAliasing(t *testing.T) {
	const n = 256
	p := Pixels{W: n, H: n, Channels: 3, Pix: make([]byte, n*n*3)}
	for y := range n {
		for x := range n {
			dx, dy := float64(x)-n/2+0.5, float64(y)-n/2+0.5
			v := byte(127.5 + 127.5*zone(dx*dx+dy*dy, n))
			for c := range 3 {
				p.Pix[(y*n+x)*3+c] = v
			}
		}
	}
	s := sprite(t, p)
	const out = 228 // 1.12 times smaller
	f := NewFrame(out, out)
	f.Draw(s, framing.Rect{W: out, H: out}, framing.Rect{W: n, H: n}, 1)
	worst := 0.0
	away := func(x, y int) float64 {
		dx, dy := (float64(x)+0.5)*n/out-n/2, (float64(y)+0.5)*n/out-n/2
		return dx*dx + dy*dy
	}
	for y := 4; y < out-4; y++ {
		for x := 4; x < out-4; x++ {
			r2 := away(x, y)
			if r2 > n*n/16 { // only rings wider than two pixels can be judged by value
				continue
			}
			want := 16 + 219*(0.5+0.5*zone(r2, n))
			worst = max(worst, abs(float64(f.Y[y*out+x])-want))
		}
	}
	assert.Less(t, worst, 40.0, "rings keep their place and contrast")

	// Blocks of the finest rings, along the sides' middles.
	const block = 12
	var power, pixels, uneven float64
	for y := 4; y+block < out-4; y += block / 2 {
		for x := 4; x+block < out-4; x += block / 2 {
			var sum, squares float64
			fine := true
			for j := y; j < y+block; j++ {
				for i := x; i < x+block; i++ {
					r := math.Sqrt(away(i, j)) / (n / 2)
					fine = fine && r > 0.85 && r < 1
					v := float64(f.Y[j*out+i]) - (16 + 219*0.5)
					sum += v
					squares += v * v
				}
			}
			if fine {
				power += squares
				pixels += block * block
				uneven = max(uneven, abs(sum/(block*block)))
			}
		}
	}
	require.Greater(t, pixels, 1000.0)
	assert.Less(t, uneven, 8.0, "no coarser pattern stands where the finest rings were")
	assert.Less(t, math.Sqrt(power/pixels), 0.75*219/2/math.Sqrt2, "contrast of the finest rings")
}

// zone is a zone plate whose frequency reaches half a cycle a pixel at the
// edge of n×n pixels.
func zone(r2, n float64) float64 { return math.Cos(math.Pi * r2 / n) }

func abs(v float64) float64 { return max(v, -v) }
