package timeline

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"html/template"
	"slices"
	"strconv"
	"strings"
)

// Drawn is a row of the running order as a drawing, and a sum of what it
// shows, by which the page leaves alone what has not changed.
type Drawn struct{ Sum, SVG string }

// Drawn writes the rows out. They are written by hand rather than by a template,
// since at 300 slides they are most of a page and are drawn at every edit; every
// text goes through esc.
func (v View) Drawn() []Drawn {
	of := make([][]int, len(v.Rows)) // the slides with a piece in each row
	for i, s := range v.Slides {
		for _, p := range s.Pieces {
			if p.Row < len(of) {
				of[p.Row] = append(of[p.Row], i)
			}
		}
	}
	out := make([]Drawn, len(v.Rows))
	for n, r := range v.Rows {
		b := &svg{}
		b.Grow(1200 * (len(of[n]) + 2))
		v.row(b, r)
		for _, i := range of[n] {
			v.slide(b, v.Slides[i], n)
		}
		// Drawn after all slides, so that a neighbour never covers what is chosen.
		for _, i := range of[n] {
			s := v.Slides[i]
			for _, p := range s.Pieces {
				if p.Row == n {
					b.put(`<rect class="outline" data-of="`, esc(string(s.ID)), `" x="`, p.X, `" y="`, p.Y,
						`" width="`, p.W, `" height="`, v.SlideH, `"/>`)
				}
			}
			v.edges(b, s, n)
		}
		for _, m := range v.Marks {
			if m.Row == n {
				b.put(`<g><line x1="`, m.X, `" x2="`, m.X, `" y1="`, m.Y, `" y2="`, m.Y2, `" stroke="`,
					m.Colour, `" stroke-width="2"/><text class="mark-word" x="`, m.TextX, `" y="`, m.TextY,
					`" text-anchor="`, m.Anchor, `">`, esc(m.Label), `</text></g>`)
			}
		}
		h := fnv.New64a()
		_, _ = h.Write([]byte(b.String())) // never fails
		out[n] = Drawn{strconv.FormatUint(h.Sum64(), 36), b.String()}
	}
	return out
}

// place stands in the running order's template for the rows, which are put
// in after it is drawn.
const place = "<!--rows-->"

// Place is where the rows go, for the template; Into puts them there.
func (v View) Place() template.HTML { return place }

// Into puts the rows as page writes them into a template's text.
func (v View) Into(html string, rows []Drawn, known []string) string {
	return strings.Replace(html, place, v.page(rows, known), 1)
}

// page is the rows as they are put into a page that has drawn some already, by
// their sums: of those only the sums are sent.
func (v View) page(rows []Drawn, known []string) string {
	b := &svg{}
	b.put(`<div class="rows" id="rows" role="listbox" aria-multiselectable="true" aria-label="Slides in running order. Arrow keys choose, Alt with arrow keys moves, Delete takes out.">`)
	for n, r := range rows {
		b.put(`<svg class="row" id="row-`, int64(n), `" role="presentation" viewBox="0 0 `, v.Width, ` `,
			v.RowH, `" data-row="`, int64(n), `" data-sum="`, r.Sum, `">`)
		if n >= len(known) || known[n] != r.Sum {
			b.put(r.SVG)
		}
		b.put(`</svg>`)
	}
	b.put(`<div id="moment" class="moment" hidden></div><div id="drop" class="drop" hidden><span></span></div></div>`)
	return b.String()
}

// edges are what is dragged to give a slide its seconds, and a join its length.
func (v View) edges(b *svg, s slide, row int) {
	for _, p := range s.Pieces {
		if p.Row != row {
			continue
		}
		if p.Join > 0 && s.Before != "" {
			b.put(`<rect class="join-edge" data-of="`, esc(string(s.Before)), `" data-from="`, int64(s.Start),
				`" x="`, p.X+p.Join-3, `" y="`, p.Y, `" width="6" height="`, v.SlideH/4,
				`"><title>Drag: the transition’s length</title></rect>`)
		}
		if p.Last && !s.Whole {
			b.put(`<rect class="edge" data-of="`, esc(string(s.ID)), `" data-from="`, int64(s.Start), `" x="`,
				max(p.X, p.X+p.W-4), `" y="`, p.Y+v.SlideH*0.6, `" width="6" height="`, v.SlideH*0.4,
				`"><title>Drag: the slide’s seconds</title></rect>`)
		}
	}
}

func (v View) row(b *svg, r row) {
	b.put(`<g><rect class="time-line" x="0" y="0" width="`, v.Width,
		`" height="16" fill="#f4f4f4" data-first="`, int64(r.First), `"/>`)
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
	if len(r.Bars) > 0 {
		b.put(`<path class="music-bar" d="`)
		for _, x := range r.Bars {
			b.put("M", x, " ", v.WaveY, "v4")
		}
		b.put(`"/>`)
	}
	for _, s := range r.Sound {
		v.soundBar(b, s)
	}
	b.put(`</g>`)
}

