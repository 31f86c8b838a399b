package raster

import "math"

// linear is sRGB's transfer function (IEC 61966-2-1) of each code value.
var linear = func() (t [256]float64) {
	for v := range t {
		s := float64(v) / 255
		if s <= 0.04045 {
			t[v] = s / 12.92
		} else {
			t[v] = math.Pow((s+0.055)/1.055, 2.4)
		}
	}
	return t
}()

// Luminance is the colour's relative luminance, 0 for black to 1 for white
// (WCAG 2.2).
func (c RGB) Luminance() float64 {
	return 0.2126*linear[c.R] + 0.7152*linear[c.G] + 0.0722*linear[c.B]
}

// Contrast is the contrast ratio of two relative luminances, 1 to 21 (WCAG 2.2).
func Contrast(a, b float64) float64 { return (max(a, b) + 0.05) / (min(a, b) + 0.05) }
