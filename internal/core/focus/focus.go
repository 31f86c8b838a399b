// Package focus finds where the eye goes in a picture, and sums a picture up
// so that look-alikes are known.
package focus

import (
	"cmp"
	"math"
	"slices"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
)

// Side is the longer side, in pixels, of pictures to be looked at here.
const Side = 128

// Point is where the eye goes, in fractions of the picture: the centre of
// what stands out in colour and detail. Saliency is each point's colour
// distance from the picture's mean (after Achanta et al., Frequency-tuned
// Salient Region Detection, CVPR 2009) and its contrast with its surround,
// weighted a little towards the middle.
func Point(p raster.Pixels) framing.Point {
	if p.W < 4 || p.H < 4 {
		return framing.Point{X: 0.5, Y: 0.5}
	}
	s, most := saliency(p)
	// Only the most striking half counts, by its square.
	var sum, sx, sy float64
	for y := range p.H {
		for x := range p.W {
			v := math.Max(0, s[y*p.W+x]-most/2)
			v *= v
			sum += v
			sx += v * (float64(x) + 0.5)
			sy += v * (float64(y) + 0.5)
		}
	}
	if sum == 0 {
		return framing.Point{X: 0.5, Y: 0.46}
	}
	return framing.Point{X: sx / sum / float64(p.W), Y: sy / sum / float64(p.H)}
}

// Interest is the part of a picture, in fractions of it, that holds what stands
// out: between a tenth and nine tenths of what is striking, across and down.
// Where much of the picture is struck evenly it is large. It is empty for a
// picture in which nothing stands out.
func Interest(p raster.Pixels) framing.Rect {
	if p.W < 4 || p.H < 4 {
		return framing.Rect{}
	}
	s, most := saliency(p)
	across, down := make([]float64, p.W), make([]float64, p.H)
	for y := range p.H {
		for x := range p.W {
			v := math.Max(0, s[y*p.W+x]-0.4*most)
			across[x] += v
			down[y] += v
		}
	}
	x0, x1 := middle(across)
	y0, y1 := middle(down)
	return framing.Rect{X: x0, Y: y0, W: x1 - x0, H: y1 - y0}
}

// middle is where a tenth and nine tenths of a sum are reached, as shares of its
// length; both are 0 for a sum of nothing.
func middle(of []float64) (from, to float64) {
	sum := 0.0
	for _, v := range of {
		sum += v
	}
	if sum == 0 {
		return 0, 0
	}
	n, so := float64(len(of)), 0.0
	for i, v := range of {
		if so < 0.1*sum && so+v >= 0.1*sum {
			from = float64(i) / n
		}
		if so < 0.9*sum && so+v >= 0.9*sum {
			to = float64(i+1) / n
		}
		so += v
	}
	return from, to
}

// saliency is how much each point stands out, and the most of it.
func saliency(p raster.Pixels) (s []float64, most float64) {
	soft := raster.Pixels{W: p.W, H: p.H, Channels: p.Channels, Pix: append([]byte(nil), p.Pix...)}
	raster.Blur(soft, 1)
	var mean [3]float64
	for i := 0; i+2 < len(soft.Pix); i += p.Channels {
		for c := range mean {
			mean[c] += float64(soft.Pix[i+c])
		}
	}
	n := float64(p.W * p.H)
	for c := range mean {
		mean[c] /= n
	}
	s = make([]float64, p.W*p.H)
	for y := range p.H {
		for x := range p.W {
			i := (y*p.W + x) * p.Channels
			d := 0.0
			for c := range mean {
				v := float64(soft.Pix[i+c]) - mean[c]
				d += v * v
			}
			d = math.Sqrt(d) + 2.5*math.Abs(float64(p.Pix[i+1])-float64(soft.Pix[i+1]))
			dx, dy := (float64(x)+0.5)/float64(p.W)-0.5, (float64(y)+0.5)/float64(p.H)-0.46
			d *= math.Exp(-2.2 * (dx*dx + dy*dy))
			s[y*p.W+x] = d
			most = math.Max(most, d)
		}
	}
	return s, most
}

