package transition

import (
	"math"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
)

// painter draws the kinds that are more than an order of points.
type painter struct {
	t         Transition
	dst, a, b *raster.Frame
	s, w, h   float64
	all       framing.Rect
	m         raster.Matrix
}

func (p *painter) draw() {
	switch p.t.Kind {
	case "cut":
		if p.s < 0.5 {
			p.dst.Copy(p.a)
		} else {
			p.dst.Copy(p.b)
		}
	case "glow":
		p.glow()
	case "through":
		p.through()
	case "push", "cover", "reveal", "drift":
		p.slide()
	case "zoom-through", "swell", "sink":
		p.zoom()
	case "fold":
		p.fold()
	case "page":
		p.page()
	case "light":
		p.light()
	case "blur":
		p.blur()
	default:
		p.dst.Dissolve(p.a, p.b, raster.Share(p.s))
	}
}

// smooth is 3t²−2t³ on 0…1.
func smooth(t float64) float64 { return framing.InOut.At(t) }

// glow adds light: the second slide comes before the first has gone.
func (p *painter) glow() {
	p.dst.Add(p.a, p.b, raster.Share(smooth(math.Min(1, (1-p.s)*1.2))),
		raster.Share(smooth(math.Min(1, p.s*1.2))))
}

// through goes by way of a colour.
func (p *painter) through() {
	from, k := p.a, p.s*2
	if p.s >= 0.5 {
		from, k = p.b, 2-p.s*2
	}
	p.dst.Copy(from)
	p.dst.Fill(p.all, p.t.Colour.In(p.m), smooth(k))
}

// towards is the unit step of the direction.
func (p *painter) towards() (x, y float64) {
	switch p.t.Direction {
	case Left:
		return -1, 0
	case Up:
		return 0, -1
	case Down:
		return 0, 1
	}
	return 1, 0
}

// at puts a whole frame with its corner at x, y shares of the frame.
func (p *painter) at(f *raster.Frame, x, y, opacity float64) {
	p.dst.Draw(f.Sprite(), framing.Rect{X: x * p.w, Y: y * p.h, W: p.w, H: p.h}, p.all, opacity)
}

func (p *painter) slide() {
	dx, dy := p.towards()
	s := p.s
	switch p.t.Kind {
	case "push":
		p.edge(p.a, dx*s, dy*s) // under the pixel in which both meet
		p.at(p.a, dx*s, dy*s, 1)
		p.at(p.b, dx*(s-1), dy*(s-1), 1)
	case "cover":
		p.edge(p.a, dx*s*0.18, dy*s*0.18)
		p.at(p.a, dx*s*0.18, dy*s*0.18, 1)
		p.dst.Fill(p.all, raster.Black, 0.35*s)
		p.at(p.b, dx*(s-1), dy*(s-1), 1)
	case "reveal":
		p.edge(p.b, dx*(s-1)*0.18, dy*(s-1)*0.18)
		p.at(p.b, dx*(s-1)*0.18, dy*(s-1)*0.18, 1)
		p.dst.Fill(p.all, raster.Black, 0.35*(1-s))
		p.at(p.a, dx*s, dy*s, 1)
	default: // drift: both glide a little while they dissolve
		p.scaled(p.a, 1.08, dx*s*0.035, dy*s*0.035, 1)
		p.scaled(p.b, 1.08, dx*(s-1)*0.035, dy*(s-1)*0.035, smooth(s))
		// At the ends the glide has to be none: ease back to the plain frames.
		p.settle()
	}
}

// edge repeats a frame's border over the strip it will leave bare when moved,
// and the pixels in which it ends.
func (p *painter) edge(f *raster.Frame, x, y float64) {
	px, py := x*p.w, y*p.h
	switch {
	case px > 0:
		p.dst.Draw(f.Sprite(), framing.Rect{W: math.Ceil(px/2)*2 + 2, H: p.h}, framing.Rect{W: 1, H: p.h}, 1)
	case px < 0:
		p.dst.Draw(f.Sprite(), framing.Rect{
			X: math.Floor((p.w+px)/2)*2 - 2,
			W: p.w,
			H: p.h,
		}, framing.Rect{X: p.w - 1, W: 1, H: p.h}, 1)
	case py > 0:
		p.dst.Draw(f.Sprite(), framing.Rect{W: p.w, H: math.Ceil(py/2)*2 + 2}, framing.Rect{W: p.w, H: 1}, 1)
	case py < 0:
		p.dst.Draw(f.Sprite(), framing.Rect{
			Y: math.Floor((p.h+py)/2)*2 - 2,
			W: p.w,
			H: p.h,
		}, framing.Rect{Y: p.h - 1, W: p.w, H: 1}, 1)
	}
}

// scaled draws a frame k times its size about its centre, moved.
func (p *painter) scaled(f *raster.Frame, k, x, y, opacity float64) {
	r := framing.Rect{X: p.w*(1-k)/2 + x*p.w, Y: p.h*(1-k)/2 + y*p.h, W: p.w * k, H: p.h * k}
	p.dst.Draw(f.Sprite(), r, p.all, opacity)
}

