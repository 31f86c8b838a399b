package scene

import (
	"math"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/theme"
)

func (b *stage) fit(dress theme.Dress, id doc.MediaID) design.Fit {
	if f := b.doc.Shot(id).Fit; f != "" {
		return f
	}
	return dress.Fit
}

func (b *stage) scale(dress theme.Dress, id doc.MediaID) float64 {
	if s := b.doc.Shot(id).Scale; s != 0 {
		return s
	}
	if dress.Scale != 0 {
		return dress.Scale
	}
	return 1
}

// placing is one picture being placed.
type placing struct {
	m            doc.Media
	dress        theme.Dress
	fit          design.Fit
	w, h         float64 // of the picture, turned and cropped, in its pixels
	outer, inner framing.Rect
	tilt         float64
	mat, radius  float64
	motion       design.Motion
	inward       bool
	aim          framing.Point // wobble of where zooms go, ±0.5
}

// place puts a picture or clip where the layout says.
func (b *prints) place(pl theme.Place, dress theme.Dress, m doc.Media, motion design.Motion, i int) {
	p := placing{
		m:      m,
		dress:  dress,
		fit:    b.fit(dress, m.ID),
		tilt:   pl.Tilt,
		motion: motion,
		mat:    dress.Mat * b.short(),
		radius: dress.Corner * b.short(),
	}
	p.w, p.h = b.doc.Size(m)
	if s := b.doc.Shot(m.ID).Scale; s > 0 && s < 1 && p.dress.Shadow == 0 {
		p.dress.Shadow = looseShadow // smaller than its place, it lies on the backdrop
	}
	if t := b.doc.Shot(m.ID).Tilt; t != nil {
		p.tilt = *t
	}
	p.outer = pl.Rect.Scale(b.w(), b.h())
	if s := b.scale(dress, m.ID); s != 1 {
		p.outer = centred(p.outer, p.outer.W*s, p.outer.H*s)
	}
	p.inner = p.outer.Inset(p.mat)
	switch p.fit {
	case design.Whole:
		p.inner = framing.Whole(p.w, p.h, p.inner)
	case design.Native:
		// A picture's pixels are the frame's; what is larger than its place is
		// shown whole.
		if p.w <= p.inner.W && p.h <= p.inner.H {
			p.inner = centred(p.inner, p.w, p.h)
		} else {
			p.inner = framing.Whole(p.w, p.h, p.inner)
		}
	}
	if p.tilt != 0 && p.fit == design.Fill && p.mat == 0 && covers(p.inner, b.frame()) {
		k := tiltCovers(p.inner.W, p.inner.H, p.tilt)
		p.inner = centred(p.inner, p.inner.W*k, p.inner.H*k)
	}
	p.outer = p.inner.Inset(-p.mat)
	p.inward = b.inward(motion.Kind, i)
	p.aim = framing.Point{X: unitOf(b.rnd>>(8+i)) - 0.5, Y: unitOf(b.rnd>>(24+i)) - 0.5}
	if m.Kind == doc.ClipMedia {
		p.motion.Kind = design.Still // a clip moves by itself
	}
	switch {
	case m.Kind == doc.PhotoMedia && (p.tilt != 0 || (p.mat > 0 && p.fit != design.Fill) ||
		(dress.Mask != "" && p.fit != design.Fill)):
		b.print(p)
	default:
		b.windowed(p)
	}
}

// covers reports whether a rectangle lies over all of another, to half a pixel.
func covers(r, of framing.Rect) bool {
	const near = 0.5
	return r.X <= of.X+near && r.Y <= of.Y+near && r.X+r.W >= of.X+of.W-near && r.Y+r.H >= of.Y+of.H-near
}

// tiltCovers is by how much a w×h rectangle must grow to cover what it covered when it is
// turned by degrees: cos φ + sin φ · max(w/h, h/w).
func tiltCovers(w, h, degrees float64) float64 {
	sin, cos := math.Sincos(math.Abs(degrees) * math.Pi / 180)
	return cos + sin*math.Max(w/h, h/w)
}

// looseShadow is the shadow of a picture that was made smaller than its place.
const looseShadow = 0.45

