// Package look changes the tone and colour of a picture: a small chain applied
// once, when the picture is prepared.
package look

import (
	"fmt"
	"math"
	"strings"

	"nelko/internal/core/raster"
)

// Look is the chain's settings; the zero value leaves a picture as it is. All
// values but the switches are −1 to 1 or, where nothing can be taken away, 0
// to 1. The steps run in the order of the fields.
type Look struct {
	Improve     bool    `json:"improve,omitempty"`     // levels and white balance from the histogram
	Light       float64 `json:"light,omitempty"`       // −1 to 1: one stop darker or lighter
	Contrast    float64 `json:"contrast,omitempty"`    // −1 to 1
	Temperature float64 `json:"temperature,omitempty"` // −1 cool to 1 warm
	Saturation  float64 `json:"saturation,omitempty"`  // −1 is black and white
	Tint        float64 `json:"tint,omitempty"`        // 0 to 1: towards a brown print
	Fade        float64 `json:"fade,omitempty"`        // 0 to 1: blacks lifted, whites held back
	Sharpen     float64 `json:"sharpen,omitempty"`     // 0 to 1
	Vignette    float64 `json:"vignette,omitempty"`    // 0 to 1: corners darker
	Grain       float64 `json:"grain,omitempty"`       // 0 to 1
}

// Named are the looks by name, as they stand in the interface.
var Named = []struct {
	ID, Name string
	Look     Look
}{
	{"", "As it is", Look{}},
	{"improved", "Improved", Look{Improve: true, Sharpen: 0.2}},
	{"mono", "Black and white", Look{Saturation: -1, Contrast: 0.12}},
	{"mono-soft", "Soft black and white", Look{Saturation: -1, Fade: 0.35, Grain: 0.2}},
	{"warm", "Warm", Look{Temperature: 0.35, Saturation: 0.06}},
	{"cool", "Cool", Look{Temperature: -0.35}},
	{"faded", "Faded", Look{Fade: 0.45, Saturation: -0.25, Temperature: 0.1}},
	{"high-key", "High key", Look{Light: 0.4, Contrast: -0.12, Saturation: -0.15}},
	{"rich", "Rich", Look{Contrast: 0.22, Saturation: 0.22}},
	{"old-print", "Old print", Look{Saturation: -1, Tint: 0.75, Fade: 0.3, Vignette: 0.35, Grain: 0.3}},
	{"evening", "Evening", Look{Light: -0.2, Temperature: 0.25, Vignette: 0.4}},
}

// ByID finds a named look.
func ByID(id string) (Look, bool) {
	for _, n := range Named {
		if n.ID == id {
			return n.Look, true
		}
	}
	return Look{}, false
}

// Validate reports the first value out of range.
func (l Look) Validate() error {
	for _, v := range []struct {
		name   string
		v, low float64
	}{
		{"light", l.Light, -1}, {"contrast", l.Contrast, -1}, {"temperature", l.Temperature, -1},
		{"saturation", l.Saturation, -1},
		{"tint", l.Tint, 0}, {"fade", l.Fade, 0}, {"sharpen", l.Sharpen, 0}, {"vignette", l.Vignette, 0},
		{"grain", l.Grain, 0},
	} {
		if !(v.v >= v.low && v.v <= 1) {
			return fmt.Errorf("look.%s: %g; must be %g to 1", v.name, v.v, v.low)
		}
	}
	return nil
}

// Apply changes p in place. Transparency stays.
func (l Look) Apply(p raster.Pixels) {
	if l == (Look{}) {
		return
	}
	l.tone(p, l.curves(p))
	if l.Sharpen > 0 {
		sharpen(p, l.Sharpen)
	}
	if l.Vignette > 0 || l.Grain > 0 {
		l.finish(p)
	}
}

// tone changes the colours of p in place by tone curves.
func (l Look) tone(p raster.Pixels, curves [3][256]float64) {
	sat := 1 + l.Saturation
	for i := 0; i+2 < len(p.Pix); i += p.Channels {
		r, g, b := curves[0][p.Pix[i]], curves[1][p.Pix[i+1]], curves[2][p.Pix[i+2]]
		if sat != 1 || l.Tint > 0 {
			y := 0.2126*r + 0.7152*g + 0.0722*b
			r, g, b = y+(r-y)*sat, y+(g-y)*sat, y+(b-y)*sat
			// A brown print: the grey axis bent towards the colour of an albumen print.
			r, g, b = r+(y*1.07+6-r)*l.Tint, g+(y*0.95+2-g)*l.Tint, b+(y*0.78-b)*l.Tint
		}
		p.Pix[i], p.Pix[i+1], p.Pix[i+2] = clip(r), clip(g), clip(b)
	}
}

// cubeSide is the number of steps of a Cube along each colour.
const cubeSide = 25

// Cube writes the look's colours as a table in the .cube format, which video
// tools read. Levels are taken from the histogram of sample, or left as they
// are if it is empty; what depends on the place in the picture is left out.
func (l Look) Cube(sample raster.Pixels) string {
	l.Improve = l.Improve && len(sample.Pix) > 0
	var b strings.Builder
	fmt.Fprintf(&b, "LUT_3D_SIZE %d\n", cubeSide)
	p := raster.Pixels{W: cubeSide, H: cubeSide * cubeSide, Channels: 3}
	step := func(i int) byte { return byte(math.Round(float64(i) * 255 / (cubeSide - 1))) }
	for blue := range cubeSide {
		for green := range cubeSide {
			for red := range cubeSide {
				p.Pix = append(p.Pix, step(red), step(green), step(blue))
			}
		}
	}
	l.tone(p, l.curves(sample))
	for i := 0; i < len(p.Pix); i += 3 {
		fmt.Fprintf(&b, "%.5f %.5f %.5f\n", float64(p.Pix[i])/255, float64(p.Pix[i+1])/255,
			float64(p.Pix[i+2])/255)
	}
	return b.String()
}

