//go:build goexperiment.simd && amd64

package raster

import "simd/archsimd"

// vectors says whether the vector kernels are used. Tests switch it off.
var vectors = archsimd.X86.AVX2()

// Kernels names the kernels in use.
func Kernels() string {
	if vectors {
		return "AVX2"
	}
	return "portable"
}

// block is what the vector form needs for 32 results: the four groups of
// eight read 16 bytes each from base on, and shuffle picks the pairs. Groups
// 0 and 2 make up the first vector, 1 and 3 the second.
type block struct {
	base    [4]int32
	shuffle [2][32]int8
	weight  [2][32]uint8
}

const blockLen = 32

// prepare fills blocks, or leaves none where the row is too short or a group
// spans more than 16 samples.
func (r *resampler) prepare() {
	r.blocks = r.blocks[:0]
	if !vectors || r.last < 15 {
		return
	}
	for lo := 0; lo < len(r.at); lo += blockLen {
		var b block
		for g := range 4 {
			first := min(lo+8*g, len(r.at)-1)
			base := min(r.at[first], r.last-15)
			b.base[g] = base
			for k := range 8 {
				i := min(lo+8*g+k, len(r.at)-1)
				left := r.at[i] - base
				right := min(r.at[i]+1, r.last) - base
				if left < 0 || right > 15 {
					r.blocks = r.blocks[:0]
					return
				}
				at := 16*(g/2) + 2*k
				b.shuffle[g%2][at], b.shuffle[g%2][at+1] = int8(left), int8(right)
				b.weight[g%2][at], b.weight[g%2][at+1] = 255-r.w[i], r.w[i]
			}
		}
		r.blocks = append(r.blocks, b)
	}
}

// padded is the length of a row of resampled values.
func (r *resampler) padded() int { return (len(r.at) + blockLen - 1) / blockLen * blockLen }

// row resamples one row. out has the padded length; the order of values in it
// is only known to mixRows.
func (r *resampler) row(out []uint16, src []byte) {
	if len(r.blocks) == 0 {
		r.rowPortable(out, src)
		return
	}
	sign := archsimd.BroadcastUint8x32(0x80)
	bias := archsimd.BroadcastUint16x16(255 * 128)
	for i := range r.blocks {
		b := &r.blocks[i]
		for v := range 2 {
			var x archsimd.Uint8x32
			x = x.SetLo(archsimd.LoadUint8x16Slice(src[b.base[v]:]))
			x = x.SetHi(archsimd.LoadUint8x16Slice(src[b.base[v+2]:]))
			pairs := x.Xor(sign).PermuteOrZeroGrouped(archsimd.LoadInt8x32(&b.shuffle[v])).AsInt8x32()
			sum := archsimd.LoadUint8x32(&b.weight[v]).DotProductPairsSaturated(pairs)
			sum.AsUint16x16().Add(bias).StoreSlice(out[32*i+16*v:])
		}
	}
	archsimd.ClearAVXUpperBits()
}

// gather puts the low bytes of two vectors of 16 into one of 32: the first
// eight of each half come from a.
func gather(a, b archsimd.Uint16x16) archsimd.Uint8x32 {
	x := a.AsUint8x32().PermuteOrZeroGrouped(archsimd.LoadInt8x32(&evenLow))
	y := b.AsUint8x32().PermuteOrZeroGrouped(archsimd.LoadInt8x32(&evenHigh))
	return x.Or(y)
}

var evenLow, evenHigh = func() (lo, hi [32]int8) {
	for i := range 32 {
		lo[i], hi[i] = -1, -1
		if k := i % 16; k < 8 {
			lo[i] = int8(2 * k)
		} else {
			hi[i] = int8(2 * (k - 8))
		}
	}
	return
}()

func div255x16(v archsimd.Uint16x16) archsimd.Uint16x16 {
	v = v.Add(archsimd.BroadcastUint16x16(128))
	return v.Add(v.ShiftAllRight(8)).ShiftAllRight(8)
}

