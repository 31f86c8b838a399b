// Package framing places pictures in frames: which part of a picture shows,
// and where. It is plain geometry in floating pixels or fractions.
package framing

import "math"

// Rect is an axis-aligned rectangle; X and Y are its left top corner.
type Rect struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
	W float64 `json:"w"`
	H float64 `json:"h"`
}

// Point is a position in the same units as the Rect it is used with.
type Point struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// Scale multiplies all sides: a Rect in fractions becomes one in pixels.
func (r Rect) Scale(w, h float64) Rect { return Rect{r.X * w, r.Y * h, r.W * w, r.H * h} }

// Inset moves every side inwards by d.
func (r Rect) Inset(d float64) Rect { return Rect{r.X + d, r.Y + d, r.W - 2*d, r.H - 2*d} }

// Aspect is width over height.
func (r Rect) Aspect() float64 { return r.W / r.H }

// Lerp is the rectangle a share t of the way from r to o.
func (r Rect) Lerp(o Rect, t float64) Rect {
	return Rect{r.X + (o.X-r.X)*t, r.Y + (o.Y-r.Y)*t, r.W + (o.W-r.W)*t, r.H + (o.H-r.H)*t}
}

// Contains reports whether o lies within r, allowing eps on each side.
func (r Rect) Contains(o Rect, eps float64) bool {
	return o.X >= r.X-eps && o.Y >= r.Y-eps && o.X+o.W <= r.X+r.W+eps && o.Y+o.H <= r.Y+r.H+eps
}

// Whole places a w×h picture uncropped and centred within place.
func Whole(w, h float64, place Rect) Rect {
	s := math.Min(place.W/w, place.H/h)
	return Rect{place.X + (place.W-w*s)/2, place.Y + (place.H-h*s)/2, w * s, h * s}
}

// Fill returns the part of a w×h picture, in its own pixels, that fills a
// place of the given aspect, as large as possible and as near to centred on
// the focal point (in fractions of the picture) as the edges allow.
func Fill(w, h, aspect float64, focal Point) Rect {
	cw, ch := w, w/aspect
	if ch > h {
		cw, ch = h*aspect, h
	}
	return Rect{
		X: clamp(focal.X*w-cw/2, 0, w-cw),
		Y: clamp(focal.Y*h-ch/2, 0, h-ch),
		W: cw, H: ch,
	}
}

// Zoom returns a window 1/factor the size of r (factor at least 1) around the
// focal point given in fractions of r, never leaving r.
func Zoom(r Rect, factor float64, focal Point) Rect {
	w, h := r.W/factor, r.H/factor
	return Rect{
		X: clamp(r.X+focal.X*r.W-w/2, r.X, r.X+r.W-w),
		Y: clamp(r.Y+focal.Y*r.H-h/2, r.Y, r.Y+r.H-h),
		W: w, H: h,
	}
}

// Loss is the share of a picture's area that filling a place cuts away,
// 0 for equal aspects.
func Loss(pictureAspect, placeAspect float64) float64 {
	if pictureAspect > placeAspect {
		return 1 - placeAspect/pictureAspect
	}
	return 1 - pictureAspect/placeAspect
}

// Shape is a frame shape, as width to height.
type Shape string

// The frame shapes every theme is made for.
const (
	Wide    Shape = "16:9"
	Classic Shape = "4:3"
	Square  Shape = "1:1"
	Upright Shape = "9:16"
)

// Shapes lists the frame shapes, the widest first.
var Shapes = []Shape{Wide, Classic, Square, Upright}

// Aspect is width over height.
func (s Shape) Aspect() float64 {
	switch s {
	case Classic:
		return 4.0 / 3
	case Square:
		return 1
	case Upright:
		return 9.0 / 16
	}
	return 16.0 / 9
}

// ShapeOf is the frame shape nearest to a w×h frame.
func ShapeOf(w, h int) Shape {
	best, off := Wide, math.Inf(1)
	for _, s := range Shapes {
		if d := math.Abs(math.Log(float64(w) / float64(h) / s.Aspect())); d < off {
			best, off = s, d
		}
	}
	return best
}

// Safe areas as fractions of the frame: SMPTE ST 2046-1:2009, section 5, from
// memory. Action stays within 93 % of width and height, titles within 90 %.
var (
	ActionSafe = Rect{0.035, 0.035, 0.93, 0.93}
	TitleSafe  = Rect{0.05, 0.05, 0.9, 0.9}
)

// Snap moves a point, the middle of a box of w×h, to where the box's middle
// lies in the frame's or one of its sides on the frame's edge or on the edge
// of a safe area, along each axis by itself and no further than within. All
// are fractions of the frame.
func Snap(at Point, w, h, within float64) Point {
	return Point{snap(at.X, w, within), snap(at.Y, h, within)}
}

func snap(v, size, within float64) float64 {
	best, off := v, within
	try := func(to float64) {
		if d := math.Abs(to - v); d <= off {
			best, off = to, d
		}
	}
	for _, edge := range []float64{0, ActionSafe.X, TitleSafe.X} {
		try(edge + size/2)
		try(1 - edge - size/2)
	}
	try(0.5)
	return best
}

// Cover is the smallest move of a crop, kept inside a w×h picture, after
// which it holds what it can of keep; all in pixels. ok is false where keep
// is larger than the crop.
func Cover(crop, keep Rect, w, h float64) (moved Rect, ok bool) {
	along := func(at, size, lo, span, limit float64) (float64, bool) {
		if span > size {
			return clamp(lo+span/2-size/2, 0, limit-size), false
		}
		if lo < at {
			at = lo
		}
		if lo+span > at+size {
			at = lo + span - size
		}
		return clamp(at, 0, math.Max(0, limit-size)), true
	}
	var okX, okY bool
	crop.X, okX = along(crop.X, crop.W, keep.X, keep.W, w)
	crop.Y, okY = along(crop.Y, crop.H, keep.Y, keep.H, h)
	return crop, okX && okY
}

// Union is the smallest rectangle around r and o.
func (r Rect) Union(o Rect) Rect {
	x, y := math.Min(r.X, o.X), math.Min(r.Y, o.Y)
	return Rect{x, y, math.Max(r.X+r.W, o.X+o.W) - x, math.Max(r.Y+r.H, o.Y+o.H) - y}
}

// Centre is the middle of r.
func (r Rect) Centre() Point { return Point{r.X + r.W/2, r.Y + r.H/2} }

func clamp(v, lo, hi float64) float64 { return math.Max(lo, math.Min(v, hi)) }
