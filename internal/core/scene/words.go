package scene

import (
	"math"
	"slices"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
)

// card places an opening, closing or text card: backdrop, picture, words.
// The words stand where at says, or where the theme puts them if it is nil.
func (b *builder) card(c *theme.Card, values map[string]string, media doc.MediaID, at *framing.Point) {
	back := c.Backdrop
	if b.slide.Backdrop != nil {
		back = *b.slide.Backdrop
	}
	b.backdrop(back, media)
	b.behind(map[doc.Kind]string{doc.Opening: "opening", doc.Closing: "closing"}[b.slide.Kind])
	for _, d := range c.Decor {
		if d.Behind {
			b.add(b.decor(d))
		}
	}
	b.shade = nil
	if _, known := b.lib[media]; known && (back.Kind == design.Photo || back.Kind == design.Soft) {
		b.shade = &back.Colour
	}
	area := framing.TitleSafe.Scale(b.w(), b.h())
	if c.Picture != nil {
		area = b.aside(c.Picture, media, area)
	}
	b.block(lettered(c.In(b.shape), b.slide.Lettering), values, area, at)
	for _, d := range c.Decor {
		if !d.Behind {
			b.add(b.decor(d))
		}
	}
}

// lettered is a block as it is set by hand.
func lettered(bl theme.Block, l *design.Lettering) theme.Block {
	if l == nil {
		return bl
	}
	bl.Elements = slices.Clone(bl.Elements)
	for i := range bl.Elements {
		e := &bl.Elements[i]
		e.Type = l.Over(e.Type)
		if l.Enter != "" && e.Rule == 0 {
			e.Enter = l.Enter
		}
		if l.Leave != nil {
			e.LeaveSeconds = *l.Leave
		}
	}
	if l.Align != "" {
		bl.Align = l.Align
	}
	return bl
}

// asideOf is where a card's picture stands, in pixels.
func (b *builder) asideOf(a *theme.Aside) framing.Rect {
	r := framing.Rect{W: b.w() * a.Share, H: b.h()}
	if b.h() > b.w() {
		r = framing.Rect{W: b.w(), H: b.h() * a.Share}
	}
	if a.Side == "right" {
		r.X, r.Y = b.w()-r.W, b.h()-r.H
	}
	return r.Inset(a.Inset * b.short())
}

// aside puts a card's picture to one side and gives the area left for words.
func (b *builder) aside(a *theme.Aside, media doc.MediaID, area framing.Rect) framing.Rect {
	m, ok := b.lib[media]
	if !ok {
		return area
	}
	place := b.asideOf(a)
	rest := framing.Rect{X: b.w() * a.Share, W: b.w() * (1 - a.Share), H: b.h()}
	if b.h() > b.w() {
		rest = framing.Rect{Y: b.h() * a.Share, W: b.w(), H: b.h() * (1 - a.Share)}
	}
	if a.Side == "right" {
		rest.X, rest.Y = 0, 0
	}
	b.place(theme.Place{Rect: framing.Rect{X: place.X / b.w(), Y: place.Y / b.h(), W: place.W / b.w(), H: place.H / b.h()}, Tilt: a.Tilt}, a.Dress, m, b.motion(nil), 0)
	return intersect(rest.Inset(b.short()*0.04), area)
}

// textCard places a card the operator wrote.
func (b *builder) textCard(w *doc.Words) {
	c := b.theme.Card(w.Kind)
	b.card(c, map[string]string{"main": w.Main, "smaller": w.Smaller, "text": w.Text}, b.own(nearPicture(b.doc, b.slide.ID)), w.At)
}

// placed is an element of a block that has been set.
type placed struct {
	e       theme.Element
	gap     float64 // above, in pixels
	text    Type
	right   Type // second column of credits
	set     Setting
	setR    Setting
	h       float64
	ruleW   float64
	columns bool
}

// rolls is the number of lines from which words may run through the frame.
const rolls = 40

// block sets words under each other and anchors the whole in an area. What is
// higher than the area is set smaller; a long list rolls through it instead.
// at, where it is not nil, is the middle of the block in fractions of the
// frame.
func (b *builder) block(bl theme.Block, values map[string]string, area framing.Rect, at *framing.Point) {
	width := area.W * bl.Width
	long := slices.ContainsFunc(bl.Elements, func(e theme.Element) bool { return e.Lines >= rolls })
	found := len(b.scene.Findings)
	k := 1.0
	set, total := b.stack(bl, values, width, k)
	for total > area.H && !long && k > textFloor {
		k *= 0.93
		b.scene.Findings = b.scene.Findings[:found]
		set, total = b.stack(bl, values, width, k)
	}
	if len(set) == 0 {
		return
	}
	left, top := anchored(bl, area, width, total, b.short())
	words := extent(set, width)
	indent := alignedAt(bl.Align, 0, width, words)
	if at != nil {
		left, top = b.centredAt(*at, words, total)
		left -= indent
	}
	b.around = framing.Rect{X: (left + indent) / b.w(), Y: top / b.h(), W: words / b.w(), H: total / b.h()}
	if b.shade != nil {
		b.shadeBehind(framing.Rect{X: left + indent, Y: top, W: words, H: total})
	}
	if total > area.H && long {
		b.roll(set, bl, left, width, total)
		return
	}
	y := top
	for i, p := range set {
		if i > 0 {
			y += p.gap
		}
		b.element(p, bl.Align, left, y, width)
		y += p.h
	}
}

