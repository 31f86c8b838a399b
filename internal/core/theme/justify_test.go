package theme_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/framing"
	"nelko/internal/core/theme"
)

// Justified pictures keep their aspects and their order, lie in the area and
// nowhere on one another, and those of a row are equally high.
func TestJustified(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		frame := rapid.SampledFrom([]float64{16.0 / 9, 4.0 / 3, 1, 9.0 / 16}).Draw(t, "frame")
		aspects := rapid.SliceOfN(rapid.Float64Range(0.4, 2.6), 1, 6).Draw(t, "aspects")
		got := theme.Justified(aspects, frame, framing.ActionSafe, 0.02)
		require.Len(t, got, len(aspects))
		for i, r := range got {
			require.InEpsilon(t, aspects[i], r.W*frame/r.H, 1e-6, "never cropped")
			require.True(t, framing.ActionSafe.Contains(r, 1e-9))
			for j := range i {
				o := got[j]
				apart := r.X >= o.X+o.W || o.X >= r.X+r.W || r.Y >= o.Y+o.H || o.Y >= r.Y+r.H
				require.True(t, apart, "%d on %d", i, j)
				if r.Y == o.Y {
					require.InDelta(t, o.H, r.H, 1e-9)
					require.Greater(t, r.X, o.X, "in order")
				}
			}
		}
	})
}