// mixRows turns two resampled rows into bytes; see mixRowsPortable.
func (r *resampler) mixRows(out []byte, a, b []uint16, w uint32) {
	if len(r.blocks) == 0 {
		mixRowsPortable(out, a, b, w)
		return
	}
	w0, w1 := archsimd.BroadcastUint16x16(uint16(65536-w)), archsimd.BroadcastUint16x16(uint16(w))
	var tail [blockLen]byte
	for i := 0; i < len(out); i += blockLen {
		x, y := archsimd.LoadUint16x16Slice(a[i:]), archsimd.LoadUint16x16Slice(a[i+16:])
		if w != 0 {
			x = x.MulHigh(w0).Add(archsimd.LoadUint16x16Slice(b[i:]).MulHigh(w1))
			y = y.MulHigh(w0).Add(archsimd.LoadUint16x16Slice(b[i+16:]).MulHigh(w1))
		}
		bytes := gather(div255x16(x), div255x16(y))
		if i+blockLen <= len(out) {
			bytes.StoreSlice(out[i:])
		} else {
			bytes.Store(&tail)
			copy(out[i:], tail[:])
		}
	}
	archsimd.ClearAVXUpperBits()
}

// even and odd bytes of a vector as 16-bit values, and back.
func even(x archsimd.Uint8x32) archsimd.Uint16x16 {
	return x.AsUint16x16().And(archsimd.BroadcastUint16x16(255))
}

func odd(x archsimd.Uint8x32) archsimd.Uint16x16 { return x.AsUint16x16().ShiftAllRight(8) }

func join(e, o archsimd.Uint16x16) archsimd.Uint8x32 {
	return e.Or(o.ShiftAllLeft(8)).AsUint8x32()
}

func blend(dst, a, b []byte, w uint32) {
	n := 0
	if vectors {
		n = len(dst) &^ (blockLen - 1)
		w0, w1, half := archsimd.BroadcastUint16x16(uint16(256-w)), archsimd.BroadcastUint16x16(uint16(w)),
			archsimd.BroadcastUint16x16(128)
		mix := func(x, y archsimd.Uint16x16) archsimd.Uint16x16 {
			return x.Mul(w0).Add(y.Mul(w1)).Add(half).ShiftAllRight(8)
		}
		for i := 0; i < n; i += blockLen {
			x, y := archsimd.LoadUint8x32Slice(a[i:]), archsimd.LoadUint8x32Slice(b[i:])
			join(mix(even(x), even(y)), mix(odd(x), odd(y))).StoreSlice(dst[i:])
		}
		archsimd.ClearAVXUpperBits()
	}
	blendPortable(dst[n:], a[n:], b[n:], w)
}

func masked(dst, v, m []byte, s uint32) {
	n := 0
	if vectors {
		n = len(dst) &^ (blockLen - 1)
		strength, half, all := archsimd.BroadcastUint16x16(uint16(s)), archsimd.BroadcastUint16x16(128),
			archsimd.BroadcastUint16x16(255)
		mix := func(d, v, m archsimd.Uint16x16) archsimd.Uint16x16 {
			k := m.Mul(strength).Add(half).ShiftAllRight(8)
			return div255x16(d.Mul(all.Sub(k)).Add(v.Mul(k)))
		}
		for i := 0; i < n; i += blockLen {
			d, x, y := archsimd.LoadUint8x32Slice(dst[i:]), archsimd.LoadUint8x32Slice(v[i:]),
				archsimd.LoadUint8x32Slice(m[i:])
			join(mix(even(d), even(x), even(y)), mix(odd(d), odd(x), odd(y))).StoreSlice(dst[i:])
		}
		archsimd.ClearAVXUpperBits()
	}
	maskedPortable(dst[n:], v[n:], m[n:], s)
}

func over(dst, v, alpha []byte, s uint32) {
	n := 0
	if vectors {
		n = len(dst) &^ (blockLen - 1)
		strength, half, all := archsimd.BroadcastUint16x16(uint16(s)), archsimd.BroadcastUint16x16(128),
			archsimd.BroadcastUint16x16(255)
		scale := func(x archsimd.Uint16x16) archsimd.Uint16x16 {
			return x.Mul(strength).Add(half).ShiftAllRight(8)
		}
		under := func(d, a archsimd.Uint16x16) archsimd.Uint16x16 {
			return div255x16(d.Mul(all.Sub(scale(a))))
		}
		for i := 0; i < n; i += blockLen {
			d, x, a := archsimd.LoadUint8x32Slice(dst[i:]), archsimd.LoadUint8x32Slice(v[i:]),
				archsimd.LoadUint8x32Slice(alpha[i:])
			below := join(under(even(d), even(a)), under(odd(d), odd(a)))
			below.AddSaturated(join(scale(even(x)), scale(odd(x)))).StoreSlice(dst[i:])
		}
		archsimd.ClearAVXUpperBits()
	}
	overPortable(dst[n:], v[n:], alpha[n:], s)
}

