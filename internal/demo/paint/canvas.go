// Package paint makes the demo's photographs and clips: invented harbour
// scenes drawn from a seed. Nothing in them exists.
package paint

import (
	"image"
	"math"
	"math/rand/v2"

	"golang.org/x/image/vector"

	"nelko/internal/core/raster"
)

// rgb is a linear-ish colour, 0 to 1 and above for lights.
type rgb [3]float64

func (c rgb) mix(o rgb, t float64) rgb {
	return rgb{c[0] + (o[0]-c[0])*t, c[1] + (o[1]-c[1])*t, c[2] + (o[2]-c[2])*t}
}

func (c rgb) times(k float64) rgb { return rgb{c[0] * k, c[1] * k, c[2] * k} }

func hex(v uint32) rgb {
	return rgb{float64(v>>16&255) / 255, float64(v>>8&255) / 255, float64(v&255) / 255}
}

// canvas is a picture being painted. Positions are in units of its height,
// so that a scene is the same at any size; x runs from 0 to aspect.
type canvas struct {
	w, h   int
	aspect float64
	px     []float32
	rng    *rand.Rand
}

func newCanvas(w, h int, seed uint64) *canvas {
	return &canvas{
		w:      w,
		h:      h,
		aspect: float64(w) / float64(h),
		px:     make([]float32, w*h*3),
		rng:    rand.New(rand.NewPCG(seed, 77)),
	}
}

func (c *canvas) rnd(lo, hi float64) float64 { return lo + c.rng.Float64()*(hi-lo) }

// each calls f for every pixel of rows y0 to y1 (in heights).
func (c *canvas) each(y0, y1 float64, f func(x, y float64) rgb) {
	h := float64(c.h)
	for j := max(0, int(y0*h)); j < min(c.h, int(math.Ceil(y1*h))); j++ {
		for i := range c.w {
			v := f((float64(i)+0.5)/h, (float64(j)+0.5)/h)
			p := c.px[(j*c.w+i)*3:]
			p[0], p[1], p[2] = float32(v[0]), float32(v[1]), float32(v[2])
		}
	}
}

func (c *canvas) at(x, y float64) rgb {
	i := min(max(int(x*float64(c.h)), 0), c.w-1)
	j := min(max(int(y*float64(c.h)), 0), c.h-1)
	p := c.px[(j*c.w+i)*3:]
	return rgb{float64(p[0]), float64(p[1]), float64(p[2])}
}

type pt struct{ x, y float64 }

// shape fills a smooth or straight outline with a colour that may change with
// height.
func (c *canvas) shape(outline []pt, alpha float64, colour func(x, y float64) rgb) {
	if len(outline) < 3 {
		return
	}
	h := float64(c.h)
	lo, hi := outline[0], outline[0]
	for _, p := range outline {
		lo, hi = pt{math.Min(lo.x, p.x), math.Min(lo.y, p.y)}, pt{math.Max(hi.x, p.x), math.Max(hi.y, p.y)}
	}
	x0, y0 := max(0, int(lo.x*h)-1), max(0, int(lo.y*h)-1)
	x1, y1 := min(c.w, int(hi.x*h)+2), min(c.h, int(hi.y*h)+2)
	if x1 <= x0 || y1 <= y0 {
		return
	}
	r := vector.NewRasterizer(x1-x0, y1-y0)
	for i, p := range outline {
		x, y := float32(p.x*h)-float32(x0), float32(p.y*h)-float32(y0)
		if i == 0 {
			r.MoveTo(x, y)
		} else {
			r.LineTo(x, y)
		}
	}
	r.ClosePath()
	mask := image.NewAlpha(image.Rect(0, 0, x1-x0, y1-y0))
	r.Draw(mask, mask.Bounds(), image.Opaque, image.Point{})
	for j := y0; j < y1; j++ {
		for i := x0; i < x1; i++ {
			a := float32(mask.Pix[(j-y0)*mask.Stride+i-x0]) / 255 * float32(alpha)
			if a == 0 {
				continue
			}
			v := colour((float64(i)+0.5)/h, (float64(j)+0.5)/h)
			p := c.px[(j*c.w+i)*3:]
			for k := range 3 {
				p[k] += (float32(v[k]) - p[k]) * a
			}
		}
	}
}

func plain(v rgb) func(x, y float64) rgb { return func(_, _ float64) rgb { return v } }

func (c *canvas) poly(v rgb, alpha float64, pts ...pt) { c.shape(pts, alpha, plain(v)) }

func (c *canvas) ellipse(cx, cy, rx, ry, turn float64, v rgb, alpha float64) {
	var o []pt
	sin, cos := math.Sincos(turn)
	for i := range 40 {
		s, k := math.Sincos(2 * math.Pi * float64(i) / 40)
		x, y := rx*k, ry*s
		o = append(o, pt{cx + x*cos - y*sin, cy + x*sin + y*cos})
	}
	// A little light from above gives roundness.
	c.shape(o, alpha, func(_, y float64) rgb { return v.times(1.08 - 0.22*(y-cy+ry)/(2*ry)) })
}