func centred(in framing.Rect, w, h float64) framing.Rect {
	return framing.Rect{X: in.X + (in.W-w)/2, Y: in.Y + (in.H-h)/2, W: w, H: h}
}

func (b *prints) inward(k design.MotionKind, i int) bool {
	switch k {
	case design.In:
		return true
	case design.OutOf:
		return false
	}
	return (b.rnd>>i)&1 == 0
}

// unitOf maps 16 bits to 0…1.
func unitOf(bits uint64) float64 { return float64(bits&0xffff) / 0xffff }

// focus is where the eye goes in a picture, in fractions of it as cropped:
// set by hand, the faces, or what stands out. keep is what a framing must not
// cut, empty if unknown.
func (b *prints) focus(m doc.Media) (at framing.Point, keep framing.Rect) {
	shot := b.doc.Shot(m.ID)
	for _, f := range m.Faces {
		// Room for hair and chin around what a detector takes for a face.
		r := framing.Rect{X: f.X - f.W*0.15, Y: f.Y - f.H*0.3, W: f.W * 1.3, H: f.H * 1.5}
		r = intersect(b.toCropped(r, shot), unit)
		if r.W <= 0 || r.H <= 0 {
			continue
		}
		if keep == (framing.Rect{}) {
			keep = r
		} else {
			keep = keep.Union(r)
		}
	}
	switch {
	case shot.Focal != nil:
		r := framing.Rect{X: shot.Focal.X, Y: shot.Focal.Y}
		if c := shot.Crop; c != (framing.Rect{}) {
			r.X, r.Y = (r.X-c.X)/c.W, (r.Y-c.Y)/c.H
		}
		return framing.Point{X: math.Max(0, math.Min(1, r.X)), Y: math.Max(0, math.Min(1, r.Y))}, keep
	case keep != (framing.Rect{}):
		return keep.Centre(), keep
	case m.Focus != (framing.Point{}):
		r := b.toCropped(framing.Rect{X: m.Focus.X, Y: m.Focus.Y}, shot)
		return framing.Point{X: math.Max(0, math.Min(1, r.X)), Y: math.Max(0, math.Min(1, r.Y))}, keep
	}
	return framing.Point{X: 0.5, Y: 0.42}, keep
}

// toCropped turns a rectangle in fractions of the upright file into one of
// the picture as turned and cropped.
func (b *prints) toCropped(r framing.Rect, s doc.Shot) framing.Rect {
	for range s.Turn {
		r = framing.Rect{X: 1 - r.Y - r.H, Y: r.X, W: r.H, H: r.W}
	}
	if c := s.Crop; c != (framing.Rect{}) {
		r = framing.Rect{X: (r.X - c.X) / c.W, Y: (r.Y - c.Y) / c.H, W: r.W / c.W, H: r.H / c.H}
	}
	return r
}

func intersect(a, o framing.Rect) framing.Rect {
	x, y := math.Max(a.X, o.X), math.Max(a.Y, o.Y)
	return framing.Rect{X: x, Y: y, W: math.Min(a.X+a.W, o.X+o.W) - x, H: math.Min(a.Y+a.H, o.Y+o.H) - y}
}

