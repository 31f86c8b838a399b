package compose

import (
	"fmt"
	"math"

	"nelko/internal/core/drift"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/texture"
)

// Paint makes the sprites that need nothing from outside: shadows, masks,
// gradients, textures, particles, and prints without a picture. ok is false
// for other kinds.
func Paint(a scene.Asset, m raster.Matrix) (s *raster.Sprite, ok bool, err error) {
	switch a.Kind {
	case scene.Shadow:
		s, err = NewShadow(a, m)
	case scene.Mask:
		s, err = raster.NewSprite(maskPixels(a.W, a.H, a.Radius, a.Mask), m)
	case scene.Gradient:
		s, err = raster.NewSprite(gradient(a), m)
	case scene.Texture:
		s, err = raster.NewSprite(texture.Paint(a.Texture, a.W, a.H, a.Colour, a.Contrast, a.Seed), m)
	case scene.Speck:
		s, err = raster.NewSprite(drift.Paint(a.Particles, a.Variant, a.W, a.Colour), m)
	case scene.Print:
		if a.Media != "" {
			return nil, false, nil
		}
		s, err = NewPrint(raster.Pixels{}, a, m)
	default:
		return nil, false, nil
	}
	return s, true, err
}

// NewShadow makes the sprite of a Shadow asset: a black rectangle with soft
// edges, reaching three blur radii beyond it on each side.
func NewShadow(a scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	// Prepared at a quarter of the size: it has no detail.
	const q = 4
	spread := 3 * a.Blur
	w, h := max(1, (a.W+2*spread)/q), max(1, (a.H+2*spread)/q)
	p := raster.Pixels{W: w, H: h, Channels: 4, Pix: make([]byte, w*h*4)}
	for y := spread / q; y < h-spread/q; y++ {
		for x := spread / q; x < w-spread/q; x++ {
			p.Pix[(y*w+x)*4+3] = 255
		}
	}
	raster.Blur(p, max(1, a.Blur/q))
	return raster.NewSprite(p, m)
}

// maskPixels is a white shape with soft edges of one pixel: a rectangle with
// round corners, an oval, an arch, or a blot with an uneven edge.
func maskPixels(w, h, radius int, shape string) raster.Pixels {
	p := raster.Pixels{W: w, H: h, Channels: 4, Pix: make([]byte, w*h*4)}
	for y := range h {
		for x := range w {
			i := (y*w + x) * 4
			p.Pix[i], p.Pix[i+1], p.Pix[i+2] = 255, 255, 255
			p.Pix[i+3] = byte(255*cover(float64(x)+0.5, float64(y)+0.5, float64(w), float64(h), float64(radius), shape) + 0.5)
		}
	}
	return p
}

// cover is how much of a pixel at x, y lies in a shape of w×h pixels, by its
// distance from the edge.
func cover(x, y, w, h, radius float64, shape string) float64 {
	clamp := func(v float64) float64 { return math.Max(0, math.Min(1, v)) }
	switch shape {
	case "oval":
		dx, dy := (x-w/2)/(w/2), (y-h/2)/(h/2)
		return clamp((1-math.Hypot(dx, dy))*math.Min(w, h)/2 + 0.5)
	case "arch":
		r := math.Min(w/2, h)
		if y < r {
			dx, dy := (x-w/2)/(w/2), (y-r)/r
			return clamp((1-math.Hypot(dx, dy))*math.Min(w/2, r) + 0.5)
		}
		return clamp(math.Min(x, w-x)+0.5) * clamp(h-y+0.5)
	case "blot":
		u, v := x/w, y/h
		edge := math.Min(math.Min(u, 1-u)*w/math.Min(w, h), math.Min(v, 1-v)*h/math.Min(w, h))
		n := texture.Cloud(u*9*w/math.Min(w, h), v*9*h/math.Min(w, h), 3, 31)
		return clamp((edge - 0.16*n + 0.03) * 26)
	}
	r := math.Min(radius, math.Min(w, h)/2)
	dx, dy := math.Max(0, math.Max(r-x, x-(w-r))), math.Max(0, math.Max(r-y, y-(h-r)))
	if dx > 0 && dy > 0 {
		return clamp(r - math.Hypot(dx, dy) + 0.5)
	}
	return clamp(math.Min(math.Min(x, w-x), math.Min(y, h-y)) + 0.5)
}

