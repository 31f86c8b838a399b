// Package timeline draws an order's running order as rows of equal seconds: slides as wide as
// they are long, over the sound that is heard meanwhile. It is drawn from a film alone, and asks
// nobody anything.
package timeline

import (
	"fmt"
	"math"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
)

// Film is what is drawn.
type Film struct {
	Doc     doc.Slideshow // in the shape it is seen in
	Shape   *doc.Shape    // that shape, if it is a further one
	Plan    plan.Plan
	Library doc.Library
	Waves   map[doc.MediaID][]byte // the songs' waveforms: peaks of 0 to 255, sound.PeaksPerSecond
	Seconds float64                // of a row, as the operator set them; 0: what fits
	Remarks []Remark               // open ones

	Thumbnail func(doc.MediaID) string // a picture's address; empty: there is none
	Look      func(doc.SlideID) string // the address of a slide as it will look
}

// Remark is what the client says of a slide.
type Remark struct {
	Number    int     // of the slide, from 1
	At        float64 // seconds of the film
	Who, Text string
}

// View is the running order as it is drawn: rows of equal seconds, every
// slide as wide as it is long. Lengths are in units of the drawing.
type View struct {
	Width, RowH            float64
	SlideH, WaveY, WaveH   float64
	CaptionY, CaptionTextY float64
	FramesPerRow           timecode.Frames
	Seconds, Fits          float64 // of a row, and what it would be by itself
	Own                    bool    // the operator set it
	Rows                   []row
	Slides                 []slide
	Marks                  []mark
}

type row struct {
	First  timecode.Frames
	Filled float64
	Ticks  []tick
	Wave   string
	Sound  []soundBar
	Bars   []float64 // where bars of the music begin
}

type tick struct {
	X, X3 float64
	Major bool
	Label string
}

type slide struct {
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
	Pieces        []piece
}

// remarkMark is an open remark of the client on a slide, at its moment.
type remarkMark struct {
	Row  int
	X, Y float64
	Text string
}

// piece is what lies in one row of a slide. Y is inside the row.
type piece struct {
	Row     int
	X, Y, W float64
	Last    bool // the slide ends here
	Images  []image
	Join    float64 // width of the overlap with the slide before
	Caption string
}

// image is a picture in a piece; X and W are inside it.
type image struct {
	Href string
	X, W float64
	Fit  string // how the picture sits in its cell: upright ones are shown whole
}

// mark is where pictures or music end.
type mark struct {
	Row                    int
	X, Y, Y2, TextX, TextY float64
	Colour, Anchor, Label  string
}

// The drawing's measures, in its own units; it is as wide as the page.
const (
	width  = 816.0
	rulerH = 16.0
	waveH  = 24.0
	rowGap = 12.0
	// All rows together are about this high where the film allows it.
	tall = 520.0
	// What a window of 1280×800 shows without scrolling.
	onePage = 620.0
)

// shortestSlide is how wide the shortest slide is at least, unless the operator
// sets the rows' seconds herself.
const shortestSlide = 56.0

// The seconds a row can have.
const (
	leastSeconds = 5.0
	mostSeconds  = 300.0
)

// rowSeconds are those that are chosen of.
var rowSeconds = []float64{5, 10, 15, 20, 25, 30, 35, 40, 50, 60, 80, 100, 120, 180, 240}