func clip(v float64) byte { return byte(math.Max(0, math.Min(255, v+0.5))) }

// curves are the tone curves of the three channels, codes in, codes out.
func (l Look) curves(p raster.Pixels) (c [3][256]float64) {
	levels := [3]level{{0, 255}, {0, 255}, {0, 255}}
	if l.Improve {
		levels = stretch(p)
	}
	warm := [3]float64{1 + 0.16*l.Temperature, 1 + 0.02*math.Abs(l.Temperature), 1 - 0.18*l.Temperature}
	gamma := math.Pow(2, -l.Light)
	for ch := range c {
		for i := range c[ch] {
			v := math.Max(0, math.Min(1, (float64(i)-levels[ch].low)/math.Max(1,
				levels[ch].high-levels[ch].low)))
			v = math.Pow(v, gamma)
			// An S through the middle; negative contrast flattens it.
			v += l.Contrast * 0.8 * v * (1 - v) * (2*v - 1) * 2
			v = math.Max(0, math.Min(1, v*warm[ch]))
			v = v*(1-0.22*l.Fade) + 0.13*l.Fade
			c[ch][i] = v * 255
		}
	}
	return c
}

type level struct{ low, high float64 }

// leastSpan is the narrowest range of codes that is stretched to all: never
// more than a bit over double the contrast, because fog is not noise.
const leastSpan = 110

// stretch finds the levels at which half a per cent of each channel is
// clipped, pulled a quarter of the way to their mean so that a coloured
// evening stays one.
func stretch(p raster.Pixels) (out [3]level) {
	n := len(p.Pix) / p.Channels
	var mean level
	for ch := range out {
		var h [256]int
		for i := ch; i < len(p.Pix); i += p.Channels {
			h[p.Pix[i]]++
		}
		out[ch] = level{percentile(h, n/200), percentile(h, n-n/200)}
		mean.low += out[ch].low / 3
		mean.high += out[ch].high / 3
	}
	for ch := range out {
		l := level{0.75*out[ch].low + 0.25*mean.low, 0.75*out[ch].high + 0.25*mean.high}
		if short := leastSpan - (l.high - l.low); short > 0 {
			l.low, l.high = l.low-short/2, l.high+short/2
		}
		out[ch] = l
	}
	return out
}

func percentile(h [256]int, rank int) float64 {
	sum := 0
	for v, n := range h {
		if sum += n; sum > rank {
			return float64(v)
		}
	}
	return 255
}

// sharpen is an unsharp mask one pixel wide on each channel.
func sharpen(p raster.Pixels, amount float64) {
	soft := raster.Pixels{W: p.W, H: p.H, Channels: p.Channels, Pix: append([]byte(nil), p.Pix...)}
	raster.Blur(soft, 1)
	for i := range p.Pix {
		if p.Channels == 4 && i%4 == 3 {
			continue
		}
		v := float64(p.Pix[i])
		p.Pix[i] = clip(v + (v-float64(soft.Pix[i]))*amount*1.2)
	}
}

// finish darkens the corners and adds grain. The grain belongs to the place
// in the picture, so that it stands still under a slow zoom like that of a
// print.
func (l Look) finish(p raster.Pixels) {
	for y := range p.H {
		for x := range p.W {
			k, noise := l.at(x, y, p.W, p.H)
			i := (y*p.W + x) * p.Channels
			for c := range 3 {
				p.Pix[i+c] = clip(float64(p.Pix[i+c])*k + noise)
			}
		}
	}
}

// at is the light in a place of a w×h picture, 1 for all of it, and the grain
// there in code values.
func (l Look) at(x, y, w, h int) (light, grain float64) {
	dx, dy := (float64(x)+0.5)/float64(w)*2-1, (float64(y)+0.5)/float64(h)*2-1
	d := math.Max(0, (dx*dx+dy*dy-0.35)/1.65)
	light = 1 - l.Vignette*0.75*d*d*(3-2*d)
	if l.Grain > 0 {
		grain = (float64(scramble(uint32(y*w+x))&0xffff)/65535 - 0.5) * 44 * l.Grain
	}
	return light, grain
}

// Patina is the look's dark corners and grain as a picture to lay over a clip
// of w×h pixels: black where light is taken away, and black or white grains.
func (l Look) Patina(w, h int) raster.Pixels {
	p := raster.Pixels{W: w, H: h, Channels: 4, Pix: make([]byte, w*h*4)}
	for y := range h {
		for x := range w {
			light, grain := l.at(x, y, w, h)
			i := (y*w + x) * 4
			if dark := 255 * (1 - light); grain > dark {
				p.Pix[i], p.Pix[i+1], p.Pix[i+2] = 255, 255, 255
				p.Pix[i+3] = clip(grain - dark)
			} else {
				p.Pix[i+3] = clip(dark - grain)
			}
		}
	}
	return p
}

// scramble is an integer hash (lowbias32 by C. Wellons, public domain, from
// memory).
func scramble(x uint32) uint32 {
	x ^= x >> 16
	x *= 0x7feb352d
	x ^= x >> 15
	x *= 0x846ca68b
	return x ^ x>>16
}
