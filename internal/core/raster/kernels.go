package raster

// The kernels work on rows of samples. Each has a portable form here and,
// where the processor has AVX2 and the program was built with
// GOEXPERIMENT=simd, a vector form that gives the same bytes.
//
// Horizontal weights are whole 255ths, so that a mixed sample fits 16 bits
// without loss: a·(255−w) + b·w. Vertical weights are 65536ths.

// resampler maps samples along one row: out[i] lies between in[at[i]] and
// the one after it.
type resampler struct {
	at     []int32 // left sample
	w      []byte  // weight of the right one, in 255ths
	last   int32   // the last sample of the row; there is none after it
	blocks []block // for the vector form, of 32 results each; nil where spans are too wide
}

// mixed is the rows' sample i in 255ths.
func (r *resampler) mixed(src []byte, i int) uint16 {
	k := r.at[i]
	a, b := src[k], src[min(k+1, r.last)]
	w := uint16(r.w[i])
	return uint16(a)*(255-w) + uint16(b)*w
}

func (r *resampler) rowPortable(out []uint16, src []byte) {
	for i := range r.at {
		out[i] = r.mixed(src, i)
	}
}

// div255 is round(v/255) for v up to 65407.
func div255(v uint32) uint32 {
	v += 128
	return (v + v>>8) >> 8
}

// mixRowsPortable turns two resampled rows into bytes, the second with weight
// w of 65536. w is 0 to 65535; at 0 the second row is not looked at.
func mixRowsPortable(out []byte, a, b []uint16, w uint32) {
	if w == 0 {
		for i := range out {
			out[i] = byte(div255(uint32(a[i])))
		}
		return
	}
	for i := range out {
		out[i] = byte(div255(uint32(a[i])*(65536-w)>>16 + uint32(b[i])*w>>16))
	}
}

// blendPortable makes dst the mix of a and b, b with weight w of 256.
func blendPortable(dst, a, b []byte, w uint32) {
	a, b = a[:len(dst)], b[:len(dst)]
	for i := range dst {
		dst[i] = byte((uint32(a[i])*(256-w) + uint32(b[i])*w + 128) >> 8)
	}
}

// maskedPortable puts v on dst by the mask m at strength s of 256.
func maskedPortable(dst, v, m []byte, s uint32) {
	v, m = v[:len(dst)], m[:len(dst)]
	for i := range dst {
		k := (uint32(m[i])*s + 128) >> 8
		dst[i] = byte(div255(uint32(dst[i])*(255-k) + uint32(v[i])*k))
	}
}

// overPortable puts v, premultiplied by alpha, on dst at strength s of 256
// (Porter and Duff's over).
func overPortable(dst, v, alpha []byte, s uint32) {
	v, alpha = v[:len(dst)], alpha[:len(dst)]
	for i := range dst {
		k := (uint32(alpha[i])*s + 128) >> 8
		add := (uint32(v[i])*s + 128) >> 8
		dst[i] = byte(min(255, div255(uint32(dst[i])*(255-k))+add))
	}
}

// thresholdPortable turns a map into a mask: 255 where the map is far below
// t, 0 from t on, and between them a slope of gain 65536ths.
func thresholdPortable(mask []byte, m []uint16, t, gain uint32) {
	m = m[:len(mask)]
	for i := range mask {
		d := uint32(0)
		if v := uint32(m[i]); v < t {
			d = t - v
		}
		mask[i] = byte(min(255, d*gain>>16))
	}
}

// convertPortable is YUV for a row of pixels; chroma comes out at full size.
func (m Matrix) convertPortable(row []byte, channels int, y []byte, u, v []int32) {
	c := &tables[m]
	yr, yg, yb, ur, ug, ub, vr, vg, vb := c.yr, c.yg, c.yb, c.ur, c.ug, c.ub, c.vr, c.vg, c.vb
	u, v = u[:len(y)], v[:len(y)]
	for i, x := 0, 0; x < len(y) && i+3 <= len(row); i, x = i+channels, x+1 {
		px := row[i : i+3]
		r, g, b := int32(px[0]), int32(px[1]), int32(px[2])
		y[x] = byte((yr*r + yg*g + yb*b + 16*fixed + fixed/2) >> 16)
		u[x] = (ur*r + ug*g + ub*b + 128*fixed + fixed/2) >> 16
		v[x] = (vr*r + vg*g + vb*b + 128*fixed + fixed/2) >> 16
	}
}
