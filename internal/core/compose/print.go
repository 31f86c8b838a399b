package compose

import (
	"encoding/binary"
	"fmt"
	"math"

	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
)

// NewPrint dresses a picture, already cut to its window and scaled to the
// print's inside (the print's size less its mat), with mat, corners, mask and
// shadow, and turns it. Without pixels the print is its mat's colour all
// over.
func NewPrint(in raster.Pixels, a scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	iw, ih := a.W-2*a.Mat, a.H-2*a.Mat
	if in.W > 0 && (in.W != iw || in.H != ih) {
		return nil, fmt.Errorf("print: picture of %d×%d for a place of %d×%d", in.W, in.H, iw, ih)
	}
	flat := printPixels(in, a)
	w, h := a.PrintSize()
	out := raster.Pixels{W: w, H: h, Channels: 4, Pix: make([]byte, w*h*4)}
	if a.Shadow > 0 && a.Blur > 0 {
		castShadow(out, flat, a)
	}
	lay(out, flat, a.Degrees, 0)
	return raster.NewSprite(out, m)
}

// printPixels is the print lying straight.
func printPixels(in raster.Pixels, a scene.Asset) raster.Pixels {
	p := raster.Pixels{W: a.W, H: a.H, Channels: 4, Pix: make([]byte, a.W*a.H*4)}
	for i := 0; i < len(p.Pix); i += 4 {
		p.Pix[i], p.Pix[i+1], p.Pix[i+2], p.Pix[i+3] = a.Colour.R, a.Colour.G, a.Colour.B, 255
	}
	if a.Mat == 0 {
		within(p, in, 0, shape{}, true)
		clipTo(p, shape{a.Mask, a.Radius})
		return p
	}
	within(p, in, a.Mat, shape{a.Mask, max(0, a.Radius-a.Mat)}, false)
	clipTo(p, shape{"", a.Radius})
	return p
}

// shape is what a mask lets through: a rectangle with round corners if it has
// no name.
type shape struct {
	name   string
	radius int
}

// inside is the part of row y of a w×h shape that is known to be wholly
// inside.
func (s shape) inside(y, w, h int) (from, to int) {
	switch {
	case s.name != "":
		return w, w
	case y >= s.radius && y < h-s.radius:
		return 0, w
	}
	from = min(s.radius, w)
	return from, max(from, w-s.radius)
}

// at is how much of pixel x, y of a w×h shape is inside, 0 to 1.
func (s shape) at(x, y, w, h int) float64 {
	return cover(float64(x)+0.5, float64(y)+0.5, float64(w), float64(h), float64(s.radius), s.name)
}

// within lays a picture into p, mat pixels from its edges, as far as a shape
// lets it through. through lets its transparency go through p.
func within(p, in raster.Pixels, mat int, s shape, through bool) {
	for y := range in.H {
		from, to := s.inside(y, in.W, in.H)
		src, dst := in.Pix[y*in.W*in.Channels:], p.Pix[((y+mat)*p.W+mat)*4:]
		for x := range in.W {
			k := 1.0
			if x < from || x >= to {
				k = s.at(x, y, in.W, in.H)
			}
			px, d := src[x*in.Channels:], dst[x*4:]
			if in.Channels == 4 {
				k *= float64(px[3]) / 255
				if through {
					d[3] = px[3]
				}
			}
			if k == 1 {
				d[0], d[1], d[2] = px[0], px[1], px[2]
				continue
			}
			for c := range 3 {
				d[c] = byte(float64(px[c])*k + float64(d[c])*(1-k) + 0.5)
			}
		}
	}
}

// clipTo makes p transparent outside a shape.
func clipTo(p raster.Pixels, s shape) {
	for y := range p.H {
		from, to := s.inside(y, p.W, p.H)
		for x := 0; x < p.W; x++ {
			if x == from && to > from {
				x = to
			}
			if x < p.W {
				i := (y*p.W+x)*4 + 3
				p.Pix[i] = byte(float64(p.Pix[i])*s.at(x, y, p.W, p.H) + 0.5)
			}
		}
	}
}

// lay draws flat, turned about its centre, into the middle of out (down
// pixels lower), over what is there.
func lay(out, flat raster.Pixels, degrees, down float64) {
	if flat.W < 2 || flat.H < 2 {
		return // too small to be seen, or to be read between pixels
	}
	t := newTurn(out, flat, degrees, down)
	for y := range out.H {
		from, to := t.span(y, -1)
		in, past := t.span(y, 1)
		for x := from; x < to; x++ {
			dst := out.Pix[(y*out.W+x)*4:][:4]
			if x == in && past > in {
				// Wholly inside: no ends to repeat, no edge to soften.
				u, v := t.at(x, y)
				fu, fv := int((u-0.5)*one), int((v-0.5)*one)
				du, dv := int(math.Round(t.cos*one)), int(math.Round(-t.sin*one))
				for ; x < past; x++ {
					over(out.Pix[(y*out.W+x)*4:][:4], between(flat, fu, fv))
					fu, fv = fu+du, fv+dv
				}
				x--
				continue
			}
			u, v := t.at(x, y)
			edge := math.Min(math.Min(u, t.w-u), math.Min(v, t.h-v)) + 0.5
			if edge <= 0 {
				continue
			}
			u, v = math.Max(0, math.Min(u-0.5, t.w-1.01)), math.Max(0, math.Min(v-0.5, t.h-1.01))
			px := between(flat, int(u*one), int(v*one))
			if edge < 1 {
				px = px&0xffffff | uint32(float64(px>>24)*edge)<<24
			}
			over(dst, px)
		}
	}
}

