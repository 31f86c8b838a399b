package paint

import (
	"fmt"
	"math"
	"slices"

	"nelko/internal/core/raster"
)

// Scene is what a picture shows.
type Scene string

// The scenes of Saltmere.
const (
	Race       Scene = "race"       // a crew rowing by day
	Start      Scene = "start"      // several boats in line
	Quay       Scene = "quay"       // pennants over the quay
	Portrait   Scene = "portrait"   // one of the crew, close
	Pair       Scene = "pair"       // two of them
	Lanterns   Scene = "lanterns"   // lantern boats by night
	Headland   Scene = "headland"   // the bay and its lighthouse at dusk
	Lighthouse Scene = "lighthouse" // the lighthouse, upright
	Pots       Scene = "pots"       // a shelf of the pottery guild
	Evening    Scene = "evening"    // a hall with strings of lights
)

// Spec is one picture to be painted.
type Spec struct {
	Scene Scene
	W, H  int
	Seed  uint64
	Club  [2]uint32 // the crew's colours
	Time  float64   // seconds, for clips
}

type painter func(*canvas, Spec)

var scenes = map[Scene]painter{
	Race: race, Start: start, Quay: quay, Portrait: portrait, Pair: portrait, Lanterns: lanterns,
	Headland: headland, Lighthouse: lighthouse, Pots: pots, Evening: evening,
}

// Paint paints one picture.
func Paint(s Spec) (raster.Pixels, error) {
	f, ok := scenes[s.Scene]
	if !ok {
		return raster.Pixels{}, fmt.Errorf("paint: no scene %q", s.Scene)
	}
	c := newCanvas(s.W, s.H, s.Seed)
	f(c, s)
	cast := rgb{1 + c.rnd(-0.04, 0.05), 1, 1 + c.rnd(-0.05, 0.04)}
	return c.finish(cast, c.rnd(0.2, 0.45), c.rnd(0.012, 0.03)), nil
}

type palette struct{ zenith, horizon, cloud, cloudShade, water, deep, sun rgb }

var daylight = []palette{
	{hex(0x3f7fb5), hex(0xcfe3ea), hex(0xffffff), hex(0x9fb3c2), hex(0x4f7f93), hex(0x153f52), hex(0xfff4d8)},
	{hex(0x5b93b8), hex(0xe9e4d2), hex(0xfffaf0), hex(0xb4b3b4), hex(0x6d8f94), hex(0x27505a), hex(0xffeec2)},
	{hex(0x2f6aa8), hex(0xa9d2e8), hex(0xf7fbff), hex(0x8aa7c0), hex(0x2d7e93), hex(0x0d3a52), hex(0xfffbe8)},
	{hex(0x8899a6), hex(0xd5d9d8), hex(0xeceeee), hex(0x87919a), hex(0x6b7f86), hex(0x2f434c), hex(0xf4efe2)},
}

var dusk = []palette{
	{hex(0x1f2f5c), hex(0xf2955f), hex(0xe9a08a), hex(0x5c4a78), hex(0x57506f), hex(0x131c36), hex(0xffc77d)},
	{hex(0x2a3a66), hex(0xe9b08a), hex(0xf0b9a2), hex(0x6d5d86), hex(0x6a6580), hex(0x1b2440), hex(0xffd9a0)},
	{hex(0x18264f), hex(0xc9607a), hex(0xd98a97), hex(0x4b3d6e), hex(0x4a4470), hex(0x10162f), hex(0xffae8a)},
}

var night = palette{hex(0x060b1c), hex(0x24345c), hex(0x1c2745), hex(0x0c1328), hex(0x16233f), hex(0x04070f),
	hex(0x9fb4d8)}

