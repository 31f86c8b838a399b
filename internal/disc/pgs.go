package disc

import (
	"fmt"
	"image"
	"image/color"

	"nelko/internal/core/timecode"
)

// The segments of presentation graphics, the subtitles of HD discs (as decoders
// read them; US 2009/0185789 A1 describes them).
const (
	segPalette = 0x14
	segObject  = 0x15
	segPicture = 0x16
	segWindow  = 0x17
	segEnd     = 0x80
)

// presentation writes a film's captions as presentation graphics for w×h
// frames: a set of segments that shows each, and one that takes it away.
func (s *Spec) presentation(t Title, w, h int) ([]byte, error) {
	var out table
	// Nothing, at the beginning: what reads the file takes its first time for
	// the beginning.
	picture(&out, 0xffff, 0, w, h, false, nil)
	segment(&out, 0, segEnd, &table{})
	for i, l := range t.Lines {
		img, at, err := Words(l.Text, s.Subtitles.Colour, w, h, float64(w)/float64(h))
		if err != nil {
			return nil, fmt.Errorf("the subtitle %q: %w", l.Text, err)
		}
		shown := ticks(t.Rate, l.From)
		gone := ticks(t.Rate, ends(t.Lines, i))
		show(&out, uint16(2*i), shown, img, at, w, h)
		hide(&out, uint16(2*i+1), gone, img.Bounds(), at, w, h)
	}
	return out.Bytes(), nil
}

func ticks(r timecode.Rate, n timecode.Frames) uint32 { return uint32(r.Seconds(n)*90000 + 0.5) }

func segment(t *table, pts uint32, kind byte, body *table) {
	t.put("PG", pts, uint32(0), kind, uint16(body.Len()), body.Bytes())
}

func picture(t *table, number uint16, pts uint32, w, h int, begins bool, at *image.Point) {
	var b table
	state, objects := byte(0), byte(0)
	if begins {
		state, objects = 0x80, 1
	}
	b.put(uint16(w), uint16(h), byte(0x10), number, state, byte(0), byte(0), objects)
	if begins {
		b.put(uint16(0), byte(0), byte(0), uint16(at.X), uint16(at.Y))
	}
	segment(t, pts, segPicture, &b)
}

func window(t *table, pts uint32, r image.Rectangle, at image.Point) {
	var b table
	b.put(byte(1), byte(0), uint16(at.X), uint16(at.Y), uint16(r.Dx()), uint16(r.Dy()))
	segment(t, pts, segWindow, &b)
}

func show(t *table, number uint16, pts uint32, img *image.Paletted, at image.Point, w, h int) {
	picture(t, number, pts, w, h, true, &at)
	window(t, pts, img.Bounds(), at)
	var pal, obj table
	pal.put(byte(0), byte(0))
	for i, c := range img.Palette {
		r, g, b, a := c.RGBA()
		y, cb, cr := color.RGBToYCbCr(uint8(r>>8), uint8(g>>8), uint8(b>>8))
		// From full to limited range.
		pal.put(byte(i), byte(16+int(y)*219/255), byte(16+int(cr)*224/255), byte(16+int(cb)*224/255),
			byte(a>>8))
	}
	segment(t, pts, segPalette, &pal)
	data := runLengths(img)
	size := len(data) + 4
	obj.put(uint16(0), byte(0), byte(0xc0), byte(size>>16), uint16(size), uint16(img.Bounds().Dx()),
		uint16(img.Bounds().Dy()), data)
	segment(t, pts, segObject, &obj)
	segment(t, pts, segEnd, &table{})
}

func hide(t *table, number uint16, pts uint32, r image.Rectangle, at image.Point, w, h int) {
	picture(t, number, pts, w, h, false, nil)
	window(t, pts, r, at)
	segment(t, pts, segEnd, &table{})
}

// runLengths packs an image's rows: runs of a colour, each row closed.
func runLengths(img *image.Paletted) []byte {
	var t table
	b := img.Bounds()
	for y := range b.Dy() {
		row := img.Pix[y*img.Stride : y*img.Stride+b.Dx()]
		for x := 0; x < len(row); {
			n := 1
			for x+n < len(row) && row[x+n] == row[x] && n < 0x3fff {
				n++
			}
			c := row[x]
			switch {
			case c != 0 && n < 3:
				for range n {
					t.put(c)
				}
			case c == 0 && n < 64:
				t.put(byte(0), byte(n))
			case c == 0:
				t.put(byte(0), byte(0x40|n>>8), byte(n))
			case n < 64:
				t.put(byte(0), byte(0x80|n), c)
			default:
				t.put(byte(0), byte(0xc0|n>>8), byte(n), c)
			}
			x += n
		}
		t.put(byte(0), byte(0))
	}
	return t.Bytes()
}