// Print is a difference hash of a picture: 64 bits, each telling whether one
// of 8×8 places is lighter than the one to its right. Pictures that look
// alike differ in few bits. 0 is never returned.
func Print(p raster.Pixels) uint64 {
	var grid [8][9]float64
	for r := range grid {
		for c := range grid[r] {
			x0, x1 := c*p.W/9, max(c*p.W/9+1, (c+1)*p.W/9)
			y0, y1 := r*p.H/8, max(r*p.H/8+1, (r+1)*p.H/8)
			sum, n := 0.0, 0.0
			for y := y0; y < min(y1, p.H); y++ {
				for x := x0; x < min(x1, p.W); x++ {
					px := p.Pix[(y*p.W+x)*p.Channels:]
					sum += 0.299*float64(px[0]) + 0.587*float64(px[1]) + 0.114*float64(px[2])
					n++
				}
			}
			if n > 0 {
				grid[r][c] = sum / n
			}
		}
	}
	var h uint64
	for r := range grid {
		for c := range 8 {
			h <<= 1
			if grid[r][c] > grid[r][c+1] {
				h |= 1
			}
		}
	}
	if h == 0 {
		return 1 << 63
	}
	return h
}

// Blurred is the sharpness below which a picture is pointed out as blurred
// (common practice, no source; our own pictures, blurred step by step).
const Blurred = 0.22

// Sharpness is how much of the detail of a picture's edges is fine: what is
// lost by a blur of one pixel, against what is lost between that and one of four
// pixels, where there is most of the latter. It is 0 for a picture without
// edges, and does not depend on contrast. Pictures should be some 600 pixels
// wide; what is softer than that shows in the film.
func Sharpness(p raster.Pixels) float64 {
	const block = 16
	if p.W < 2*block || p.H < 2*block {
		return 0
	}
	// Green carries most of the detail.
	green := raster.Pixels{W: p.W, H: p.H, Channels: 1, Pix: make([]byte, p.W*p.H)}
	for i := range green.Pix {
		green.Pix[i] = p.Pix[i*p.Channels+1]
	}
	blurred := func(by int) raster.Pixels {
		soft := green
		soft.Pix = append([]byte(nil), green.Pix...)
		raster.Blur(soft, by)
		return soft
	}
	one, four := blurred(1), blurred(4)
	type edges struct{ fine, coarse float64 }
	var blocks []edges
	for by := 0; by+block <= p.H; by += block {
		for bx := 0; bx+block <= p.W; bx += block {
			var e edges
			for y := by; y < by+block; y++ {
				for x := bx; x < bx+block; x++ {
					i := y*p.W + x
					e.fine += math.Abs(float64(green.Pix[i]) - float64(one.Pix[i]))
					e.coarse += math.Abs(float64(one.Pix[i]) - float64(four.Pix[i]))
				}
			}
			blocks = append(blocks, e)
		}
	}
	slices.SortFunc(blocks, func(a, b edges) int { return cmp.Compare(b.coarse, a.coarse) })
	var sum edges
	for _, e := range blocks[:max(1, len(blocks)/10)] {
		sum.fine += e.fine
		sum.coarse += e.coarse
	}
	// Less than one code value a pixel is noise, not an edge.
	if sum.coarse < float64(block*block*max(1, len(blocks)/10)) {
		return 0
	}
	return sum.fine / sum.coarse
}

// Lightness is a picture's mean luma (BT.709 weights on the code values), 0 for
// black to 1 for white.
func Lightness(p raster.Pixels) float64 {
	if p.W == 0 || p.H == 0 {
		return 0
	}
	sum := 0.0
	for i := 0; i+2 < len(p.Pix); i += p.Channels {
		sum += 0.2126*float64(p.Pix[i]) + 0.7152*float64(p.Pix[i+1]) + 0.0722*float64(p.Pix[i+2])
	}
	return sum / 255 / float64(p.W*p.H)
}

// Dark and Light are the lightness below and above which a picture is likely
// to need a correction (common practice, no source).
const (
	Dark  = 0.18
	Light = 0.85
)