// sky paints the sky down to the horizon; the sun stands at sx.
func (c *canvas) sky(p palette, horizon, sx float64, clouds float64) {
	n := noise(c.rng.Uint64())
	sy := horizon * c.rnd(0.45, 0.95)
	c.each(0, horizon+0.01, func(x, y float64) rgb {
		t := math.Pow(y/horizon, 1.5)
		v := p.zenith.mix(p.horizon, t)
		d := math.Hypot(x-sx, y-sy)
		v = v.mix(p.sun, 0.55*math.Exp(-d*d*7))
		depth := 0.25 + y/horizon*1.4
		f := n.fractal(x*1.7+3, y*4.2*depth, 5)
		k := math.Max(0, (f-(0.72-clouds*0.3))*4.5)
		k = math.Min(1, k) * (0.9 - 0.35*t)
		shade := n.fractal(x*1.7+3.05, (y+0.025)*4.2*depth, 4)
		return v.mix(p.cloud.mix(p.cloudShade, math.Min(1, math.Max(0, (shade-0.42)*3.2))), k)
	})
}

// land paints layered headlands above the horizon, the farther the hazier.
func (c *canvas) land(p palette, horizon float64, layers int, tint rgb) {
	for l := range layers {
		n := noise(c.rng.Uint64())
		near := float64(l+1) / float64(layers)
		height := (0.05 + 0.09*near) * c.rnd(0.7, 1.2)
		from := c.rnd(-0.3, 0.5) * c.aspect
		side := c.rnd(0, 1) < 0.5
		v := tint.mix(p.horizon, 0.78-0.55*near)
		var o []pt
		for i := 0; i <= 160; i++ {
			x := c.aspect * float64(i) / 160
			f := n.fractal(x*2.2+9, 1, 5)
			reach := (x - from) / c.aspect * 1.6
			if side {
				reach = (c.aspect - x - from) / c.aspect * 1.6
			}
			o = append(o, pt{x, horizon - height*f*math.Min(1, math.Max(0, reach))*1.3})
		}
		o = append(o, pt{c.aspect, horizon + 0.004}, pt{0, horizon + 0.004})
		grain := noise(c.rng.Uint64())
		c.shape(o, 1, func(x, y float64) rgb {
			return v.times(0.86 + 0.3*grain.fractal(x*28, y*34, 3)*near + 0.1*(1-near))
		})
	}
}

// sea paints water that mirrors what is above the horizon, broken by ripples.
func (c *canvas) sea(p palette, horizon, sx, time float64) {
	n := noise(c.rng.Uint64())
	c.each(horizon, 1, func(x, y float64) rgb {
		d := (y - horizon) / (1 - horizon)
		// Ripples lie flat and grow towards the viewer.
		fy := 9 * math.Log(d+0.05)
		r := n.fractal(x*4.5+time*0.35, fy*3.2+time*0.8, 3) - 0.5
		r2 := n.at(x*26+time*0.6, fy*9-time)
		mirror := c.at(x+r*0.05*(0.3+d), math.Max(0, horizon-(y-horizon)*0.8-math.Abs(r)*0.12*d))
		v := mirror.mix(p.water, 0.3+0.32*d).mix(p.deep, math.Min(0.75, d*0.65+0.5*math.Max(0, r)))
		glint := math.Max(0, r2-0.66) * 2.4 * math.Exp(-math.Pow((x-sx)*(1.6+1.2*(1-d)), 2))
		v = v.mix(p.sun, math.Min(0.85, glint*(1.25-d*0.5)))
		return v.times(1 + 0.16*(r2-0.5))
	})
}

var skins = []rgb{hex(0xf0cdb0), hex(0xd9a57c), hex(0xa9714a), hex(0x6f4630), hex(0xe6bd9a)}
var hairs = []rgb{hex(0x2b1d14), hex(0x5c3a1e), hex(0x9c6b35), hex(0x17130f), hex(0xb9b2a8), hex(0x7a2f16)}