// shadeBehind lays a soft shade of the backdrop's colour behind words, so that
// they can be read whatever the picture, which keeps its light elsewhere.
func (b *builder) shadeBehind(words framing.Rect) {
	blur := math.Round(b.short() * 0.09)
	r := words.Inset(-1.1 * blur)
	b.add(Layer{
		Asset: Asset{Kind: Shadow, W: int(r.W), H: int(r.H), Blur: int(blur), Colour: *b.shade},
		Place: Still(r.Inset(-3 * blur)), Window: Still(unit), Alpha: 0.72, Enter: b.frames(0.9),
	})
}

// extent is how wide a block's words are, in pixels; columns fill its width.
func extent(set []placed, width float64) float64 {
	words := 0.0
	for _, p := range set {
		w := math.Max(p.set.W, p.ruleW)
		if p.columns {
			w = width
		}
		words = math.Max(words, w)
	}
	return words
}

// centredAt is the left top corner of words, w×h pixels, that have their
// middle at a point, moved so far that all of them lie in the frame. What
// reaches out of the title-safe area is told of.
func (b *builder) centredAt(at framing.Point, w, h float64) (left, top float64) {
	r := framing.Rect{W: w, H: h}
	r.X = math.Max(0, math.Min(at.X*b.w()-w/2, b.w()-w))
	r.Y = math.Max(0, math.Min(at.Y*b.h()-h/2, b.h()-h))
	if !framing.TitleSafe.Scale(b.w(), b.h()).Contains(r, 2) {
		b.find(Finding{Kind: OutsideSafe})
	}
	return r.X, r.Y
}

// stack sets a block's elements, all sizes times k, and measures their
// height.
func (b *builder) stack(bl theme.Block, values map[string]string, width, k float64) (set []placed, total float64) {
	for _, e := range bl.Elements {
		e.Size *= k
		p := placed{e: e, gap: e.Gap * k * b.short()}
		if e.Rule > 0 {
			p.ruleW, p.h = e.Rule*width, math.Max(2, math.Round(e.Thickness*b.short()))
		} else {
			words := e.Words
			if e.Detail != "" && strings.TrimSpace(values[e.Detail]) != "" {
				words = values[e.Detail]
			}
			if words = strings.TrimSpace(words); words == "" {
				continue
			}
			if strings.Contains(words, "|") && e.Detail == "text" {
				b.columns(&p, words, width)
			} else {
				p.text, p.set = b.setWords(words, e.Type, bl.Align, width, e.Lines)
				p.h = p.set.H
			}
		}
		if len(set) > 0 {
			total += p.gap
		}
		total += p.h
		set = append(set, p)
	}
	return set, total
}

// anchored is the left top corner of a block.
func anchored(bl theme.Block, area framing.Rect, width, height, short float64) (left, top float64) {
	left, top = area.X+(area.W-width)/2, area.Y+(area.H-height)/2
	switch {
	case strings.Contains(bl.Anchor, "left"):
		left = area.X
	case strings.Contains(bl.Anchor, "right"):
		left = area.X + area.W - width
	}
	switch {
	case strings.HasPrefix(bl.Anchor, "upper"):
		top = area.Y
	case strings.HasPrefix(bl.Anchor, "lower"):
		top = area.Y + area.H - height
	}
	top = math.Max(area.Y, math.Min(top+bl.Shift*short, area.Y+area.H-height))
	return left, top
}

// textFloor is how far type is shrunk to fit before that is a finding.
const textFloor = 0.5

// setWords sets words in at most so many lines, shrinking the type as far as
// the floor.
func (b *builder) setWords(words string, y design.Type, align string, width float64, lines int) (Type, Setting) {
	font := b.theme.Fonts[y.Font]
	if font.Upper {
		words = strings.ToUpper(words)
	}
	if lines == 0 {
		lines = 2
	}
	size := y.Size * b.short()
	t := Type{Words: words, Fonts: b.theme.FontsContent, Face: font.Face, Track: font.Tracking, Leading: font.Leading, Align: align, Colour: y.Colour, Shadow: y.Shadow, OutlineRGB: y.OutlineRGB}
	for k := 1.0; ; k *= 0.94 {
		if k < textFloor {
			k = textFloor
		}
		t.Size = math.Round(size*k*4) / 4
		t.Outline = math.Round(y.Outline*t.Size*4) / 4
		t.Width = int(width)
		s, err := b.set.Set(t)
		if err != nil || (s.W <= width+0.5 && s.Lines <= lines) || k == textFloor {
			if err == nil && (s.W > width+0.5 || s.Lines > lines) {
				b.find(Finding{Kind: TooLong, Words: words})
			}
			if s.Lines > 1 && s.Lines <= 3 {
				return b.balanced(t, s)
			}
			return t, s
		}
	}
}

