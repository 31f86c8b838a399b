package raster

import "fmt"

// Sprite is a prepared picture to be drawn into frames. Planes are as in
// Frame, except that odd sides are allowed (chroma sides round up). A and its
// half-size twin A2 are nil for opaque pictures; otherwise all colour planes
// are premultiplied by them, code value times alpha, so that sampling between
// pixels never drags in the colour of transparent ones.
type Sprite struct {
	W, H    int
	Y, U, V []byte
	A, A2   []byte
}

// Bytes is the memory the sprite holds.
func (s *Sprite) Bytes() int { return len(s.Y) + len(s.U) + len(s.V) + len(s.A) + len(s.A2) }

// Pixels is an interleaved 8-bit picture in sRGB: 3 channels, or 4 with
// straight alpha, rows without padding.
type Pixels struct {
	W, H, Channels int
	Pix            []byte
}

// NewSprite converts pixels to the film's matrix. An alpha channel that is
// opaque everywhere is dropped.
func NewSprite(p Pixels, m Matrix) (*Sprite, error) {
	if p.W <= 0 || p.H <= 0 || (p.Channels != 3 && p.Channels != 4) || len(p.Pix) != p.W*p.H*p.Channels {
		return nil, fmt.Errorf("raster: %d bytes do not hold %d×%d pixels of %d channels", len(p.Pix), p.W,
			p.H, p.Channels)
	}
	cw, ch := (p.W+1)/2, (p.H+1)/2
	s := &Sprite{W: p.W, H: p.H, Y: make([]byte, p.W*p.H), U: make([]byte, cw*ch), V: make([]byte, cw*ch)}
	if p.Channels == 4 && !opaque(p.Pix) {
		s.A, s.A2 = make([]byte, p.W*p.H), make([]byte, cw*ch)
	}
	// Full-size chroma of two rows at a time, then filtered down: 1 2 1 along
	// the row (left siting), the mean of the two rows.
	rows := [3][2][]int32{}
	for i := range rows {
		rows[i] = [2][]int32{make([]int32, p.W+2), make([]int32, p.W+2)}
	}
	for cy := 0; cy < ch; cy++ {
		for k := 0; k < 2; k++ {
			s.convertRow(p, m, min(2*cy+k, p.H-1), rows[0][k], rows[1][k], rows[2][k])
		}
		down(s.U[cy*cw:][:cw], rows[0])
		down(s.V[cy*cw:][:cw], rows[1])
		if s.A != nil {
			down(s.A2[cy*cw:][:cw], rows[2])
		}
	}
	return s, nil
}

// convertRow writes row y of the luma (and alpha) plane and its full-size
// premultiplied chroma and alpha, padded by one repeated pixel on each side.
func (s *Sprite) convertRow(p Pixels, m Matrix, y int, u, v, a []int32) {
	row, luma := p.Pix[y*p.W*p.Channels:(y+1)*p.W*p.Channels], s.Y[y*s.W:][:p.W]
	if s.A == nil {
		m.convert(row, p.Channels, luma, u[1:p.W+1], v[1:p.W+1])
	} else {
		alpha := s.A[y*s.W:][:p.W]
		m.convert(row, p.Channels, luma, u[1:p.W+1], v[1:p.W+1])
		for x := range alpha {
			al := row[4*x+3]
			alpha[x], a[x+1] = al, int32(al)
			if al != 255 {
				k := int32(al)
				luma[x] = premultiply(int32(luma[x]), k)
				u[x+1], v[x+1] = int32(premultiply(u[x+1], k)), int32(premultiply(v[x+1], k))
			}
		}
	}
	for _, r := range [][]int32{u, v, a} {
		r[0], r[p.W+1] = r[1], r[p.W]
	}
}

func premultiply(v, a int32) byte { return byte((v*a + 127) / 255) }

// down filters a row of chroma from two rows at full size, padded by one.
func down(out []byte, rows [2][]int32) {
	a, b := rows[0], rows[1]
	left := a[0] + b[0]
	for x := range out {
		i := 2*x + 1
		middle, right := a[i]+b[i], a[i+1]+b[i+1]
		out[x] = byte((left + 2*middle + right + 4) / 8)
		left = right
	}
}

func opaque(pix []byte) bool {
	for i := 3; i < len(pix); i += 4 {
		if pix[i] != 255 {
			return false
		}
	}
	return true
}

// Blur softens p in place with three passes of a box 2r+1 pixels wide, which
// is close to a Gaussian of standard deviation sqrt(r(r+1)).
func Blur(p Pixels, r int) { blur(p, r, 0) }