func threshold(mask []byte, m []uint16, t, gain uint32) {
	n := 0
	if vectors {
		n = len(mask) &^ (blockLen - 1)
		limit, slope, all := archsimd.BroadcastUint16x16(uint16(min(t, 65535))),
			archsimd.BroadcastUint16x16(uint16(gain)), archsimd.BroadcastUint16x16(255)
		edge := func(x archsimd.Uint16x16) archsimd.Uint16x16 {
			return limit.SubSaturated(x).MulHigh(slope).Min(all)
		}
		for i := 0; i < n; i += blockLen {
			// Loaded as consecutive sixteens, so they are interleaved by halves.
			lo, hi := edge(archsimd.LoadUint16x16Slice(m[i:])), edge(archsimd.LoadUint16x16Slice(m[i+16:]))
			var x, y archsimd.Uint16x16
			x = x.SetLo(lo.GetLo()).SetHi(hi.GetLo())
			y = y.SetLo(lo.GetHi()).SetHi(hi.GetHi())
			gather(x, y).StoreSlice(mask[i:])
		}
		archsimd.ClearAVXUpperBits()
	}
	thresholdPortable(mask[n:], m[n:], min(t, 65535), gain)
}

// picks[channels-3][c] puts channel c of four pixels in each half into the
// lowest bytes of 32-bit values.
var picks = func() (p [2][3][32]int8) {
	for channels := 3; channels <= 4; channels++ {
		for c := range 3 {
			for i := range 32 {
				p[channels-3][c][i] = -1
				if i%4 == 0 {
					p[channels-3][c][i] = int8(i%16/4*channels + c)
				}
			}
		}
	}
	return
}()

// lowest puts the lowest bytes of the 32-bit values of each half together.
var lowest = func() (p [32]int8) {
	for i := range 32 {
		p[i] = -1
		if i%16 < 4 {
			p[i] = int8(i % 16 * 4)
		}
	}
	return
}()

// convert is YUV for a row of pixels; see convertPortable.
func (m Matrix) convert(row []byte, channels int, y []byte, u, v []int32) {
	n := 0
	if vectors {
		c := &tables[m]
		all := archsimd.BroadcastInt32x8
		yr, yg, yb, ur, ug, ub, vr, vg, vb := all(c.yr), all(c.yg), all(c.yb), all(c.ur), all(c.ug),
			all(c.ub), all(c.vr), all(c.vg), all(c.vb)
		black, grey := all(16*fixed+fixed/2), all(128*fixed+fixed/2)
		p := &picks[channels-3]
		red, green, blue, low := archsimd.LoadInt8x32(&p[0]), archsimd.LoadInt8x32(&p[1]),
			archsimd.LoadInt8x32(&p[2]), archsimd.LoadInt8x32(&lowest)
		var bytes [32]byte
		// The second half is read 16 bytes from the fifth pixel on.
		for ; n+8 <= len(y) && (n+4)*channels+16 <= len(row); n += 8 {
			var x archsimd.Uint8x32
			x = x.SetLo(archsimd.LoadUint8x16Slice(row[n*channels:]))
			x = x.SetHi(archsimd.LoadUint8x16Slice(row[(n+4)*channels:]))
			r, g, b := x.PermuteOrZeroGrouped(red).AsInt32x8(), x.PermuteOrZeroGrouped(green).AsInt32x8(),
				x.PermuteOrZeroGrouped(blue).AsInt32x8()
			yy := r.Mul(yr).Add(g.Mul(yg)).Add(b.Mul(yb)).Add(black).ShiftAllRight(16)
			r.Mul(ur).Add(g.Mul(ug)).Add(b.Mul(ub)).Add(grey).ShiftAllRight(16).StoreSlice(u[n:])
			r.Mul(vr).Add(g.Mul(vg)).Add(b.Mul(vb)).Add(grey).ShiftAllRight(16).StoreSlice(v[n:])
			yy.AsUint8x32().PermuteOrZeroGrouped(low).Store(&bytes)
			copy(y[n:n+4], bytes[:4])
			copy(y[n+4:n+8], bytes[16:20])
		}
		archsimd.ClearAVXUpperBits()
	}
	m.convertPortable(row[n*channels:], channels, y[n:], u[n:], v[n:])
}
