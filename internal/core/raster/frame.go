// Package raster holds pictures as planar 8-bit YCbCr 4:2:0 in limited range
// and composes them: sub-pixel sampling, fills, Porter–Duff over, dissolves.
//
// Chroma is sited as H.264 and H.262 do by default (ITU-T H.264 table E-2,
// chroma_sample_loc_type 0): on the left luma column of each pair, half-way
// between its two rows.
package raster

import (
	"fmt"
	"math"
)

// Frame is one picture of a film. Width and height are even. Y holds one byte
// per pixel, U (Cb) and V (Cr) one per 2×2 pixels, rows without padding.
type Frame struct {
	W, H    int
	Y, U, V []byte
}

// NewFrame returns a black frame. The sides must be positive and even.
func NewFrame(w, h int) *Frame {
	if w <= 0 || h <= 0 || w%2 != 0 || h%2 != 0 {
		panic(fmt.Sprintf("raster: frame of %d×%d; sides must be positive and even", w, h))
	}
	f := &Frame{W: w, H: h, Y: make([]byte, w*h), U: make([]byte, w*h/4), V: make([]byte, w*h/4)}
	f.Clear(Black)
	return f
}

// Clear fills the whole frame with one colour.
func (f *Frame) Clear(c Colour) {
	fill(f.Y, c.Y)
	fill(f.U, c.U)
	fill(f.V, c.V)
}

func fill(p []byte, v byte) {
	if len(p) == 0 {
		return
	}
	p[0] = v
	for n := 1; n < len(p); n *= 2 {
		copy(p[n:], p[:n])
	}
}

// Copy makes f equal to o, which must have the same size.
func (f *Frame) Copy(o *Frame) {
	copy(f.Y, o.Y)
	copy(f.U, o.U)
	copy(f.V, o.V)
}

// RGB converts the frame for display on a screen, to pixels of 3 channels.
func (f *Frame) RGB(m Matrix) Pixels {
	p := Pixels{W: f.W, H: f.H, Channels: 3, Pix: make([]byte, f.W*f.H*3)}
	cw := f.W / 2
	// Chroma of one row in eighths, at every second pixel and one beyond.
	u, v := make([]int32, cw+1), make([]int32, cw+1)
	c := &tables[m]
	for y := 0; y < f.H; y++ {
		// Vertically chroma lies between two rows: weights 3/4 and 1/4.
		near, far := y/2, y/2-1
		if y%2 == 1 {
			far = y/2 + 1
		}
		far = min(max(far, 0), f.H/2-1)
		nu, fu, nv, fv := f.U[near*cw:][:cw], f.U[far*cw:][:cw], f.V[near*cw:][:cw], f.V[far*cw:][:cw]
		for x := range cw {
			u[x], v[x] = 3*int32(nu[x])+int32(fu[x]), 3*int32(nv[x])+int32(fv[x])
		}
		u[cw], v[cw] = u[cw-1], v[cw-1]
		luma, row := f.Y[y*f.W:][:f.W], p.Pix[3*y*f.W:][:3*f.W]
		for k := range cw {
			two, px := luma[2*k:2*k+2], row[6*k:6*k+6:6*k+6]
			c.rgb(px[:3], two[0], (2*u[k]+4)/8-128, (2*v[k]+4)/8-128)
			c.rgb(px[3:], two[1], (u[k]+u[k+1]+4)/8-128, (v[k]+v[k+1]+4)/8-128)
		}
	}
	return p
}

// rgb writes one colour; cu and cv are without their offset.
func (c *coefficients) rgb(px []byte, luma byte, cu, cv int32) {
	l := c.iy*(int32(luma)-16) + fixed/2
	px[0], px[1], px[2] = clip((l+c.irv*cv)>>16), clip((l+c.igu*cu+c.igv*cv)>>16), clip((l+c.ibu*cu)>>16)
}

// Share is how far a dissolve has gone, from 0 to 1, as Dissolve and Add have it.
func Share(s float64) int { return int(math.Round(256 * math.Max(0, math.Min(1, s)))) }

// Dissolve makes f the mix of a and b: share 0 is a, 256 is b. The three
// frames have one size; f may be a or b.
func (f *Frame) Dissolve(a, b *Frame, share int) {
	switch {
	case share <= 0:
		f.Copy(a)
		return
	case share >= 256:
		f.Copy(b)
		return
	}
	blend(f.Y, a.Y, b.Y, uint32(share))
	blend(f.U, a.U, b.U, uint32(share))
	blend(f.V, a.V, b.V, uint32(share))
}
