//go:build !(goexperiment.simd && amd64)

package raster

// vectors says whether the vector kernels are used.
var vectors = false

// Kernels names the kernels in use.
func Kernels() string { return "portable" }

type block struct{}

func (r *resampler) prepare() {}

func (r *resampler) padded() int { return len(r.at) }

func (r *resampler) row(out []uint16, src []byte) { r.rowPortable(out, src) }

func (r *resampler) mixRows(out []byte, a, b []uint16, w uint32) { mixRowsPortable(out, a, b, w) }

func blend(dst, a, b []byte, w uint32) { blendPortable(dst, a, b, w) }

func masked(dst, v, m []byte, s uint32) { maskedPortable(dst, v, m, s) }

func over(dst, v, alpha []byte, s uint32) { overPortable(dst, v, alpha, s) }

func threshold(mask []byte, m []uint16, t, gain uint32) {
	thresholdPortable(mask, m, min(t, 65535), gain)
}

func (m Matrix) convert(row []byte, channels int, y []byte, u, v []int32) {
	m.convertPortable(row, channels, y, u, v)
}
