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

// Thumbnail makes a small JPEG of a photo or of a clip's first frame, at most
// side pixels on its longer side. What is transparent shows the colour on.
func Thumbnail(ctx context.Context, path string, m doc.Media, side int, on raster.RGB) ([]byte, error) {
	k := math.Min(1, float64(side)/float64(max(m.W, m.H)))
	w, h := max(1, int(float64(m.W)*k)), max(1, int(float64(m.H)*k))
	var p raster.Pixels
	var err error
	if m.Kind == doc.ClipMedia {
		p, err = clipPixels(ctx, path, w, h, 0)
	} else {
		p, err = vips.Load(path, w, h)
	}
	if err != nil {
		return nil, err
	}
	return vips.JPEG(Flatten(p, on), 82)
}

// Smaller makes a small JPEG of a picture file of any size.
func Smaller(ctx context.Context, path string, side int) ([]byte, error) {
	h, err := vips.ReadHeader(path)
	if err != nil {
		return nil, err
	}
	return Thumbnail(ctx, path, doc.Media{Kind: doc.PhotoMedia, W: h.Width, H: h.Height}, side, White)
}
