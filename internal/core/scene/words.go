package scene

import (
	"math"
	"slices"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/theme"
)

// card places an opening, closing or text card: backdrop, picture, words.
// The words stand where at says, or where the theme puts them if it is nil.
func (b *builder) card(c *theme.Card, values map[string]string, media doc.MediaID, at *framing.Point) {
	back := c.Backdrop
	if b.slide.Backdrop != nil {
		back = *b.slide.Backdrop
	}
	b.pics.backdrop(back, media)
	b.pics.behind(map[doc.Kind]string{doc.Opening: "opening", doc.Closing: "closing"}[b.slide.Kind])
	for _, d := range c.Decor {
		if d.Behind {
			b.add(b.pics.decor(d))
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
	b.texts.block(lettered(c.In(b.shape), b.slide.Lettering), values, area, at)
	for _, d := range c.Decor {
		if !d.Behind {
			b.add(b.pics.decor(d))
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
func (b *texts) asideOf(a *theme.Aside) framing.Rect {
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
	place := b.texts.asideOf(a)
	rest := framing.Rect{X: b.w() * a.Share, W: b.w() * (1 - a.Share), H: b.h()}
	if b.h() > b.w() {
		rest = framing.Rect{Y: b.h() * a.Share, W: b.w(), H: b.h() * (1 - a.Share)}
	}
	if a.Side == "right" {
		rest.X, rest.Y = 0, 0
	}
	b.pics.place(theme.Place{
		Rect: framing.Rect{X: place.X / b.w(), Y: place.Y / b.h(), W: place.W / b.w(), H: place.H / b.h()},
		Tilt: a.Tilt,
	}, a.Dress, m, b.motion(nil), 0)
	return intersect(rest.Inset(b.short()*0.04), area)
}

// textCard places a card the operator wrote.
func (b *builder) textCard(w *doc.Words) {
	c := b.theme.Card(w.Kind)
	b.card(c, map[string]string{
		"main":    w.Main,
		"smaller": w.Smaller,
		"text":    w.Text,
	}, b.own(nearPicture(b.doc, b.slide.ID)), w.At)
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
func (b *texts) block(bl theme.Block, values map[string]string, area framing.Rect, at *framing.Point) {
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
func (b *texts) shadeBehind(words framing.Rect) {
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
func (b *texts) centredAt(at framing.Point, w, h float64) (left, top float64) {
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
func (b *texts) stack(bl theme.Block, values map[string]string, width, k float64) (set []placed,
	total float64) {
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
func (b *texts) setWords(words string, y design.Type, align string, width float64, lines int) (Type,
	Setting) {
	font := b.theme.Fonts[y.Font]
	if font.Upper {
		words = strings.ToUpper(words)
	}
	if lines == 0 {
		lines = 2
	}
	size := y.Size * b.short()
	t := Type{
		Words:      words,
		Fonts:      b.theme.FontsContent,
		Face:       font.Face,
		Track:      font.Tracking,
		Leading:    font.Leading,
		Align:      align,
		Colour:     y.Colour,
		Shadow:     y.Shadow,
		OutlineRGB: y.OutlineRGB,
	}
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
func (b *texts) balanced(t Type, s Setting) (Type, Setting) {
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
