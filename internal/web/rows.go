package web

import (
	"fmt"
	"math"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/orders"
	"nelko/internal/proofs"
)

// rowsView is the running order as it is drawn: rows of equal seconds, every
// slide as wide as it is long. Lengths are in units of the drawing.
type rowsView struct {
	Width, RowH            float64
	SlideH, WaveY, WaveH   float64
	CaptionY, CaptionTextY float64
	FramesPerRow           timecode.Frames
	Seconds, Fits          float64 // of a row, and what it would be by itself
	Own                    bool    // the operator set it
	Rows                   []rowView
	Slides                 []slideView
	Marks                  []markView
}

type rowView struct {
	First  timecode.Frames
	Filled float64
	Ticks  []tickView
	Wave   string
	Sound  []soundBar
	Bars   []float64 // where bars of the music begin
}

type tickView struct {
	X, X3 float64
	Major bool
	Label string
}

type slideView struct {
	ID            doc.SlideID
	Label         string
	Start, Length timecode.Frames
	Kind          string
	Pictures      int
	Pinned        bool
	Placed        bool        // put there by hand
	Fixed         bool        // opening and closing stay where they are
	Whole         bool        // its length is its own: clips
	Before        doc.SlideID // the slide whose join leads to it, if it has a length
	Words         string      // its caption
	Remarks       []remarkMark
	Pieces        []pieceView
}

// remarkMark is an open remark of the client on a slide, at its moment.
type remarkMark struct {
	Row  int
	X, Y float64
	Text string
}

// pieceView is what lies in one row of a slide. Y is inside the row.
type pieceView struct {
	Row     int
	X, Y, W float64
	Last    bool // the slide ends here
	Images  []imageView
	Join    float64 // width of the overlap with the slide before
	Caption string
}

type imageView struct {
	Href string
	X, W float64
	Fit  string // how the picture sits in its cell: upright ones are shown whole
}

type markView struct {
	Row                    int
	X, Y, Y2, TextX, TextY float64
	Colour, Anchor, Label  string
}

// The drawing's measures, in its own units; it is as wide as the page.
const (
	rowsWidth = 816.0
	rulerH    = 16.0
	waveH     = 24.0
	rowGap    = 12.0
	// All rows together are about this high where the film allows it.
	rowsTall = 520.0
	// What a window of 1280×800 shows without scrolling.
	rowsMost = 620.0
)

// shortestSlide is how wide the shortest slide is at least, unless the operator
// sets the rows' seconds herself.
const shortestSlide = 56.0

// The seconds a row can have.
const (
	rowLeast   = 5.0
	rowLongest = 300.0
)

// measures chooses the seconds of a row and the height of its slides so that
// an average slide comes out in about the shape of a picture, the shortest is
// wide enough to be seen, and as far as both allow it the whole film is seen at
// once.
func measures(total, slideSeconds, shortest float64) (row, slideH float64) {
	most := rowLongest
	if shortest > 0 {
		most = max(rowLeast, rowsWidth/shortestSlide*shortest)
	}
	best := math.Inf(1)
	for _, s := range []float64{5, 10, 15, 20, 25, 30, 35, 40, 50, 60, 80, 100, 120, 180, 240} {
		if s > most && row > 0 {
			break
		}
		n := math.Max(1, math.Ceil(total/s-1e-9))
		h := slideHeight(n)
		off := math.Abs(math.Log(slideSeconds/s*rowsWidth/h/1.55)) + 2*math.Min(2, math.Max(0, n*(h+rulerH+waveH+rowGap)/rowsTall-1)) +
			0.6*(1-total/(n*s)) // rows that stay empty
		if n*(h+rulerH+waveH+rowGap) > rowsMost {
			off += 10
		}
		if off < best {
			best, row, slideH = off, s, h
		}
	}
	return row, slideH
}

// slideHeight is how high slides are in so many rows.
func slideHeight(rows float64) float64 {
	return math.Round(math.Max(52, math.Min(112, rowsTall/rows-rulerH-waveH-rowGap)))
}

