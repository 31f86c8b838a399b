// Package design holds the parts a film's look is made of: backdrops, motion,
// framings, decor. Themes give them by rule, documents by hand.
package design

import (
	"fmt"
	"slices"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/texture"
)

// BackdropKind is what lies behind pictures and words.
type BackdropKind string

// Plain is one colour. Gradient goes from Colour to Second along Degrees.
// Soft is a blurred copy of the slide's picture (see doc.Slide.Picture), toned
// towards Colour. Texture is a procedural
// cloth or paper in Colour. Image is a picture that belongs to the theme. Photo
// is that picture sharp, toned towards Colour.
const (
	Plain    BackdropKind = "plain"
	Gradient BackdropKind = "gradient"
	Soft     BackdropKind = "soft"
	Texture  BackdropKind = "texture"
	Image    BackdropKind = "image"
	Photo    BackdropKind = "photo"
)

// Backdrop is what is behind the pictures. It is comparable.
type Backdrop struct {
	Kind    BackdropKind `json:"kind"`
	Colour  raster.RGB   `json:"colour"`
	Second  raster.RGB   `json:"second,omitzero"`   // Gradient
	Degrees float64      `json:"degrees,omitempty"` // Gradient: 0 runs to the right, 90 down
	// Soft, Photo and Image: 0 keeps the colours, 1 is all Colour
	Tone     float64      `json:"tone,omitempty"`
	Blur     float64      `json:"blur,omitempty"`     // Soft: radius as a share of the shorter side
	Texture  texture.Kind `json:"texture,omitempty"`  // Texture
	Contrast float64      `json:"contrast,omitempty"` // Texture: 0 flat to 1 strong
	Asset    string       `json:"asset,omitempty"`    // Image: file of the theme
	Moves    bool         `json:"moves,omitempty"`    // glides slowly while the slide lasts
}

// Validate reports the first value that cannot be.
func (b Backdrop) Validate() error {
	switch b.Kind {
	case Plain, Gradient, Soft, Photo:
	case Texture:
		if !b.Texture.Valid() {
			return fmt.Errorf("texture: there is no texture %q", b.Texture)
		}
	case Image:
		if b.Asset == "" {
			return fmt.Errorf("asset: missing")
		}
	default:
		return fmt.Errorf("kind: %q is not plain, gradient, soft, photo, texture or image", b.Kind)
	}
	if !in(b.Tone, 0, 1) || !in(b.Blur, 0, 0.3) || !in(b.Contrast, 0, 1) || !in(b.Degrees, -360, 360) {
		return fmt.Errorf("tone and contrast must be 0 to 1, blur 0 to 0.3, degrees -360 to 360")
	}
	return nil
}

// Fit is how a picture sits in its place.
type Fit string

// Fill crops the picture around its focal point to cover the place; Whole
// shows all of it; Native shows it at its own pixels, as far as the place
// reaches; Stretch pulls it to the place's shape.
const (
	Fill    Fit = "fill"
	Whole   Fit = "whole"
	Native  Fit = "native"
	Stretch Fit = "stretch"
)

// Valid reports whether f is a way to fit.
func (f Fit) Valid() bool { return f == Fill || f == Whole || f == Native || f == Stretch }

// MotionKind is which way a picture moves.
type MotionKind string

// In zooms in, OutOf zooms out, Alternate takes turns, Pan glides across
// without zooming, Still does not move, ByHand goes from one framing to
// another.
const (
	In        MotionKind = "in"
	OutOf     MotionKind = "out"
	Alternate MotionKind = "alternate"
	Pan       MotionKind = "pan"
	Still     MotionKind = "none"
	ByHand    MotionKind = "framing"
)

// Motion is the slow pan and zoom of pictures. From and To are framings in
// fractions of the picture, for ByHand.
type Motion struct {
	Kind MotionKind   `json:"kind"`
	Zoom float64      `json:"zoom,omitempty"` // share of the size, 0.12 is 12 %
	Ease framing.Ease `json:"ease,omitempty"`
	From framing.Rect `json:"from,omitzero"`
	To   framing.Rect `json:"to,omitzero"`
}

// MaxZoom is the furthest a picture zooms.
const MaxZoom = 3.0

// Validate reports the first value that cannot be.
func (m Motion) Validate() error {
	switch {
	case !slices.Contains([]MotionKind{In, OutOf, Alternate, Pan, Still, ByHand}, m.Kind):
		return fmt.Errorf("kind: %q is not in, out, alternate, pan, none or framing", m.Kind)
	case !in(m.Zoom, 0, MaxZoom):
		return fmt.Errorf("zoom: %g; must be 0 to %g", m.Zoom, MaxZoom)
	case m.Ease != "" && !m.Ease.Valid():
		return fmt.Errorf("ease: %q is not an easing", m.Ease)
	}
	if m.Kind == ByHand {
		for _, r := range []framing.Rect{m.From, m.To} {
			if r.W < 0.02 || r.H < 0.02 || !(framing.Rect{W: 1, H: 1}).Contains(r, 1e-6) {
				return fmt.Errorf("from and to must lie in the picture and be at least a fiftieth of its " +
					"sides")
			}
		}
	}
	return nil
}