// balanced sets lines of about equal length: the narrowest measure that takes
// no more lines.
func (b *builder) balanced(t Type, s Setting) (Type, Setting) {
	lo, hi := t.Width/s.Lines, t.Width
	for lo < hi {
		mid := (lo + hi) / 2
		try := t
		try.Width = mid
		if n, err := b.set.Set(try); err == nil && n.Lines <= s.Lines && n.W <= float64(mid)+0.5 {
			hi = mid
		} else {
			lo = mid + 1
		}
	}
	t.Width = hi
	if n, err := b.set.Set(t); err == nil {
		return t, n
	}
	return t, s
}

// columns sets lines like "name | part" in two columns.
func (b *builder) columns(p *placed, words string, width float64) {
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
func (b *builder) element(p placed, align string, left, y, width float64) {
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
			Place: Move{From: from, To: r, Ease: framing.Out, Start: b.frames(p.e.EnterSeconds), Span: b.frames(1.2)},
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
func (b *builder) words(t Type, s Setting, e theme.Element, align string, left, y, width float64) {
	pad := float64(t.Pad())
	x := math.Round(alignedAt(align, left, width, s.W)/2) * 2
	y = math.Round(y/2) * 2
	sprite := framing.Rect{X: x - pad, Y: y - pad, W: math.Ceil(s.W) + 2*pad, H: math.Ceil(s.H) + 2*pad}
	if e.Plate > 0 {
		m := t.Size * 0.45
		b.add(Layer{Asset: Asset{Kind: Fill, Colour: e.PlateColour}, Place: Still(framing.Rect{X: x - m*1.3, Y: y - m*0.5, W: s.W + 2.6*m, H: s.H + m}), Alpha: e.Plate,
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
func (b *builder) parts(base Layer, parts []framing.Rect, s Setting, stagger, most, enter, rise float64) {
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
		l.Window = Still(framing.Rect{X: win.X / sprite.W, Y: win.Y / sprite.H, W: win.W / sprite.W, H: win.H / sprite.H})
		at := framing.Rect{X: sprite.X + win.X, Y: sprite.Y + win.Y, W: win.W, H: win.H}
		l.Place = Still(at)
		if enter == 0 {
			l.Hard = true
		} else {
			below := at
			below.Y += rise
			l.Place = Move{From: below, To: at, Ease: framing.Out, Start: l.Delay, Span: b.frames(enter * 1.5)}
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
func (b *builder) roll(set []placed, bl theme.Block, left, width, total float64) {
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
func (b *builder) caption(words string, from float64) {
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
	b.block(theme.Block{Anchor: c.Anchor, Align: align, Width: c.Width, Elements: []theme.Element{e}}, nil, framing.TitleSafe.Scale(b.w(), b.h()), c.At)
}

// lay puts decor, watermark and mark over the film.
func (o Options) lay(s *Scene, d doc.Slideshow, t *theme.Theme, p planned, lib doc.Library, ts Typesetter) {
	b := builder{scene: s, doc: d, theme: t, lib: lib, set: ts, shape: framing.ShapeOf(s.W, s.H)}
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
			over(r[0], r[1], b.decor(dec.Decor))
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
		l := b.decor(laid.Decor)
		if l.Asset.Kind == Footage {
			l.Asset.Begin = timecode.Samples(laid.Begin * timecode.SampleRate)
		}
		over(from, to, l)
	}
	if m, ok := lib[o.Picture]; ok {
		over(0, s.Frames, b.mark(m))
	} else if o.Mark != "" {
		b.corner(o.Mark, framing.TitleSafe.Scale(b.w(), b.h()), 0.026, 0.85, "lower-right", over)
	}
	if o.Watermark != "" {
		b.corner(o.Watermark, framing.TitleSafe.Scale(b.w(), b.h()), 0.05, 0.8, "upper-right", over)
	}
}

// corner lays words over the whole film, outlined so that they can be read on any.
func (b *builder) corner(words string, area framing.Rect, size, alpha float64, anchor string, over func(from, to timecode.Frames, l Layer)) {
	font := ""
	for name := range b.theme.Fonts {
		if font == "" || name < font {
			font = name
		}
	}
	t, s := b.setWords(words, design.Type{Font: font, Size: size, Colour: raster.RGB{R: 255, G: 255, B: 255}, Outline: 0.09, OutlineRGB: raster.RGB{R: 16, G: 18, B: 20}}, "right", area.W, 1)
	left, top := anchored(theme.Block{Anchor: anchor}, area, s.W, s.H, b.short())
	b.words(t, s, theme.Element{Enter: "none"}, "left", left, top, s.W)
	l := b.layers[len(b.layers)-1]
	l.Alpha = alpha
	over(0, b.scene.Frames, l)
}
