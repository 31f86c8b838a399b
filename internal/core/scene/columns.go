package scene

import (
	"math"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
)

// columns sets lines like "name | part" in two columns.
func (b *texts) columns(p *placed, words string, width float64) {
	var l, r []string
	for _, line := range strings.Split(words, "\n") {
		left, right, both := strings.Cut(line, "|")
		left, right = strings.TrimSpace(left), strings.TrimSpace(right)
		if !both && left == "" {
			left, right = " ", " "
		}
		if right == "" {
			right = " "
		}
		if left == "" {
			left = " "
		}
		l, r = append(l, left), append(r, right)
	}
	half := width*0.5 - b.short()*0.02
	p.columns = true
	p.text, p.set = b.setWords(strings.Join(l, "\n"), p.e.Type, "right", half, len(l))
	p.right, p.setR = b.setWords(strings.Join(r, "\n"), p.e.Type, "left", half, len(r))
	p.h = math.Max(p.set.H, p.setR.H)
}

// element adds the layers of one element at its place.
func (b *texts) element(p placed, align string, left, y, width float64) {
	if p.ruleW > 0 {
		r := framing.Rect{X: alignedAt(align, left, width, p.ruleW), Y: math.Round(y), W: p.ruleW, H: p.h}
		from := r
		from.W = 0
		if align == "centre" {
			from.X = r.X + r.W/2
		} else if align == "right" {
			from.X = r.X + r.W
		}
		b.add(Layer{
			Asset: Asset{Kind: Fill, Colour: p.e.Colour}, Alpha: 1, Leave: b.frames(p.e.LeaveSeconds),
			Place: Move{
				From:  from,
				To:    r,
				Ease:  framing.Out,
				Start: b.frames(p.e.EnterSeconds),
				Span:  b.frames(1.2),
			},
		})
		return
	}
	if p.columns {
		b.words(p.text, p.set, p.e, "right", left, y, width*0.5-b.short()*0.02)
		b.words(p.right, p.setR, p.e, "left", left+width*0.5+b.short()*0.02, y, width*0.5)
		return
	}
	b.words(p.text, p.set, p.e, align, left, y, width)
}

func alignedAt(align string, left, width, w float64) float64 {
	switch align {
	case "left":
		return left
	case "right":
		return left + width - w
	}
	return left + (width-w)/2
}

// words adds the layers of words set together: one, or one a part where they
// enter in parts.
func (b *texts) words(t Type, s Setting, e theme.Element, align string, left, y, width float64) {
	pad := float64(t.Pad())
	x := math.Round(alignedAt(align, left, width, s.W)/2) * 2
	y = math.Round(y/2) * 2
	sprite := framing.Rect{X: x - pad, Y: y - pad, W: math.Ceil(s.W) + 2*pad, H: math.Ceil(s.H) + 2*pad}
	if e.Plate > 0 {
		m := t.Size * 0.45
		b.add(Layer{Asset: Asset{
			Kind:   Fill,
			Colour: e.PlateColour,
		}, Place: Still(framing.Rect{X: x - m*1.3, Y: y - m*0.5, W: s.W + 2.6*m, H: s.H + m}), Alpha: e.Plate,
			Enter: b.frames(0.6), Delay: b.frames(e.EnterSeconds), Leave: b.frames(e.LeaveSeconds)})
	}
	a := Asset{Kind: Text, Text: t, W: int(sprite.W), H: int(sprite.H)}
	delay, leave := b.frames(e.EnterSeconds), b.frames(e.LeaveSeconds)
	base := Layer{Asset: a, Place: Still(sprite), Window: Still(unit), Alpha: 1, Delay: delay, Leave: leave}
	switch e.Enter {
	case "none":
		if e.EnterSeconds > 0 {
			base.Hard = true
		}
		b.add(base)
	case "words":
		b.parts(base, s.Words, s, 0.12, 1.8, 0.7, 0.25*t.Size)
	case "letters":
		b.parts(base, s.Letters, s, 0.04, 1.6, 0.45, 0.15*t.Size)
	case "type":
		b.parts(base, s.Letters, s, 0.055, 2.4, 0, 0)
	case "settle":
		c := sprite.Centre()
		const k = 1.07
		big := framing.Rect{X: c.X - sprite.W*k/2, Y: c.Y - sprite.H*k/2, W: sprite.W * k, H: sprite.H * k}
		base.Place = Move{From: big, To: sprite, Ease: framing.Out, Start: delay, Span: b.frames(1.6)}
		base.Enter = b.frames(0.9)
		b.add(base)
	case "rise":
		below := sprite
		below.Y += t.Size * 0.35
		base.Place = Move{From: below, To: sprite, Ease: framing.Out, Start: delay, Span: b.frames(1.4)}
		base.Enter = b.frames(0.9)
		b.add(base)
	default:
		base.Enter = b.frames(0.9)
		b.add(base)
	}
}

