package framing

import (
	"fmt"
	"math"
	"strings"
)

// Ease maps a share of time to a share of the way, both 0 to 1. Beside the
// names below it can be "cubic-bezier(x1, y1, x2, y2)" as in CSS.
type Ease string

// The easings by name. InOut is the smoothstep cubic 3t²−2t³ and Out the
// cubic 1−(1−t)³, both at rest where they end, so that motion never starts or
// stops with a jerk. The others are the keywords of CSS Easing Functions
// Level 1, section 2.2.
const (
	Linear       Ease = "linear"
	InOut        Ease = "in-out"
	Out          Ease = "out"
	CSSEase      Ease = "ease"
	CSSEaseIn    Ease = "ease-in"
	CSSEaseOut   Ease = "ease-out"
	CSSEaseInOut Ease = "ease-in-out"
)

// Eases lists the easings by name.
var Eases = []Ease{InOut, Linear, Out, CSSEase, CSSEaseIn, CSSEaseOut, CSSEaseInOut}

// keywords are the control points of the CSS keywords.
var keywords = map[Ease][4]float64{
	CSSEase:      {0.25, 0.1, 0.25, 1},
	CSSEaseIn:    {0.42, 0, 1, 1},
	CSSEaseOut:   {0, 0, 0.58, 1},
	CSSEaseInOut: {0.42, 0, 0.58, 1},
}

// bezier gives the control points of a cubic Bézier easing.
func (e Ease) bezier() (p [4]float64, ok bool) {
	if p, ok = keywords[e]; ok {
		return p, true
	}
	var rest string
	n, _ := fmt.Sscanf(strings.ReplaceAll(string(e), " ", "")+" end", "cubic-bezier(%g,%g,%g,%g) %s", &p[0],
		&p[1], &p[2], &p[3], &rest)
	return p, n == 5 && p[0] >= 0 && p[0] <= 1 && p[2] >= 0 && p[2] <= 1 && math.Abs(p[1]) <= 4 &&
		math.Abs(p[3]) <= 4
}

// Valid reports whether e is a known easing.
func (e Ease) Valid() bool {
	_, ok := e.bezier()
	return ok || e == Linear || e == InOut || e == Out
}

// At evaluates the easing; t is clamped to 0…1. Béziers whose control points
// lie outside 0…1 may overshoot.
func (e Ease) At(t float64) float64 {
	t = clamp(t, 0, 1)
	switch e {
	case Linear, "":
		return t
	case InOut:
		return t * t * (3 - 2*t)
	case Out:
		return 1 - (1-t)*(1-t)*(1-t)
	}
	if p, ok := e.bezier(); ok {
		return cubicBezier(p, t)
	}
	return t
}

// cubicBezier solves x(s) = t for the curve parameter by bisection, which
// always converges because x grows with s, and returns y(s).
func cubicBezier(p [4]float64, t float64) float64 {
	if t <= 0 || t >= 1 {
		return t
	}
	at := func(a, b, s float64) float64 { return 3*a*s*(1-s)*(1-s) + 3*b*s*s*(1-s) + s*s*s }
	lo, hi := 0.0, 1.0
	for range 52 {
		mid := (lo + hi) / 2
		if at(p[0], p[2], mid) < t {
			lo = mid
		} else {
			hi = mid
		}
	}
	return at(p[1], p[3], (lo+hi)/2)
}
