package media

import (
	"context"
	"fmt"
	"io"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/timecode"
	"nelko/internal/media/vips"
)

// A filmstrip has so many frames, and is so high, in pixels.
const (
	stripFrames = 12
	stripHeight = 72
)

// Filmstrip is a clip from its beginning to its end as frames beside each other,
// with the outline of its sound along the bottom, as a JPEG.
func Filmstrip(ctx context.Context, path string, m doc.Media) ([]byte, error) {
	w := max(24, min(160, int(stripHeight*m.Aspect()))) / 2 * 2
	out := raster.Pixels{
		W:        w * stripFrames,
		H:        stripHeight,
		Channels: 3,
		Pix:      make([]byte, w*stripFrames*stripHeight*3),
	}
	seconds := float64(m.Length) / timecode.SampleRate
	for i := range stripFrames {
		px, err := clipPixels(ctx, clipOf(path, m), w, stripHeight, seconds*(float64(i)+0.5)/stripFrames, 0)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil {
			continue // past the last frame that can be read: it stays black
		}
		for y := range stripHeight {
			copy(out.Pix[(y*out.W+i*w)*3:], px.Pix[y*w*3:(y+1)*w*3])
		}
	}
	if m.Sound {
		if err := drawSound(ctx, path, out); err != nil {
			return nil, err
		}
	}
	return vips.JPEG(out, 80)
}

// drawSound draws the outline of a clip's sound over the lower third.
func drawSound(ctx context.Context, path string, on raster.Pixels) error {
	ctx, cancel := context.WithTimeoutCause(ctx, frameLimit, errStuck)
	defer cancel()
	h := on.H / 3
	args := append([]string{}, local...)
	args = append(args, "-i", "file:"+path, "-filter_complex",
		fmt.Sprintf("[0:a:0]aformat=channel_layouts=mono,showwavespic=s=%dx%d:colors=white:scale=sqrt,format=gray", on.W, h), "-frames:v", "1", "-f", "rawvideo", "-")
	p, err := startFFmpeg(ctx, probing(path, lookSeconds), args...)
	if err != nil {
		return err
	}
	line := make([]byte, on.W*h)
	if _, err := io.ReadFull(p.out, line); err != nil {
		return fmt.Errorf("the clip's sound: %w", p.finish())
	}
	p.Close()
	for i, v := range line {
		at := ((on.H-h+i/on.W)*on.W + i%on.W) * 3
		for c := range 3 {
			// Darker behind, so that the outline stands out on anything.
			on.Pix[at+c] = max(on.Pix[at+c]/2, v)
		}
	}
	return nil
}