// crew draws a rowing boat at x, y (the waterline of its middle), size long.
func (c *canvas) crew(x, y, size float64, club [2]uint32, stroke float64, light float64) {
	main, second := hex(club[0]).times(light), hex(club[1]).times(light)
	// Reflection first, then the hull over it.
	c.shape([]pt{{x - size*0.48, y}, {x + size*0.5, y}, {x + size*0.36, y + size*0.1},
		{x - size*0.36, y + size*0.1}}, 0.4, plain(main.times(0.4)))
	wood := hex(0x7a4a22).times(light)
	for i := range 4 {
		cx := x - size*0.27 + float64(i)*size*0.17
		lean := math.Sin(stroke)*0.035*size - 0.01*size
		reach := math.Cos(stroke)
		skin := skins[(int(club[0])+i)%len(skins)].times(light)
		// Oar: from the hands over the gunwale to the blade.
		hand := pt{cx + lean*1.6 + size*0.035, y - size*0.062}
		blade := pt{cx - size*0.055*math.Sin(stroke+0.5) + size*0.03, y + size*0.055 - size*0.02*math.Max(0,
			reach)}
		c.stroke(hand, blade, size*0.007, hex(0xd9c7a0).times(light), 1)
		c.ellipse(blade.x, blade.y, size*0.022, size*0.008, 0.5, second, 1)
		c.ellipse(blade.x, blade.y+size*0.01, size*0.035, size*0.004, 0, hex(0xffffff), 0.35*light)
		// Trunk, arms, head, cap.
		c.poly(main, 1, pt{cx - size*0.032, y - size*0.02}, pt{cx + size*0.03, y - size*0.02},
			pt{cx + lean + size*0.028, y - size*0.098}, pt{cx + lean - size*0.026, y - size*0.098})
		c.poly(second, 1, pt{cx + lean*0.5 - size*0.03, y - size*0.055}, pt{cx + lean*0.5 + size*0.029,
			y - size*0.055}, pt{cx + lean*0.55 + size*0.029, y - size*0.067}, pt{cx + lean*0.55 - size*0.03,
			y - size*0.067})
		c.stroke(pt{cx + lean, y - size*0.09}, hand, size*0.014, skin, 1)
		c.ellipse(cx+lean*1.15, y-size*0.122, size*0.019, size*0.024, 0, skin, 1)
		c.ellipse(cx+lean*1.15-size*0.003, y-size*0.136, size*0.02, size*0.012, 0,
			hairs[(int(club[1])+i*3)%len(hairs)].times(light), 1)
	}
	hull := []pt{{x - size*0.5, y - size*0.045}, {x - size*0.3, y - size*0.022},
		{x + size*0.3, y - size*0.022}, {x + size*0.53, y - size*0.055}, {x + size*0.4, y + size*0.012},
		{x - size*0.4, y + size*0.012}}
	c.shape(hull, 1, func(_, yy float64) rgb {
		if yy < y-size*0.012 {
			return main.mix(wood, 0.1)
		}
		return second.mix(main, 0.25).times(0.9)
	})
	for i := range 7 {
		d := float64(i)
		c.ellipse(x-size*(0.5+d*0.05), y+size*0.012, size*0.035, size*0.004, 0, hex(0xf4fbff),
			0.4*light*(1-d/8))
	}
}

// pennants hangs a string of small flags between two points.
func (c *canvas) pennants(a, b pt, sag, size float64, club [2]uint32, time float64) {
	const n = 15
	colours := []rgb{hex(club[0]), hex(0xf3efe4), hex(club[1]), hex(0xd9a036)}
	at := func(t float64) pt { return pt{a.x + (b.x-a.x)*t, a.y + (b.y-a.y)*t + sag*4*t*(1-t)} }
	for i := range n {
		p, q := at(float64(i)/n), at((float64(i)+0.75)/n)
		c.stroke(at(float64(i)/n), at(float64(i+1)/n), size*0.05, hex(0x3a342c), 0.9)
		sway := math.Sin(time*3+float64(i)*1.3) * size * 0.14
		v := colours[i%len(colours)]
		c.shape([]pt{p, q, {(p.x+q.x)/2 + sway, (p.y+q.y)/2 + size}}, 1, func(x, _ float64) rgb {
			return v.times(0.9 + 0.22*math.Sin((x-p.x)/size*7+sway*40))
		})
	}
}

