package raster

import (
	"testing"

	"nelko/internal/core/framing"
)

func BenchmarkDrawMovingPicture1080p(b *testing.B) {
	s := sprite(b, flat(2150, 1434, 10, 90, 200))
	f := NewFrame(1920, 1080)
	for i := 0; b.Loop(); i++ {
		z := 1 + float64(i%100)/900
		f.Draw(s, framing.Rect{W: 1920, H: 1080}, framing.Rect{X: 3, Y: 90, W: 2140 / z, H: 1204 / z}, 1)
	}
}

func BenchmarkDissolve1080p(b *testing.B) {
	x, y, f := NewFrame(1920, 1080), NewFrame(1920, 1080), NewFrame(1920, 1080)
	for i := 0; b.Loop(); i++ {
		f.Dissolve(x, y, 1+i%255)
	}
}