// stroke draws a line of the given thickness.
func (c *canvas) stroke(a, b pt, thick float64, v rgb, alpha float64) {
	dx, dy := b.x-a.x, b.y-a.y
	l := math.Hypot(dx, dy)
	if l == 0 {
		return
	}
	nx, ny := -dy/l*thick/2, dx/l*thick/2
	c.poly(v, alpha, pt{a.x + nx, a.y + ny}, pt{b.x + nx, b.y + ny}, pt{b.x - nx, b.y - ny},
		pt{a.x - nx, a.y - ny})
}

// glow adds light around a point.
func (c *canvas) glow(cx, cy, radius float64, v rgb, strength float64) {
	h := float64(c.h)
	for j := max(0, int((cy-3*radius)*h)); j < min(c.h, int((cy+3*radius)*h)); j++ {
		for i := max(0, int((cx-3*radius)*h)); i < min(c.w, int((cx+3*radius)*h)); i++ {
			d := math.Hypot((float64(i)+0.5)/h-cx, (float64(j)+0.5)/h-cy) / radius
			a := strength * math.Exp(-d*d*1.2)
			p := c.px[(j*c.w+i)*3:]
			for k := range 3 {
				p[k] += float32(v[k] * a)
			}
		}
	}
}

// noise is smooth value noise in 0…1, the same everywhere for one seed.
type noise uint64

func (n noise) lattice(x, y int64) float64 {
	v := uint64(x)*0x9e3779b97f4a7c15 ^ uint64(y)*0xc2b2ae3d27d4eb4f ^ uint64(n)
	v ^= v >> 31
	v *= 0xbf58476d1ce4e5b9
	v ^= v >> 29
	return float64(v>>40) / (1 << 24)
}

func (n noise) at(x, y float64) float64 {
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := x-fx, y-fy
	tx, ty = tx*tx*(3-2*tx), ty*ty*(3-2*ty)
	ix, iy := int64(fx), int64(fy)
	a := n.lattice(ix, iy)
	b := n.lattice(ix+1, iy)
	d := n.lattice(ix, iy+1)
	e := n.lattice(ix+1, iy+1)
	return a + (b-a)*tx + (d-a)*ty + (a-b-d+e)*tx*ty
}

// fractal sums octaves of noise to 0…1.
func (n noise) fractal(x, y float64, octaves int) float64 {
	sum, amp, total := 0.0, 1.0, 0.0
	for range octaves {
		sum += amp * n.at(x, y)
		total += amp
		amp *= 0.5
		x, y = x*2.03+17.1, y*2.03+9.7
	}
	return sum / total
}

// soften blurs the whole picture: what lies out of focus.
func (c *canvas) soften(radius float64) {
	p := c.pixels(1)
	raster.Blur(p, max(1, int(radius*float64(c.h))))
	for i, v := range p.Pix {
		c.px[i] = float32(inverse[v])
	}
}

var inverse = func() (t [256]float64) {
	for i := range t {
		t[i] = uncurve(float64(i) / 255)
	}
	return t
}()

// curve is the film's response: highlights roll off instead of clipping.
func curve(v float64) float64 {
	if v <= 0 {
		return 0
	}
	if v < 0.7 {
		return v
	}
	return 1 - 0.3*math.Exp(-(v-0.7)/0.3)
}

func uncurve(v float64) float64 {
	if v < 0.7 {
		return v
	}
	return 0.7 - 0.3*math.Log(math.Max(1e-3, (1-v)/0.3))
}

func (c *canvas) pixels(_ int) raster.Pixels {
	p := raster.Pixels{W: c.w, H: c.h, Channels: 3, Pix: make([]byte, len(c.px))}
	for i, v := range c.px {
		p.Pix[i] = byte(curve(float64(v))*255 + 0.5)
	}
	return p
}

// finish adds what a camera adds: vignette, grain and a colour cast.
func (c *canvas) finish(cast rgb, vignette, grain float64) raster.Pixels {
	g := rand.New(rand.NewPCG(c.rng.Uint64(), 3))
	for j := range c.h {
		for i := range c.w {
			dx, dy := float64(i)/float64(c.w)-0.5, float64(j)/float64(c.h)-0.5
			k := 1 - vignette*(dx*dx+dy*dy)*1.6
			n := (g.Float64() + g.Float64() - 1) * grain
			p := c.px[(j*c.w+i)*3:]
			for ch := range 3 {
				p[ch] = float32(float64(p[ch])*k*cast[ch] + n)
			}
		}
	}
	return c.pixels(1)
}