func lanterns(c *canvas, s Spec) {
	p := night
	if c.rng.IntN(3) == 0 {
		p = palette{hex(0x0d1533), hex(0x6a3f5f), hex(0x3a2b52), hex(0x141a38), hex(0x2a2748), hex(0x060917),
			hex(0xc9a6c0)}
	}
	horizon := c.rnd(0.34, 0.46)
	c.sky(p, horizon, c.aspect*0.8, c.rnd(0.2, 0.6))
	for range 90 {
		c.glow(c.rnd(0, c.aspect), c.rnd(0, horizon*0.7), 0.0016, rgb{0.8, 0.85, 1}, c.rnd(0.1, 0.7))
	}
	c.land(p, horizon, 2, hex(0x0a1220))
	c.sea(p, horizon, -9, s.Time)
	warm := []rgb{hex(0xffb35c), hex(0xff8a4a), hex(0xffd58a), hex(0xf2705a), hex(0x9fd0c0)}
	type lantern struct {
		x, y, size float64
		v          rgb
	}
	var all []lantern
	for i := range 7 + c.rng.IntN(5) {
		d := math.Pow(c.rng.Float64(), 1.4)
		all = append(all, lantern{c.rnd(0.05, 0.95)*c.aspect + s.Time*0.02*(0.4+d), horizon + 0.05 + 0.44*d,
			0.05 + 0.16*d, warm[(i+int(s.Seed))%len(warm)]})
	}
	slices.SortFunc(all, func(a, b lantern) int { return int(math.Copysign(1, a.y-b.y)) })
	n := noise(c.rng.Uint64())
	for _, l := range all {
		// The path of light on the water.
		for k := range 26 {
			d := float64(k) / 26
			wob := n.at(l.x*40+float64(k)*1.7, s.Time*1.5+float64(k)) - 0.5
			c.ellipse(l.x+wob*l.size*0.4, l.y+0.01+d*l.size*2.1, l.size*(0.22-0.12*d)*(0.6+
				n.at(float64(k), l.x*9)), l.size*0.022, 0, l.v, 0.5*(1-d))
		}
		bob := math.Sin(s.Time*1.7+l.x*20) * 0.004
		y := l.y + bob
		c.poly(hex(0x120d0a), 1, pt{l.x - l.size*0.62, y - l.size*0.14},
			pt{l.x + l.size*0.62, y - l.size*0.14}, pt{l.x + l.size*0.4, y + l.size*0.06},
			pt{l.x - l.size*0.4, y + l.size*0.06})
		c.stroke(pt{l.x, y - l.size*0.1}, pt{l.x, y - l.size*1.05}, l.size*0.03, hex(0x1b130d), 1)
		c.glow(l.x, y-l.size*0.75, l.size*0.75, l.v, 0.42)
		c.ellipse(l.x, y-l.size*0.72, l.size*0.21, l.size*0.27, 0, l.v.times(1.25), 1)
		c.ellipse(l.x, y-l.size*0.68, l.size*0.1, l.size*0.15, 0, hex(0xfff4d2).times(1.3), 0.8)
		for r := range 4 {
			ry := y - l.size*(0.92-0.13*float64(r))
			c.stroke(pt{l.x - l.size*0.19, ry}, pt{l.x + l.size*0.19, ry}, l.size*0.012, l.v.times(0.55), 0.8)
		}
		c.ellipse(l.x-l.size*0.33, y-l.size*0.3, l.size*0.07, l.size*0.09, 0, l.v.times(0.42), 1)
		c.poly(l.v.times(0.22), 1, pt{l.x - l.size*0.45, y - l.size*0.1},
			pt{l.x - l.size*0.42, y - l.size*0.24}, pt{l.x - l.size*0.24, y - l.size*0.24},
			pt{l.x - l.size*0.2, y - l.size*0.1})
	}
}

func headland(c *canvas, s Spec) {
	p := dusk[c.rng.IntN(len(dusk))]
	horizon, sx := c.rnd(0.45, 0.6), c.rnd(0.2, 0.8)*c.aspect
	c.sky(p, horizon, sx, c.rnd(0.5, 1))
	c.glow(sx, horizon-0.05, 0.05, p.sun, 0.9)
	c.land(p, horizon, 4, hex(0x2a2f45))
	c.sea(p, horizon, sx, s.Time)
	c.tower(c.aspect*c.rnd(0.12, 0.3), horizon+0.01, c.rnd(0.16, 0.22), p, true)
}

