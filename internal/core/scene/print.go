package scene

import (
	"math"

	"nelko/internal/core/design"
	"nelko/internal/core/framing"
)

func (b *prints) matLayer(p placing) {
	if p.tilt == 0 && p.radius == 0 {
		b.add(Layer{Asset: Asset{Kind: Fill, Colour: p.dress.MatRGB}, Place: Still(p.outer), Alpha: 1})
		return
	}
	a := Asset{
		Kind:    Print,
		W:       int(math.Round(p.outer.W)),
		H:       int(math.Round(p.outer.H)),
		Degrees: p.tilt,
		Colour:  p.dress.MatRGB,
		Radius:  int(math.Round(p.radius + p.mat)),
	}
	w, h := a.PrintSize()
	b.add(Layer{
		Asset:  a,
		Place:  Still(centred(p.outer, float64(w), float64(h))),
		Window: Still(unit),
		Alpha:  1,
	})
}

// PrintSize is the size in pixels of a Print's sprite: the turned rectangle
// and its shadow.
func (a Asset) PrintSize() (w, h int) {
	sin, cos := math.Sincos(a.Degrees * math.Pi / 180)
	sin, cos = math.Abs(sin), math.Abs(cos)
	room := float64(2 * (3*a.Blur + 2))
	return int(math.Ceil(float64(a.W)*cos+float64(a.H)*sin+room))/2*2 + 2,
		int(math.Ceil(float64(a.W)*sin+float64(a.H)*cos+room))/2*2 + 2
}

// print is a picture drawn once with all it wears, then moved as a whole.
func (b *prints) print(p placing) {
	from, _ := b.windows(placing{
		m:      p.m,
		fit:    p.fit,
		w:      p.w,
		h:      p.h,
		inner:  p.inner,
		motion: design.Motion{Kind: design.Still},
		inward: true,
	})
	b.cropped(p, from, from)
	crop := b.uncrop(p.m.ID, from)
	full := b.fullSize(p.m)
	if need := p.inner.W / (crop.W * full.X); need > 1 {
		b.enlarged(p, need)
	}
	a := Asset{
		Kind:    Print,
		Media:   p.m.ID,
		Turn:    b.doc.Shot(p.m.ID).Turn,
		Look:    b.look(p.m.ID),
		Crop:    crop,
		W:       int(math.Round(p.outer.W)),
		H:       int(math.Round(p.outer.H)),
		Mat:     int(math.Round(p.mat)),
		Colour:  p.dress.MatRGB,
		Radius:  int(math.Round(p.radius)),
		Mask:    p.dress.Mask,
		Degrees: p.tilt,
		Shadow:  p.dress.Shadow,
	}
	if p.dress.Shadow > 0 {
		a.Blur = b.shadowBlur()
	}
	w, h := a.PrintSize()
	r := centred(p.outer, float64(w), float64(h))
	b.add(b.swell(Layer{Asset: a, Window: Still(unit), Alpha: 1, Place: Still(r)}, r, r, p.motion, p.inward))
}

// swell lets a whole picture grow or shrink a little around the centre of its
// mat; half the zoom, so that it never leaves its place.
func (b *prints) swell(l Layer, r, around framing.Rect, m design.Motion, inward bool) Layer {
	if m.Kind == design.Still || m.Kind == design.ByHand {
		l.Place = Still(r)
		return l
	}
	k := 1 - math.Min(0.2, m.Zoom/2)
	c := around.Centre()
	small := framing.Rect{X: c.X + (r.X-c.X)*k, Y: c.Y + (r.Y-c.Y)*k, W: r.W * k, H: r.H * k}
	l.Place = Move{From: small, To: r, Ease: b.ease(m)}
	if !inward {
		l.Place.From, l.Place.To = r, small
	}
	return l
}

func (b *prints) shadowBlur() int { return max(2, int(b.short()*0.012)) }

func (b *prints) shadow(p placing) {
	if p.dress.Shadow <= 0 {
		return
	}
	blur := b.shadowBlur()
	if p.tilt != 0 {
		a := Asset{
			Kind:    Print,
			W:       int(math.Round(p.outer.W)),
			H:       int(math.Round(p.outer.H)),
			Degrees: p.tilt,
			Blur:    blur,
			Shadow:  p.dress.Shadow,
			Colour:  p.dress.MatRGB,
		}
		w, h := a.PrintSize()
		b.add(Layer{
			Asset:  a,
			Place:  Still(centred(p.outer, float64(w), float64(h))),
			Window: Still(unit),
			Alpha:  1,
		})
		return
	}
	place := p.outer.Inset(-float64(3 * blur))
	place.Y += b.short() * 0.008
	b.add(Layer{
		Asset: Asset{Kind: Shadow, W: int(p.outer.W), H: int(p.outer.H), Blur: blur},
		Place: Still(place), Window: Still(unit), Alpha: p.dress.Shadow,
	})
}