// settle brings a drifting mix back to the plain slides at both ends.
func (p *painter) settle() {
	const ramp = 0.18
	if p.s < ramp {
		p.dst.Dissolve(p.a, p.dst, raster.Share(smooth(p.s/ramp)))
	} else if p.s > 1-ramp {
		p.dst.Dissolve(p.b, p.dst, raster.Share(smooth((1-p.s)/ramp)))
	}
}

func (p *painter) zoom() {
	s := p.s
	switch p.t.Kind {
	case "zoom-through":
		// The coming slide opens out of the middle while the old one passes by.
		p.scaled(p.a, 1+1.2*s*s, 0, 0, 1)
		f := spare(p.dst.W, p.dst.H)
		defer frames.Put(f)
		f.Copy(p.dst)
		k := 0.6 + 0.4*framing.Out.At(1.8*s)
		f.Draw(p.b.Sprite(), framing.Rect{
			X: p.w * (1 - k) / 2,
			Y: p.h * (1 - k) / 2,
			W: p.w * k,
			H: p.h * k,
		}, p.all, 1)
		p.dst.Reveal(f, Transition{Kind: "iris"}.maps(p.dst.W, p.dst.H), s, 0.2)
	case "swell":
		p.dst.Copy(p.b)
		p.scaled(p.a, 1+0.35*s, 0, 0, 1-smooth(s))
	default: // sink: the coming slide settles from larger
		p.dst.Copy(p.a)
		p.scaled(p.b, 1+0.3*(1-s), 0, 0, smooth(s))
	}
}

// fold turns the two slides like the faces of a block.
func (p *painter) fold() {
	s := smooth(p.s)
	d := p.t.Direction
	if d == Up || d == Down {
		hb := p.h * s
		top, bottom := p.a, p.b
		y := p.h - hb
		if d == Down {
			top, bottom, y = p.b, p.a, hb
		}
		// under the row in which both meet
		p.dst.Draw(top.Sprite(), framing.Rect{W: p.w, H: math.Ceil(y/2)*2 + 2}, p.all, 1)
		p.dst.Draw(bottom.Sprite(), framing.Rect{Y: y, W: p.w, H: p.h - y}, p.all, 1)
	} else {
		wb := p.w * s
		left, right := p.a, p.b
		x := p.w - wb
		if d == Right {
			left, right, x = p.b, p.a, wb
		}
		p.dst.Draw(left.Sprite(), framing.Rect{W: math.Ceil(x/2)*2 + 2, H: p.h}, p.all, 1)
		p.dst.Draw(right.Sprite(), framing.Rect{X: x, W: p.w - x, H: p.h}, p.all, 1)
	}
	p.shadeFold(s)
}

// shadeFold darkens the face that turns away, then the one that turns in.
func (p *painter) shadeFold(s float64) {
	d := p.t.Direction
	face := func(share float64, first bool) framing.Rect {
		switch d {
		case Up:
			if first {
				return framing.Rect{W: p.w, H: p.h * share}
			}
			return framing.Rect{Y: p.h * (1 - share), W: p.w, H: p.h * share}
		case Down:
			if first {
				return framing.Rect{Y: p.h * (1 - share), W: p.w, H: p.h * share}
			}
			return framing.Rect{W: p.w, H: p.h * share}
		case Right:
			if first {
				return framing.Rect{X: p.w * (1 - share), W: p.w * share, H: p.h}
			}
			return framing.Rect{W: p.w * share, H: p.h}
		}
		if first {
			return framing.Rect{W: p.w * share, H: p.h}
		}
		return framing.Rect{X: p.w * (1 - share), W: p.w * share, H: p.h}
	}
	p.dst.Fill(face(1-s, true), raster.Black, 0.5*s)
	p.dst.Fill(face(s, false), raster.Black, 0.5*(1-s))
}

