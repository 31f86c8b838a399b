package makefilm

import (
	"cmp"
	"context"
	"os"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
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
	at := moments(f.Scene, cells)
	b := newBoard(r.Frame, len(at))
	if err := b.add(ctx, f, at); err != nil {
		return s, err
	}
	return s, b.write(r.Out)
}

// Shelf writes a contact sheet of all themes, as a JPEG: of each the opening,
// its fullest slide, a join and the closing. Details that are not given are the theme's own
// examples; a theme takes those it asks for.
func Shelf(ctx context.Context, r Request) (Summary, error) {
	s := newSummary(r)
	r.Frame = cellFrame(r.Frame)
	m, err := gather(ctx, r, &s)
	if err != nil {
		return s, err
	}
	all := r.Shelf.All()
	b := newBoard(r.Frame, 4*len(all))
	for _, t := range all {
		with := r
		with.Details = map[string]string{}
		for _, d := range t.Details {
			with.Details[d.Key] = cmp.Or(r.Details[d.Key], d.Example)
		}
		one := newSummary(with)
		f, err := m.arrange(with, t, &one)
		if err != nil {
			return s, err
		}
		if err := b.add(ctx, f, telling(f.Scene)); err != nil {
			return s, err
		}
	}
	return s, b.write(r.Out)
}

// board is cells of one size on grey, in rows.
type board struct {
	cell doc.Frame
	cols int
	next int
	out  raster.Pixels
}

// boardGap is the distance of cells in pixels.
const boardGap = 6

func newBoard(cell doc.Frame, cells int) *board {
	b := &board{cell: cell, cols: 4}
	if cell.H > cell.W {
		b.cols = 8
	}
	rows := (cells + b.cols - 1) / b.cols
	b.out = raster.Pixels{
		W:        b.cols*(cell.W+boardGap) - boardGap,
		H:        rows*(cell.H+boardGap) - boardGap,
		Channels: 3,
	}
	b.out.Pix = make([]byte, b.out.W*b.out.H*3)
	for i := range b.out.Pix {
		b.out.Pix[i] = 0xe7
	}
	return b
}

// add draws frames of a film into the next cells.
func (b *board) add(ctx context.Context, f *made, at []timecode.Frames) error {
	lane := f.lane(ctx)
	defer lane.Close()
	c, fr := compose.New(f.Scene, lane), raster.NewFrame(b.cell.W, b.cell.H)
	for _, n := range at {
		if err := c.Frame(fr, n); err != nil {
			return err
		}
		img := fr.RGB(f.Scene.Matrix)
		x0, y0 := b.next%b.cols*(b.cell.W+boardGap), b.next/b.cols*(b.cell.H+boardGap)
		for y := range b.cell.H {
			copy(b.out.Pix[((y0+y)*b.out.W+x0)*3:], img.Pix[3*y*img.W:][:3*img.W])
		}
		b.next++
	}
	return nil
}

func (b *board) write(path string) error {
	jpg, err := vips.JPEG(b.out, 90)
	if err != nil {
		return err
	}
	return os.WriteFile(path, jpg, 0o644)
}

// cellFrame shrinks a frame to the size of a cell.
func cellFrame(f doc.Frame) doc.Frame {
	const w, h = 640, 480
	k := min(float64(w)/float64(f.W), float64(h)/float64(f.H))
	return doc.Frame{W: int(float64(f.W)*k) / 2 * 2, H: int(float64(f.H)*k) / 2 * 2}
}

// ends are the opening and the closing once their words are in.
func ends(sc *scene.Scene) (opening, closing timecode.Frames) {
	first, last := &sc.Slides[0], &sc.Slides[len(sc.Slides)-1]
	return first.Start + (first.Length-first.Overlap)*3/4, last.Start + last.Length*2/3
}

// moments chooses frames: the opening and the closing, and between them
// slides and joins in turn.
func moments(sc *scene.Scene, cells int) []timecode.Frames {
	slides := sc.Slides
	opening, closing := ends(sc)
	out := []timecode.Frames{opening}
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
	return append(out, closing)
}

// telling chooses the four frames that tell themes apart best: the opening,
// the slide with most on it, a join that is no plain dissolve if there is one,
// a third of the way since half-way may be a plain colour, the closing.
func telling(sc *scene.Scene) []timecode.Frames {
	opening, closing := ends(sc)
	slides := sc.Slides[1 : len(sc.Slides)-1]
	full, join := &slides[0], &slides[0]
	for i := range slides {
		s := &slides[i]
		if len(s.Layers) > len(full.Layers) {
			full = s
		}
		if join.Into.Kind == "dissolve" && s.Overlap > 0 && i < len(slides)-1 {
			join = s
		}
	}
	return []timecode.Frames{opening, full.Start + full.Length/2, join.End() - join.Overlap*2/3, closing}
}
