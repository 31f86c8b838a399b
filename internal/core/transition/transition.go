// Package transition draws how one slide gives way to the next. At its first
// frame a transition shows the first slide alone, at its last the second
// alone.
package transition

import (
	"fmt"
	"math"
	"sync"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/texture"
)

// Kind is a transition by name.
type Kind string

// Transition is one setting of a transition. It is comparable.
type Transition struct {
	Kind      Kind         `json:"kind"`
	Seconds   float64      `json:"seconds"`
	Ease      framing.Ease `json:"ease,omitempty"`
	Direction Direction    `json:"direction,omitempty"` // where it moves; empty takes turns
	Soft      float64      `json:"soft,omitempty"`      // width of soft edges, share of the way, 0 to 1
	Colour    raster.RGB   `json:"colour,omitzero"`     // of "through" and "light"
	// motion blur, as the angle of a shutter in degrees; 0: the film's
	Shutter float64 `json:"shutter,omitempty"`
}

// Direction is where a transition moves to.
type Direction string

// The directions.
const (
	Left  Direction = "left"
	Right Direction = "right"
	Up    Direction = "up"
	Down  Direction = "down"
)

// Turns are the directions in the order they are taken in turn.
var Turns = []Direction{Left, Up, Right, Down}

// Valid reports whether d is a direction or empty.
func (d Direction) Valid() bool {
	return d == "" || d == Left || d == Right || d == Up || d == Down
}

// Family groups kinds for choosing.
type Family struct {
	Name  string
	Kinds []Kind
}

// Families lists every kind.
var Families = []Family{
	{"Cut", []Kind{"cut"}},
	{"Dissolve", []Kind{"dissolve", "glow", "through", "cloud", "grain"}},
	{"Wipe", []Kind{"wipe", "diagonal", "doors", "blinds"}},
	{"Shape", []Kind{"iris", "diamond", "frame", "clock"}},
	{"Slide", []Kind{"push", "cover", "reveal", "drift"}},
	{"Zoom", []Kind{"zoom-through", "swell", "sink"}},
	{"Fold", []Kind{"fold", "page"}},
	{"Tiles", []Kind{"tiles", "mosaic"}},
	{"Light", []Kind{"light", "blur"}},
}

// directed are the kinds that have a direction.
var directed = map[Kind]bool{
	"wipe":     true,
	"diagonal": true,
	"doors":    true,
	"blinds":   true,
	"push":     true,
	"cover":    true,
	"reveal":   true,
	"drift":    true,
	"fold":     true,
	"page":     true,
	"light":    true,
	"tiles":    true,
}

// Known reports whether k is a kind of transition.
func (k Kind) Known() bool {
	for _, f := range Families {
		for _, x := range f.Kinds {
			if x == k {
				return true
			}
		}
	}
	return false
}

// Directed reports whether the kind has a direction.
func (k Kind) Directed() bool { return directed[k] }

// Softens reports whether the kind has edges that can be soft.
func (k Kind) Softens() bool { _, ok := softness[k]; return ok }

// Coloured reports whether the kind has a colour.
func (k Kind) Coloured() bool { return k == "through" || k == "light" }

// MaxShutter is a shutter that is open all the time, in degrees.
const MaxShutter = 360

// Moves reports whether something goes across the frame in transitions of the
// kind: a picture, or an edge between two.
func (k Kind) Moves() bool {
	switch k {
	case "cut", "dissolve", "glow", "through", "cloud", "grain", "light", "blur", "mosaic":
		return false
	}
	return true
}

// MaxSeconds is the longest transition.
const MaxSeconds = 10

// Validate reports the first value that cannot be.
func (t Transition) Validate() error {
	switch {
	case !t.Kind.Known():
		return fmt.Errorf("kind: there is no transition %q", t.Kind)
	case !(t.Seconds >= 0 && t.Seconds <= MaxSeconds):
		return fmt.Errorf("seconds: %g; must be 0 to %d", t.Seconds, MaxSeconds)
	case t.Ease != "" && !t.Ease.Valid():
		return fmt.Errorf("ease: %q is not an easing", t.Ease)
	case !t.Direction.Valid():
		return fmt.Errorf("direction: %q is not left, right, up or down", t.Direction)
	case !(t.Shutter >= 0 && t.Shutter <= MaxShutter):
		return fmt.Errorf("shutter: %g; must be 0 to %d degrees", t.Shutter, MaxShutter)
	case !(t.Soft >= 0 && t.Soft <= 1):
		return fmt.Errorf("soft: %g; must be 0 to 1", t.Soft)
	}
	return nil
}

// Turned gives a transition without a direction the n-th in turn.
func (t Transition) Turned(n int) Transition {
	if t.Direction == "" && t.Kind.Directed() {
		t.Direction = Turns[n%len(Turns)]
	}
	return t
}

// Share is how far a join of length frames has come at its frame n, 0 to 1.
// A join of one frame is half-way.
func (t Transition) Share(n, length int64) float64 {
	if length <= 1 {
		return 0.5
	}
	ease := t.Ease
	if ease == "" {
		ease = framing.Linear
	}
	return ease.At(float64(n) / float64(length-1))
}