// drawRows lays the running order out. waves holds the songs' waveforms, own
// the seconds of a row as the operator set them, 0 for what fits.
func drawRows(w *orders.Dossier, waves map[doc.MediaID][]byte, own float64, about func(doc.SlideID) string) rowsView {
	rate := w.Doc.Rate
	end := max(w.Plan.Frames, w.Plan.MusicEnd)
	shortest := math.Inf(1)
	for _, s := range w.Plan.Slides {
		shortest = min(shortest, rate.Seconds(s.Length))
	}
	row, slideH := measures(rate.Seconds(end), rate.Seconds(w.Plan.Frames)/float64(max(1, len(w.Plan.Slides))), shortest)
	v := rowsView{Fits: row}
	if own > 0 {
		row = max(rowLeast, min(own, rowLongest))
		slideH = slideHeight(math.Ceil(rate.Seconds(end) / row))
	}
	per := rate.Frames(row)
	n := max(1, int((end+per-1)/per))
	v.Width, v.RowH, v.SlideH, v.WaveY, v.WaveH = rowsWidth, rulerH+slideH+waveH+rowGap, slideH, rulerH+slideH, waveH
	v.CaptionY, v.CaptionTextY, v.FramesPerRow, v.Seconds, v.Own = slideH-16, slideH-4, per, row, own > 0
	d := drawing{Dossier: w, per: per, waves: waves, slideH: slideH, about: about}
	d.placed = w.Plan.Sound.Placed(w.Library)
	d.music = songsOf(d.placed)
	d.beats = beatsIn(w.Library, d.music...)
	for i := range n {
		v.Rows = append(v.Rows, d.row(i))
	}
	for _, said := range proofs.Threads(w.Remarks, w.Plan) {
		if said.Number > 0 && said.DoneAt == nil {
			d.remarks = append(d.remarks, said)
		}
	}
	for i := range w.Plan.Slides {
		v.Slides = append(v.Slides, d.slide(i))
	}
	if w.Plan.Frames > 0 {
		v.Marks = append(v.Marks, d.mark(w.Plan.Frames, "pictures end", "#1d1d1d", 3, rulerH+slideH, rulerH+13))
	}
	if w.Plan.Music > 0 {
		v.Marks = append(v.Marks, d.mark(w.Plan.MusicEnd, "music ends", "#0a5a66", rulerH+slideH, rulerH+slideH+waveH, rulerH+slideH+14))
	}
	return v
}

type drawing struct {
	*orders.Dossier
	per    timecode.Frames
	waves  map[doc.MediaID][]byte
	placed []doc.Placed // the whole soundtrack
	music  []doc.Placed // the songs of it
	beats  []filmBeat

	remarks []proofs.Said // open ones

	slideH float64
	about  func(doc.SlideID) string
}

func (d drawing) x(n timecode.Frames) float64 { return round(float64(n) / float64(d.per) * rowsWidth) }

func round(v float64) float64 { return math.Round(v*100) / 100 }

func (d drawing) row(i int) rowView {
	first := timecode.Frames(i) * d.per
	r := rowView{First: first, Filled: rowsWidth}
	if left := d.Plan.MusicEnd - first; left < d.per {
		r.Filled = max(0, d.x(left))
	}
	from := d.Doc.Rate.Seconds(first)
	row := d.Doc.Rate.Seconds(d.per)
	step, major := 1, 5
	switch {
	case row > 150:
		step, major = 10, 60
	case row > 90:
		step, major = 5, 30
	case row > 45:
		step, major = 2, 10
	}
	for s := 0; float64(s) < row; s += step {
		major := s%major == 0
		x := round(float64(s) / row * rowsWidth)
		r.Ticks = append(r.Ticks, tickView{X: x, X3: x + 3, Major: major, Label: strings.TrimSuffix(timecode.Clock(math.Round(from)+float64(s)), ".0")})
	}
	r.Wave = d.wave(from, row)
	d.sound(&r, from, row)
	return r
}

