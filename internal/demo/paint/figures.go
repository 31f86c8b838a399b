package paint

import (
	"math"
	"slices"
)

func race(c *canvas, s Spec) {
	p := daylight[c.rng.IntN(len(daylight))]
	horizon, sx := c.rnd(0.3, 0.46), c.rnd(0.1, 0.9)*c.aspect
	c.sky(p, horizon, sx, c.rnd(0.2, 0.9))
	c.land(p, horizon, 2+c.rng.IntN(3), hex(0x4d6a52).mix(hex(0x6d6a55), c.rng.Float64()))
	c.sea(p, horizon, sx, s.Time)
	drift := s.Time * 0.05
	if c.rng.IntN(3) > 0 {
		c.crew(c.aspect*c.rnd(0.15, 0.8)+drift*0.5, horizon+c.rnd(0.06, 0.12), c.rnd(0.16, 0.25),
			[2]uint32{0xb9402f, 0xf0ead8}, c.rnd(0, 6)+s.Time*3, 0.9)
	}
	size := math.Min(c.rnd(0.62, 0.95), c.aspect*0.8)
	c.crew(c.aspect*c.rnd(0.42, 0.58)+drift, c.rnd(0.66, 0.78), size, s.Club, c.rnd(0, 6)+s.Time*3.2,
		c.rnd(0.92, 1.08))
}

func start(c *canvas, s Spec) {
	p := daylight[c.rng.IntN(len(daylight))]
	horizon, sx := c.rnd(0.24, 0.34), c.rnd(0.1, 0.9)*c.aspect
	c.sky(p, horizon, sx, c.rnd(0.3, 0.9))
	c.land(p, horizon, 3, hex(0x50684f))
	c.sea(p, horizon, sx, s.Time)
	clubs := [][2]uint32{{0xb9402f, 0xf0ead8}, {0x2f5d8a, 0xf2c14e}, s.Club, {0x3c7a4d, 0xffffff},
		{0x6b3f7a, 0xe8d9b0}}
	for i, club := range clubs {
		d := float64(i) / 4
		c.crew(c.aspect*(0.34+0.3*c.rng.Float64())+s.Time*0.04*(0.5+d), horizon+0.06+0.52*d, 0.22+0.42*d,
			club, float64(i)+s.Time*3, 0.95)
	}
}

func quay(c *canvas, s Spec) {
	p := daylight[c.rng.IntN(len(daylight))]
	horizon, sx := c.rnd(0.42, 0.52), c.rnd(0.2, 0.8)*c.aspect
	c.sky(p, horizon, sx, c.rnd(0.1, 0.7))
	c.land(p, horizon, 2, hex(0x5b6f58))
	c.sea(p, horizon, sx, s.Time)
	c.houses(horizon+0.02, p)
	stone := hex(0x9b9284)
	n := noise(c.rng.Uint64())
	top := c.rnd(0.7, 0.76)
	c.shape([]pt{{0, top}, {c.aspect, top - 0.03}, {c.aspect, 1}, {0, 1}}, 1, func(x, y float64) rgb {
		joint := 1.0
		if math.Mod(y*22, 1) < 0.06 || math.Mod(x*9+math.Floor(y*22)*0.37, 1) < 0.03 {
			joint = 0.72
		}
		return stone.times((0.78 + 0.36*n.fractal(x*14, y*30, 4)) * joint * (1.1 - 0.45*(y-top)))
	})
	for range 5 + c.rng.IntN(5) {
		c.figure(c.rnd(0.05, 0.95)*c.aspect, top+c.rnd(0.02, 0.14), c.rnd(0.16, 0.24), s.Club,
			c.rng.IntN(2) == 0)
	}
	for range 3 {
		y := c.rnd(0.04, 0.24)
		c.pennants(pt{-0.05, y}, pt{c.aspect + 0.05, y + c.rnd(-0.1, 0.1)}, c.rnd(0.04, 0.1),
			c.rnd(0.045, 0.07), s.Club, s.Time)
	}
}

