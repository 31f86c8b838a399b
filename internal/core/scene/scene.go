// Package scene turns a laid-out slideshow and its theme into placed layers:
// what is drawn, where, at each frame. It is evaluated at frame numbers,
// never at floating times, and knows nothing of pixels' contents.
package scene

import (
	"hash/fnv"
	"math"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
)

// Scene is a whole film as layers.
type Scene struct {
	W, H    int
	Rate    timecode.Rate
	Matrix  raster.Matrix
	Frames  timecode.Frames
	Slides  []Slide
	FadeIn  timecode.Frames // from black
	FadeOut timecode.Frames // to black
}

// Slide is one slide's layers, bottom first, and its place in time. Its last
// Overlap frames are dissolved into the next slide.
type Slide struct {
	ID                     doc.SlideID
	Start, Length, Overlap timecode.Frames
	Layers                 []Layer
}

// Kind is what a layer draws.
type Kind int

// The kinds of layer.
const (
	Fill    Kind = iota // one colour
	Photo               // a picture
	Soft                // a blurred, toned copy of a picture or of a clip's poster frame
	Footage             // a clip
	Text                // words, centred in the place at their own size
	Shadow              // a soft dark edge around a rectangle
)

// Asset says what a layer needs to be drawn. It is comparable and depends on
// nothing but the inputs, so that it can serve as a cache key.
type Asset struct {
	Kind   Kind
	Media  doc.MediaID
	W, H   int        // pixels of the whole prepared picture; for Text the box, for Shadow the rectangle
	Colour raster.RGB // Fill, Soft, Text
	Tone   float64    // Soft
	Blur   int        // Soft and Shadow: radius in pixels
	Words  string     // Text
	Face   string     // Text: Pango description without the size
	Size   int        // Text: height of the type in pixels
	Track  float64    // Text: letter spacing in ems
}

// Layer is one thing drawn. Place is in pixels of the frame, Window in
// fractions of the asset.
type Layer struct {
	Asset  Asset
	Place  Move
	Window Move
	Alpha  float64         // opacity once entered
	Enter  timecode.Frames // fades in over this many frames…
	Delay  timecode.Frames // …after this many
}

// Move is a rectangle that goes from one to another over a span of the
// slide's frames.
type Move struct {
	From, To    framing.Rect
	Ease        framing.Ease
	Start, Span timecode.Frames // Span 0: the slide's whole length
}

// Still is a Move that stays.
func Still(r framing.Rect) Move { return Move{From: r, To: r, Ease: framing.Linear} }

// At is the rectangle at frame n of a slide of the given length.
func (m Move) At(n, length timecode.Frames) framing.Rect {
	if m.From == m.To {
		return m.From
	}
	span := m.Span
	if span == 0 {
		span = length - 1
	}
	t := 1.0
	if span > 0 {
		t = float64(n-m.Start) / float64(span)
	}
	return m.From.Lerp(m.To, m.Ease.At(t))
}

// Opacity is the layer's opacity at frame n of its slide.
func (l Layer) Opacity(n timecode.Frames) float64 {
	if l.Enter == 0 {
		return l.Alpha
	}
	return l.Alpha * framing.InOut.At(float64(n-l.Delay)/float64(l.Enter))
}

var unit = framing.Rect{W: 1, H: 1}

// Build places everything.
func Build(d doc.Slideshow, t *theme.Theme, p plan.Plan, lib doc.Library) *Scene {
	s := &Scene{
		W: d.Frame.W, H: d.Frame.H, Rate: d.Rate, Matrix: raster.MatrixFor(d.Frame.W, d.Frame.H), Frames: p.Pictures,
		FadeIn: d.Rate.Frames(t.Fades.InSeconds), FadeOut: d.Rate.Frames(t.Fades.OutSeconds),
	}
	for _, ps := range p.Slides {
		b := builder{scene: s, doc: d, theme: t, lib: lib, slide: ps, rnd: hash(d.Seed, ps.ID)}
		out := Slide{ID: ps.ID, Start: ps.Start, Length: ps.Length, Overlap: ps.Overlap}
		switch ps.Kind {
		case doc.Opening:
			b.card(t.Opening, edgePicture(d, true))
		case doc.Closing:
			b.card(t.Closing, edgePicture(d, false))
		default:
			b.pictures()
		}
		out.Layers = b.layers
		s.Slides = append(s.Slides, out)
	}
	return s
}

// hash gives each slide its own steady number, whatever its position.
func hash(seed uint64, id doc.SlideID) uint64 {
	h := fnv.New64a()
	var b [8]byte
	for i := range b {
		b[i] = byte(seed >> (8 * i))
	}
	_, _ = h.Write(b[:]) // never fails, by the documentation of hash.Hash
	_, _ = h.Write([]byte(id))
	return h.Sum64()
}

