package raster

import (
	"math"

	"nelko/internal/core/framing"
)

// DrawTurned is Draw with place turned about its centre by the given degrees,
// clockwise. It is the general path; upright places take the faster one.
func (f *Frame) DrawTurned(s *Sprite, place, window framing.Rect, degrees, opacity float64) {
	if degrees == 0 {
		f.Draw(s, place, window, opacity)
		return
	}
	o := uint32(math.Round(opacity * 256))
	if o == 0 || place.W <= 0 || place.H <= 0 || window.W <= 0 || window.H <= 0 {
		return
	}
	t := turn{window: window, opacity: o}
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	c := place.Centre()
	kx, ky := window.W/place.W, window.H/place.H
	// Source position of the frame's origin and its steps along x and y.
	t.ux, t.uy = cos*kx, sin*kx
	t.vx, t.vy = -sin*ky, cos*ky
	t.u0 = window.X + window.W/2 - c.X*t.ux - c.Y*t.uy
	t.v0 = window.Y + window.H/2 - c.X*t.vx - c.Y*t.vy
	hw, hh := (place.W*math.Abs(cos)+place.H*math.Abs(sin))/2+2,
		(place.W*math.Abs(sin)+place.H*math.Abs(cos))/2+2
	box := framing.Rect{X: c.X - hw, Y: c.Y - hh, W: 2 * hw, H: 2 * hh}
	scw, sch := (s.W+1)/2, (s.H+1)/2
	t.draw(f.Y, f.W, f.H, s.Y, s.A, s.W, s.H, box, 1, 0.5, 0.5)
	t.draw(f.U, f.W/2, f.H/2, s.U, s.A2, scw, sch, box, 2, 0.5, 1)
	t.draw(f.V, f.W/2, f.H/2, s.V, s.A2, scw, sch, box, 2, 0.5, 1)
}

// turn maps frame pixels to sprite pixels: u = u0 + x·ux + y·uy, likewise v.
type turn struct {
	u0, ux, uy, v0, vx, vy float64
	window                 framing.Rect
	opacity                uint32
}

// draw composes one plane, whose samples stand step pixels apart, sited at sx
// and sy pixels.
func (t *turn) draw(dst []byte, dw, dh int, src, alpha []byte, sw, sh int, box framing.Rect, step, sx,
	sy float64) {
	x0, x1 := max(0, int((box.X-sx)/step)), min(dw-1, int((box.X+box.W-sx)/step)+1)
	y0, y1 := max(0, int((box.Y-sy)/step)), min(dh-1, int((box.Y+box.H-sy)/step)+1)
	if x1 < x0 {
		return
	}
	values, strengths := make([]byte, x1-x0+1), make([]byte, x1-x0+1)
	for y := y0; y <= y1; y++ {
		fy := float64(y)*step + sy
		for x := x0; x <= x1; x++ {
			fx := float64(x)*step + sx
			u, v := t.u0+fx*t.ux+fy*t.uy, t.v0+fx*t.vx+fy*t.vy
			cover := edge(u, t.window.X, t.window.W) * edge(v, t.window.Y, t.window.H)
			i := x - x0
			if cover <= 0 {
				values[i], strengths[i] = 0, 0
				continue
			}
			at := newTap((u-sx)/step, (v-sy)/step, sw, sh)
			c := at.of(src)
			a := uint32(255)
			if alpha != nil {
				a = at.of(alpha)
			}
			k := uint32(cover*256 + 0.5)
			strengths[i] = byte(a * k >> 8)
			if alpha == nil {
				values[i] = byte(div255(c * uint32(strengths[i])))
			} else {
				values[i] = byte(c * k >> 8)
			}
		}
		over(dst[y*dw+x0:y*dw+x1+1], values, strengths, t.opacity)
	}
}

// edge is how much of a pixel at u lies between lo and lo+size.
func edge(u, lo, size float64) float64 {
	return math.Max(0, math.Min(1, math.Min(u-lo, lo+size-u)+0.5))
}

// tap is a bilinear reading position.
type tap struct {
	i00, i01, i10, i11 int
	wx, wy             uint32
}

func newTap(x, y float64, w, h int) tap {
	x, y = math.Max(0, math.Min(x, float64(w-1))), math.Max(0, math.Min(y, float64(h-1)))
	ix, iy := int(x), int(y)
	jx, jy := min(ix+1, w-1), min(iy+1, h-1)
	return tap{iy*w + ix, iy*w + jx, jy*w + ix, jy*w + jx, uint32((x - float64(ix)) * 256),
		uint32((y - float64(iy)) * 256)}
}

func (t *tap) of(p []byte) uint32 {
	top := uint32(p[t.i00])*(256-t.wx) + uint32(p[t.i01])*t.wx
	bottom := uint32(p[t.i10])*(256-t.wx) + uint32(p[t.i11])*t.wx
	return (top*(256-t.wy) + bottom*t.wy + 32768) >> 16
}
