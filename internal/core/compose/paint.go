package compose

import (
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
	case scene.Patina:
		s, err = raster.NewSprite(a.Look.Patina(a.W, a.H), m)
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

// NewShadow makes the sprite of a Shadow asset: a rectangle of its colour with soft
// edges, reaching three blur radii beyond it on each side.
func NewShadow(a scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	// Prepared at a quarter of the size: it has no detail.
	const q = 4
	spread := 3 * a.Blur
	w, h := max(1, (a.W+2*spread)/q), max(1, (a.H+2*spread)/q)
	p := raster.Pixels{W: w, H: h, Channels: 4, Pix: make([]byte, w*h*4)}
	for y := spread / q; y < h-spread/q; y++ {
		for x := spread / q; x < w-spread/q; x++ {
			copy(p.Pix[(y*w+x)*4:], []byte{a.Colour.R, a.Colour.G, a.Colour.B, 255})
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
			p.Pix[i+3] = byte(255*cover(float64(x)+0.5, float64(y)+0.5, float64(w), float64(h),
				float64(radius), shape) + 0.5)
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
			for c, v := range [3][2]byte{{a.Colour.R, a.Second.R}, {a.Colour.G, a.Second.G},
				{a.Colour.B, a.Second.B}} {
				p.Pix[i+c] = byte(math.Max(0, math.Min(255, float64(v[0])*(1-t)+float64(v[1])*t+grain+0.5)))
			}
		}
	}
	return p
}
