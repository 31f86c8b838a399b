package web

import (
	"fmt"
	"html/template"
	"strconv"
	"strings"
)

// SVG writes the running order out. It is written by hand rather than by a
// template, since at 300 slides it is most of a page and is drawn at every
// edit; every text goes through esc.
func (v rowsView) SVG() template.HTML {
	b := &svg{}
	b.Grow(1200 * (len(v.Slides) + len(v.Rows)))
	b.put(`<svg class="rows" id="rows" viewBox="0 0 `, v.Width, ` `, v.Height,
		`" role="listbox" aria-multiselectable="true" aria-label="Slides in running order. Arrow keys choose, Alt with arrow keys moves, Delete takes out.">`)
	for _, r := range v.Rows {
		v.row(b, r)
	}
	for _, s := range v.Slides {
		v.slide(b, s)
	}
	// Drawn after all slides, so that a neighbour never covers what is chosen.
	for _, s := range v.Slides {
		for _, p := range s.Pieces {
			b.put(`<rect class="outline" data-of="`, esc(string(s.ID)), `" x="`, p.X, `" y="`, p.Y, `" width="`, p.W, `" height="`, v.SlideH, `"/>`)
		}
	}
	for _, m := range v.Marks {
		b.put(`<g><line x1="`, m.X, `" x2="`, m.X, `" y1="`, m.Y, `" y2="`, m.Y2, `" stroke="`, m.Colour, `" stroke-width="2"/><text class="mark-word" x="`, m.TextX, `" y="`, m.TextY,
			`" text-anchor="`, m.Anchor, `">`, esc(m.Label), `</text></g>`)
	}
	b.put(`<line id="moment" class="moment" visibility="hidden"/><line id="drop" class="drop" visibility="hidden"/></svg>`)
	return template.HTML(b.String()) // made above of numbers, fixed text and escaped text
}

func (v rowsView) row(b *svg, r rowView) {
	b.put(`<g transform="translate(0 `, r.Y, `)"><rect class="time-line" x="0" y="0" width="`, v.Width, `" height="16" fill="#f4f4f4" data-first="`, int64(r.First), `"/>`)
	for _, t := range r.Ticks {
		top := 11
		if t.Major {
			top = 4
		}
		b.put(`<line x1="`, t.X, `" x2="`, t.X, `" y1="`, int64(top), `" y2="16" stroke="#a8a8a8"/>`)
		if t.Major {
			b.put(`<text class="ruler" x="`, t.X3, `" y="11">`, esc(t.Label), `</text>`)
		}
	}
	b.put(`<rect x="0" y="`, v.WaveY, `" width="`, r.Filled, `" height="`, v.WaveH, `" fill="#dcdcdc"/>`)
	if r.Wave != "" {
		b.put(`<path class="wave" d="`, r.Wave, `"/>`)
	}
	for _, s := range r.Songs {
		b.put(`<text x="`, s.X, `" y="`, s.Y, `">♪ `, esc(s.Name), `</text>`)
	}
	b.put(`</g>`)
}

func (v rowsView) slide(b *svg, s slideView) {
	id, label := esc(string(s.ID)), esc(s.Label)
	b.put(`<g class="slide" id="slide-`, id, `" role="option" tabindex="-1" aria-selected="false" aria-label="`, label, `" data-slide="`, id, `" data-start="`, int64(s.Start), `" data-length="`, int64(s.Length),
		`" data-fixed="`, strconv.FormatBool(s.Fixed), `"><title>`, label, `</title>`)
	for _, p := range s.Pieces {
		b.put(`<svg x="`, p.X, `" y="`, p.Y, `" width="`, p.W, `" height="`, v.SlideH, `" viewBox="0 0 `, p.W, ` `, v.SlideH, `"><rect width="`, p.W, `" height="`, v.SlideH, `" fill="#2f3a40"/>`)
		for _, i := range p.Images {
			b.put(`<image href="`, esc(i.Href), `" x="`, i.X, `" y="0" width="`, i.W, `" height="`, v.SlideH, `" preserveAspectRatio="`, i.Fit, `"/>`)
		}
		if p.Join > 0 {
			b.put(`<polygon points="0,0 `, p.Join, `,0 0,`, v.SlideH, `" fill="#f4f4f4" fill-opacity="0.55"/><line x1="0" y1="`, v.SlideH, `" x2="`, p.Join, `" y2="0" stroke="#ffffff" stroke-width="1.5"/>`)
		}
		if p.Caption != "" {
			b.put(`<rect x="0" y="`, v.CaptionY, `" width="`, p.W, `" height="16" fill="#1d1d1d" fill-opacity="0.72"/><text x="4" y="`, v.CaptionTextY, `" fill="#ffffff" class="!fill-white">`, esc(p.Caption), `</text>`)
		}
		b.put(`</svg><rect class="frame" x="`, p.X, `" y="`, p.Y, `" width="`, p.W, `" height="`, v.SlideH, `"/>`)
	}
	for _, r := range s.Remarks {
		words := []rune(r.Text)
		if len(words) > remarkLetters {
			words = append(words[:remarkLetters-1:remarkLetters-1], '…')
		}
		// At the right end of a row it hangs to the left.
		wide := 5.6*float64(len(words)) + 8
		x := r.X
		if x+wide > v.Width {
			x -= wide
		}
		b.put(`<g class="remark"><title>`, esc(r.Text), `</title><line x1="`, r.X, `" x2="`, r.X, `" y1="`, r.Y, `" y2="`, r.Y+v.SlideH, `"/><rect x="`, x, `" y="`, r.Y, `" width="`, wide, `" height="15"/><text x="`, x+4, `" y="`, r.Y+11, `">`, esc(string(words)), `</text></g>`)
	}
	b.put(`</g>`)
}

// remarkLetters is how much of a remark is written on its slide.
const remarkLetters = 22

// esc makes text safe in elements and quoted attributes.
func esc(s string) string { return template.HTMLEscapeString(s) }

// svg is a drawing being written.
type svg struct{ strings.Builder }

// put writes text as it is and numbers as short as they go.
func (b *svg) put(parts ...any) {
	for _, p := range parts {
		switch p := p.(type) {
		case string:
			b.WriteString(p)
		case float64:
			var room [24]byte
			b.Write(strconv.AppendFloat(room[:0], p, 'f', -1, 64))
		case int64:
			var room [24]byte
			b.Write(strconv.AppendInt(room[:0], p, 10))
		default:
			fmt.Fprintf(b, "%v", p)
		}
	}
}
