// Package drift moves and paints small particles: snow, leaves, sparks. Where
// each one is at a moment follows from the seed alone.
package drift

import (
	"math"

	"nelko/internal/core/design"
	"nelko/internal/core/raster"
)

// Speck is one particle at one moment. X and Y are its centre in fractions of
// the frame, Size its width as a share of the frame's shorter side.
type Speck struct {
	X, Y, Size, Degrees, Opacity float64
	Variant                      int
}

// Variants is how many pictures a drift has.
const Variants = 4

// habit is how a kind of particle behaves. Speeds are frames' heights or
// widths a second.
type habit struct {
	count           int
	size, vary      float64
	fall, wind      float64
	sway, swayHertz float64
	turn            float64 // degrees a second
	twinkle         float64 // 0 steady … 1 goes out wholly
	turns           bool    // drawn at an angle
}

var habits = map[design.Particles]habit{
	"snow":    {count: 90, size: 0.012, vary: 0.8, fall: 0.09, wind: 0.015, sway: 0.012, swayHertz: 0.3},
	"sparkle": {count: 36, size: 0.045, vary: 0.7, twinkle: 1, fall: -0.006},
	"leaves": {
		count:     16,
		size:      0.055,
		vary:      0.5,
		fall:      0.1,
		wind:      0.05,
		sway:      0.05,
		swayHertz: 0.25,
		turn:      50,
		turns:     true,
	},
	"petals": {
		count:     26,
		size:      0.026,
		vary:      0.5,
		fall:      0.075,
		wind:      0.04,
		sway:      0.04,
		swayHertz: 0.35,
		turn:      70,
		turns:     true,
	},
	"confetti": {
		count:     60,
		size:      0.02,
		vary:      0.5,
		fall:      0.16,
		sway:      0.02,
		swayHertz: 0.6,
		turn:      160,
		turns:     true,
	},
	"hearts": {
		count:     20,
		size:      0.042,
		vary:      0.6,
		fall:      -0.06,
		wind:      0.01,
		sway:      0.025,
		swayHertz: 0.3,
		turn:      12,
		turns:     true,
	},
	"embers": {
		count:     44,
		size:      0.009,
		vary:      0.8,
		fall:      -0.08,
		wind:      0.02,
		sway:      0.02,
		swayHertz: 0.5,
		twinkle:   0.6,
	},
	"bokeh": {
		count:     30,
		size:      0.15,
		vary:      0.7,
		fall:      -0.012,
		wind:      0.008,
		sway:      0.01,
		swayHertz: 0.1,
		twinkle:   0.5,
	},
}

// Turns reports whether particles of the kind are drawn at an angle.
func Turns(k design.Particles) bool { return habits[k].turns }

// Specks are the particles at a moment in seconds, in a frame of the given
// aspect. density and size are factors, 1 is usual.
func Specks(k design.Particles, density, size float64, seed uint64, seconds, aspect float64) []Speck {
	h := habits[k]
	if size == 0 {
		size = 1
	}
	area := math.Max(aspect, 1/aspect)
	n := int(math.Round(float64(h.count) * density * area / (16.0 / 9)))
	out := make([]Speck, 0, n)
	for i := range n {
		r := dice(seed + uint64(i)*0x9e3779b97f4a7c15)
		s := Speck{Variant: int(r(0) * Variants), Size: h.size * size * (1 - h.vary/2 + h.vary*r(1))}
		// Larger ones are nearer and move faster.
		near := 0.6 + 0.8*s.Size/(h.size*size)/1.4
		margin := s.Size * 1.5
		s.Y = cycle(r(2)+seconds*h.fall*near*(0.8+0.4*r(3)), margin)
		s.X = cycle(r(4)+seconds*h.wind*near, margin) +
			h.sway*math.Sin(2*math.Pi*(seconds*h.swayHertz*(0.7+0.6*r(5))+r(6)))
		s.Degrees = 360*r(7) + h.turn*seconds*(r(8)*2-1)
		s.Opacity = 1
		if h.twinkle > 0 {
			t := 0.5 + 0.5*math.Sin(2*math.Pi*(seconds*(0.15+0.35*r(9))+r(10)))
			s.Opacity = 1 - h.twinkle*(1-t*t)
		}
		out = append(out, s)
	}
	return out
}

// cycle keeps v within the frame and a margin around it, coming in again on
// the other side.
func cycle(v, margin float64) float64 {
	span := 1 + 2*margin
	v = math.Mod(v+margin, span)
	if v < 0 {
		v += span
	}
	return v - margin
}

// dice gives numbers from 0 to 1 by index.
func dice(seed uint64) func(k int) float64 {
	return func(k int) float64 {
		x := seed ^ uint64(k+1)*0xbf58476d1ce4e5b9
		x ^= x >> 30
		x *= 0x94d049bb133111eb
		x ^= x >> 31
		x *= 0xbf58476d1ce4e5b9
		return float64(x>>40) / (1 << 24)
	}
}