// page lifts the first slide like a sheet: it narrows towards the edge it is
// bound at; its back, through which the picture shows mirrored, follows light, and
// shadows fall on what is below and on its front.
func (p *painter) page() {
	s := smooth(p.s)
	p.dst.Copy(p.b)
	// The edge of the sheet travels from one side to the other; behind it the
	// sheet's back, paler and narrower, lies on what is still to be turned.
	x0, w := p.w*(1-s), p.w
	back := math.Min(p.w*s*0.45, x0)
	horizontal := p.t.Direction == Left || p.t.Direction == Right || p.t.Direction == ""
	mirror := p.t.Direction == Right || p.t.Direction == Down
	if !horizontal {
		w = p.h
		x0 = p.h * (1 - s)
		back = math.Min(p.h*s*0.45, x0)
	}
	strip := func(from, to float64) framing.Rect {
		if mirror {
			from, to = w-to, w-from
		}
		if horizontal {
			return framing.Rect{X: from, W: to - from, H: p.h}
		}
		return framing.Rect{Y: from, W: p.w, H: to - from}
	}
	front := strip(0, x0)
	p.dst.Draw(p.a.Sprite(), front, front, 1)
	const steps = 40
	shadow := w * 0.05 * math.Min(1, 4*s*(1-s)+0.2)
	for i := range steps {
		lo, hi := x0+shadow*float64(i)/steps, x0+shadow*float64(i+1)/steps
		p.dst.Fill(strip(lo, math.Min(w, hi)), raster.Black, 0.34*(1-float64(i)/steps)*math.Min(1, 6*(1-s)))
	}
	// It throws a little shade on the front it lies on.
	for i := range steps {
		lo, hi := x0-back-shadow*0.5*float64(i+1)/steps, x0-back-shadow*0.5*float64(i)/steps
		p.dst.Fill(strip(math.Max(0, lo), math.Max(0, hi)), raster.Black, 0.2*(1-float64(i)/steps)*math.Min(1,
			6*p.s))
	}
	pale := raster.RGB{R: 236, G: 233, B: 226}.In(p.m)
	folded := w - x0 // of the sheet, which shows through from the other side
	for i := range backSteps {
		from, to := float64(i)/backSteps, float64(i+1)/backSteps
		// Strips overlap by a pixel, so that no seam shows between them.
		lo, hi := x0-back*to, x0-back*from
		r := strip(math.Max(0, lo-1), hi)
		p.dst.Fill(r, pale, 1)
		p.dst.Draw(p.a.Sprite(), r, strip(x0+folded*from, x0+folded*to), showsThrough)
		p.dst.Fill(r, raster.Black, curl((from+to)/2))
	}
}

// The back of a turning sheet is drawn in so many strips, each with what shows
// through the paper.
const (
	backSteps    = 96
	showsThrough = 0.24
)

// curl is the shade on the back of a turning sheet, 0 at the fold and 1 at
// its edge: dark in the bend, bright a third in, dimmer to the edge.
func curl(t float64) float64 {
	return 0.34*math.Exp(-9*t) + 0.16*math.Pow(math.Max(0, t-0.25), 1.4)
}

// light sweeps over the frame and takes the first slide with it.
func (p *painter) light() {
	wipe := Transition{Kind: "wipe", Direction: p.t.Direction, Soft: 0.4}
	p.dst.Copy(p.a)
	p.dst.Reveal(p.b, wipe.maps(p.dst.W, p.dst.H), p.s, 0.4)
	c := p.t.Colour
	if c == (raster.RGB{}) {
		c = raster.RGB{R: 255, G: 236, B: 205}
	}
	// The glare is strongest along the edge and half-way through.
	glare := math.Sin(math.Pi * p.s)
	dx, dy := p.towards()
	const bands = 40
	for i := range bands {
		lo, hi := float64(i)/bands, float64(i+1)/bands
		at := (lo+hi)/2 - (p.s*1.4 - 0.2)
		k := glare * 0.85 * math.Exp(-at*at*26)
		if k < 0.01 {
			continue
		}
		r := framing.Rect{X: lo * p.w, W: (hi - lo) * p.w, H: p.h}
		switch {
		case dx < 0:
			r.X = (1 - hi) * p.w
		case dy > 0:
			r = framing.Rect{Y: lo * p.h, W: p.w, H: (hi - lo) * p.h}
		case dy < 0:
			r = framing.Rect{Y: (1 - hi) * p.h, W: p.w, H: (hi - lo) * p.h}
		}
		p.dst.Fill(r, c.In(p.m), k)
	}
}

// blur softens the first slide away and lets the second come out of it.
func (p *painter) blur() {
	soft := 1 - math.Abs(2*p.s-1) // 0 at the ends, 1 half-way
	p.soften(p.a, smooth(math.Min(1, soft*1.2)))
	p.soften(p.b, smooth(math.Min(1, soft*1.2)))
	p.dst.Dissolve(p.a, p.b, raster.Share(smooth(math.Max(0, math.Min(1, (p.s-0.25)*2)))))
}

// soften mixes a frame with a copy of itself out of focus.
func (p *painter) soften(f *raster.Frame, k float64) {
	const by = 12
	w, h := max(2, p.dst.W/by/2*2), max(2, p.dst.H/by/2*2)
	half := raster.NewFrame(max(2, p.dst.W/4*2), max(2, p.dst.H/4*2))
	small := raster.NewFrame(w, h)
	shrink := func(from, to *raster.Frame) {
		to.Draw(from.Sprite(), framing.Rect{
			W: float64(to.W),
			H: float64(to.H),
		}, framing.Rect{W: float64(from.W), H: float64(from.H)}, 1)
	}
	shrink(f, half)
	quarter := raster.NewFrame(max(2, half.W/4*2), max(2, half.H/4*2))
	shrink(half, quarter)
	shrink(quarter, small)
	// Back up in two steps, so that no grid shows.
	shrink(small, quarter)
	big := spare(f.W, f.H)
	defer frames.Put(big)
	shrink(quarter, big)
	f.Dissolve(f, big, raster.Share(k))
}