// BlurAlpha softens only the transparency of p, which has four channels.
func BlurAlpha(p Pixels, r int) { blur(p, r, 3) }

// blur softens the channels from one on.
func blur(p Pixels, r, from int) { soften(p.Pix, p.W, p.H, p.Channels, r, from) }

// soften takes three passes of a box over the channels from one on of a picture.
func soften[T byte | uint16](pix []T, w, h, channels, r, from int) {
	if r < 1 {
		return
	}
	line := make([]T, max(w, h))
	for range 3 {
		for c := from; c < channels; c++ {
			for y := range h {
				boxLine(pix[y*w*channels+c:], channels, w, r, line)
			}
			for x := range w {
				boxLine(pix[x*channels+c:], w*channels, h, r, line)
			}
		}
	}
}

// boxLine averages n samples, stride apart, over 2r+1 neighbours with the
// ends repeated.
func boxLine[T byte | uint16](p []T, stride, n, r int, line []T) {
	for i := range n {
		line[i] = p[i*stride]
	}
	line = line[:n]
	first, last := uint32(line[0]), uint32(line[n-1])
	sum := uint32(r+1) * first
	for i := 1; i <= r; i++ {
		sum += uint32(line[min(i, n-1)])
	}
	w := uint32(2*r + 1)
	// Dividing by multiplying: exact for sums below 2^24.
	inverse := (uint64(1)<<40 + uint64(w) - 1) / uint64(w)
	for i := range n {
		p[i*stride] = T(uint64(sum+w/2) * inverse >> 40)
		in, out := last, first
		if j := i + r + 1; j < n {
			in = uint32(line[j])
		}
		if j := i - r; j > 0 {
			out = uint32(line[j])
		}
		sum += in - out
	}
}

// Tone moves every colour of p a share t of the way to c, in place.
func Tone(p Pixels, c RGB, t float64) {
	for i := 0; i+2 < len(p.Pix); i += p.Channels {
		for k, v := range [3]byte{c.R, c.G, c.B} {
			p.Pix[i+k] = byte(float64(p.Pix[i+k])*(1-t) + float64(v)*t + 0.5)
		}
	}
}

// Turn gives p turned by quarter turns clockwise.
func Turn(p Pixels, quarters int) Pixels {
	switch (quarters%4 + 4) % 4 {
	case 1:
		return rearranged(p, p.H, p.W, func(x, y int) (int, int) { return y, p.H - 1 - x })
	case 2:
		return rearranged(p, p.W, p.H, func(x, y int) (int, int) { return p.W - 1 - x, p.H - 1 - y })
	case 3:
		return rearranged(p, p.H, p.W, func(x, y int) (int, int) { return p.W - 1 - y, x })
	}
	return p
}

// Cut gives the w×h pixels of p from x, y on, which must lie in it.
func Cut(p Pixels, x, y, w, h int) Pixels {
	if x == 0 && y == 0 && w == p.W && h == p.H {
		return p
	}
	return rearranged(p, w, h, func(i, j int) (int, int) { return x + i, y + j })
}

func rearranged(p Pixels, w, h int, from func(x, y int) (int, int)) Pixels {
	out := Pixels{W: w, H: h, Channels: p.Channels, Pix: make([]byte, w*h*p.Channels)}
	for y := range h {
		for x := range w {
			sx, sy := from(x, y)
			copy(out.Pix[(y*w+x)*p.Channels:][:p.Channels], p.Pix[(sy*p.W+sx)*p.Channels:])
		}
	}
	return out
}

// Shrink averages p down to at most side pixels on its longer side.
func Shrink(p Pixels, side int) Pixels {
	longer := max(p.W, p.H)
	if longer <= side {
		return p
	}
	w, h := max(1, p.W*side/longer), max(1, p.H*side/longer)
	out := Pixels{W: w, H: h, Channels: p.Channels, Pix: make([]byte, w*h*p.Channels)}
	for y := range h {
		y0, y1 := y*p.H/h, max(y*p.H/h+1, (y+1)*p.H/h)
		for x := range w {
			x0, x1 := x*p.W/w, max(x*p.W/w+1, (x+1)*p.W/w)
			for c := range p.Channels {
				sum := 0
				for j := y0; j < y1; j++ {
					for i := x0; i < x1; i++ {
						sum += int(p.Pix[(j*p.W+i)*p.Channels+c])
					}
				}
				n := (y1 - y0) * (x1 - x0)
				out.Pix[(y*w+x)*p.Channels+c] = byte((sum + n/2) / n)
			}
		}
	}
	return out
}