// gradient runs from Colour to Second, with a grain of half a code value so
// that no steps show.
func gradient(a scene.Asset) raster.Pixels {
	p := raster.Pixels{W: a.W, H: a.H, Channels: 3, Pix: make([]byte, a.W*a.H*3)}
	sin, cos := math.Sincos(a.Degrees * math.Pi / 180)
	reach := math.Abs(cos)*float64(a.W) + math.Abs(sin)*float64(a.H)
	for y := range a.H {
		for x := range a.W {
			t := ((float64(x)+0.5-float64(a.W)/2)*cos+(float64(y)+0.5-float64(a.H)/2)*sin)/reach + 0.5
			h := uint32(x)*0x9e3779b1 ^ uint32(y)*0x85ebca77
			h ^= h >> 15
			h *= 0x2c1b3c6d
			grain := float64(h>>24)/255 - 0.5
			i := (y*a.W + x) * 3
			for c, v := range [3][2]byte{{a.Colour.R, a.Second.R}, {a.Colour.G, a.Second.G}, {a.Colour.B, a.Second.B}} {
				p.Pix[i+c] = byte(math.Max(0, math.Min(255, float64(v[0])*(1-t)+float64(v[1])*t+grain+0.5)))
			}
		}
	}
	return p
}

// NewPrint dresses a picture, already cut to its window and scaled to the
// print's inside (the print's size less its mat), with mat, corners, mask and
// shadow, and turns it. Without pixels the print is its mat's colour all
// over.
func NewPrint(in raster.Pixels, a scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	iw, ih := a.W-2*a.Mat, a.H-2*a.Mat
	if in.W > 0 && (in.W != iw || in.H != ih) {
		return nil, fmt.Errorf("print: picture of %d×%d for a place of %d×%d", in.W, in.H, iw, ih)
	}
	flat := printPixels(in, a)
	w, h := a.PrintSize()
	out := raster.Pixels{W: w, H: h, Channels: 4, Pix: make([]byte, w*h*4)}
	if a.Shadow > 0 && a.Blur > 0 {
		castShadow(out, flat, a)
	}
	lay(out, flat, a.Degrees, 0, func(dst, src []byte, alpha float64) {
		below := float64(dst[3]) / 255
		sum := alpha + below*(1-alpha)
		if sum <= 0 {
			return
		}
		for c := range 3 {
			dst[c] = byte((float64(src[c])*alpha+float64(dst[c])*below*(1-alpha))/sum + 0.5)
		}
		dst[3] = byte(sum*255 + 0.5)
	})
	return raster.NewSprite(out, m)
}

// printPixels is the print lying straight.
func printPixels(in raster.Pixels, a scene.Asset) raster.Pixels {
	p := raster.Pixels{W: a.W, H: a.H, Channels: 4, Pix: make([]byte, a.W*a.H*4)}
	outerMask, innerMask, innerRadius := "", a.Mask, a.Radius
	if a.Mat == 0 {
		outerMask = a.Mask
	} else if a.Radius > 0 {
		innerRadius = max(0, a.Radius-a.Mat)
	}
	for y := range a.H {
		for x := range a.W {
			i := (y*a.W + x) * 4
			c := [3]byte{a.Colour.R, a.Colour.G, a.Colour.B}
			ix, iy := x-a.Mat, y-a.Mat
			if in.W > 0 && ix >= 0 && iy >= 0 && ix < in.W && iy < in.H {
				j := (iy*in.W + ix) * in.Channels
				k := 1.0
				if in.Channels == 4 {
					k = float64(in.Pix[j+3]) / 255
				}
				if a.Mat > 0 {
					k *= cover(float64(ix)+0.5, float64(iy)+0.5, float64(in.W), float64(in.H), float64(innerRadius), innerMask)
				}
				for n := range c {
					c[n] = byte(float64(in.Pix[j+n])*k + float64(c[n])*(1-k) + 0.5)
				}
			}
			copy(p.Pix[i:], c[:])
			p.Pix[i+3] = byte(255*cover(float64(x)+0.5, float64(y)+0.5, float64(a.W), float64(a.H), float64(a.Radius), outerMask) + 0.5)
			if a.Mat == 0 && in.Channels == 4 {
				p.Pix[i+3] = byte(int(p.Pix[i+3]) * int(in.Pix[(y*in.W+x)*4+3]) / 255)
			}
		}
	}
	return p
}