// one is a pixel in the fixed-point numbers that places are counted in.
const one = 1 << 16

// between reads straight-alpha pixels bilinearly, to 1/256 of a pixel, as red
// in the lowest byte to alpha in the highest. The place and its neighbours to
// the right and below must lie in p.
func between(p raster.Pixels, u, v int) uint32 {
	tx, ty := uint64(u>>8&255), uint64(v>>8&255)
	i := ((v>>16)*p.W + u>>16) * 4
	top, bottom := p.Pix[i:i+8], p.Pix[i+p.W*4:i+p.W*4+8]
	a, b := binary.LittleEndian.Uint64(top), binary.LittleEndian.Uint64(bottom)
	// Four channels at once, each in 16 bits.
	const half, low = 0x0080008000800080, 0x00ff00ff00ff00ff
	above := ((spread(a)*(256-tx) + spread(a>>32)*tx + half) >> 8) & low
	below := ((spread(b)*(256-tx) + spread(b>>32)*tx + half) >> 8) & low
	c := ((above*(256-ty) + below*ty + half) >> 8) & low
	return uint32(c&0xff | c>>8&0xff00 | c>>16&0xff0000 | c>>24&0xff000000)
}

// spread puts the four lowest bytes 16 bits apart.
func spread(v uint64) uint64 {
	return v&0xff | v&0xff00<<8 | v&0xff0000<<16 | v&0xff000000<<24
}

// over lays a colour with straight alpha over a pixel.
func over(dst []byte, px uint32) {
	al, below := px>>24, uint32(dst[3])
	if al == 255 || below == 0 {
		binary.LittleEndian.PutUint32(dst, px)
		return
	}
	below = (below*(255-al) + 127) / 255
	sum := al + below
	if sum == 0 {
		return
	}
	for c := range 3 {
		dst[c] = byte(((px>>(8*c)&255)*al + uint32(dst[c])*below + sum/2) / sum)
	}
	dst[3] = byte(sum)
}

// turn maps the pixels of one picture to places in another that is turned
// about its middle.
type turn struct {
	sin, cos       float64
	cx, cy, fx, fy float64 // the middles
	w, h           float64 // of the turned picture
	outW           int
}

func newTurn(out, flat raster.Pixels, degrees, down float64) turn {
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	w, h := float64(flat.W), float64(flat.H)
	return turn{sin, cos, float64(out.W) / 2, float64(out.H)/2 + down, w / 2, h / 2, w, h, out.W}
}

// at is where the centre of pixel x, y lies in the turned picture.
func (t turn) at(x, y int) (u, v float64) {
	dx, dy := float64(x)+0.5-t.cx, float64(y)+0.5-t.cy
	return dx*t.cos + dy*t.sin + t.fx, -dx*t.sin + dy*t.cos + t.fy
}

// span is the pixels of row y that fall on the turned picture at least inset
// pixels from its edges.
func (t turn) span(y int, inset float64) (from, to int) {
	lo, hi := 0.0, float64(t.outW)
	u, v := t.at(0, y)
	for _, side := range [2]struct{ at, step, far float64 }{{u, t.cos, t.w}, {v, -t.sin, t.h}} {
		if math.Abs(side.step) < 1e-9 {
			if side.at < inset || side.at > side.far-inset {
				return 0, 0
			}
			continue
		}
		a, b := (inset-side.at)/side.step, (side.far-inset-side.at)/side.step
		lo, hi = math.Max(lo, math.Min(a, b)), math.Min(hi, math.Max(a, b))
	}
	from = int(math.Ceil(lo))
	return from, max(from, min(t.outW, int(math.Floor(hi))))
}

// castShadow lays a print's soft shadow, a little below it. It has no detail,
// so it is made at a quarter of the size.
func castShadow(out, flat raster.Pixels, a scene.Asset) {
	const q = 4
	thin := raster.Pixels{W: flat.W/q + 1, H: flat.H/q + 1, Channels: 4}
	thin.Pix = make([]byte, thin.W*thin.H*4)
	for y := range thin.H {
		for x := range thin.W {
			sum := 0
			for j := y * q; j < min(flat.H, (y+1)*q); j++ {
				for i := x * q; i < min(flat.W, (x+1)*q); i++ {
					sum += int(flat.Pix[(j*flat.W+i)*4+3])
				}
			}
			thin.Pix[(y*thin.W+x)*4+3] = byte(sum / (q * q))
		}
	}
	small := raster.Pixels{W: out.W/q + 2, H: out.H/q + 2, Channels: 4}
	small.Pix = make([]byte, small.W*small.H*4)
	lay(small, thin, a.Degrees, float64(a.Blur)*0.7/q)
	raster.BlurAlpha(small, max(1, a.Blur/q))
	line := make([]uint32, small.W)
	for y := range out.H {
		// Half a pixel of the small one is two of the large one; eighths.
		down := max(0, 2*y-3)
		r, t := down/8, uint32(down%8)
		for x := range small.W {
			i := (r*small.W+x)*4 + 3
			line[x] = uint32(float64(uint32(small.Pix[i])*(8-t)+
				uint32(small.Pix[min(len(small.Pix)-1, i+small.W*4)])*t) * a.Shadow * 32)
		}
		row := out.Pix[y*out.W*4:][:out.W*4]
		for x := range out.W {
			along := max(0, 2*x-3)
			c, t := along/8, uint32(along%8)
			row[4*x+3] = byte((line[c]*(8-t) + line[c+1]*t + 1024) >> 11)
		}
	}
}