// houses lines the far shore with gables.
func (c *canvas) houses(base float64, p palette) {
	walls := []rgb{hex(0xe8dfcf), hex(0xd8b9a0), hex(0xb8c4c8), hex(0xe3d08f), hex(0xc98f7a), hex(0xf2efe8)}
	for x := c.rnd(-0.05, 0.1); x < c.aspect; {
		w, h := c.rnd(0.05, 0.09), c.rnd(0.07, 0.13)
		v := walls[c.rng.IntN(len(walls))].mix(p.horizon, 0.25)
		c.poly(v, 1, pt{x, base}, pt{x, base - h}, pt{x + w/2, base - h - w*0.45}, pt{x + w, base - h},
			pt{x + w, base})
		c.poly(hex(0x6b4a42).mix(p.horizon, 0.2), 1, pt{x - 0.004, base - h}, pt{x + w/2, base - h - w*0.48},
			pt{x + w + 0.004, base - h}, pt{x + w, base - h + 0.006}, pt{x + w/2, base - h - w*0.4},
			pt{x, base - h + 0.006})
		for k := range 2 {
			for l := range 2 {
				wx, wy := x+w*(0.2+0.42*float64(k)), base-h*(0.42+0.4*float64(l))
				c.poly(hex(0x34444f), 0.85, pt{wx, wy}, pt{wx + w*0.18, wy}, pt{wx + w*0.18, wy + h*0.2},
					pt{wx, wy + h*0.2})
			}
		}
		x += w + c.rnd(-0.004, 0.02)
	}
}

// figure is someone standing, feet at x, y.
func (c *canvas) figure(x, y, size float64, club [2]uint32, inClub bool) {
	coat := []rgb{hex(0x37506b), hex(0x7c3b34), hex(0x4f5b3a), hex(0xc9b58a), hex(0x2c2c34),
		hex(0x8a5a83)}[c.rng.IntN(6)]
	if inClub {
		coat = hex(club[0])
	}
	skin, hair := skins[c.rng.IntN(len(skins))], hairs[c.rng.IntN(len(hairs))]
	c.ellipse(x+size*0.05, y, size*0.16, size*0.02, 0, hex(0x2a2622), 0.4)
	c.poly(coat.times(0.45), 1, pt{x - size*0.07, y - size*0.42}, pt{x + size*0.07, y - size*0.42},
		pt{x + size*0.06, y}, pt{x + size*0.012, y}, pt{x, y - size*0.3}, pt{x - size*0.012, y},
		pt{x - size*0.06, y})
	c.shape([]pt{{x - size*0.085, y - size*0.38}, {x - size*0.11, y - size*0.74},
		{x - size*0.05, y - size*0.8}, {x + size*0.05, y - size*0.8}, {x + size*0.11, y - size*0.74},
		{x + size*0.085, y - size*0.38}}, 1,
		func(xx, _ float64) rgb { return coat.times(0.8 + 0.35*(xx-x+size*0.1)/(size*0.2)) })
	up := c.rng.IntN(3) == 0
	hand := pt{x + size*0.15, y - size*0.45}
	if up {
		hand = pt{x + size*0.17, y - size*1.02}
	}
	c.stroke(pt{x + size*0.085, y - size*0.74}, hand, size*0.045, coat.times(0.9), 1)
	c.ellipse(hand.x, hand.y, size*0.024, size*0.024, 0, skin, 1)
	c.ellipse(x, y-size*0.88, size*0.058, size*0.074, 0, skin, 1)
	c.ellipse(x, y-size*0.925, size*0.062, size*0.045, 0, hair, 1)
}

func portrait(c *canvas, s Spec) {
	p := daylight[c.rng.IntN(len(daylight))]
	if c.rng.IntN(4) == 0 {
		p = dusk[c.rng.IntN(len(dusk))]
	}
	horizon, sx := c.rnd(0.35, 0.55), c.rnd(0, 1)*c.aspect
	c.sky(p, horizon, sx, c.rnd(0.2, 0.9))
	c.land(p, horizon, 3, hex(0x55694f))
	c.sea(p, horizon, sx, 0)
	c.pennants(pt{-0.1, 0.1}, pt{c.aspect + 0.1, 0.16}, 0.06, 0.09, s.Club, 1)
	c.soften(0.009)
	for range 12 { // lights out of focus
		c.ellipse(c.rnd(0, c.aspect), c.rnd(horizon, 0.95), c.rnd(0.012, 0.03), c.rnd(0.012, 0.03), 0, p.sun,
			c.rnd(0.05, 0.2))
	}
	if s.Scene == Pair {
		c.bust(c.aspect*0.5-0.2, 0.5, 0.86, s.Club)
		c.bust(c.aspect*0.5+0.21, 0.52, 0.82, s.Club)
		return
	}
	c.bust(c.aspect*c.rnd(0.42, 0.58), c.rnd(0.42, 0.47), math.Min(1, c.aspect*1.1), s.Club)
}