// palettes are the particles' own colours, by variant.
var palettes = map[design.Particles][Variants]raster.RGB{
	"snow": {{
		R: 255,
		G: 255,
		B: 255,
	}, {R: 244, G: 248, B: 255}, {R: 255, G: 255, B: 255}, {R: 236, G: 242, B: 250}},
	"sparkle": {{
		R: 255,
		G: 250,
		B: 226,
	}, {R: 255, G: 238, B: 196}, {R: 255, G: 255, B: 255}, {R: 255, G: 244, B: 214}},
	"leaves": {{
		R: 178,
		G: 88,
		B: 34,
	}, {R: 206, G: 138, B: 42}, {R: 140, G: 58, B: 36}, {R: 120, G: 116, B: 48}},
	"petals": {{
		R: 250,
		G: 214,
		B: 220,
	}, {R: 246, G: 192, B: 204}, {R: 255, G: 236, B: 236}, {R: 240, G: 176, B: 190}},
	"confetti": {{
		R: 222,
		G: 86,
		B: 70,
	}, {R: 240, G: 184, B: 62}, {R: 62, G: 142, B: 150}, {R: 122, G: 96, B: 168}},
	"hearts": {{
		R: 206,
		G: 58,
		B: 74,
	}, {R: 226, G: 96, B: 108}, {R: 240, G: 150, B: 152}, {R: 178, G: 38, B: 58}},
	"embers": {{
		R: 255,
		G: 156,
		B: 64,
	}, {R: 255, G: 196, B: 104}, {R: 255, G: 120, B: 44}, {R: 255, G: 220, B: 150}},
	"bokeh": {{
		R: 255,
		G: 226,
		B: 170,
	}, {R: 255, G: 204, B: 140}, {R: 214, G: 232, B: 255}, {R: 255, G: 240, B: 214}},
}

// Paint paints a variant of a particle into a square of the given side, with
// transparency. A tint other than black replaces the particle's own colour.
func Paint(k design.Particles, variant, side int, tint raster.RGB) raster.Pixels {
	c := palettes[k][variant%Variants]
	if tint != (raster.RGB{}) {
		c = tint
	}
	p := raster.Pixels{W: side, H: side, Channels: 4, Pix: make([]byte, side*side*4)}
	const sub = 3 // samples a pixel in each direction
	for y := range side {
		for x := range side {
			a, light := 0.0, 0.0
			for j := range sub {
				for i := range sub {
					u := (float64(x)+(float64(i)+0.5)/sub)/float64(side)*2 - 1
					v := (float64(y)+(float64(j)+0.5)/sub)/float64(side)*2 - 1
					ai, li := form(k, u, v)
					a, light = a+ai, light+li
				}
			}
			a, light = a/(sub*sub), light/(sub*sub)
			o := (y*side + x) * 4
			p.Pix[o], p.Pix[o+1], p.Pix[o+2] = shade(c.R, light), shade(c.G, light), shade(c.B, light)
			p.Pix[o+3] = byte(math.Max(0, math.Min(1, a))*255 + 0.5)
		}
	}
	return p
}

func shade(v byte, light float64) byte {
	return byte(math.Max(0, math.Min(255, float64(v)*(1+light)+0.5)))
}

// form is a particle's coverage and relief at a point of the square −1…1.
func form(k design.Particles, u, v float64) (alpha, light float64) {
	r := math.Hypot(u, v)
	switch k {
	case "sparkle":
		// Four rays and a core.
		rays := math.Exp(-14*math.Abs(u))*math.Max(0, 1-math.Abs(v)) + math.Exp(-14*math.Abs(v))*math.Max(0,
			1-math.Abs(u))
		return math.Min(1, rays+math.Exp(-40*r*r)) * math.Max(0, 1-r*r), 0
	case "leaves":
		half := 0.46 * math.Sin(math.Pi*math.Min(1, math.Max(0, (u+1)/2))) * (1 - 0.25*u)
		if math.Abs(v) < half {
			vein := math.Exp(-60 * v * v)
			return 0.94, 0.18*v/math.Max(0.1, half) - 0.22*vein
		}
		if u > 0.7 && math.Abs(v) < 0.03 {
			return 0.9, -0.3
		}
		return 0, 0
	case "petals":
		x, y := u*0.9, v*1.5
		if x*x+y*y < 0.8 && u < 0.75-0.5*v*v {
			return 0.86, 0.1*u - 0.12*v
		}
		return 0, 0
	case "confetti":
		if math.Abs(u) < 0.75 && math.Abs(v) < 0.4 {
			return 0.95, 0.16 * u
		}
		return 0, 0
	case "hearts":
		// The algebraic heart (x² + y² − 1)³ = x²y³, a little below the middle.
		x, y := u*1.28, -v*1.28+0.1
		if q := x*x + y*y - 1; q*q*q-x*x*y*y*y < 0 {
			return 0.9, 0.16 * (y - x) * 0.5
		}
		return 0, 0
	case "embers":
		return math.Min(1, 1.2*math.Exp(-5*r*r)), 0.2 * math.Exp(-20*r*r)
	case "bokeh":
		if r > 0.96 {
			return 0, 0
		}
		rim := math.Exp(-90 * (r - 0.88) * (r - 0.88))
		return (0.3 + 0.25*rim) * math.Min(1, (0.96-r)*16), 0
	}
	return math.Max(0, 1-r*r) * math.Exp(-1.5*r*r), 0
}