// measures chooses the seconds of a row and the height of its slides so that
// an average slide comes out in about the shape of a picture, the shortest is
// wide enough to be seen, and as far as both allow it the whole film is seen at
// once.
func measures(total, slideSeconds, shortest float64) (row, slideH float64) {
	longest := mostSeconds
	if shortest > 0 {
		longest = max(leastSeconds, width/shortestSlide*shortest)
	}
	best := math.Inf(1)
	for _, s := range rowSeconds {
		if s > longest && row > 0 {
			break
		}
		n := math.Max(1, math.Ceil(total/s-1e-9))
		h := slideHeight(n)
		off := math.Abs(math.Log(slideSeconds/s*width/h/1.55)) +
			2*math.Min(2, math.Max(0, n*(h+rulerH+waveH+rowGap)/tall-1)) +
			0.6*(1-total/(n*s)) // rows that stay empty
		if n*(h+rulerH+waveH+rowGap) > onePage {
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
	return math.Round(math.Max(52, math.Min(112, tall/rows-rulerH-waveH-rowGap)))
}

// Draw lays the running order out.
func Draw(f Film) View {
	rate := f.Doc.Rate
	end := max(f.Plan.Frames, f.Plan.MusicEnd)
	shortest := math.Inf(1)
	for _, s := range f.Plan.Slides {
		shortest = min(shortest, rate.Seconds(s.Length))
	}
	row, slideH := measures(rate.Seconds(end),
		rate.Seconds(f.Plan.Frames)/float64(max(1, len(f.Plan.Slides))), shortest)
	v := View{Fits: row}
	if f.Seconds > 0 {
		row = max(leastSeconds, min(f.Seconds, mostSeconds))
		slideH = slideHeight(math.Ceil(rate.Seconds(end) / row))
	}
	per := rate.Frames(row)
	n := max(1, int((end+per-1)/per))
	v.Width, v.RowH, v.SlideH, v.WaveY, v.WaveH = width, rulerH+slideH+waveH+rowGap, slideH, rulerH+slideH,
		waveH
	v.CaptionY, v.CaptionTextY, v.FramesPerRow, v.Seconds, v.Own = slideH-16, slideH-4, per, row,
		f.Seconds > 0
	d := drawing{Film: f, per: per, slideH: slideH}
	d.placed = f.Plan.Sound.Placed(f.Library)
	d.music = Songs(d.placed)
	d.beats = Beats(f.Library, d.music...)
	for i := range n {
		v.Rows = append(v.Rows, d.row(i))
	}
	for i := range f.Plan.Slides {
		v.Slides = append(v.Slides, d.slide(i))
	}
	if f.Plan.Frames > 0 {
		v.Marks = append(v.Marks, d.mark(f.Plan.Frames, "pictures end", "#1d1d1d", 3, rulerH+slideH, rulerH+
			13))
	}
	if f.Plan.Music > 0 {
		v.Marks = append(v.Marks, d.mark(f.Plan.MusicEnd, "music ends", "#0a5a66", rulerH+slideH, rulerH+
			slideH+waveH, rulerH+slideH+14))
	}
	return v
}

// drawing is a film while it is laid out.
type drawing struct {
	Film
	per    timecode.Frames // of a row
	slideH float64
	placed []doc.Placed // the whole soundtrack
	music  []doc.Placed // the songs of it
	beats  []Beat
}

func (d *drawing) x(n timecode.Frames) float64 { return round(float64(n) / float64(d.per) * width) }

func round(v float64) float64 { return math.Round(v*100) / 100 }

func (d *drawing) row(i int) row {
	first := timecode.Frames(i) * d.per
	r := row{First: first, Filled: width}
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
		x := round(float64(s) / row * width)
		r.Ticks = append(r.Ticks, tick{
			X:     x,
			X3:    x + 3,
			Major: major,
			Label: strings.TrimSuffix(timecode.Clock(math.Round(from)+float64(s)), ".0"),
		})
	}
	r.Wave = d.wave(from, row)
	d.sound(&r, from, row)
	return r
}

func (d *drawing) slide(i int) slide {
	s := d.Plan.Slides[i]
	v := slide{
		ID: s.ID, Start: s.Start, Length: s.Length, Fixed: s.Kind == doc.Opening || s.Kind == doc.Closing,
		Label: fmt.Sprintf("%d: %s, %.1f s", i+1, Describe(d.Library, s.Slide), d.Doc.Rate.Seconds(s.Each())),
	}
	var own []string
	if d.Shape != nil {
		own = d.Shape.Own(s.Slide)
	}
	if len(own) > 0 {
		v.Label += fmt.Sprintf(", own in %s: %s", d.Shape.Frame.Ratio(), wording.Listed(own))
	}
	v.Words = s.Caption
	v.Kind, v.Whole, v.Pictures, v.Pinned, v.Placed = string(s.Kind), s.Kind == doc.Clip, len(s.Media),
		s.Pinned > 0, s.Placed
	var lap timecode.Frames
	if i > 0 {
		if lap = d.Plan.Slides[i-1].Overlap; lap > 0 {
			v.Before = d.Plan.Slides[i-1].ID
		}
	}
	for at := s.Start; at < s.End(); {
		row := at / d.per
		stop := min(s.End(), (row+1)*d.per)
		p := piece{Row: int(row), X: d.x(at - row*d.per), Y: rulerH, W: d.x(stop - at), Last: stop == s.End()}
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
	for _, r := range d.Remarks {
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
func (d *drawing) images(s doc.Slide, w float64) []image {
	if len(s.Media) == 0 {
		if len(d.Library) == 0 {
			return nil
		}
		return []image{{Href: d.Look(s.ID), W: w, Fit: "xMidYMid slice"}}
	}
	var out []image
	each := w / float64(len(s.Media))
	for k, id := range s.Media {
		href := d.Thumbnail(id)
		if href == "" {
			continue
		}
		v := image{Href: href, X: round(each * float64(k)), W: round(each), Fit: "xMidYMid slice"}
		if d.Library[id].Aspect() < 1 && each/d.slideH > d.Library[id].Aspect() {
			v.Fit = "xMidYMid meet"
		}
		out = append(out, v)
	}
	return out
}

// Describe names what a slide shows: its pictures, or what kind of slide it is.
func Describe(lib doc.Library, s doc.Slide) string {
	if len(s.Media) == 0 {
		return string(s.Kind)
	}
	var names []string
	for _, id := range s.Media {
		names = append(names, lib[id].Name)
	}
	return strings.Join(names, " and ")
}

// mark says where pictures or music end.
func (d *drawing) mark(n timecode.Frames, label, colour string, top, bottom, text float64) mark {
	row := (n - 1) / d.per
	x := d.x(n - row*d.per)
	m := mark{
		Row:    int(row),
		X:      math.Min(x, width-1),
		Y:      top,
		Y2:     bottom,
		TextX:  x + 4,
		TextY:  text,
		Colour: colour,
		Anchor: "start",
		Label:  label,
	}
	if x > width-80 {
		m.TextX, m.Anchor = x-4, "end"
	}
	return m
}
