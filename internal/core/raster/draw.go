package raster

import (
	"math"

	"nelko/internal/core/framing"
)

// axis maps the samples of one plane along one direction: for destination
// samples from first on, the two source samples to mix, the weight of the
// second in 256ths, and how much of the destination sample is covered.
type axis struct {
	first int
	at    []int32
	w     []uint32
	cover []uint32
}

// newAxis lays place (destination pixels) over window (source pixels).
// subsampled planes have n and srcN samples of two pixels each, sited at
// siting pixels (1 for rows, 0.5 for columns; unsubsampled planes 0.5).
func newAxis(n, srcN int, p0, p1, w0, w1 float64, step, siting float64) axis {
	var a axis
	scale := (w1 - w0) / (p1 - p0)
	lo := max(0, int(math.Floor((p0-siting)/step))-1)
	hi := min(n-1, int(math.Ceil((p1-siting)/step))+1)
	for i := lo; i <= hi; i++ {
		centre := float64(i)*step + siting
		// The footprint ends at the frame's edge: nothing lies beyond it.
		foot := math.Max(0, centre-step/2)
		c := math.Min(p1, centre+step/2) - math.Max(p0, foot)
		cover := uint32(math.Round(c / (centre + step/2 - foot) * 256))
		if c <= 0 || cover == 0 {
			if len(a.at) == 0 {
				continue
			}
			break
		}
		if len(a.at) == 0 {
			a.first = i
		}
		at := (w0 + (centre-p0)*scale - siting) / step
		at = math.Max(0, math.Min(at, float64(srcN-1)))
		whole := math.Floor(at)
		a.at = append(a.at, int32(whole))
		a.w = append(a.w, uint32(math.Round((at-whole)*256)))
		a.cover = append(a.cover, cover)
	}
	return a
}

// span is the range of source samples the axis reads, inclusive.
func (a *axis) span(srcN int) (lo, hi int) {
	lo, hi = int(a.at[0]), int(a.at[len(a.at)-1])
	if lo > hi {
		lo, hi = hi, lo
	}
	return lo, min(hi+1, srcN-1)
}

// Draw composes the part of s inside window (in pixels of s) into place (in
// pixels of f) over what is there, with Porter–Duff over. Both rectangles may
// lie anywhere between pixels; sampling is bilinear, edges are covered by the
// share of each pixel inside place, and what falls outside f is left out.
// opacity is 0 to 1.
func (f *Frame) Draw(s *Sprite, place, window framing.Rect, opacity float64) {
	o := uint32(math.Round(opacity * 256))
	if o == 0 || place.W <= 0 || place.H <= 0 {
		return
	}
	x1, y1 := place.X+place.W, place.Y+place.H
	u1, v1 := window.X+window.W, window.Y+window.H
	scw, sch := (s.W+1)/2, (s.H+1)/2

	ax := newAxis(f.W, s.W, place.X, x1, window.X, u1, 1, 0.5)
	ay := newAxis(f.H, s.H, place.Y, y1, window.Y, v1, 1, 0.5)
	drawPlane(f.Y, f.W, s.Y, s.A, s.W, s.H, ax, ay, o)

	cx := newAxis(f.W/2, scw, place.X, x1, window.X, u1, 2, 0.5)
	cy := newAxis(f.H/2, sch, place.Y, y1, window.Y, v1, 2, 1)
	drawPlane(f.U, f.W/2, s.U, s.A2, scw, sch, cx, cy, o)
	drawPlane(f.V, f.W/2, s.V, s.A2, scw, sch, cx, cy, o)
}