// soundBar draws an item of the soundtrack: a thin bar, and at its ends what is dragged
// to trim it.
func (v View) soundBar(b *svg, s soundBar) {
	y, h, word := v.WaveY+v.WaveH-3, 3.0, "♪ "
	class := "sound-bar"
	if s.Spoken {
		y, h, word, class = v.WaveY, 5, "speaks: ", "sound-bar spoken"
	}
	b.put(`<g class="`, class, `" data-at="`, int64(s.At), `" data-media="`, esc(string(s.Media)),
		`" data-from="`, s.From, `" data-to="`, s.To, `" data-start="`, s.Start, `" data-end="`, s.End,
		`" data-seconds="`, s.Long, `" data-name="`, esc(s.Name), `">`)
	b.put(`<rect class="sound-body" data-grip="body" x="`, s.X, `" y="`, y-2, `" width="`, max(1, s.W),
		`" height="`, h+4, `"><title>`, esc(s.Name),
		`: drag to where it begins</title></rect><rect class="sound-line" x="`, s.X, `" y="`, y, `" width="`,
		max(1, s.W), `" height="`, h, `"/>`)
	if s.Begins {
		b.put(`<text x="`, s.X+4, `" y="`, v.WaveY+12, `">`, word, esc(s.Name), `</text>`)
	}
	if s.Begins && !s.Made {
		b.put(`<rect class="sound-edge" data-grip="from" x="`, max(0, s.X-3), `" y="`, v.WaveY,
			`" width="7" height="`, v.WaveH, `"><title>Drag: where `, esc(s.Name), ` begins</title></rect>`)
	}
	if s.Ends && !s.Made {
		b.put(`<rect class="sound-edge" data-grip="to" x="`, min(v.Width-7, s.X+s.W-4), `" y="`, v.WaveY,
			`" width="7" height="`, v.WaveH, `"><title>Drag: where `, esc(s.Name), ` ends</title></rect>`)
	}
	b.put(`</g>`)
}

// slide draws what lies of a slide in a row. Where most of it lies it is what is
// chosen and focused; the rest of it belongs to that.
func (v View) slide(b *svg, s slide, row int) {
	id, label := esc(string(s.ID)), esc(s.Label)
	most := slices.MaxFunc(s.Pieces, func(a, b piece) int { return cmp.Compare(a.W, b.W) })
	if most.Row == row {
		b.put(`<g class="slide" id="slide-`, id,
			`" role="option" tabindex="-1" aria-selected="false" aria-label="`, label, `" data-slide="`, id,
			`" data-start="`, int64(s.Start), `" data-length="`, int64(s.Length),
			`" data-fixed="`, strconv.FormatBool(s.Fixed), `" data-kind="`, s.Kind, `" data-pictures="`,
			int64(s.Pictures), `" data-pinned="`, strconv.FormatBool(s.Pinned), `" data-placed="`,
			strconv.FormatBool(s.Placed), `"><title>`, label, `</title>`)
	} else {
		b.put(`<g class="rest" data-of="`, id, `" aria-hidden="true"><title>`, label, `</title>`)
	}
	for _, p := range s.Pieces {
		if p.Row != row {
			continue
		}
		b.put(`<svg x="`, p.X, `" y="`, p.Y, `" width="`, p.W, `" height="`, v.SlideH, `" viewBox="0 0 `, p.W,
			` `, v.SlideH, `"><rect width="`, p.W, `" height="`, v.SlideH, `" fill="#2f3a40"/>`)
		for _, i := range p.Images {
			b.put(`<image data-href="`, esc(i.Href), `" x="`, i.X, `" y="0" width="`, i.W, `" height="`,
				v.SlideH, `" preserveAspectRatio="`, i.Fit, `"/>`)
		}
		if p.Join > 0 {
			b.put(`<polygon points="0,0 `, p.Join, `,0 0,`, v.SlideH,
				`" fill="#f4f4f4" fill-opacity="0.55"/><line x1="0" y1="`, v.SlideH, `" x2="`, p.Join,
				`" y2="0" stroke="#ffffff" stroke-width="1.5"/>`)
		}
		if s.Words != "" && p.Row == most.Row {
			b.put(`<text class="words" x="`, p.Join+4, `" y="13">`, esc(s.Words), `</text>`)
		}
		if p.Caption != "" {
			b.put(`<rect x="0" y="`, v.CaptionY, `" width="`, p.W,
				`" height="16" fill="#1d1d1d" fill-opacity="0.72"/><text x="4" y="`, v.CaptionTextY,
				`" fill="#ffffff" class="!fill-white">`, esc(p.Caption), `</text>`)
		}
		b.put(`</svg><rect class="frame" x="`, p.X, `" y="`, p.Y, `" width="`, p.W, `" height="`, v.SlideH,
			`"/>`)
	}
	for _, r := range s.Remarks {
		if r.Row != row {
			continue
		}
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
		b.put(`<g class="remark"><title>`, esc(r.Text), `</title><line x1="`, r.X, `" x2="`, r.X, `" y1="`,
			r.Y, `" y2="`, r.Y+v.SlideH, `"/><rect x="`, x, `" y="`, r.Y, `" width="`, wide,
			`" height="15"/><text x="`, x+4, `" y="`, r.Y+11, `">`, esc(string(words)), `</text></g>`)
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
