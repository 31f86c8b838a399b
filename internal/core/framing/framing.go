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

func clamp(v, lo, hi float64) float64 { return math.Max(lo, math.Min(v, hi)) }

// Ease maps a share of time to a share of the way, both 0 to 1.
type Ease string

// The easings a theme can name. InOut is the smoothstep cubic 3t²−2t³: zero
// velocity at both ends, so motion never starts or stops with a jerk.
const (
	Linear Ease = "linear"
	InOut  Ease = "in-out"
	Out    Ease = "out"
)

// Valid reports whether e is a known easing.
func (e Ease) Valid() bool { return e == Linear || e == InOut || e == Out }

// At evaluates the easing; t is clamped to 0…1.
func (e Ease) At(t float64) float64 {
	t = clamp(t, 0, 1)
	switch e {
	case InOut:
		return t * t * (3 - 2*t)
	case Out:
		return 1 - (1-t)*(1-t)*(1-t)
	}
	return t
}
