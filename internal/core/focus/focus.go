// Package focus finds where the eye goes in a picture, and sums a picture up
// so that look-alikes are known.
package focus

import (
	"math"

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
	s := make([]float64, p.W*p.H)
	most := 0.0
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