// DecorKind is what is laid over.
type DecorKind string

// Sprite is a picture with transparency; Drift is many small particles.
const (
	Sprite DecorKind = "picture"
	Drift  DecorKind = "drift"
)

// Decor is a picture with transparency or a drift of particles laid over one
// slide or a range of slides. Positions are the centre in fractions of the
// frame.
type Decor struct {
	Kind      DecorKind `json:"kind"`
	Asset     string    `json:"asset,omitempty"` // Sprite: file of the theme
	Media     string    `json:"media,omitempty"` // Sprite: medium of the order, instead of Asset
	Particles Particles `json:"particles,omitempty"`
	Density   float64   `json:"density,omitempty"` // Drift: 1 is usual
	// Drift: tints the particles; black is their own colours
	Colour raster.RGB `json:"colour,omitzero"`
	// Sprite: width as a share of the frame's; Drift: 1 is usual
	Size    float64      `json:"size,omitempty"`
	Opacity float64      `json:"opacity"`
	FadeIn  float64      `json:"fade_in_seconds,omitempty"`
	FadeOut float64      `json:"fade_out_seconds,omitempty"`
	Path    []Waypoint   `json:"path,omitempty"` // one point stays there
	Ease    framing.Ease `json:"ease,omitempty"`
	Behind  bool         `json:"behind,omitempty"` // under the pictures
}

// Waypoint is a point of a path at a share of the time.
type Waypoint struct {
	At      float64 `json:"at"`
	X       float64 `json:"x"`
	Y       float64 `json:"y"`
	Size    float64 `json:"size,omitempty"` // factor; 0 is 1
	Degrees float64 `json:"degrees,omitempty"`
}

// Particles is a drift by name.
type Particles string

// Drifts lists the particles.
var Drifts = []Particles{"snow", "sparkle", "leaves", "petals", "confetti", "hearts", "embers", "bokeh"}

// MaxWaypoints bounds a path.
const MaxWaypoints = 24

// Validate reports the first value that cannot be.
func (d Decor) Validate() error {
	switch d.Kind {
	case Sprite:
		if (d.Asset == "") == (d.Media == "") {
			return fmt.Errorf("asset or media: one of them must be given")
		}
		if !in(d.Size, 0.005, 3) {
			return fmt.Errorf("size: %g; must be 0.005 to 3", d.Size)
		}
		if len(d.Path) == 0 {
			return fmt.Errorf("path: missing")
		}
	case Drift:
		if !slices.Contains(Drifts, d.Particles) {
			return fmt.Errorf("particles: there are no %q", d.Particles)
		}
		if !in(d.Density, 0.05, 5) || !in(d.Size, 0, 5) {
			return fmt.Errorf("density must be 0.05 to 5 and size 0 to 5")
		}
	default:
		return fmt.Errorf("kind: %q is not picture or drift", d.Kind)
	}
	if !in(d.Opacity, 0, 1) || !in(d.FadeIn, 0, 60) || !in(d.FadeOut, 0, 60) ||
		(d.Ease != "" && !d.Ease.Valid()) || len(d.Path) > MaxWaypoints {
		return fmt.Errorf("opacity must be 0 to 1, fades 0 to 60 s, ease a known one, and the path have at "+
			"most %d points", MaxWaypoints)
	}
	last := -1.0
	for i, w := range d.Path {
		if !in(w.At, 0, 1) || w.At <= last || !in(w.X, -2, 3) || !in(w.Y, -2, 3) || !in(w.Size, 0, 10) ||
			!in(w.Degrees, -3600, 3600) {
			return fmt.Errorf("path[%d]: times must grow from 0 to 1, x and y be -2 to 3, size 0 to 10", i)
		}
		last = w.At
	}
	return nil
}

// Along is the waypoint at share t of the time.
func (d Decor) Along(t float64) Waypoint {
	p := d.Path
	if len(p) == 0 {
		return Waypoint{X: 0.5, Y: 0.5, Size: 1}
	}
	one := func(w Waypoint) Waypoint {
		if w.Size == 0 {
			w.Size = 1
		}
		return w
	}
	for i := 1; i < len(p); i++ {
		if t > p[i].At {
			continue
		}
		a, b := one(p[i-1]), one(p[i])
		k := d.Ease.At((t - a.At) / (b.At - a.At))
		mix := func(x, y float64) float64 { return x + (y-x)*k }
		return Waypoint{t, mix(a.X, b.X), mix(a.Y, b.Y), mix(a.Size, b.Size), mix(a.Degrees, b.Degrees)}
	}
	return one(p[len(p)-1])
}

func in(v, lo, hi float64) bool { return v >= lo && v <= hi }
