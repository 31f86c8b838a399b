package transition

import (
	"testing"

	"nelko/internal/core/raster"
)

// BenchmarkKinds1080p draws each kind of transition, a third of the way.
func BenchmarkKinds1080p(b *testing.B) {
	from, to := sides(1920, 1080)
	dst := raster.NewFrame(1920, 1080)
	for _, k := range kinds() {
		t := Transition{Kind: k, Seconds: 1}.Turned(0)
		b.Run(string(k), func(b *testing.B) {
			for b.Loop() {
				t.Draw(dst, from, to, 0.33, raster.BT709)
			}
		})
	}
}