// lay draws flat, turned about its centre, into the middle of out (down px
// lower), calling put for every pixel it covers.
func lay(out, flat raster.Pixels, degrees, down float64, put func(dst, src []byte, alpha float64)) {
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	cx, cy := float64(out.W)/2, float64(out.H)/2+down
	fx, fy := float64(flat.W)/2, float64(flat.H)/2
	var px [4]byte
	for y := range out.H {
		for x := range out.W {
			dx, dy := float64(x)+0.5-cx, float64(y)+0.5-cy
			u, v := dx*cos+dy*sin+fx, -dx*sin+dy*cos+fy
			edge := math.Min(math.Min(u, float64(flat.W)-u), math.Min(v, float64(flat.H)-v)) + 0.5
			if edge <= 0 {
				continue
			}
			a := sample(flat, u-0.5, v-0.5, &px)
			if a *= math.Min(1, edge); a > 0 {
				put(out.Pix[(y*out.W+x)*4:], px[:], a)
			}
		}
	}
}

// sample reads straight-alpha pixels bilinearly, ends repeated, and returns
// the alpha as 0 to 1.
func sample(p raster.Pixels, u, v float64, px *[4]byte) float64 {
	u, v = math.Max(0, math.Min(u, float64(p.W-1))), math.Max(0, math.Min(v, float64(p.H-1)))
	x, y := int(u), int(v)
	x1, y1 := min(x+1, p.W-1), min(y+1, p.H-1)
	tx, ty := u-float64(x), v-float64(y)
	a, b := p.Pix[(y*p.W+x)*4:], p.Pix[(y*p.W+x1)*4:]
	c, d := p.Pix[(y1*p.W+x)*4:], p.Pix[(y1*p.W+x1)*4:]
	for k := range 4 {
		top := float64(a[k])*(1-tx) + float64(b[k])*tx
		bottom := float64(c[k])*(1-tx) + float64(d[k])*tx
		px[k] = byte(top*(1-ty) + bottom*ty + 0.5)
	}
	return float64(px[3]) / 255
}

// castShadow lays a print's soft shadow, a little below it.
func castShadow(out, flat raster.Pixels, a scene.Asset) {
	const q = 4
	small := raster.Pixels{W: out.W/q + 1, H: out.H/q + 1, Channels: 4}
	small.Pix = make([]byte, small.W*small.H*4)
	lay(out, flat, a.Degrees, float64(a.Blur)*0.7, func(dst, _ []byte, alpha float64) { dst[3] = byte(alpha*255 + 0.5) })
	for y := range small.H {
		for x := range small.W {
			sum, n := 0, 0
			for j := y * q; j < min(out.H, (y+1)*q); j++ {
				for i := x * q; i < min(out.W, (x+1)*q); i++ {
					sum, n = sum+int(out.Pix[(j*out.W+i)*4+3]), n+1
				}
			}
			if n > 0 {
				small.Pix[(y*small.W+x)*4+3] = byte(sum / n)
			}
		}
	}
	raster.Blur(small, max(1, a.Blur/q))
	var px [4]byte
	for y := range out.H {
		for x := range out.W {
			k := sample(small, (float64(x)+0.5)/q-0.5, (float64(y)+0.5)/q-0.5, &px)
			i := (y*out.W + x) * 4
			out.Pix[i], out.Pix[i+1], out.Pix[i+2], out.Pix[i+3] = 0, 0, 0, byte(255*k*a.Shadow+0.5)
		}
	}
}
