// Package texture paints backdrops from nothing but a seed: papers and cloths
// on which pictures lie.
package texture

import (
	"math"

	"nelko/internal/core/raster"
)

// Kind is a texture by name.
type Kind string

// The textures.
const (
	Paper   Kind = "paper"
	Linen   Kind = "linen"
	Canvas  Kind = "canvas"
	Plaster Kind = "plaster"
	Felt    Kind = "felt"
	Wood    Kind = "wood"
	Slate   Kind = "slate"
	Ripple  Kind = "ripple"
)

// Kinds lists all textures.
var Kinds = []Kind{Paper, Linen, Canvas, Plaster, Felt, Wood, Slate, Ripple}

// Valid reports whether k is a known texture.
func (k Kind) Valid() bool {
	for _, x := range Kinds {
		if x == k {
			return true
		}
	}
	return false
}

// Paint fills w×h pixels with a texture in the given colour. contrast 0 is
// flat, 1 strong. Details are sized by the shorter side, so that every
// resolution shows the same cloth.
func Paint(k Kind, w, h int, c raster.RGB, contrast float64, seed uint64) raster.Pixels {
	p := raster.Pixels{W: w, H: h, Channels: 3, Pix: make([]byte, w*h*3)}
	// One unit is a 540th of the shorter side: about the size of a thread.
	unit := 540 / float64(min(w, h))
	n := noise{uint32(seed) ^ uint32(seed>>32)}
	for y := range h {
		v := float64(y) * unit
		for x := range w {
			u := float64(x) * unit
			s := 1 + contrast*shade(k, u, v, n)
			i := (y*w + x) * 3
			p.Pix[i], p.Pix[i+1], p.Pix[i+2] = scale(c.R, s), scale(c.G, s), scale(c.B, s)
		}
	}
	return p
}

func scale(v byte, s float64) byte { return byte(math.Max(0, math.Min(255, float64(v)*s+0.5))) }

// shade is how much lighter or darker the texture is at a point, about −0.5
// to 0.5.
func shade(k Kind, u, v float64, n noise) float64 {
	broad := n.cloud(u/160, v/160, 3) - 0.5
	switch k {
	case Linen:
		warp := math.Sin(u*2.1+3*n.at(u/40, v/9)) * (0.6 + 0.4*n.at(u/3, v/50))
		weft := math.Sin(v*2.1+3*n.at(u/9, v/40)) * (0.6 + 0.4*n.at(u/50, v/3))
		return 0.09*warp + 0.09*weft + 0.12*broad
	case Canvas:
		a, b := math.Sin(u*1.25), math.Sin(v*1.25)
		return 0.14*a*b + 0.05*(n.at(u/2, v/2)-0.5) + 0.16*broad
	case Plaster:
		return 0.5*(n.cloud(u/30, v/30, 5)-0.5) + 0.2*broad
	case Felt:
		return 0.22*(n.at(u/1.4, v/1.4)-0.5) + 0.16*(n.cloud(u/12, v/12, 2)-0.5) + 0.1*broad
	case Wood:
		grain := n.cloud(u/220, v/5, 4)
		ring := math.Sin(v/7 + 6*n.cloud(u/300, v/60, 2))
		return 0.3*(grain-0.5) + 0.07*ring + 0.1*broad
	case Slate:
		return 0.4*(n.cloud(u/45, v/18, 5)-0.5) + 0.08*(n.at(u/1.5, v/1.5)-0.5)
	case Ripple:
		d := v + 9*n.cloud(u/120, v/60, 2)
		return 0.13*math.Sin(d/6+2*n.at(u/60, v/30)) + 0.18*broad
	}
	// Paper: fibres and a soft unevenness.
	return 0.1*(n.cloud(u/2.4, v/2.4, 2)-0.5) + 0.12*(n.cloud(u/24, v/24, 3)-0.5) + 0.16*broad
}

// noise is value noise on a lattice.
type noise struct{ seed uint32 }

func (n noise) cell(x, y int32) float64 {
	h := uint32(x)*0x9e3779b1 ^ uint32(y)*0x85ebca77 ^ n.seed
	h ^= h >> 15
	h *= 0x2c1b3c6d
	h ^= h >> 12
	h *= 0x297a2d39
	h ^= h >> 15
	return float64(h>>8) / (1 << 24)
}

func (n noise) at(x, y float64) float64 {
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := x-fx, y-fy
	tx, ty = tx*tx*(3-2*tx), ty*ty*(3-2*ty)
	ix, iy := int32(fx), int32(fy)
	top := n.cell(ix, iy)*(1-tx) + n.cell(ix+1, iy)*tx
	bottom := n.cell(ix, iy+1)*(1-tx) + n.cell(ix+1, iy+1)*tx
	return top*(1-ty) + bottom*ty
}

// cloud sums octaves of noise, each half as strong and twice as fine.
func (n noise) cloud(x, y float64, octaves int) float64 {
	sum, weight, total := 0.0, 1.0, 0.0
	for range octaves {
		sum += weight * n.at(x, y)
		total += weight
		weight /= 2
		x, y = x*2+17.3, y*2+5.1
	}
	return sum / total
}

// Cloud is soft noise from 0 to 1 with features of about one unit.
func Cloud(x, y float64, octaves int, seed uint64) float64 {
	return noise{uint32(seed) ^ uint32(seed>>32)}.cloud(x, y, octaves)
}
