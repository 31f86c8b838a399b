package framing

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestWholeAndFill(t *testing.T) {
	frame := Rect{0, 0, 1920, 1080}
	// A 2:3 upright in a 16:9 frame: full height, 720 wide, centred.
	assert.Equal(t, Rect{600, 0, 720, 1080}, Whole(2000, 3000, frame))
	// A 3:2 picture filling 16:9 keeps its width and 84.375 % of its height.
	got := Fill(6000, 4000, 16.0/9, Point{0.5, 0.5})
	assert.Equal(t, Rect{0, 312.5, 6000, 3375}, got)
	assert.InDelta(t, 0.15625, Loss(1.5, 16.0/9), 1e-12)
	// A focal point at the top pulls the window to the edge, no further.
	assert.Equal(t, 0.0, Fill(6000, 4000, 16.0/9, Point{0.5, 0.1}).Y)
}

func TestWindowsStayInsideThePicture(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := func(name string, lo, hi float64) float64 { return rapid.Float64Range(lo, hi).Draw(t, name) }
		w, h := f("w", 1, 9000), f("h", 1, 9000)
		whole := Rect{0, 0, w, h}
		focal := Point{f("fx", 0, 1), f("fy", 0, 1)}
		aspect := f("aspect", 0.2, 5)
		win := Fill(w, h, aspect, focal)
		assert.True(t, whole.Contains(win, 1e-6))
		assert.InEpsilon(t, aspect, win.Aspect(), 1e-9)
		z := Zoom(win, f("zoom", 1, 3), focal)
		assert.True(t, win.Contains(z, 1e-6))
		assert.InEpsilon(t, aspect, z.Aspect(), 1e-9)
		p := Whole(w, h, Rect{10, 20, 300, 200})
		assert.True(t, Rect{10, 20, 300, 200}.Contains(p, 1e-6))
		assert.InEpsilon(t, w/h, p.Aspect(), 1e-9)
	})
}

func TestEase(t *testing.T) {
	for _, e := range []Ease{Linear, InOut, Out} {
		assert.True(t, e.Valid())
		assert.Zero(t, e.At(-1))
		assert.Equal(t, 1.0, e.At(2))
		last := 0.0
		for i := 0; i <= 100; i++ {
			v := e.At(float64(i) / 100)
			assert.GreaterOrEqual(t, v, last)
			last = v
		}
	}
	assert.Equal(t, 0.5, InOut.At(0.5))
	assert.InDelta(t, 0.104, InOut.At(0.2), 1e-12) // 3·0.04 − 2·0.008
	assert.False(t, Ease("bounce").Valid())
}

// CSS Easing Functions Level 1, section 2.2, gives the control points of the
// keywords; testdata/easing.json holds what the npm package bezier-easing
// makes of them (scripts/references.mjs). It solves to about 1e-4.
func TestEasingAgainstReference(t *testing.T) {
	b, err := os.ReadFile("testdata/easing.json")
	require.NoError(t, err)
	var ref struct {
		Source string
		Values map[Ease][]float64
	}
	require.NoError(t, json.Unmarshal(b, &ref))
	require.Len(t, ref.Values, 5)
	for e, values := range ref.Values {
		require.True(t, e.Valid(), e)
		for i, want := range values {
			assert.InDelta(t, want, e.At(float64(i)/100), 2e-4, "%s at %d %% (%s)", e, i, ref.Source)
		}
	}
	for _, bad := range []Ease{"bouncy", "cubic-bezier(2,0,0,1)", "cubic-bezier(0,0,1)",
		"cubic-bezier(0,0,1,1) x"} {
		assert.False(t, bad.Valid(), bad)
	}
}

func TestShapeOf(t *testing.T) {
	for size, want := range map[[2]int]Shape{
		{1920, 1080}: Wide,
		{1280, 720}:  Wide,
		{1440, 1080}: Classic,
		{720, 576}:   Classic,
		{1080, 1080}: Square,
		{1080, 1920}: Upright,
		{1080, 1350}: Square,
	} {
		assert.Equal(t, want, ShapeOf(size[0], size[1]), "%v", size)
	}
}

// A crop moved to cover something is moved no further than it must be, stays
// in the picture, and says when the thing is too large for it.
func TestCover(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := func(name string, lo, hi float64) float64 { return rapid.Float64Range(lo, hi).Draw(t, name) }
		w, h := f("w", 100, 1000), f("h", 100, 1000)
		crop := Rect{W: f("cw", 10, w), H: f("ch", 10, h)}
		crop.X, crop.Y = f("cx", 0, w-crop.W), f("cy", 0, h-crop.H)
		keep := Rect{W: f("kw", 1, w), H: f("kh", 1, h)}
		keep.X, keep.Y = f("kx", 0, w-keep.W), f("ky", 0, h-keep.H)
		moved, ok := Cover(crop, keep, w, h)
		assert.Equal(t, keep.W <= crop.W && keep.H <= crop.H, ok)
		assert.True(t, Rect{W: w, H: h}.Contains(moved, 1e-6))
		assert.True(t, moved.W == crop.W && moved.H == crop.H)
		if ok {
			assert.True(t, moved.Contains(keep, 1e-6))
		}
		if crop.Contains(keep, 0) {
			assert.Equal(t, crop, moved)
		}
	})
}

// Boxes snap with their middle to the frame's middle, and with their sides to
// its edges and the safe areas (SMPTE ST 2046-1: 93 % and 90 %, from memory),
// each axis by itself and only from near by.
func TestSnap(t *testing.T) {
	for _, c := range []struct{ at, want Point }{
		{Point{0.51, 0.3}, Point{0.5, 0.3}},
		{Point{0.155, 0.5}, Point{0.15, 0.5}},       // left side on the title-safe edge
		{Point{0.13, 0.862}, Point{0.135, 0.865}},   // on the action-safe edges
		{Point{0.905, 0.096}, Point{0.9, 0.1}},      // on the frame's edges
		{Point{0.33, 0.71}, Point{0.33, 0.71}},      // near nothing
		{Point{0.4801, 0.4799}, Point{0.5, 0.4799}}, // just near enough, and not
	} {
		got := Snap(c.at, 0.2, 0.2, 0.02)
		assert.InDelta(t, c.want.X, got.X, 1e-9, "%v", c.at)
		assert.InDelta(t, c.want.Y, got.Y, 1e-9, "%v", c.at)
	}
}
