// Package raster holds pictures as planar 8-bit YCbCr 4:2:0 in limited range
// and composes them: sub-pixel sampling, fills, Porter–Duff over, dissolves.
//
// Chroma is sited as H.264 and H.262 do by default (ITU-T H.264 table E-2,
// chroma_sample_loc_type 0): on the left luma column of each pair, half-way
// between its two rows.
package raster

import (
	"fmt"
	"image"
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

// RGBA converts the frame for display on a screen.
func (f *Frame) RGBA(m Matrix) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, f.W, f.H))
	cw := f.W / 2
	for y := 0; y < f.H; y++ {
		// Vertically chroma lies between two rows: weights 3/4 and 1/4.
		near, far := y/2, y/2-1
		if y%2 == 1 {
			far = y/2 + 1
		}
		far = min(max(far, 0), f.H/2-1)
		row := img.Pix[y*img.Stride:]
		for x := 0; x < f.W; x++ {
			i0, i1 := x/2, x/2
			if x%2 == 1 && i1+1 < cw {
				i1++
			}
			u := (3*(int(f.U[near*cw+i0])+int(f.U[near*cw+i1])) + int(f.U[far*cw+i0]) + int(f.U[far*cw+i1]) + 4) / 8
			v := (3*(int(f.V[near*cw+i0])+int(f.V[near*cw+i1])) + int(f.V[far*cw+i0]) + int(f.V[far*cw+i1]) + 4) / 8
			r, g, b := m.rgb(int(f.Y[y*f.W+x]), u, v)
			row[4*x], row[4*x+1], row[4*x+2], row[4*x+3] = r, g, b, 255
		}
	}
	return img
}

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