// windows is the framing a picture goes from and to, in fractions of it as
// cropped, and the zoom between them.
func (b *prints) windows(p placing) (from, to framing.Rect) {
	if p.fit != design.Fill {
		if p.motion.Kind == design.ByHand {
			return p.motion.From, p.motion.To
		}
		return unit, unit
	}
	aspect := p.inner.Aspect()
	at, keep := b.focus(p.m)
	kept := framing.Rect{X: keep.X * p.w, Y: keep.Y * p.h, W: keep.W * p.w, H: keep.H * p.h}
	full := framing.Fill(p.w, p.h, aspect, at)
	whole := true
	if keep.W > 0 {
		full, whole = framing.Cover(full, kept, p.w, p.h)
	}
	if p.motion.Kind == design.ByHand {
		return b.byHand(p)
	}
	other := full
	switch p.motion.Kind {
	case design.Still:
	case design.Pan:
		// Along the side on which something is cut away, else a gentle zoom's
		// worth across.
		z := 1 + math.Max(p.motion.Zoom, 0.04)
		win := framing.Zoom(full, z, framing.Point{X: 0.5, Y: 0.5})
		full, other = win, win
		spareX, spareY := p.w-win.W, p.h-win.H
		if spareX >= spareY {
			way := math.Min(spareX, win.W*math.Max(0.08, p.motion.Zoom*1.5))
			full.X, other.X = slideWithin(win.X, way, p.w-win.W)
		} else {
			way := math.Min(spareY, win.H*math.Max(0.08, p.motion.Zoom*1.5))
			full.Y, other.Y = slideWithin(win.Y, way, p.h-win.H)
		}
		if keep.W > 0 {
			full, _ = framing.Cover(full, kept, p.w, p.h)
			other, _ = framing.Cover(other, kept, p.w, p.h)
		}
	default:
		// Towards what the eye is drawn to, a little differently each time.
		aim := framing.Point{
			X: (at.X*p.w-full.X)/full.W + 0.2*p.aim.X,
			Y: (at.Y*p.h-full.Y)/full.H + 0.2*p.aim.Y,
		}
		other = framing.Zoom(full, 1+p.motion.Zoom, aim)
		if keep.W > 0 {
			moved, ok := framing.Cover(other, kept, p.w, p.h)
			other = clampTo(moved, full)
			if whole && !ok {
				// The zoom would cut a face that the framing keeps: zoom less.
				k := math.Max(1, math.Min(full.W/kept.W, full.H/kept.H))
				other = framing.Zoom(full, math.Min(1+p.motion.Zoom, k), aim)
				other, _ = framing.Cover(other, kept, p.w, p.h)
				other = clampTo(other, full)
			}
		}
	}
	if !whole {
		b.find(Finding{Kind: FaceCut, Media: p.m.ID})
	}
	from, to = fractions(full, p.w, p.h), fractions(other, p.w, p.h)
	if !p.inward {
		from, to = to, from
	}
	return from, to
}

// slideWithin spreads a way around a position, inside 0…limit.
func slideWithin(at, way, limit float64) (from, to float64) {
	from = math.Max(0, math.Min(at-way/2, limit-way))
	return from, math.Min(limit, from+way)
}

// clampTo moves r into o, which is at least as large.
func clampTo(r, o framing.Rect) framing.Rect {
	r.X = math.Max(o.X, math.Min(r.X, o.X+o.W-r.W))
	r.Y = math.Max(o.Y, math.Min(r.Y, o.Y+o.H-r.H))
	return r
}

func fractions(r framing.Rect, w, h float64) framing.Rect {
	return framing.Rect{X: r.X / w, Y: r.Y / h, W: r.W / w, H: r.H / h}
}

// byHand brings framings set by hand to the place's shape around their
// centres.
func (b *prints) byHand(p placing) (from, to framing.Rect) {
	shaped := func(r framing.Rect) framing.Rect {
		px := r.Scale(p.w, p.h)
		w, h := px.W, px.W/p.inner.Aspect()
		if h < px.H {
			w, h = px.H*p.inner.Aspect(), px.H
		}
		k := math.Min(1, math.Min(p.w/w, p.h/h))
		w, h = w*k, h*k
		c := px.Centre()
		out := framing.Rect{X: c.X - w/2, Y: c.Y - h/2, W: w, H: h}
		return fractions(clampTo(out, framing.Rect{W: p.w, H: p.h}), p.w, p.h)
	}
	return shaped(p.motion.From), shaped(p.motion.To)
}

func (b *prints) ease(m design.Motion) framing.Ease {
	if m.Ease == "" {
		return framing.InOut
	}
	return m.Ease
}

// sprite is the asset of a medium at a size at which its window is width
// pixels wide at its closest.
func (b *prints) sprite(p placing, closest, widest framing.Rect) Asset {
	a := Asset{Kind: Photo, Media: p.m.ID, Turn: b.doc.Shot(p.m.ID).Turn, Look: b.look(p.m.ID)}
	if p.m.Kind == doc.ClipMedia {
		a.Kind = Footage
		a.Begin, _ = b.doc.Cut(b.slide.Slide, p.m)
		a.Look.Grain, a.Look.Vignette = 0, 0 // laid over: see patina
	}
	full := b.fullSize(p.m)
	need := p.inner.W / (b.uncrop(p.m.ID, closest).W * full.X)
	if need > 1 {
		b.enlarged(p, need)
	}
	// A long zoom is prepared between its ends: bilinear sampling neither
	// shrinks nor enlarges well beyond about 1.4.
	if z := widest.W / closest.W; z > 1.4 {
		need /= math.Sqrt(z / 1.4)
	}
	k := math.Min(1, need)
	a.W, a.H = max(2, int(math.Ceil(full.X*k))), max(2, int(math.Ceil(full.Y*k)))
	return a
}