// edgePicture is the film's first or last picture or clip.
func edgePicture(d doc.Slideshow, first bool) doc.MediaID {
	var found doc.MediaID
	for _, s := range d.Slides {
		if len(s.Media) > 0 {
			if first {
				return s.Media[0]
			}
			found = s.Media[len(s.Media)-1]
		}
	}
	return found
}

type builder struct {
	scene  *Scene
	doc    doc.Slideshow
	theme  *theme.Theme
	lib    doc.Library
	slide  plan.Slide
	rnd    uint64
	layers []Layer
}

func (b *builder) add(l Layer) { b.layers = append(b.layers, l) }

func (b *builder) w() float64 { return float64(b.scene.W) }
func (b *builder) h() float64 { return float64(b.scene.H) }

func (b *builder) frames(seconds float64) timecode.Frames { return b.doc.Rate.Frames(seconds) }

// softWidth is the width a soft copy is prepared at: it holds no detail, so
// an eighth of the frame is plenty.
const softShare = 8

func (b *builder) backdrop(back theme.Backdrop, media doc.MediaID) {
	frame := framing.Rect{W: b.w(), H: b.h()}
	m, ok := b.lib[media]
	if back.Kind == theme.Plain || !ok {
		b.add(Layer{Asset: Asset{Kind: Fill, Colour: back.Colour}, Place: Still(frame), Alpha: 1})
		return
	}
	fill := framing.Fill(float64(m.W), float64(m.H), b.w()/b.h(), framing.Point{X: 0.5, Y: 0.45})
	full := fractions(fill, m)
	// The whole picture at the size at which the filled part is an eighth of
	// the frame.
	scale := b.w() / softShare / fill.W
	b.add(Layer{
		Asset: Asset{
			Kind: Soft, Media: media, Colour: back.Colour, Tone: back.Tone,
			W: max(8, int(math.Round(float64(m.W)*scale))), H: max(8, int(math.Round(float64(m.H)*scale))),
			Blur: int(math.Round(back.Blur * b.h() / softShare)),
		},
		Place:  Still(frame),
		Window: Move{From: full, To: framing.Zoom(full, 1+b.theme.Motion.Zoom/2, framing.Point{X: 0.5, Y: 0.5}), Ease: b.theme.Motion.Ease},
		Alpha:  1,
	})
}

// fractions turns a window in pixels of m into fractions of it.
func fractions(r framing.Rect, m doc.Media) framing.Rect {
	return framing.Rect{X: r.X / float64(m.W), Y: r.Y / float64(m.H), W: r.W / float64(m.W), H: r.H / float64(m.H)}
}

func (b *builder) card(c theme.Card, media doc.MediaID) {
	b.backdrop(c.Backdrop, media)
	for _, r := range c.Rules {
		full := r.Place.Scale(b.w(), b.h())
		full.H = math.Max(2, math.Round(full.H))
		from := full
		from.X, from.W = full.X+full.W/2, 0
		b.add(Layer{
			Asset: Asset{Kind: Fill, Colour: r.Colour}, Alpha: 1,
			Place: Move{From: from, To: full, Ease: framing.Out, Start: b.frames(r.EnterSeconds), Span: b.frames(1.2)},
		})
	}
	short := math.Min(b.w(), b.h())
	for _, l := range c.Lines {
		words := l.Text
		if l.Detail != "" && b.doc.Details[l.Detail] != "" {
			words = b.doc.Details[l.Detail]
		}
		if words == "" {
			continue
		}
		font := b.theme.Fonts[l.Font]
		if font.Upper {
			words = strings.ToUpper(words)
		}
		box := l.Box.Scale(b.w(), b.h())
		below := box
		below.Y += l.Rise * b.h()
		b.add(Layer{
			Asset: Asset{
				Kind: Text, Words: words, Face: font.Face, Track: font.Tracking, Colour: l.Colour,
				Size: int(math.Round(l.Size * short)), W: int(box.W), H: int(box.H),
			},
			Place: Move{From: below, To: box, Ease: framing.Out, Start: b.frames(l.EnterSeconds), Span: b.frames(1.4)},
			Alpha: 1, Enter: b.frames(0.9), Delay: b.frames(l.EnterSeconds),
		})
	}
}

// pictures lays out a picture or clip slide.
func (b *builder) pictures() {
	layout, ok := b.theme.Layout(b.slide.Layout)
	if !ok || len(layout.Places) != len(b.slide.Media) {
		layout = grid(len(b.slide.Media), b.theme.Layouts[0].Backdrop)
	}
	first := b.lib[b.slide.Media[0]]
	if !(len(layout.Places) == 1 && layout.Places[0].Framing == theme.FillPlace && layout.Places[0].Rect == unit) {
		b.backdrop(layout.Backdrop, first.ID)
	}
	for i, id := range b.slide.Media {
		b.place(layout.Places[i], b.lib[id], i)
	}
}

