package scene

import (
	"math"
	"slices"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
)

// MenuItem is a film on a page of a disc's menu: a picture of the library that
// stands for it, and its title.
type MenuItem struct {
	Poster doc.MediaID
	Title  string
}

// MenuPage is what a page of a disc's menu shows. Earlier, All and Later are
// the words of the ways to the page before, to all films one after another and
// to the page after; empty: there is none.
type MenuPage struct {
	Title               string
	Items               []MenuItem // at most MenuItems
	Earlier, All, Later string
	Moves               bool // the backdrop moves, there and back
}

// MenuItems is how many films a page shows at most.
const MenuItems = 6

// Menu is a page of a disc's menu in a theme's design, frames long, and its
// buttons in pixels of the frame: one around each item, then the ways there are.
// A menu that moves goes round without a jump.
func Menu(p MenuPage, d doc.Slideshow, t *theme.Theme, lib doc.Library, ts Typesetter,
	frames timecode.Frames) (*Scene, []framing.Rect) {
	s := &Scene{
		W:      d.Frame.W,
		H:      d.Frame.H,
		Rate:   d.Rate,
		Matrix: raster.MatrixFor(d.Frame.W, d.Frame.H),
		Frames: frames,
	}
	parts := []timecode.Frames{frames}
	if p.Moves {
		parts = []timecode.Frames{frames / 2, frames - frames/2}
	}
	var buttons []framing.Rect
	start := timecode.Frames(0)
	for i, n := range parts {
		b := newBuilder(stage{
			scene: s,
			doc:   d,
			theme: t,
			lib:   lib,
			set:   ts,
			turn:  i,
			shape: framing.ShapeOf(s.W, s.H),
			slide: plan.Slide{Slide: doc.Slide{ID: "menu", Kind: doc.Card}, Start: start, Length: n},
		})
		buttons = b.menu(p)
		s.Slides = append(s.Slides, Slide{ID: "menu", Start: start, Length: n, Layers: b.layers})
		start += n
	}
	return s, buttons
}

// menuTitle and menuWays are the parts of the title-safe area's height that a menu's title
// and its ways to other pages take.
const (
	menuTitle = 0.17
	menuWays  = 0.10
)

func (b *builder) menu(p MenuPage) (buttons []framing.Rect) {
	back := b.theme.Title.Backdrop
	back.Moves = p.Moves
	var first doc.MediaID
	if len(p.Items) > 0 {
		first = p.Items[0].Poster
	}
	b.still(back, first, p.Moves)
	main, _ := b.theme.TitleType("main")
	small, ok := b.theme.TitleType("smaller")
	if !ok {
		small = main
	}
	area := framing.TitleSafe.Scale(b.w(), b.h())
	head := area
	head.H = area.H * menuTitle
	main.Size = math.Min(main.Size, menuTitle*0.62)
	b.texts.line(p.Title, main, head)
	foot := area
	foot.H = area.H * menuWays
	foot.Y = area.Y + area.H - foot.H
	body := framing.Rect{X: area.X, Y: head.Y + head.H, W: area.W, H: area.H - head.H}
	if p.Earlier+p.All+p.Later != "" {
		body.H -= foot.H
	}
	small.Size = 0.042
	for i, cell := range cells(len(p.Items), body) {
		picture, words := cell, cell
		words.H = math.Min(cell.H*0.3, b.short()*0.085)
		picture.H -= words.H
		words.Y = picture.Y + picture.H
		picture = framing.Whole(b.w(), b.h(), picture.Inset(b.short()*0.012))
		dress := b.menuDress()
		b.pics.place(theme.Place{Rect: fractions(picture, b.w(), b.h())}, dress, b.lib[p.Items[i].Poster],
			design.Motion{Kind: design.Still}, i)
		b.texts.line(p.Items[i].Title, small, words)
		buttons = append(buttons, picture.Inset(-b.short()*0.008))
	}
	for i, words := range []string{p.Earlier, p.All, p.Later} {
		if words == "" {
			continue
		}
		r := foot
		r.W = area.W * 0.3
		r.X += float64(i) / 2 * (area.W - r.W)
		b.texts.line(words, small, r)
		buttons = append(buttons, r.Inset(r.H*0.06))
	}
	return buttons
}

// still is a backdrop that keeps still unless it is to move, whatever the
// theme's own does.
func (b *builder) still(back design.Backdrop, media doc.MediaID, moves bool) {
	at := len(b.layers)
	b.pics.backdrop(back, media)
	for i := at; i < len(b.layers); i++ {
		w := &b.layers[i].Window
		switch {
		case !moves:
			w.To = w.From
		case back.Kind == design.Soft && b.turn%2 == 1:
			w.From, w.To = w.To, w.From
		}
		w.Ease = framing.InOut
	}
}

// menuDress is how the theme dresses small pictures: as in its layout of the
// most, upright.
func (b *builder) menuDress() theme.Dress {
	most := slices.MaxFunc(b.theme.Layouts, func(a, c theme.Layout) int { return a.Pictures - c.Pictures })
	d := most.Dress
	d.Fit, d.Scale, d.Mask = design.Fill, 0, ""
	return d
}

// line sets words in the middle of a box, in one line if the type is not
// shrunk too far by that, else in two.
func (b *texts) line(words string, y design.Type, box framing.Rect) {
	if words == "" {
		return
	}
	lines := max(1, int(box.H/(y.Size*b.short()*1.1)))
	t, s := b.setWords(words, y, "centre", box.W, min(2, lines))
	b.words(t, s, theme.Element{Type: y, Enter: "none"}, "centre", box.X, box.Y+(box.H-s.H)/2, box.W)
}

// cells divides a box among so many items: one in the middle, two or three
// beside each other, more in two rows.
func cells(n int, box framing.Rect) (out []framing.Rect) {
	if n < 1 {
		return nil
	}
	rows := 1
	if n > 3 {
		rows = 2
	}
	if box.H > box.W {
		rows = min(n, 3)
	}
	cols := (n + rows - 1) / rows
	w, h := box.W/float64(max(cols, 2)), box.H/float64(rows)
	for i := range n {
		row := i / cols
		inRow := min(cols, n-row*cols)
		left := box.X + (box.W-w*float64(inRow))/2
		out = append(out, framing.Rect{X: left + w*float64(i%cols), Y: box.Y + h*float64(row), W: w, H: h})
	}
	return out
}