// Draw makes dst the transition from a to b at share s of the way. m is the
// film's matrix. dst may be a, not b; a and b may be changed.
func (t Transition) Draw(dst, a, b *raster.Frame, s float64, m raster.Matrix) {
	switch {
	case s <= 0:
		if dst != a {
			dst.Copy(a)
		}
		return
	case s >= 1:
		dst.Copy(b)
		return
	}
	if mp := t.maps(dst.W, dst.H); mp != nil {
		if dst != a {
			dst.Copy(a)
		}
		soft := t.Soft
		if soft == 0 {
			soft = softness[t.Kind]
		}
		dst.Reveal(b, mp, s, soft)
		return
	}
	if dst == a {
		a = spare(dst.W, dst.H)
		defer frames.Put(a)
		a.Copy(dst)
	}
	p := painter{t: t, dst: dst, a: a, b: b, s: s, w: float64(dst.W), h: float64(dst.H), m: m}
	p.all = framing.Rect{W: p.w, H: p.h}
	p.draw()
}

// softness is the width of edges where a transition does not say.
var softness = map[Kind]float64{
	"wipe":     0.12,
	"diagonal": 0.12,
	"doors":    0.1,
	"blinds":   0.25,
	"iris":     0.08,
	"diamond":  0.08,
	"frame":    0.06,
	"clock":    0.04,
	"tiles":    0.08,
	"mosaic":   0.1,
	"cloud":    0.3,
	"grain":    0.7,
}

// spare frames, of any size.
var frames sync.Pool

func spare(w, h int) *raster.Frame {
	if f, ok := frames.Get().(*raster.Frame); ok && f.W == w && f.H == h {
		return f
	}
	return raster.NewFrame(w, h)
}

type mapKey struct {
	kind Kind
	dir  Direction
	w, h int
}

var (
	mapsMu sync.Mutex
	maps   = map[mapKey]*raster.Map{}
)

// maxMaps bounds the memory of kept maps; a film uses a few.
const maxMaps = 12

// maps makes the order in which the second slide appears, for the kinds that
// are no more than that; nil for others.
func (t Transition) maps(w, h int) *raster.Map {
	at := t.order(float64(w) / float64(h))
	if at == nil {
		return nil
	}
	mapsMu.Lock()
	defer mapsMu.Unlock()
	key := mapKey{t.Kind, t.Direction, w, h}
	if m, ok := maps[key]; ok {
		return m
	}
	if len(maps) >= maxMaps {
		clear(maps)
	}
	m := raster.NewMap(w, h, at)
	maps[key] = m
	return m
}

// along is the position along the direction, 0 where the transition begins.
func along(d Direction, x, y float64) float64 {
	switch d {
	case Left:
		return 1 - x
	case Up:
		return 1 - y
	case Down:
		return y
	}
	return x
}

func fold(v float64) float64 { return math.Abs(2*v - 1) }

// order says when a point turns, 0 first and 1 last.
func (t Transition) order(aspect float64) func(x, y float64) float64 {
	d := t.Direction
	switch t.Kind {
	case "wipe":
		return func(x, y float64) float64 { return along(d, x, y) }
	case "diagonal":
		return func(x, y float64) float64 {
			across := y
			if d == Up || d == Down {
				across = x
			}
			return 0.7*along(d, x, y) + 0.3*across
		}
	case "doors":
		return func(x, y float64) float64 {
			if d == Up || d == Down {
				return fold(y)
			}
			return fold(x)
		}
	case "blinds":
		return func(x, y float64) float64 { v := along(d, x, y) * 9; return 0.8*(v-math.Floor(v)) + 0.2*v/9 }
	case "iris":
		r := math.Hypot(aspect, 1) / 2
		return func(x, y float64) float64 { return math.Hypot((x-0.5)*aspect, y-0.5) / r }
	case "diamond":
		return func(x, y float64) float64 {
			return (math.Abs(x-0.5)*aspect + math.Abs(y-0.5)) / (aspect/2 + 0.5)
		}
	case "frame":
		return func(x, y float64) float64 { return math.Max(fold(x), fold(y)) }
	case "clock":
		return func(x, y float64) float64 {
			v := math.Atan2((x-0.5)*aspect, 0.5-y) / (2 * math.Pi)
			return v - math.Floor(v)
		}
	case "tiles":
		rows, cols := tiling(aspect)
		return func(x, y float64) float64 {
			cx, cy := math.Floor(x*cols)/cols, math.Floor(y*rows)/rows
			tx, ty := x*cols-math.Floor(x*cols), y*rows-math.Floor(y*rows)
			return 0.68*along(d, cx, cy) + 0.12*scatter(cx*cols, cy*rows) + 0.2*math.Max(fold(tx), fold(ty))
		}
	case "mosaic":
		rows, cols := tiling(aspect)
		return func(x, y float64) float64 { return scatter(math.Floor(x*cols), math.Floor(y*rows)) }
	case "cloud":
		return func(x, y float64) float64 {
			v := texture.Cloud(x*3*aspect, y*3, 4, 11)
			return math.Max(0, math.Min(1, (v-0.2)/0.6))
		}
	case "grain":
		return func(x, y float64) float64 { return texture.Cloud(x*110*aspect, y*110, 3, 5) }
	}
	return nil
}

// tiling is the number of rows and columns of nearly square tiles.
func tiling(aspect float64) (rows, cols float64) {
	if aspect >= 1 {
		return 6, math.Round(6 * aspect)
	}
	return math.Round(6 / aspect), 6
}

// scatter is a steady random number for a tile.
func scatter(x, y float64) float64 {
	h := uint32(int(x)*73856093 ^ int(y)*19349663)
	h ^= h >> 13
	h *= 0x5bd1e995
	h ^= h >> 15
	return float64(h&0xffff) / 65535
}
