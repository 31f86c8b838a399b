package raster

// Smooth is a picture without detail, finer than a byte a channel: R′G′B′, 256 times the code.
type Smooth struct {
	W, H int
	Pix  []uint16
}

// Soften blurs pixels of three channels, as Blur does, and moves them a share t of the way to a
// colour, as Tone does, without rounding to whole codes between.
func Soften(p Pixels, r int, c RGB, t float64) Smooth {
	s := Smooth{W: p.W, H: p.H, Pix: make([]uint16, len(p.Pix))}
	for i, v := range p.Pix {
		s.Pix[i] = uint16(v) << 8
	}
	soften(s.Pix, p.W, p.H, 3, min(r, widestBox), 0)
	share := uint32(t*65536 + 0.5)
	to := [3]uint32{uint32(c.R) << 8, uint32(c.G) << 8, uint32(c.B) << 8}
	for i, v := range s.Pix {
		s.Pix[i] = uint16((uint64(v)*uint64(65536-share) + uint64(to[i%3])*uint64(share) + 1<<15) >> 16)
	}
	return s
}

// widestBox is the radius beyond which the sums of finer samples are not exact.
const widestBox = 127

// dither are the thresholds of an ordered dither (B. E. Bayer, "An optimum method for two-level
// rendition of continuous-tone pictures", ICC 1973; the matrix of order 8, from memory), in
// 64ths: where a value lies between two codes, as many pixels of each eight by eight have the
// higher one.
var dither = func() (out [8][8]int64) {
	for y := range 8 {
		for x := range 8 {
			v := 0
			for bit := range 3 {
				v |= (((x^y)>>bit&1)<<1 | y>>bit&1) << (2 * (2 - bit))
			}
			out[y][x] = int64(v)
		}
	}
	return out
}()

// Window is a part of a picture, in fractions of its sides.
type Window struct{ X, Y, W, H float64 }

// step is between which samples of a line a position lies, and how near the second, in 65536ths.
type step struct {
	first, second int
	share         int64
}

// steps are the positions by·k + at of total on a part of n samples that begins at from and is
// so wide, both fractions of n.
func steps(count int, by, at, total, from, wide float64, n int) []step {
	out := make([]step, count)
	for k := range out {
		// Each product by itself: fused ones differ by machine.
		x := float64(float64(by*float64(k)+at) / total * wide)
		x = min(max(float64((from+x)*float64(n))-0.5, 0), float64(n-1))
		i := int(x)
		out[k] = step{i, min(i+1, n-1), int64((x - float64(i)) * 65536)}
	}
	return out
}

// Sprite enlarges a window to so many pixels. What lies between two codes is dithered, so that
// slow changes show no steps; the same everywhere.
func (s Smooth) Sprite(p Window, width, height int, m Matrix) *Sprite {
	cw, ch := (width+1)/2, (height+1)/2
	out := &Sprite{
		W: width,
		H: height,
		Y: make([]byte, width*height),
		U: make([]byte, cw*ch),
		V: make([]byte, cw*ch),
	}
	c := &tables[m]
	row := make([]int64, s.W*3)
	across := steps(width, 1, 0.5, float64(width), p.X, p.W, s.W)
	for j, d := range steps(height, 1, 0.5, float64(height), p.Y, p.H, s.H) {
		s.between(row, d)
		line, levels := out.Y[j*width:][:width], &dither[j&7]
		for i, a := range across {
			r, g, b := a.of(row)
			line[i] = dithered(int64(c.yr)*r+int64(c.yg)*g+int64(c.yb)*b, 16, levels[i&7])
		}
	}
	// Chroma is sited on the left of two columns and between two rows, as in a film.
	across = steps(cw, 2, 0.5, float64(width), p.X, p.W, s.W)
	for j, d := range steps(ch, 2, 1, float64(height), p.Y, p.H, s.H) {
		s.between(row, d)
		u, v, levels := out.U[j*cw:][:cw], out.V[j*cw:][:cw], &dither[j&7]
		for i, a := range across {
			r, g, b := a.of(row)
			u[i] = dithered(int64(c.ur)*r+int64(c.ug)*g+int64(c.ub)*b, 128, levels[i&7])
			v[i] = dithered(int64(c.vr)*r+int64(c.vg)*g+int64(c.vb)*b, 128, 63-levels[i&7])
		}
	}
	return out
}

// dithered is the code of a value of 32 bits after the point, beyond zero.
func dithered(v, zero, level int64) byte { return byte((v + zero<<32 + level<<26 + 1<<25) >> 32) }

// between fills a row with what lies between two of the picture, in 65536ths of a code.
func (s Smooth) between(row []int64, t step) {
	a, b := s.Pix[t.first*s.W*3:][:s.W*3], s.Pix[t.second*s.W*3:][:s.W*3]
	for i := range row {
		row[i] = (int64(a[i])*(65536-t.share) + int64(b[i])*t.share) >> 8
	}
}

// of is the colour at a step of a row.
func (t step) of(row []int64) (r, g, b int64) {
	x, y := row[3*t.first:][:3], row[3*t.second:][:3]
	mix := func(k int) int64 { return (x[k]*(65536-t.share) + y[k]*t.share) >> 16 }
	return mix(0), mix(1), mix(2)
}