// tower is a lighthouse with its foot at x, y.
func (c *canvas) tower(x, y, size float64, p palette, lit bool) {
	rock := hex(0x3a3630).mix(p.deep, 0.4)
	c.poly(rock, 1, pt{x - size*0.5, y + size*0.04}, pt{x - size*0.3, y - size*0.06},
		pt{x - size*0.08, y - size*0.1}, pt{x + size*0.2, y - size*0.09}, pt{x + size*0.45, y - size*0.02},
		pt{x + size*0.6, y + size*0.04})
	base := y - size*0.08
	c.shape([]pt{{x - size*0.12, base}, {x - size*0.075, base - size*0.8}, {x + size*0.075, base - size*0.8},
		{x + size*0.12, base}}, 1, func(xx, yy float64) rgb {
		v := hex(0xf0ebe0)
		if int((base-yy)/(size*0.16))%2 == 1 {
			v = hex(0xb4432f)
		}
		return v.mix(p.horizon, 0.12).times(0.62 + 0.5*math.Exp(-math.Pow((xx-x+size*0.03)/(size*0.07), 2)))
	})
	top := base - size*0.8
	c.poly(hex(0x2d2f36), 1, pt{x - size*0.1, top}, pt{x + size*0.1, top}, pt{x + size*0.1, top - size*0.025},
		pt{x - size*0.1, top - size*0.025})
	c.poly(hex(0xffe9b0), 1, pt{x - size*0.05, top - size*0.025}, pt{x + size*0.05, top - size*0.025},
		pt{x + size*0.05, top - size*0.13}, pt{x - size*0.05, top - size*0.13})
	c.poly(hex(0x7a2c22), 1, pt{x - size*0.075, top - size*0.13}, pt{x, top - size*0.22},
		pt{x + size*0.075, top - size*0.13})
	if lit {
		c.glow(x, top-size*0.08, size*0.22, hex(0xffe2a0), 0.9)
		c.poly(hex(0xffe9b8), 0.14, pt{x, top - size*0.07}, pt{x + size*14, top - size*2.4},
			pt{x + size*14, top + size*0.8})
	}
}

func lighthouse(c *canvas, s Spec) {
	p := append(slices.Clone(daylight), dusk...)[c.rng.IntN(len(daylight)+len(dusk))]
	horizon, sx := c.rnd(0.68, 0.76), c.rnd(0, 1)*c.aspect
	c.sky(p, horizon, sx, c.rnd(0.3, 1))
	c.land(p, horizon, 2, hex(0x4a5a55))
	c.sea(p, horizon, sx, s.Time)
	c.tower(c.aspect*c.rnd(0.4, 0.6), horizon+0.06, c.rnd(0.52, 0.66), p, c.rng.IntN(2) == 0)
	for range 6 {
		x, y, k := c.rnd(0, c.aspect), c.rnd(0.08, 0.45), c.rnd(0.012, 0.03)
		c.stroke(pt{x - k, y - k*0.4}, pt{x, y}, k*0.16, hex(0xf4f4f0), 0.9)
		c.stroke(pt{x, y}, pt{x + k, y - k*0.5}, k*0.16, hex(0xf4f4f0), 0.9)
	}
}