// parts lets the parts of set words come in one after another: stagger
// seconds apart, but all within most seconds. The parts' windows tile the
// sprite, so that together they are the whole again.
func (b *texts) parts(base Layer, parts []framing.Rect, s Setting, stagger, most, enter, rise float64) {
	windows := tile(parts, s, float64(base.Asset.Text.Pad()), float64(base.Asset.W), float64(base.Asset.H))
	if len(windows) == 0 {
		base.Enter = b.frames(0.9)
		b.add(base)
		return
	}
	step := math.Min(stagger, most/float64(len(windows)))
	sprite := base.Place.To
	for i, win := range windows {
		l := base
		l.Delay = base.Delay + b.frames(step*float64(i))
		l.Window = Still(framing.Rect{
			X: win.X / sprite.W,
			Y: win.Y / sprite.H,
			W: win.W / sprite.W,
			H: win.H / sprite.H,
		})
		at := framing.Rect{X: sprite.X + win.X, Y: sprite.Y + win.Y, W: win.W, H: win.H}
		l.Place = Still(at)
		if enter == 0 {
			l.Hard = true
		} else {
			below := at
			below.Y += rise
			l.Place = Move{
				From:  below,
				To:    at,
				Ease:  framing.Out,
				Start: l.Delay,
				Span:  b.frames(enter * 1.5),
			}
			l.Enter = b.frames(enter)
		}
		b.add(l)
	}
}

// tile cuts a sprite of w×h pixels into windows, one a part: lines part half-
// way between them, parts of a line half-way between neighbours, and the
// outermost reach to the edge. Cuts lie on even pixels.
func tile(parts []framing.Rect, s Setting, pad, w, h float64) []framing.Rect {
	var lines [][]int
	for i, p := range parts {
		k := len(lines) - 1
		if k >= 0 && math.Abs(parts[lines[k][0]].Centre().Y-p.Centre().Y) < p.H/2 {
			lines[k] = append(lines[k], i)
		} else {
			lines = append(lines, []int{i})
		}
	}
	even := func(v float64) float64 { return math.Round(v/2) * 2 }
	out := make([]framing.Rect, len(parts))
	top := 0.0
	for k, line := range lines {
		bottom := h
		if k < len(lines)-1 {
			a, o := parts[line[0]], parts[lines[k+1][0]]
			bottom = even(pad + (a.Y+a.H+o.Y)/2)
		}
		// From left to right, whatever the reading order.
		order := append([]int(nil), line...)
		for i := 1; i < len(order); i++ {
			for j := i; j > 0 && parts[order[j]].X < parts[order[j-1]].X; j-- {
				order[j], order[j-1] = order[j-1], order[j]
			}
		}
		x := 0.0
		for i, n := range order {
			right := w
			if i < len(order)-1 {
				a, o := parts[n], parts[order[i+1]]
				right = even(pad + (a.X+a.W+o.X)/2)
			}
			out[n] = framing.Rect{X: x, Y: top, W: math.Max(0, right-x), H: math.Max(0, bottom-top)}
			x = math.Max(x, right)
		}
		top = bottom
	}
	return out
}

// roll lets a block that is taller than its area run through the frame from
// bottom to top while the slide lasts.
func (b *texts) roll(set []placed, bl theme.Block, left, width, total float64) {
	start := len(b.layers)
	y := 0.0
	for i, p := range set {
		if i > 0 {
			y += p.gap
		}
		p.e.Enter, p.e.EnterSeconds, p.e.LeaveSeconds, p.e.Plate = "none", 0, 0, 0
		b.element(p, bl.Align, left, y, width)
		y += p.h
	}
	for i := start; i < len(b.layers); i++ {
		l := &b.layers[i]
		at := l.Place.To
		from, to := at, at
		from.Y += b.h()
		to.Y -= total
		l.Place = Move{From: from, To: to, Ease: framing.Linear}
		l.Delay, l.Enter, l.Hard = 0, 0, false
	}
}