func (d drawing) slide(i int) slideView {
	s := d.Plan.Slides[i]
	v := slideView{
		ID: s.ID, Start: s.Start, Length: s.Length, Fixed: s.Kind == doc.Opening || s.Kind == doc.Closing,
		Label: fmt.Sprintf("%d: %s, %.1f s", i+1, d.describe(s.Slide), d.Doc.Rate.Seconds(s.Each())),
	}
	var own []string
	if at := d.Whole.ShapeAt(d.Shape); at >= 0 {
		own = d.Whole.Shapes[at].Own(s.Slide)
	}
	if len(own) > 0 {
		v.Label += fmt.Sprintf(", own in %s: %s", d.Shape.Ratio(), wording.Listed(own))
	}
	v.Words = s.Caption
	v.Kind, v.Whole, v.Pictures, v.Pinned, v.Placed = string(s.Kind), s.Kind == doc.Clip, len(s.Media), s.Pinned > 0, s.Placed
	var lap timecode.Frames
	if i > 0 {
		if lap = d.Plan.Slides[i-1].Overlap; lap > 0 {
			v.Before = d.Plan.Slides[i-1].ID
		}
	}
	for at := s.Start; at < s.End(); {
		row := at / d.per
		stop := min(s.End(), (row+1)*d.per)
		p := pieceView{Row: int(row), X: d.x(at - row*d.per), Y: rulerH, W: d.x(stop - at), Last: stop == s.End()}
		if at < s.Start+lap {
			p.Join = min(d.x(s.Start+lap-at), p.W)
		}
		p.Images = d.images(s.Slide, p.W)
		switch { // what matters most of it
		case s.Kind == doc.Opening:
			p.Caption = "opening"
		case s.Kind == doc.Closing:
			p.Caption = "closing"
		case s.Pinned > 0:
			p.Caption = fmt.Sprintf("pinned %.1f s", s.Pinned)
		case s.Kind == doc.Clip:
			p.Caption = fmt.Sprintf("clip %.1f s", d.Doc.Rate.Seconds(s.Length))
		case s.Linger != 1:
			p.Caption = fmt.Sprintf("linger %g", s.Linger)
		case len(own) > 0:
			p.Caption = "own here"
		case s.Row:
			p.Caption = "the row’s own"
		case s.Common():
			p.Caption = "shared"
		}
		v.Pieces = append(v.Pieces, p)
		at = stop
	}
	for _, r := range d.remarks {
		if r.Number != i+1 {
			continue
		}
		n := min(max(d.Doc.Rate.Frames(r.At), s.Start), s.End()-1)
		row := n / d.per
		v.Remarks = append(v.Remarks, remarkMark{int(row), d.x(n - row*d.per), rulerH, r.Who + ": " + r.Text})
		v.Label += ", remark: " + r.Text
	}
	return v
}

// images shows a slide's pictures side by side; an opening or closing as it
// will look.
func (d drawing) images(s doc.Slide, w float64) []imageView {
	if len(s.Media) == 0 {
		if len(d.Library) == 0 {
			return nil
		}
		return []imageView{{Href: fmt.Sprintf("/orders/%s/try/%s?about=%s&on=%s&w=240", seenPath(d.Dossier), asIs, d.about(s.ID), s.ID), W: w, Fit: "xMidYMid slice"}}
	}
	var out []imageView
	each := w / float64(len(s.Media))
	for k, id := range s.Media {
		row, ok := d.Row(id)
		if !ok {
			continue
		}
		v := imageView{Href: fmt.Sprintf("/media/%d/thumb", row.ID), X: round(each * float64(k)), W: round(each), Fit: "xMidYMid slice"}
		if d.Library[id].Aspect() < 1 && each/d.slideH > d.Library[id].Aspect() {
			v.Fit = "xMidYMid meet"
		}
		out = append(out, v)
	}
	return out
}

func (d drawing) describe(s doc.Slide) string {
	if len(s.Media) == 0 {
		return string(s.Kind)
	}
	var names []string
	for _, id := range s.Media {
		names = append(names, d.Library[id].Name)
	}
	return strings.Join(names, " and ")
}

// mark draws where pictures or music end.
func (d drawing) mark(n timecode.Frames, label, colour string, top, bottom, text float64) markView {
	row := (n - 1) / d.per
	x := d.x(n - row*d.per)
	m := markView{Row: int(row), X: math.Min(x, rowsWidth-1), Y: top, Y2: bottom, TextX: x + 4, TextY: text, Colour: colour, Anchor: "start", Label: label}
	if x > rowsWidth-80 {
		m.TextX, m.Anchor = x-4, "end"
	}
	return m
}
