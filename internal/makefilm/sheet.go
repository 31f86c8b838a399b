package makefilm

import (
	"context"
	"os"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/timecode"
	"nelko/internal/media/vips"
)

// Sheet writes a contact sheet of a film, as a JPEG: the opening, slides and
// joins half-way, the closing, in as many cells as asked for. It is how a
// theme is looked at.
func Sheet(ctx context.Context, r Request, cells int) (Summary, error) {
	s := newSummary(r)
	r.Frame = cellFrame(r.Frame)
	f, err := layOut(ctx, r, &s)
	if err != nil {
		return s, err
	}
	lane := f.assets.Lane()
	defer lane.Close()
	c := compose.New(f.scene, lane)
	cols := 4
	if r.Frame.H > r.Frame.W {
		cols = 8
	}
	const gap = 6
	at := moments(f, cells)
	rows := (len(at) + cols - 1) / cols
	out := raster.Pixels{W: cols*(r.Frame.W+gap) - gap, H: rows*(r.Frame.H+gap) - gap, Channels: 3}
	out.Pix = make([]byte, out.W*out.H*3)
	for i := range out.Pix {
		out.Pix[i] = 0xe7
	}
	fr := raster.NewFrame(r.Frame.W, r.Frame.H)
	for i, n := range at {
		if err := c.Frame(fr, n); err != nil {
			return s, err
		}
		img := fr.RGB(f.scene.Matrix)
		x0, y0 := i%cols*(r.Frame.W+gap), i/cols*(r.Frame.H+gap)
		for y := range r.Frame.H {
			copy(out.Pix[((y0+y)*out.W+x0)*3:], img.Pix[3*y*img.W:][:3*img.W])
		}
	}
	jpg, err := vips.JPEG(out, 90)
	if err != nil {
		return s, err
	}
	return s, os.WriteFile(r.Out, jpg, 0o644)
}

// cellFrame shrinks a frame to the size of a cell.
func cellFrame(f doc.Frame) doc.Frame {
	const w, h = 640, 480
	k := min(float64(w)/float64(f.W), float64(h)/float64(f.H))
	return doc.Frame{W: int(float64(f.W)*k) / 2 * 2, H: int(float64(f.H)*k) / 2 * 2}
}

// moments chooses frames: the opening and the closing once their words are
// in, and between them slides and joins in turn.
func moments(f *laidOut, cells int) []timecode.Frames {
	slides := f.scene.Slides
	first, last := &slides[0], &slides[len(slides)-1]
	out := []timecode.Frames{first.Start + (first.Length-first.Overlap)*3/4}
	body := max(0, cells-2)
	for k := range body {
		i := 1 + k*(len(slides)-2)/max(1, body)
		s := &slides[min(i, len(slides)-1)]
		if k%2 == 1 && s.Overlap > 0 {
			out = append(out, s.End()-s.Overlap/2)
		} else {
			out = append(out, s.Start+s.Length/2)
		}
	}
	return append(out, last.Start+last.Length*2/3)
}