// caption sets words on a slide's pictures, in the style set for the slide,
// for the film or by the theme, from so many seconds after its beginning.
func (b *texts) caption(words string, from float64) {
	c := b.theme.Caption
	switch {
	case b.slide.CaptionStyle != nil:
		c = *b.slide.CaptionStyle
	case b.doc.CaptionStyle != nil:
		c = *b.doc.CaptionStyle
	}
	if _, ok := b.theme.Fonts[c.Font]; !ok {
		c.Font = b.theme.Caption.Font // of another theme, or left to this one
	}
	align := "centre"
	if c.At == nil && strings.Contains(c.Anchor, "left") {
		align = "left"
	} else if c.At == nil && strings.Contains(c.Anchor, "right") {
		align = "right"
	}
	if c.Plate == 0 && c.Outline == 0 {
		ground := design.Against(c.Colour)
		b.shade = &ground
	}
	defer func() { b.shade = nil }()
	e := theme.Element{Type: c.Type, Words: words, Enter: c.Enter, EnterSeconds: from, LeaveSeconds: 0.4}
	if lap := b.slide.Overlap; lap > 0 && b.until == 0 {
		e.LeaveSeconds = b.doc.Rate.Seconds(lap)
	}
	b.block(theme.Block{
		Anchor:   c.Anchor,
		Align:    align,
		Width:    c.Width,
		Elements: []theme.Element{e},
	}, nil, framing.TitleSafe.Scale(b.w(), b.h()), c.At)
}

// lay puts decor, watermark and mark over the film.
func (o Options) lay(s *Scene, d doc.Slideshow, t *theme.Theme, p planned, lib doc.Library, ts Typesetter) {
	b := newBuilder(stage{scene: s, doc: d, theme: t, lib: lib, set: ts, shape: framing.ShapeOf(s.W, s.H)})
	over := func(from, to timecode.Frames, l Layer) {
		if to > from {
			s.Overlays = append(s.Overlays, Overlay{from, to - from, l})
		}
	}
	for _, dec := range t.Decor {
		if dec.Behind {
			continue
		}
		for _, r := range ranges(p, dec.On) {
			over(r[0], r[1], b.pics.decor(dec.Decor))
		}
	}
	for _, laid := range d.Decor {
		if d.Index(laid.From) > d.Index(laid.To) {
			laid.From, laid.To = laid.To, laid.From
		}
		if _, ok := lib[doc.MediaID(laid.Media)]; laid.Media != "" && !ok {
			continue // its picture is gone
		}
		from, to := p.Laid(laid, lib) // nowhere while its slides are taken out
		l := b.pics.decor(laid.Decor)
		if l.Asset.Kind == Footage {
			l.Asset.Begin = timecode.Samples(laid.Begin * timecode.SampleRate)
		}
		over(from, to, l)
	}
	if m, ok := lib[o.Picture]; ok {
		over(0, s.Frames, b.pics.mark(m))
	} else if o.Mark != "" {
		b.texts.corner(o.Mark, framing.TitleSafe.Scale(b.w(), b.h()), 0.026, 0.85, "lower-right", over)
	}
	if o.Watermark != "" {
		b.texts.corner(o.Watermark, framing.TitleSafe.Scale(b.w(), b.h()), 0.05, 0.8, "upper-right", over)
	}
}

// corner lays words over the whole film, outlined so that they can be read on any.
func (b *texts) corner(words string, area framing.Rect, size, alpha float64, anchor string,
	over func(from, to timecode.Frames, l Layer)) {
	font := ""
	for name := range b.theme.Fonts {
		if font == "" || name < font {
			font = name
		}
	}
	t, s := b.setWords(words, design.Type{
		Font:       font,
		Size:       size,
		Colour:     raster.RGB{R: 255, G: 255, B: 255},
		Outline:    0.09,
		OutlineRGB: raster.RGB{R: 16, G: 18, B: 20},
	}, "right", area.W, 1)
	left, top := anchored(theme.Block{Anchor: anchor}, area, s.W, s.H, b.short())
	b.words(t, s, theme.Element{Enter: "none"}, "left", left, top, s.W)
	l := b.layers[len(b.layers)-1]
	l.Alpha = alpha
	over(0, b.scene.Frames, l)
}
