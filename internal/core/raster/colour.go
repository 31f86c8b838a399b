package raster

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Matrix chooses the luma coefficients of the conversion between R′G′B′ and
// Y′CbCr.
type Matrix int

// BT709 is ITU-R BT.709-6 table 3 (high definition), BT601 is ITU-R BT.601-7
// section 2.5.1 (standard definition).
const (
	BT709 Matrix = iota
	BT601
)

// MatrixFor is the matrix a film of the given height is coded with: BT.709
// from 720 lines up, BT.601 below (common practice, no source). Upright
// frames go by their shorter side.
func MatrixFor(w, h int) Matrix {
	if min(w, h) < 720 {
		return BT601
	}
	return BT709
}

// Name is the name ffmpeg and H.264 VUI use for the matrix.
func (m Matrix) Name() string {
	if m == BT601 {
		return "smpte170m"
	}
	return "bt709"
}

// luma returns Kr and Kb.
func (m Matrix) luma() (kr, kb float64) {
	if m == BT601 {
		return 0.299, 0.114
	}
	return 0.2126, 0.0722
}

const fixed = 1 << 16

// coefficients of the forward and inverse conversion in 16.16 fixed point.
type coefficients struct {
	yr, yg, yb, ur, ug, ub, vr, vg, vb int32
	iy, irv, igu, igv, ibu             int32
}

var tables = [2]coefficients{BT709: newCoefficients(BT709), BT601: newCoefficients(BT601)}

func newCoefficients(m Matrix) coefficients {
	kr, kb := m.luma()
	kg := 1 - kr - kb
	f := func(v float64) int32 { return int32(math.Round(v * fixed)) }
	ys, cs := 219.0/255, 224.0/255
	cu, cv := cs/(2*(1-kb)), cs/(2*(1-kr))
	return coefficients{
		yr: f(kr * ys), yg: f(kg * ys), yb: f(kb * ys),
		ur: f(-kr * cu), ug: f(-kg * cu), ub: f((1 - kb) * cu),
		vr: f((1 - kr) * cv), vg: f(-kg * cv), vb: f(-kb * cv),
		iy: f(1 / ys), irv: f(1 / cv), ibu: f(1 / cu),
		igu: f(-kb / kg / cu), igv: f(-kr / kg / cv),
	}
}

// YUV converts one full-range R′G′B′ colour to limited-range Y′CbCr codes:
// Y 16…235, Cb and Cr 16…240.
func (m Matrix) YUV(r, g, b byte) (y, u, v byte) {
	c := &tables[m]
	ri, gi, bi := int32(r), int32(g), int32(b)
	y = byte((c.yr*ri + c.yg*gi + c.yb*bi + 16*fixed + fixed/2) >> 16)
	u = byte((c.ur*ri + c.ug*gi + c.ub*bi + 128*fixed + fixed/2) >> 16)
	v = byte((c.vr*ri + c.vg*gi + c.vb*bi + 128*fixed + fixed/2) >> 16)
	return
}

func (m Matrix) rgb(y, u, v int) (r, g, b byte) {
	c := &tables[m]
	l := c.iy*int32(y-16) + fixed/2
	cu, cv := int32(u-128), int32(v-128)
	return clip((l + c.irv*cv) >> 16), clip((l + c.igu*cu + c.igv*cv) >> 16), clip((l + c.ibu*cu) >> 16)
}

func clip(v int32) byte {
	if v < 0 {
		return 0
	}
	if v > 255 {
		return 255
	}
	return byte(v)
}

// Colour is one Y′CbCr colour in limited range.
type Colour struct{ Y, U, V byte }

// Black is Y′ 16 with neutral chroma in either matrix.
var Black = Colour{16, 128, 128}

// RGB is a full-range sRGB colour as themes write it: #rrggbb.
type RGB struct{ R, G, B byte }

// In converts the colour for a film coded with matrix m.
func (c RGB) In(m Matrix) Colour {
	y, u, v := m.YUV(c.R, c.G, c.B)
	return Colour{y, u, v}
}

// ParseRGB reads "#rrggbb".
func ParseRGB(s string) (RGB, error) {
	n, err := strconv.ParseUint(strings.TrimPrefix(s, "#"), 16, 32)
	if err != nil || len(s) != 7 || s[0] != '#' {
		return RGB{}, fmt.Errorf("colour %q is not of the form #rrggbb", s)
	}
	return RGB{byte(n >> 16), byte(n >> 8), byte(n)}, nil
}

// String writes the colour as #rrggbb.
func (c RGB) String() string { return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B) }

// MarshalText writes the colour as #rrggbb.
func (c RGB) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText reads #rrggbb.
func (c *RGB) UnmarshalText(b []byte) error {
	v, err := ParseRGB(string(b))
	*c = v
	return err
}
