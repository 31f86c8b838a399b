package paper

import (
	"bytes"
	"errors"
	"image"
	"io"
	"strconv"
	"strings"

	"nelko/internal/core/wording"
)

// Row is a slide of a running order.
type Row struct {
	Number    int
	At, Lasts string
	JPEGs     [][]byte // beside one another; none: no picture
	Names     []string
	Words     []string // what stands on it
}

// RunningOrder writes a line for each slide, and the arithmetic below.
func RunningOrder(w io.Writer, title string, rows []Row, arithmetic string) error {
	if len(rows) == 0 {
		return errors.New("there are no slides to print")
	}
	p := newPage(title)
	const margin, high, thumb, gap = 12.0, 15.0, 20.0, 2.0
	y := pageH
	for _, r := range rows {
		if y+high > pageH-margin {
			p.AddPage()
			head, err := p.words(title, 11, margin, margin, pageW-2*margin, 8)
			if err != nil {
				return err
			}
			y = margin + head + 4
		}
		x := margin
		for _, cell := range []struct {
			text  string
			width float64
		}{{strconv.Itoa(r.Number), 10}, {r.At, 16}, {r.Lasts, 17}} {
			if _, err := p.words(cell.text, 9, x, y+1, cell.width, high-2); err != nil {
				return err
			}
			x += cell.width
		}
		share := (thumb + gap) / float64(max(1, len(r.JPEGs)))
		for k, jpg := range r.JPEGs {
			if err := p.whole(jpg, x+float64(k)*share, y, share-gap, high-gap); err != nil {
				return err
			}
		}
		x += thumb + 3
		words := wording.Beside(r.Words...)
		used, err := 0.0, error(nil)
		if words != "" {
			if used, err = p.words(words, 9, x, y+1, pageW-margin-x, high/2); err != nil {
				return err
			}
		}
		if len(r.Names) > 0 {
			if _, err := p.words(strings.Join(r.Names, ", "), 7, x, y+1.5+used, pageW-margin-x,
				high-2-used); err != nil {
				return err
			}
		}
		p.SetDrawColor(200, 200, 200)
		p.SetLineWidth(0.1)
		p.Line(margin, y+high-gap/2, pageW-margin, y+high-gap/2)
		y += high
	}
	if y+high > pageH-margin {
		p.AddPage()
		y = margin
	}
	if _, err := p.words(arithmetic, 8, margin, y+2, pageW-2*margin, 12); err != nil {
		return err
	}
	return p.Output(w)
}

// whole puts a JPEG into a place, all of it.
func (p *page) whole(jpg []byte, x, y, w, h float64) error {
	conf, _, err := image.DecodeConfig(bytes.NewReader(jpg))
	if err != nil {
		return err
	}
	k := min(w/float64(conf.Width), h/float64(conf.Height))
	pw, ph := k*float64(conf.Width), k*float64(conf.Height)
	p.put(jpg, "JPEG", x+(w-pw)/2, y+(h-ph)/2, pw, ph)
	return nil
}