func pots(c *canvas, _ Spec) {
	n := noise(c.rng.Uint64())
	wall := []rgb{hex(0xcfc4b2), hex(0xa9b3ae), hex(0xd6b89c), hex(0x8f9aa0)}[c.rng.IntN(4)]
	light := c.rnd(0.1, 0.9) * c.aspect
	c.each(0, 1, func(x, y float64) rgb {
		return wall.times((0.62 + 0.55*math.Exp(-math.Pow((x-light)/0.7, 2))) * (0.92 +
			0.16*n.fractal(x*5, y*5, 4)))
	})
	c.soften(0.006)
	glazes := []rgb{hex(0x2f5f73), hex(0x8c4a2f), hex(0xe2d8c2), hex(0x5a6b3c), hex(0x1f2c33), hex(0xb98a4a),
		hex(0x7fa6a0)}
	for row := range 3 {
		y := 0.32 + 0.31*float64(row)
		board := hex(0x6e4c30)
		c.shape([]pt{{0, y}, {c.aspect, y}, {c.aspect, y + 0.035}, {0, y + 0.035}}, 1,
			func(x, yy float64) rgb {
				return board.times(0.7 + 0.5*n.fractal(x*3, yy*90, 3))
			})
		c.poly(hex(0x1a120c), 0.35, pt{0, y + 0.035}, pt{c.aspect, y + 0.035}, pt{c.aspect, y + 0.06},
			pt{0, y + 0.06})
		for x := c.rnd(0.04, 0.12); x < c.aspect-0.05; {
			w, h := c.rnd(0.05, 0.11), c.rnd(0.08, 0.2)
			g := glazes[c.rng.IntN(len(glazes))]
			belly, neck := c.rnd(0.5, 1.0), c.rnd(0.3, 0.9)
			var o []pt
			for i := 0; i <= 24; i++ {
				t := float64(i) / 24
				r := w / 2 * (0.6 + (belly-0.2)*math.Sin(math.Pi*t*0.9) + (neck-0.6)*t*t)
				o = append(o, pt{x + w/2 + r, y - h*t})
			}
			for i := 24; i >= 0; i-- {
				o = append(o, pt{2*(x+w/2) - o[i].x, o[i].y})
			}
			c.ellipse(x+w/2, y+0.004, w*0.6, 0.008, 0, hex(0x1a120c), 0.5)
			c.shape(o, 1, func(xx, yy float64) rgb {
				d := (xx - x - w/2) / (w / 2)
				v := g.times(0.55 + 0.6*math.Exp(-math.Pow((d+0.35)/0.45, 2)))
				if yy > y-h*0.16 {
					v = v.mix(hex(0xa06a44), 0.75)
				}
				return v.mix(rgb{1, 1, 1},
					0.6*math.Exp(-math.Pow((d+0.42)/0.08, 2)-math.Pow((yy-y+h*0.68)/(h*0.14), 2)))
			})
			x += w*1.25 + c.rnd(0.01, 0.05)
		}
	}
}

func evening(c *canvas, s Spec) {
	n := noise(c.rng.Uint64())
	tone := []rgb{hex(0x3a2430), hex(0x1f2b3f), hex(0x33302a), hex(0x2b2140)}[c.rng.IntN(4)]
	c.each(0, 1, func(x, y float64) rgb {
		return tone.times(0.5 + 0.75*math.Exp(-math.Pow((y-0.55)*2.2, 2)) + 0.25*n.fractal(x*4, y*4, 3))
	})
	for range 26 { // lights far behind
		v := []rgb{hex(0xffc680), hex(0xff9a6a), hex(0xffe6b8), hex(0xb0c8ff)}[c.rng.IntN(4)]
		r := c.rnd(0.012, 0.04)
		c.ellipse(c.rnd(0, c.aspect), c.rnd(0.15, 0.75), r, r, 0, v, c.rnd(0.12, 0.4))
	}
	for k := range 3 {
		a, b := pt{-0.1, c.rnd(0.02, 0.2)}, pt{c.aspect + 0.1, c.rnd(0.02, 0.24)}
		for i := range 26 {
			t := (float64(i) + 0.5*float64(k%2)) / 25
			x, y := a.x+(b.x-a.x)*t, a.y+(b.y-a.y)*t+0.5*t*(1-t)
			c.ellipse(x, y, 0.008, 0.011, 0, hex(0xffdf9e).times(1.2), 1)
			c.glow(x, y, 0.03, hex(0xffb860), 0.35)
		}
	}
	for i := range 6 + c.rng.IntN(4) {
		c.figure(c.aspect*(0.06+0.1*float64(i))+c.rnd(-0.03, 0.03), c.rnd(1.0, 1.12), c.rnd(0.5, 0.62),
			s.Club, i%3 == 0)
	}
}