func drawPlane(dst []byte, dw int, src, alpha []byte, sw, sh int, ax, ay axis, opacity uint32) {
	if len(ax.at) == 0 || len(ay.at) == 0 {
		return
	}
	lo, hi := ax.span(sw)
	colour := newRowSampler(lo, hi)
	var alphas *rowSampler
	if alpha != nil {
		alphas = newRowSampler(lo, hi)
	}
	values := make([]byte, len(ax.at))
	var avalues []byte
	if alpha != nil {
		avalues = make([]byte, len(ax.at))
	}
	for j := range ay.at {
		row := dst[(ay.first+j)*dw+ax.first:][:len(ax.at)]
		strength := ay.cover[j] * opacity // 0 … 65536
		y0 := int(ay.at[j])
		y1 := min(y0+1, sh-1)
		plain := alpha == nil && strength == 65536
		out := values
		if plain {
			out = row
		}
		first, last := row[0], row[len(row)-1]
		colour.sample(out, src[y0*sw:], src[y1*sw:], ay.w[j], ax)
		switch {
		case plain:
			// Inner samples are wholly covered; only the two ends can be partial.
			row[0] = over(first, row[0], ax.cover[0]<<8)
			if n := len(row) - 1; n > 0 {
				row[n] = over(last, row[n], ax.cover[n]<<8)
			}
		case alpha == nil:
			for i, v := range values {
				row[i] = over(row[i], v, ax.cover[i]*(strength>>8))
			}
		default:
			alphas.sample(avalues, alpha[y0*sw:], alpha[y1*sw:], ay.w[j], ax)
			for i, v := range values {
				row[i] = overPremultiplied(row[i], v, avalues[i], ax.cover[i]*(strength>>8))
			}
		}
	}
}

// over mixes v onto d with strength a of 65536.
func over(d, v byte, a uint32) byte {
	return byte((uint32(d)*(65536-a) + uint32(v)*a + 32768) >> 16)
}

// overPremultiplied puts v, already multiplied by alpha, onto d:
// s·v + (1 − s·alpha)·d with s the strength of 65536.
func overPremultiplied(d, v, alpha byte, s uint32) byte {
	if alpha == 0 {
		return d
	}
	cover := s * uint32(alpha) / 255
	sum := (uint32(d)*(65536-cover) + uint32(v)*s + 32768) >> 16
	return byte(min(sum, 255))
}

// rowSampler mixes two source rows, then resamples along the row.
type rowSampler struct {
	lo, hi int
	tmp    []uint32 // source columns lo…hi, in 256ths, the last one repeated
}

func newRowSampler(lo, hi int) *rowSampler {
	return &rowSampler{lo: lo, hi: hi, tmp: make([]uint32, hi-lo+2)}
}

func (r *rowSampler) sample(out, row0, row1 []byte, wy uint32, ax axis) {
	n := r.hi - r.lo + 1
	a, b, tmp := row0[r.lo:][:n], row1[r.lo:][:n], r.tmp[:n]
	if wy == 0 {
		for i, v := range a {
			tmp[i] = uint32(v) << 8
		}
	} else {
		w0 := 256 - wy
		for i := range tmp {
			tmp[i] = uint32(a[i])*w0 + uint32(b[i])*wy
		}
	}
	r.tmp[n] = r.tmp[n-1]
	lo, full := int32(r.lo), r.tmp
	at, w := ax.at[:len(out)], ax.w[:len(out)]
	for i := range out {
		k := at[i] - lo
		t, wx := full[k:k+2], w[i]
		out[i] = byte((t[0]*(256-wx) + t[1]*wx + 32768) >> 16)
	}
}

// Fill covers place with one colour; edges between pixels are covered in
// part. opacity is 0 to 1.
func (f *Frame) Fill(place framing.Rect, c Colour, opacity float64) {
	o := uint32(math.Round(opacity * 256))
	if o == 0 || place.W <= 0 || place.H <= 0 {
		return
	}
	x1, y1 := place.X+place.W, place.Y+place.H
	fillPlane(f.Y, f.W, c.Y, newAxis(f.W, 1, place.X, x1, 0, 1, 1, 0.5), newAxis(f.H, 1, place.Y, y1, 0, 1, 1, 0.5), o)
	cx, cy := newAxis(f.W/2, 1, place.X, x1, 0, 1, 2, 0.5), newAxis(f.H/2, 1, place.Y, y1, 0, 1, 2, 1)
	fillPlane(f.U, f.W/2, c.U, cx, cy, o)
	fillPlane(f.V, f.W/2, c.V, cx, cy, o)
}

func fillPlane(dst []byte, dw int, v byte, ax, ay axis, opacity uint32) {
	if len(ax.at) == 0 {
		return
	}
	for j := range ay.at {
		row := dst[(ay.first+j)*dw+ax.first:][:len(ax.at)]
		strength := ay.cover[j] * opacity
		for i := range row {
			row[i] = over(row[i], v, ax.cover[i]*(strength>>8))
		}
	}
}
