package raster

import (
	"math"
	"sync"

	"nelko/internal/core/framing"
)

// axis maps the samples of one plane along one direction: for destination
// samples from first on, the source sample to the left, the share of the next
// one in 65536ths, and how much of the destination sample is covered, of 256.
type axis struct {
	first int
	at    []int32
	w     []uint16
	cover []uint16
}

// newAxis lays p0…p1 (destination pixels) over w0…w1 (source pixels).
// subsampled planes have n and srcN samples of two pixels each, sited at
// siting pixels (1 for rows, 0.5 for columns; unsubsampled planes 0.5).
func newAxis(n, srcN int, p0, p1, w0, w1 float64, step, siting float64) axis {
	var a axis
	scale := (w1 - w0) / (p1 - p0)
	lo := max(0, int(math.Floor(math.Max(0, p0-siting)/step))-1)
	hi := min(n-1, int(math.Ceil(math.Min(p1-siting, float64(n)*step)/step))+1)
	for i := lo; i <= hi; i++ {
		centre := float64(i)*step + siting
		// The footprint ends at the frame's edge: nothing lies beyond it.
		foot := math.Max(0, centre-step/2)
		c := math.Min(p1, centre+step/2) - math.Max(p0, foot)
		cover := uint16(math.Round(math.Max(0, c) / (centre + step/2 - foot) * 256))
		if cover == 0 {
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
		w := math.Round((at - whole) * 65536)
		if w == 65536 {
			whole, w = whole+1, 0
		}
		a.at = append(a.at, int32(whole))
		a.w = append(a.w, uint16(w))
		a.cover = append(a.cover, cover)
	}
	return a
}

// whole reports whether the axis takes n samples as they are.
func (a *axis) whole(n int) bool {
	if a.first != 0 || len(a.at) != n {
		return false
	}
	for i := range a.at {
		if a.at[i] != int32(i) || a.w[i] != 0 || a.cover[i] != 256 {
			return false
		}
	}
	return true
}

// Draw composes the part of s inside window (in pixels of s) into place (in
// pixels of f) over what is there, with Porter–Duff over. Both rectangles may
// lie anywhere between pixels; sampling is bilinear, edges are covered by the
// share of each pixel inside place, and what falls outside f is left out.
// opacity is 0 to 1.
func (f *Frame) Draw(s *Sprite, place, window framing.Rect, opacity float64) {
	f.DrawMasked(s, nil, place, window, opacity)
}

// DrawMasked is Draw through a mask, whose picture is stretched over place:
// the sprite shows by the mask's alpha. mask may be nil; a sprite with
// transparency of its own is not masked.
func (f *Frame) DrawMasked(s *Sprite, mask *Sprite, place, window framing.Rect, opacity float64) {
	o := uint32(math.Round(opacity * 256))
	if o == 0 || place.W <= 0 || place.H <= 0 || window.W <= 0 || window.H <= 0 {
		return
	}
	if s.A != nil || (mask != nil && mask.A == nil) {
		mask = nil
	}
	x1, y1 := place.X+place.W, place.Y+place.H
	u1, v1 := window.X+window.W, window.Y+window.H
	scw, sch := (s.W+1)/2, (s.H+1)/2
	luma := layer{alpha: s.A, sw: s.W, sh: s.H, opacity: o}
	luma.ax = newAxis(f.W, s.W, place.X, x1, window.X, u1, 1, 0.5)
	luma.ay = newAxis(f.H, s.H, place.Y, y1, window.Y, v1, 1, 0.5)
	chroma := layer{alpha: s.A2, sw: scw, sh: sch, opacity: o}
	chroma.ax = newAxis(f.W/2, scw, place.X, x1, window.X, u1, 2, 0.5)
	chroma.ay = newAxis(f.H/2, sch, place.Y, y1, window.Y, v1, 2, 1)
	if mask != nil {
		mcw, mch := (mask.W+1)/2, (mask.H+1)/2
		mw, mh := float64(mask.W), float64(mask.H)
		luma.mask = &maskLayer{mask.A, mask.W, newAxis(f.W, mask.W, place.X, x1, 0, mw, 1, 0.5),
			newAxis(f.H, mask.H, place.Y, y1, 0, mh, 1, 0.5)}
		chroma.mask = &maskLayer{mask.A2, mcw, newAxis(f.W/2, mcw, place.X, x1, 0, mw, 2, 0.5),
			newAxis(f.H/2, mch, place.Y, y1, 0, mh, 2, 1)}
	}
	luma.draw(f.Y, f.W, s.Y)
	chroma.draw(f.U, f.W/2, s.U)
	chroma.draw(f.V, f.W/2, s.V)
}

// layer is one plane to be drawn.
type layer struct {
	ax, ay  axis
	alpha   []byte // plane as large as the colour's, or nil
	sw, sh  int
	opacity uint32 // of 256
	mask    *maskLayer
}

type maskLayer struct {
	plane  []byte
	w      int
	ax, ay axis
}

func (l *layer) draw(dst []byte, dw int, src []byte) {
	n := len(l.ax.at)
	if n == 0 || len(l.ay.at) == 0 {
		return
	}
	if l.opacity == 256 && l.alpha == nil && l.mask == nil && dw == l.sw && len(dst) == len(src) &&
		l.ax.whole(dw) && l.ay.whole(l.sh) {
		copy(dst, src)
		return
	}
	colour := newSampler(&l.ax, src, l.sw, l.sh)
	defer colour.done()
	var alphas *sampler
	switch {
	case l.mask != nil:
		alphas = newSampler(&l.mask.ax, l.mask.plane, l.mask.w, len(l.mask.plane)/l.mask.w)
		defer alphas.done()
	case l.alpha != nil:
		alphas = newSampler(&l.ax, l.alpha, l.sw, l.sh)
		defer alphas.done()
	}
	values, strengths := colour.bytes(), []byte(nil)
	if alphas != nil {
		strengths = alphas.bytes()
	}
	for j := range l.ay.at {
		row := dst[(l.ay.first+j)*dw+l.ax.first:][:n]
		s := uint32(l.ay.cover[j]) * l.opacity >> 8
		first, last := row[0], row[n-1]
		if alphas == nil && s == 256 {
			colour.sample(row, l.ay.at[j], l.ay.w[j])
		} else {
			colour.sample(values, l.ay.at[j], l.ay.w[j])
			switch {
			case l.mask != nil:
				if j < len(l.mask.ay.at) {
					alphas.sample(strengths, l.mask.ay.at[j], l.mask.ay.w[j])
				}
				masked(row, values, strengths, s)
			case alphas != nil:
				alphas.sample(strengths, l.ay.at[j], l.ay.w[j])
				over(row, values, strengths, s)
			default:
				blend(row, row, values, s)
			}
		}
		// Inner samples are wholly covered; only the two ends can be partial.
		row[0] = partly(first, row[0], l.ax.cover[0])
		if n > 1 {
			row[n-1] = partly(last, row[n-1], l.ax.cover[n-1])
		}
	}
}

// partly goes from d to v by a share of 256.
func partly(d, v byte, share uint16) byte {
	return byte((uint32(d)*uint32(256-share) + uint32(v)*uint32(share) + 128) >> 8)
}

// sampler reads a plane by an axis, keeping the two rows resampled last: the
// next row down needs one of them again.
type sampler struct {
	r      resampler
	src    []byte
	sw, sh int
	rows   [2][]uint16
	have   [2]int32
	out    []byte
}

var samplers = sync.Pool{New: func() any { return new(sampler) }}

func newSampler(a *axis, src []byte, sw, sh int) *sampler {
	s := samplers.Get().(*sampler)
	s.src, s.sw, s.sh = src, sw, sh
	s.r.at, s.r.last = a.at, int32(sw-1)
	s.r.w = s.r.w[:0]
	for _, w := range a.w {
		s.r.w = append(s.r.w, byte((uint32(w)*255+32768)>>16))
	}
	s.r.prepare()
	n := s.r.padded()
	for i := range s.rows {
		if cap(s.rows[i]) < n {
			s.rows[i] = make([]uint16, n)
		}
		s.rows[i] = s.rows[i][:n]
		s.have[i] = -1
	}
	return s
}

func (s *sampler) done() {
	s.src = nil
	samplers.Put(s)
}

// bytes is room for one row of results.
func (s *sampler) bytes() []byte {
	if n := len(s.r.at); cap(s.out) < n {
		s.out = make([]byte, n)
	}
	return s.out[:len(s.r.at)]
}

func (s *sampler) row(y int32) []uint16 {
	k := y & 1
	if s.have[k] != y {
		s.r.row(s.rows[k], s.src[int(y)*s.sw:][:s.sw])
		s.have[k] = y
	}
	return s.rows[k]
}

func (s *sampler) sample(out []byte, y int32, w uint16) {
	if int(y)+1 >= s.sh {
		w = 0
	}
	a := s.row(y)
	b := a
	if w != 0 {
		b = s.row(y + 1)
	}
	s.r.mixRows(out, a, b, uint32(w))
}

// Fill covers place with one colour; edges between pixels are covered in
// part. opacity is 0 to 1.
func (f *Frame) Fill(place framing.Rect, c Colour, opacity float64) {
	o := uint32(math.Round(opacity * 256))
	if o == 0 || place.W <= 0 || place.H <= 0 {
		return
	}
	x1, y1 := place.X+place.W, place.Y+place.H
	fillPlane(f.Y, f.W, c.Y, newAxis(f.W, 1, place.X, x1, 0, 1, 1, 0.5), newAxis(f.H, 1, place.Y, y1, 0, 1, 1,
		0.5), o)
	cx, cy := newAxis(f.W/2, 1, place.X, x1, 0, 1, 2, 0.5), newAxis(f.H/2, 1, place.Y, y1, 0, 1, 2, 1)
	fillPlane(f.U, f.W/2, c.U, cx, cy, o)
	fillPlane(f.V, f.W/2, c.V, cx, cy, o)
}

func fillPlane(dst []byte, dw int, v byte, ax, ay axis, opacity uint32) {
	n := len(ax.at)
	if n == 0 || len(ay.at) == 0 {
		return
	}
	values := make([]byte, n)
	fill(values, v)
	for j := range ay.at {
		row := dst[(ay.first+j)*dw+ax.first:][:n]
		first, last := row[0], row[n-1]
		blend(row, row, values, uint32(ay.cover[j])*opacity>>8)
		row[0] = partly(first, row[0], ax.cover[0])
		if n > 1 {
			row[n-1] = partly(last, row[n-1], ax.cover[n-1])
		}
	}
}