// bust is head and shoulders with the chin about at y.
func (c *canvas) bust(x, y, size float64, club [2]uint32) {
	skin, hair := skins[c.rng.IntN(len(skins))], hairs[c.rng.IntN(len(hairs))]
	main, second := hex(club[0]), hex(club[1])
	shirt := func(xx, yy float64) rgb {
		v := main
		if d := yy - (y + 0.3*size); d > 0 && d < 0.06*size {
			v = second
		}
		return v.times(0.82 + 0.3*math.Exp(-math.Pow((xx-x+0.12*size)/(0.3*size), 2)))
	}
	var o []pt
	for i := 0; i <= 30; i++ {
		t := float64(i)/30*2 - 1
		o = append(o, pt{x + t*0.36*size, y + size*(0.13+0.16*math.Pow(math.Abs(t), 2.4))})
	}
	c.shape(append(o, pt{x + 0.42*size, 1.02}, pt{x - 0.42*size, 1.02}), 1, shirt)
	c.shape([]pt{{x - 0.065*size, y - 0.06*size}, {x + 0.065*size, y - 0.06*size},
		{x + 0.085*size, y + 0.16*size}, {x, y + 0.2*size}, {x - 0.085*size, y + 0.16*size}}, 1,
		func(xx, _ float64) rgb { return skin.times(0.78 - 0.5*(xx-x)) })
	long := c.rng.IntN(2) == 0
	if long {
		c.ellipse(x, y-0.06*size, 0.155*size, 0.21*size, 0, hair.times(0.85), 1)
	}
	head := func(dy, rx, ry float64) []pt {
		var h []pt
		for i := range 48 {
			a := 2 * math.Pi * float64(i) / 48
			k := 1.0
			if math.Sin(a) > 0 {
				k = 1 - 0.16*math.Pow(math.Sin(a), 2) // a jaw
			}
			h = append(h, pt{x + rx*k*math.Cos(a), y - 0.09*size + dy + ry*math.Sin(a)})
		}
		return h
	}
	c.shape(head(0, 0.118*size, 0.155*size), 1, func(xx, yy float64) rgb {
		return skin.times(1.06 - 1.1*math.Pow((xx-x+0.03*size)/size, 2)*9 - 0.25*(yy-y+0.09*size))
	})
	for _, sgn := range []float64{-1, 1} {
		ex, ey := x+sgn*0.046*size, y-0.1*size
		c.ellipse(ex, ey, 0.016*size, 0.0085*size, 0, hex(0xf6f2ea), 0.95)
		c.ellipse(ex, ey, 0.008*size, 0.0085*size, 0, hex(0x2b2018), 1)
		c.stroke(pt{ex - 0.022*size, ey - 0.027*size - sgn*0.003*size}, pt{ex + 0.022*size, ey - 0.027*size +
			sgn*0.003*size}, 0.007*size, hair.times(0.8), 0.9)
		c.ellipse(x+sgn*0.06*size, y-0.05*size, 0.028*size, 0.02*size, 0, hex(0xd9705c), 0.22)
	}
	c.poly(skin.times(0.8), 0.8, pt{x - 0.004*size, y - 0.09*size}, pt{x + 0.02*size, y - 0.052*size},
		pt{x - 0.012*size, y - 0.05*size})
	var smile []pt
	for i := 0; i <= 12; i++ {
		t := float64(i)/6 - 1
		smile = append(smile, pt{x + t*0.046*size, y - 0.02*size + 0.016*size*(1-t*t)})
	}
	for i := 12; i >= 0; i-- {
		t := float64(i)/6 - 1
		smile = append(smile, pt{x + t*0.046*size, y - 0.02*size + 0.003*size*(1-t*t)})
	}
	c.shape(smile, 0.95, plain(hex(0x9c4038)))
	if c.rng.IntN(2) == 0 {
		crown := head(-0.075*size, 0.125*size, 0.1*size)
		c.shape(slices.DeleteFunc(crown, func(p pt) bool {
			return p.y > y-0.15*size
		}), 1, plain(main.times(0.92)))
		c.poly(second, 1, pt{x - 0.13*size, y - 0.152*size}, pt{x + 0.17*size, y - 0.152*size},
			pt{x + 0.15*size, y - 0.135*size}, pt{x - 0.12*size, y - 0.138*size})
	} else {
		crown := head(-0.05*size, 0.125*size, 0.125*size)
		c.shape(slices.DeleteFunc(crown, func(p pt) bool {
			return p.y > y-0.15*size+0.05*(p.x-x)
		}), 1, plain(hair))
	}
}
