package design

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/framing"
)

func TestWhatCannotBeIsRefused(t *testing.T) {
	good := []Waypoint{{At: 0, X: 0.1, Y: 0.5}, {At: 1, X: 0.9, Y: 0.5}}
	for _, ok := range []Decor{
		{Kind: Sprite, Asset: "kite.png", Size: 0.2, Opacity: 1, Path: good},
		{Kind: Sprite, Media: "m1", Size: 0.2, Opacity: 0.5, Path: good[:1], Ease: framing.InOut},
		{Kind: Drift, Particles: "snow", Density: 1, Opacity: 1},
	} {
		assert.NoError(t, ok.Validate(), "%+v", ok)
	}
	for want, bad := range map[string]Decor{
		"one of them must": {Kind: Sprite, Size: 0.2, Opacity: 1, Path: good},
		"size":             {Kind: Sprite, Asset: "a", Size: 9, Opacity: 1, Path: good},
		"path: missing":    {Kind: Sprite, Asset: "a", Size: 1, Opacity: 1},
		"path[1]": {
			Kind:    Sprite,
			Asset:   "a",
			Size:    1,
			Opacity: 1,
			Path:    []Waypoint{good[1], good[0]},
		},
		"there are no":          {Kind: Drift, Particles: "frogs", Density: 1},
		"density":               {Kind: Drift, Particles: "snow", Density: 50},
		"not picture or drift":  {Kind: "smell"},
		"opacity must be":       {Kind: Drift, Particles: "snow", Density: 1, Opacity: 2},
		"fades 0 to 60":         {Kind: Drift, Particles: "snow", Density: 1, FadeIn: 90},
		"ease a known one":      {Kind: Drift, Particles: "snow", Density: 1, Ease: "hop"},
		"the path have at most": {Kind: Drift, Particles: "snow", Density: 1, Path: make([]Waypoint, 99)},
	} {
		assert.ErrorContains(t, bad.Validate(), want)
	}
	for want, bad := range map[string]Backdrop{
		"texture": {
			Kind:    Texture,
			Texture: "velvet",
		}, "asset": {Kind: Image}, "kind": {Kind: "sky"}, "tone": {
			Kind: Plain,
			Tone: 2,
		}, "degrees": {Kind: Gradient, Degrees: 999},
	} {
		assert.ErrorContains(t, bad.Validate(), want)
	}
	unit := framing.Rect{W: 1, H: 1}
	assert.NoError(t, Motion{
		Kind: ByHand,
		From: unit,
		To:   framing.Rect{X: 0.5, Y: 0.5, W: 0.5, H: 0.5},
	}.Validate())
	for _, bad := range []Motion{{Kind: "shake"}, {
		Kind: In,
		Zoom: 9,
	}, {
		Kind: In,
		Ease: "hop",
	}, {Kind: ByHand, From: unit}, {Kind: ByHand, From: unit, To: framing.Rect{X: 0.9, W: 0.5, H: 1}}} {
		assert.Error(t, bad.Validate(), "%+v", bad)
	}
	for _, bad := range []Type{{Size: 0}, {
		Size:    0.1,
		Outline: 1,
	}, {Size: 0.1, Shadow: 2}, {Size: 0.1, Plate: -1}} {
		assert.Error(t, bad.Validate())
	}
	assert.True(t, Effect("").Known() && Effect("letters").Known())
	assert.False(t, Effect("explode").Known())
	assert.False(t, Fit("squash").Valid())
}

// A path passes its points at their times, keeps between them to the straight
// line by its easing, and stays at its ends.
func TestPaths(t *testing.T) {
	d := Decor{Path: []Waypoint{{
		At:      0.2,
		X:       0,
		Y:       0,
		Degrees: 10,
	}, {At: 0.6, X: 1, Y: 0.5, Size: 2, Degrees: 90}, {At: 1, X: 1, Y: 1, Size: 2}}}
	at := d.Along(0.2)
	assert.Equal(t, [4]float64{0, 0, 1, 10}, [4]float64{at.X, at.Y, at.Size, at.Degrees})
	at = d.Along(0.4)
	assert.InDeltaSlice(t, []float64{0.5, 0.25, 1.5, 50}, []float64{at.X, at.Y, at.Size, at.Degrees}, 1e-9)
	at = d.Along(0.6)
	assert.InDeltaSlice(t, []float64{1, 0.5, 2, 90}, []float64{at.X, at.Y, at.Size, at.Degrees}, 1e-9)
	assert.Equal(t, 1.0, d.Along(5).Y)
	assert.Equal(t, 0.0, d.Along(0).X)
	d.Ease = framing.InOut
	assert.Less(t, d.Along(0.25).X, 0.05, "it starts at rest")
	assert.Equal(t, Waypoint{X: 0.5, Y: 0.5, Size: 1}, Decor{}.Along(0.3), "without a path in the middle")
}