// grid is the layout of a slide whose own is not in the theme: equal columns.
func grid(n int, back theme.Backdrop) theme.Layout {
	l := theme.Layout{Backdrop: back}
	for i := range n {
		w := 0.94 / float64(n)
		l.Places = append(l.Places, theme.Place{Rect: framing.Rect{X: 0.03 + w*float64(i), Y: 0.1, W: w * 0.96, H: 0.8}, Framing: theme.WholePicture})
	}
	return l
}

func (b *builder) place(pl theme.Place, m doc.Media, i int) {
	kind := Photo
	if m.Kind == doc.ClipMedia {
		kind = Footage
	}
	outer := pl.Rect.Scale(b.w(), b.h())
	mat := pl.Mat * b.h()
	inner := outer.Inset(mat)
	zoom := b.theme.Motion.Zoom
	if kind == Footage {
		zoom = 0 // a clip moves by itself
	}
	inward := (b.rnd>>i)&1 == 0
	if pl.Framing == theme.WholePicture {
		inner = framing.Whole(float64(m.W), float64(m.H), inner)
		outer = inner.Inset(-mat)
		b.shadow(pl, outer)
		if mat > 0 {
			b.add(b.drift(Layer{Asset: Asset{Kind: Fill, Colour: pl.MatRGB}, Alpha: 1}, outer, outer, zoom, inward))
		}
		l := Layer{Asset: Asset{Kind: kind, Media: m.ID}, Window: Still(unit), Alpha: 1}
		b.add(b.sized(b.drift(l, inner, outer, zoom, inward), m, inner.W))
		return
	}
	b.shadow(pl, outer)
	if mat > 0 {
		b.add(Layer{Asset: Asset{Kind: Fill, Colour: pl.MatRGB}, Place: Still(outer), Alpha: 1})
	}
	full := framing.Fill(float64(m.W), float64(m.H), inner.Aspect(), framing.Point{X: 0.5, Y: 0.42})
	// The zoom aims a little off centre, differently on each slide.
	aim := framing.Point{X: 0.35 + 0.3*unitOf(b.rnd>>8), Y: 0.3 + 0.3*unitOf(b.rnd>>24)}
	move := Move{From: fractions(full, m), To: fractions(framing.Zoom(full, 1+zoom, aim), m), Ease: b.theme.Motion.Ease}
	if !inward {
		move.From, move.To = move.To, move.From
	}
	l := Layer{Asset: Asset{Kind: kind, Media: m.ID}, Place: Still(inner), Window: move, Alpha: 1}
	b.add(b.sized(l, m, inner.W*(1+zoom)*float64(m.W)/full.W))
}

// unitOf maps 16 bits to 0…1.
func unitOf(bits uint64) float64 { return float64(bits&0xffff) / 0xffff }

// drift lets a whole picture grow or shrink a little around the centre of its
// mat; half the theme's zoom, so that it never leaves its place.
func (b *builder) drift(l Layer, r, around framing.Rect, zoom float64, inward bool) Layer {
	k := 1 - zoom/2
	cx, cy := around.X+around.W/2, around.Y+around.H/2
	small := framing.Rect{X: cx + (r.X-cx)*k, Y: cy + (r.Y-cy)*k, W: r.W * k, H: r.H * k}
	l.Place = Move{From: small, To: r, Ease: b.theme.Motion.Ease}
	if !inward {
		l.Place.From, l.Place.To = r, small
	}
	return l
}

// sized sets the pixels the whole picture is prepared at: width wide at the
// largest, never more than it has.
func (b *builder) sized(l Layer, m doc.Media, width float64) Layer {
	k := math.Min(1, width/float64(m.W))
	l.Asset.W = max(2, int(math.Ceil(float64(m.W)*k)))
	l.Asset.H = max(2, int(math.Ceil(float64(m.H)*k)))
	return l
}

func (b *builder) shadow(pl theme.Place, r framing.Rect) {
	if pl.Shadow <= 0 {
		return
	}
	blur := max(2, int(b.h()*0.012))
	spread := float64(3 * blur)
	place := r.Inset(-spread)
	place.Y += b.h() * 0.008
	b.add(Layer{
		Asset: Asset{Kind: Shadow, W: int(r.W), H: int(r.H), Blur: blur},
		Place: Still(place), Window: Still(unit), Alpha: pl.Shadow,
	})
}
