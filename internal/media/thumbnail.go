package media

import (
	"context"
	"math"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/media/vips"
)

// Flatten puts pixels with transparency on a colour.
func Flatten(p raster.Pixels, on raster.RGB) raster.Pixels {
	if p.Channels == 3 {
		return p
	}
	out := raster.Pixels{W: p.W, H: p.H, Channels: 3, Pix: make([]byte, p.W*p.H*3)}
	for i := range p.W * p.H {
		al := int(p.Pix[4*i+3])
		for c, back := range [3]byte{on.R, on.G, on.B} {
			out.Pix[3*i+c] = byte((int(p.Pix[4*i+c])*al + int(back)*(255-al) + 127) / 255)
		}
	}
	return out
}

// White is what pictures with transparency are shown on where nothing else is
// behind them.
var White = raster.RGB{R: 255, G: 255, B: 255}

// firstFrame makes a small JPEG of a clip's first frame, at most side pixels on
// its longer side.
func firstFrame(ctx context.Context, path string, m doc.Media, side int) ([]byte, error) {
	w, h := within(m.W, m.H, side)
	p, err := clipPixels(ctx, clipOf(path, m), w, h, 0, 0)
	if err != nil {
		return nil, err
	}
	return vips.JPEG(p, copyQuality)
}

// smallJPEG is Readers.Smaller of a picture with a header, in this process.
func smallJPEG(h vips.Header, path string, side int, on raster.RGB) ([]byte, error) {
	w, ht := Upright(h.Width, h.Height, h.Orientation)
	w, ht = within(w, ht, side)
	p, err := vips.Load(path, w, ht)
	if err != nil {
		return nil, err
	}
	return vips.JPEG(Flatten(p, on), copyQuality)
}

// within is the size of a w×h picture that has at most side pixels on its
// longer side.
func within(w, h, side int) (int, int) {
	k := math.Min(1, float64(side)/float64(max(w, h, 1)))
	return max(1, int(float64(w)*k)), max(1, int(float64(h)*k))
}
