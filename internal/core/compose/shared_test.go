package compose

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
)

// Two prints on one paper: the paper stays as it is throughout their dissolve, the one
// print is all but gone before the other is there, and the join begins and ends with one
// of them alone.
func TestPicturesOnOneBackdropGiveWay(t *testing.T) {
	paper := scene.Layer{
		Asset:  scene.Asset{Kind: scene.Fill, Colour: raster.RGB{R: 200, G: 200, B: 200}},
		Place:  scene.Still(framing.Rect{W: 160, H: 90}),
		Window: scene.Still(framing.Rect{W: 1, H: 1}),
		Alpha:  1,
	}
	print := func(x float64, c uint8) scene.Layer {
		return scene.Layer{
			Asset:  scene.Asset{Kind: scene.Fill, Colour: raster.RGB{R: c, G: c, B: c}},
			Place:  scene.Still(framing.Rect{X: x, Y: 20, W: 60, H: 50}),
			Window: scene.Still(framing.Rect{W: 1, H: 1}),
			Alpha:  1,
			Turn:   0,
			Hard:   true,
			Leave:  1,
		}
	}
	const length, lap = 60, 20
	into := transition.Transition{Kind: "dissolve"}
	sc := &scene.Scene{
		W:      160,
		H:      90,
		Rate:   timecode.R25,
		Matrix: raster.BT709,
		Frames: 2*length - lap,
		Slides: []scene.Slide{
			{ID: "a", Length: length, Overlap: lap, Into: into, Layers: []scene.Layer{paper, print(20, 30)}},
			{ID: "b", Start: length - lap, Length: length, Layers: []scene.Layer{paper, print(60, 90)}},
		},
	}
	require.Equal(t, 1, shared(&sc.Slides[0], &sc.Slides[1]))
	c, f := New(sc, flatAssets{}), raster.NewFrame(160, 90)
	at := func(n timecode.Frames, x, y int) float64 {
		require.NoError(t, c.Frame(f, n))
		return float64(f.Y[y*160+x])
	}
	bare := at(5, 2, 2)
	old, other := at(5, 30, 40), at(length+10, 110, 40) // each alone
	away := func(v, own float64) float64 { return (bare - v) / (bare - own) }
	for n := timecode.Frames(length - lap); n < length; n++ {
		assert.Equal(t, bare, at(n, 2, 2), "the paper at frame %d", n)
		first, second := away(at(n, 30, 40), old), away(at(n, 110, 40), other)
		assert.Less(t, min(first, second), 0.2, "frame %d shows both", n)
	}
	assert.InDelta(t, 1, away(at(length-lap, 30, 40), old), 0.01)
	assert.InDelta(t, 1, away(at(length-1, 110, 40), other), 0.01)
	assert.InDelta(t, 0, away(at(length-1, 30, 40), old), 0.01)

	sc.Slides[1].Layers[0].Asset.Colour.R = 100
	assert.Zero(t, shared(&sc.Slides[0], &sc.Slides[1]), "another paper dissolves as anything does")
}
