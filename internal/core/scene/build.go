package scene

import (
	"math"
	"slices"

	"nelko/internal/core/cast"
	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
)

// Options are what a making of the film adds to it.
type Options struct {
	Watermark string // words laid over a draft
	Mark      string // the studio's name, small in a corner
	// Picture stands there in place of words, where the library has it.
	Picture doc.MediaID
	// Only names the slides that are placed, if not all are; the others are
	// left without layers, and everything else is as in the whole film.
	Only []doc.SlideID
	// Of is the film's own frame. What a film shows and how it is laid out is decided
	// as in that, however large it is drawn; zero: the document's.
	Of doc.Frame
}

// Build places everything.
func Build(d doc.Slideshow, t *theme.Theme, p plan.Plan, lib doc.Library, ts Typesetter, o Options) *Scene {
	s := &Scene{
		W:       d.Frame.W,
		H:       d.Frame.H,
		Rate:    d.Rate,
		Matrix:  raster.MatrixFor(d.Frame.W, d.Frame.H),
		Frames:  p.Frames,
		FadeIn:  d.Rate.Frames(t.Fades.InSeconds),
		FadeOut: d.Rate.Frames(t.Fades.OutSeconds),
	}
	s.Shutter = d.Shutter
	if f := d.Fades; f != nil {
		s.FadeIn, s.FadeOut, s.FadeRGB = min(d.Rate.Frames(f.InSeconds), p.Frames/2),
			min(d.Rate.Frames(f.OutSeconds), p.Frames/2), f.Colour
	}
	if o.Of == (doc.Frame{}) {
		o.Of = d.Frame
	}
	own := decides(o.Of, d.Frame)
	for i, ps := range p.Slides {
		b := newBuilder(stage{
			scene: s,
			of:    o.Of,
			doc:   d,
			theme: t,
			lib:   lib,
			set:   ts,
			slide: ps,
			rnd:   cast.Number(ps.Slide, d.Seed, d.Called),
			turn:  i,
			shape: framing.ShapeOf(own.W, own.H),
		})
		out := Slide{ID: ps.ID, Start: ps.Start, Length: ps.Length, Overlap: ps.Overlap, Into: ps.Into}
		switch {
		case o.Only != nil && !slices.Contains(o.Only, ps.ID):
		case ps.Kind == doc.Opening:
			b.card(&t.Opening, d.Details, b.pics.picture(&t.Opening, true), nil)
		case ps.Kind == doc.Closing:
			b.card(&t.Closing, d.Details, b.pics.picture(&t.Closing, false), nil)
		case ps.Kind == doc.Card:
			b.textCard(ps.Card)
		default:
			b.pictures()
		}
		out.Layers, out.Words = b.layers, b.around
		s.Slides = append(s.Slides, out)
	}
	o.lay(s, d, t, p, lib, ts)
	return s
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

// nearPicture is the picture shown last before a slide, or the first after.
func nearPicture(d doc.Slideshow, id doc.SlideID) doc.MediaID {
	at := d.Index(id)
	for i := at; i >= 0; i-- {
		if m := d.Slides[i].Media; len(m) > 0 {
			return m[len(m)-1]
		}
	}
	return edgePicture(d, true)
}

// builder builds the layers of one slide: its prints and its words on a stage.
type builder struct {
	*stage
	pics  *prints
	texts *texts
}

// prints put pictures on the stage: where they stand, which part of them is seen, how they are
// mounted, and what lies behind and over them.
type prints struct{ *stage }

// texts put words on the stage, set in lines and blocks.
type texts struct{ *stage }

func newBuilder(on stage) *builder { return &builder{&on, &prints{&on}, &texts{&on}} }

// stage is the frame in which a slide is shown, what is known of it, and its layers so far.
type stage struct {
	scene  *Scene
	of     doc.Frame // the film's own: see Options
	doc    doc.Slideshow
	theme  *theme.Theme
	lib    doc.Library
	set    Typesetter
	slide  plan.Slide
	rnd    uint64
	turn   int // position in the film, for what takes turns
	shape  framing.Shape
	layers []Layer
	until  timecode.Frames // of what is added now: see Layer.Until
	shade  *raster.RGB     // behind words on a picture; nil: they need none
	around framing.Rect    // of the slide's block of words, in fractions of the frame
}

func (b *stage) add(l Layer) {
	l.Until = b.until
	b.layers = append(b.layers, l)
}

func (b *stage) w() float64 { return float64(b.scene.W) }
func (b *stage) h() float64 { return float64(b.scene.H) }

// sameShape is how far the logarithms of two frames' aspects may be apart in frames of
// one shape, whose sides are even.
const sameShape = 0.03

// decides is the frame in which is decided what is shown: the film's own as long as it is drawn
// in that shape, however small.
func decides(of, drawn doc.Frame) doc.Frame {
	if math.Abs(math.Log(float64(of.W)/float64(of.H)/(float64(drawn.W)/float64(drawn.H)))) < sameShape {
		return of
	}
	return drawn
}

// aspect is that of the frame in which is decided what is shown.
func (b *stage) aspect() float64 {
	f := decides(b.of, b.doc.Frame)
	return float64(f.W) / float64(f.H)
}

// caster chooses layouts, in that frame too.
func (b *stage) caster() cast.Caster {
	d := b.doc
	d.Frame = decides(b.of, d.Frame)
	return cast.Of(d, b.theme, b.lib)
}

// short is the frame's shorter side in pixels, the unit of themes' sizes.
func (b *stage) short() float64 { return math.Min(b.w(), b.h()) }

func (b *stage) frame() framing.Rect { return framing.Rect{W: b.w(), H: b.h()} }

func (b *stage) frames(seconds float64) timecode.Frames { return b.doc.Rate.Frames(seconds) }

func (b *stage) find(f Finding) {
	f.Slide = b.slide.ID
	b.scene.Findings = append(b.scene.Findings, f)
}

// look is how a medium's tone is changed: as set for it, for the film, or by
// the theme.
func (b *stage) look(id doc.MediaID) look.Look {
	if l := b.doc.Shot(id).Look; l != nil {
		return *l
	}
	if b.doc.Look != nil {
		return *b.doc.Look
	}
	return b.theme.Look
}

// motion is how pictures move: as set for the slide, for the film, by the
// layout or by the theme.
func (b *stage) motion(l *design.Motion) design.Motion {
	switch {
	case b.slide.Motion != nil:
		return *b.slide.Motion
	case b.doc.Motion != nil:
		return *b.doc.Motion
	case l != nil:
		return *l
	}
	return b.theme.Motion
}

// SoftShare: a soft copy holds no detail, so what it is made of is read and blurred at an eighth
// of the frame.
const SoftShare = 8

// glide is how far a moving backdrop goes, a share of its size: some pixels a frame, so that it is
// seen to move.
const glide = 0.12

func (b *prints) backdrop(back design.Backdrop, media doc.MediaID) {
	full := Move{From: unit, To: unit, Ease: framing.InOut}
	if back.Moves {
		inner := framing.Zoom(unit, 1+glide, framing.Point{X: 0.5, Y: 0.5})
		full.From = inner
		full.To = inner
		full.From.X, full.From.Y = 0, 0
		full.To.X, full.To.Y = 1-inner.W, 1-inner.H
		if b.turn%2 == 1 {
			full.From, full.To = full.To, full.From
		}
	}
	l := Layer{Place: Still(b.frame()), Window: full, Alpha: 1}
	w, h := b.scene.W, b.scene.H
	if back.Moves {
		w, h = int(float64(w)*(1+glide)), int(float64(h)*(1+glide))
	}
	_, known := b.lib[media]
	switch {
	case back.Kind == design.Soft && known:
		b.soft(back, media)
		return
	case back.Kind == design.Photo && known:
		b.photo(back, media)
		return
	case back.Kind == design.Gradient:
		l.Asset = Asset{
			Kind:    Gradient,
			W:       max(2, w/2),
			H:       max(2, h/2),
			Colour:  back.Colour,
			Second:  back.Second,
			Degrees: back.Degrees,
		}
	case back.Kind == design.Texture:
		l.Asset = Asset{
			Kind:     Texture,
			W:        w,
			H:        h,
			Colour:   back.Colour,
			Texture:  back.Texture,
			Contrast: back.Contrast,
			Seed:     1,
		}
	case back.Kind == design.Image && b.theme.Contents[back.Asset] != "":
		l.Asset = Asset{
			Kind:   Image,
			Cover:  true,
			File:   b.theme.Contents[back.Asset],
			W:      w,
			H:      h,
			Colour: back.Colour,
			Tone:   back.Tone,
		}
	default:
		l.Asset = Asset{Kind: Fill, Colour: back.Colour}
	}
	b.add(l)
}

// photo fills the frame with a picture, and lays its colour over it.
func (b *prints) photo(back design.Backdrop, media doc.MediaID) {
	motion := design.Motion{Kind: design.Still}
	if back.Moves {
		motion = design.Motion{Kind: design.In, Zoom: glide}
	}
	b.place(theme.Place{Rect: unit}, theme.Dress{Fit: design.Fill}, b.lib[media], motion, 0)
	if back.Tone > 0 {
		b.add(Layer{Asset: Asset{Kind: Fill, Colour: back.Colour}, Place: Still(b.frame()), Alpha: back.Tone})
	}
}

// soft fills the frame with a blurred copy of a medium. It rests unless it is to move: that it
// creeps is not seen, and costs an encoder much.
func (b *prints) soft(back design.Backdrop, media doc.MediaID) {
	m := b.lib[media]
	w, h := b.doc.Size(m)
	fill := framing.Fill(w, h, b.w()/b.h(), framing.Point{X: 0.5, Y: 0.45})
	window := b.uncrop(media, framing.Rect{X: fill.X / w, Y: fill.Y / h, W: fill.W / w, H: fill.H / h})
	move := Move{From: unit, To: unit, Ease: framing.InOut}
	if back.Moves {
		move.To = framing.Zoom(unit, 1+glide, framing.Point{X: 0.5, Y: 0.5})
	}
	b.add(Layer{
		Asset: Asset{
			Kind:   Soft,
			Media:  media,
			Turn:   b.doc.Shot(media).Turn,
			Look:   b.look(media),
			Colour: back.Colour,
			Tone:   back.Tone,
			W:      b.scene.W,
			H:      b.scene.H,
			Crop:   window,
			Blur:   int(math.Round(back.Blur * b.short() / SoftShare)),
		},
		Place: Still(b.frame()), Window: move, Alpha: 1,
	})
}

// fullSize is a medium's size in pixels once turned, uncropped.
func (b *stage) fullSize(m doc.Media) framing.Point {
	if b.doc.Shot(m.ID).Turn%2 == 1 {
		return framing.Point{X: float64(m.H), Y: float64(m.W)}
	}
	return framing.Point{X: float64(m.W), Y: float64(m.H)}
}

// uncrop turns a window in fractions of the cropped picture into one of the
// whole picture.
func (b *stage) uncrop(id doc.MediaID, r framing.Rect) framing.Rect {
	c := b.doc.Shot(id).Crop
	if c == (framing.Rect{}) {
		return r
	}
	return framing.Rect{X: c.X + r.X*c.W, Y: c.Y + r.Y*c.H, W: r.W * c.W, H: r.H * c.H}
}

// pictures lays out a picture or clip slide.
func (b *builder) pictures() {
	media := b.slide.Media
	layout, ok := b.caster().Layout(b.slide.Slide, b.lib, b.doc.Seed)
	if !ok {
		layout = theme.Layout{
			Pictures: len(media),
			Arrange:  theme.Grid,
			Margin:   0.05,
			Gap:      0.03,
			Suits:    "any",
			Dress:    theme.Dress{Fit: design.Fill},
		}
	}
	places := layout.PlacesIn(b.aspect(), b.shape)
	if len(places) != len(media) {
		places = theme.Grid.Places(len(media), b.aspect(), 0.05, 0.03, 0, 1.2)
	}
	if b.slide.Layout == "" { // a layout chosen by hand is meant as it is
		aspects, needs := make([]float64, len(media)), make([]framing.Point, len(media))
		for i, id := range media {
			aspects[i] = b.doc.Aspect(b.lib[id])
			needs[i].X, needs[i].Y = b.doc.Needs(b.lib[id])
		}
		places = layout.Suited(places, aspects, needs, b.aspect(),
			b.fit(layout.Dress, media[0]) == design.Whole)
	}
	first := b.lib[media[0]]
	covered := !first.Clear && len(places) == 1 && places[0].Rect == unit &&
		b.fit(layout.Dress, first.ID) == design.Fill && b.scale(layout.Dress, first.ID) == 1 &&
		layout.Mask == ""
	if !covered || b.slide.Backdrop != nil {
		back := b.theme.Opening.Backdrop
		switch {
		case b.slide.Backdrop != nil:
			back = *b.slide.Backdrop
		case layout.Backdrop != nil:
			back = *layout.Backdrop
		}
		b.pics.backdrop(back, b.own(first.ID))
	}
	b.pics.behind("pictures")
	motion := b.motion(layout.Motion)
	for i, id := range media {
		b.pics.place(places[i], layout.Dress, b.lib[id], motion, i)
	}
	if len(b.slide.Lines) == 0 && b.slide.Caption != "" {
		b.texts.caption(b.slide.Caption, 0.5)
	}
	for _, l := range b.slide.Lines {
		if b.until = b.frames(l.To); b.until >= b.slide.Length {
			b.until = 0
		}
		b.texts.caption(l.Text, l.From)
	}
	b.until = 0
}