// sharpEnough: up to a quarter more than a picture's own pixels is not seen
// (common practice, no source).
const sharpEnough = 1.25

func (b *stage) enlarged(p placing, by float64) {
	if by > sharpEnough {
		b.find(Finding{Kind: Enlarged, Media: p.m.ID, By: by})
	}
}

// most is the share of a picture that a layout may cut away (common practice,
// no source).
const most = 1.0 / 3

// cropped finds pictures of which a layout cuts much away. What was framed by
// hand is meant.
func (b *stage) cropped(p placing, from, to framing.Rect) {
	seen := math.Max(from.W*from.H, to.W*to.H)
	if by := 1 - seen; by > most+1e-6 && p.motion.Kind != design.ByHand && p.m.Kind == doc.PhotoMedia &&
		b.slide.Kind == doc.Pictures {
		b.find(Finding{Kind: Cropped, Media: p.m.ID, By: by})
	}
}

// windowed is a picture or clip seen through its place: the place stands
// still and the window moves, or a whole picture swells a little.
func (b *prints) windowed(p placing) {
	b.shadow(p)
	if p.mat > 0 {
		b.matLayer(p)
	}
	from, to := b.windows(p)
	b.cropped(p, from, to)
	closest, widest := from, to
	if to.W < from.W {
		closest, widest = to, from
	}
	l := Layer{Asset: b.sprite(p, closest, widest), Place: Still(p.inner), Alpha: 1, Turn: p.tilt,
		Window: Move{From: b.uncrop(p.m.ID, from), To: b.uncrop(p.m.ID, to), Ease: b.ease(p.motion)}}
	if from == to {
		l.Window = Still(snapped(l.Window.From, l.Asset, p.inner))
	}
	if p.fit != design.Fill && p.motion.Kind != design.Still && p.motion.Kind != design.ByHand {
		l = b.swell(l, p.inner, p.outer, p.motion, p.inward)
	}
	if p.dress.Mask != "" || p.radius > 0 {
		l.Mask = Asset{
			Kind:   Mask,
			W:      max(2, int(math.Round(p.inner.W))),
			H:      max(2, int(math.Round(p.inner.H))),
			Radius: int(math.Round(p.radius)),
			Mask:   p.dress.Mask,
		}
	}
	b.add(l)
	b.patina(p, l)
}

// patina lays a look's dark corners and grain over a clip, which moves
// beneath them.
func (b *prints) patina(p placing, clip Layer) {
	lk := b.look(p.m.ID)
	if p.m.Kind != doc.ClipMedia || (lk.Vignette == 0 && lk.Grain == 0) {
		return
	}
	clip.Asset = Asset{
		Kind: Patina,
		W:    max(2, int(math.Round(p.inner.W))),
		H:    max(2, int(math.Round(p.inner.H))),
		Look: look.Look{Vignette: lk.Vignette, Grain: lk.Grain},
	}
	clip.Window = Still(unit)
	b.add(clip)
}

// snapped moves a still window onto whole pixels of its asset, where it is as
// large as its place to within a pixel: then the picture is shown as libvips
// scaled it, not sampled once more.
func snapped(window framing.Rect, a Asset, place framing.Rect) framing.Rect {
	w, h := float64(a.W), float64(a.H)
	px := window.Scale(w, h)
	if math.Abs(px.W-place.W) >= 1 || math.Abs(px.H-place.H) >= 1 || place.W > w || place.H > h ||
		place.W != math.Round(place.W) || place.H != math.Round(place.H) {
		return window
	}
	px.X, px.Y = math.Min(math.Round(px.X), w-place.W), math.Min(math.Round(px.Y), h-place.H)
	px.W, px.H = place.W, place.H
	return fractions(px, w, h)
}
