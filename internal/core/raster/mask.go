package raster

import "math"

// Map orders the samples of a frame: low values change first. One map for
// luma and one for chroma, so that edges lie in the same place in both.
type Map struct {
	W, H   int
	Luma   []uint16
	Chroma []uint16
}

// NewMap fills a map for w×h frames from a function of the position in
// fractions of the frame, with values 0 to 1.
func NewMap(w, h int, at func(x, y float64) float64) *Map {
	m := &Map{W: w, H: h, Luma: make([]uint16, w*h), Chroma: make([]uint16, w*h/4)}
	value := func(x, y float64) uint16 {
		return uint16(math.Round(math.Max(0, math.Min(1, at(x/float64(w), y/float64(h)))) * 65535))
	}
	for y := range h {
		for x := range w {
			m.Luma[y*w+x] = value(float64(x)+0.5, float64(y)+0.5)
		}
	}
	for y := range h / 2 {
		for x := range w / 2 {
			m.Chroma[y*w/2+x] = value(float64(2*x)+0.5, float64(2*y)+1)
		}
	}
	return m
}

// Reveal puts b over f where the map is below share; the edge is as soft as
// the given share of the map's range. At 0 nothing shows of b, at 1 all. The
// frames and the map have one size.
func (f *Frame) Reveal(b *Frame, m *Map, share, soft float64) {
	switch {
	case share <= 0:
		return
	case share >= 1:
		f.Copy(b)
		return
	}
	soft = math.Max(soft, 1.0/256)
	// The edge runs in from below the range and out above it.
	limit := share * (1 + soft) * 65535
	gain := uint32(math.Min(65535, 255*65536/(soft*65535)))
	mask := make([]byte, f.W)
	reveal(f.Y, b.Y, m.Luma, mask, limit, gain)
	reveal(f.U, b.U, m.Chroma, mask[:f.W/2], limit, gain)
	reveal(f.V, b.V, m.Chroma, mask[:f.W/2], limit, gain)
}

func reveal(dst, src []byte, m []uint16, mask []byte, limit float64, gain uint32) {
	w := len(mask)
	// Limits above the range are brought into it by lowering what they are
	// compared with.
	t, lift := uint32(math.Min(limit, 65535)), uint32(math.Max(0, limit-65535))
	var lowered []uint16
	if lift > 0 {
		lowered = make([]uint16, w)
	}
	for at := 0; at < len(dst); at += w {
		line := m[at : at+w]
		if lift > 0 {
			for i, v := range line {
				lowered[i] = uint16(max(0, int(v)-int(lift)))
			}
			line = lowered
		}
		threshold(mask, line, t, gain)
		masked(dst[at:at+w], src[at:at+w], mask, 256)
	}
}

// Add makes f the brighter sum of a·wa and b·wb (weights of 256): light adds,
// colour is mixed by the weights.
func (f *Frame) Add(a, b *Frame, wa, wb int) {
	for i := range f.Y {
		y := (int(a.Y[i])-16)*wa + (int(b.Y[i])-16)*wb
		f.Y[i] = byte(min(235, 16+(y+128)>>8))
	}
	for i := range f.U {
		u := (int(a.U[i])-128)*wa + (int(b.U[i])-128)*wb
		v := (int(a.V[i])-128)*wa + (int(b.V[i])-128)*wb
		f.U[i] = byte(max(16, min(240, 128+(u+128)>>8)))
		f.V[i] = byte(max(16, min(240, 128+(v+128)>>8)))
	}
}

// Sprite is a view of the frame's planes, to be drawn into other frames.
func (f *Frame) Sprite() *Sprite { return &Sprite{W: f.W, H: f.H, Y: f.Y, U: f.U, V: f.V} }
