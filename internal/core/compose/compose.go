// Package compose draws the frames of a scene. Any frame can be drawn at any
// time, by any number of goroutines, and always comes out the same, byte for
// byte.
package compose

import (
	"fmt"
	"math"
	"slices"
	"sync"

	"nelko/internal/core/doc"
	"nelko/internal/core/drift"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// Assets prepares what scenes ask for. Implementations must be safe for use
// by several goroutines.
type Assets interface {
	// Sprite prepares any asset but a Fill, a Drift or Footage.
	Sprite(a scene.Asset, m raster.Matrix) (*raster.Sprite, error)
	// Clip is frame n of a clip, counted from its start at the film's rate
	// and scaled to the asset's size. Frames past the end repeat the last.
	Clip(a scene.Asset, m raster.Matrix, rate timecode.Rate, n timecode.Frames) (*raster.Sprite, error)
}

// Compositor draws one scene.
type Compositor struct {
	scene  *scene.Scene
	assets Assets
	spare  sync.Pool

	// Motion blur looks between frames: at a scene whose frames are stepped so
	// much more finely. step is 1 for the film's own.
	step  timecode.Frames
	clips timecode.Rate // at which clips are read
	finer func() *Compositor
	blurs bool // whether any shutter is open
}

// New makes a compositor for s.
func New(s *scene.Scene, a Assets) *Compositor {
	c := &Compositor{scene: s, assets: a, step: 1, clips: s.Rate}
	c.finer = sync.OnceValue(c.fine)
	c.blurs = s.Shutter > 0 || slices.ContainsFunc(s.Slides, func(sl scene.Slide) bool {
		return sl.Into.Shutter > 0
	})
	c.spare.New = func() any { return raster.NewFrame(s.W, s.H) }
	return c
}

// SlideError tells which slide could not be drawn.
type SlideError struct {
	Slide doc.SlideID
	Err   error
}

func (e *SlideError) Error() string { return fmt.Sprintf("slide %s: %v", e.Slide, e.Err) }

// Unwrap gives the cause.
func (e *SlideError) Unwrap() error { return e.Err }

// Frame draws frame n of the film into dst, which must have the scene's size.
func (c *Compositor) Frame(dst *raster.Frame, n timecode.Frames) error {
	if n < 0 || n >= c.scene.Frames {
		return fmt.Errorf("frame %d is not in the film of %d frames", n, c.scene.Frames)
	}
	if times := c.opening(n); times != nil {
		return c.blurred(dst, times)
	}
	return c.sharp(dst, n)
}

// sharp draws a moment of the film.
func (c *Compositor) sharp(dst *raster.Frame, n timecode.Frames) error {
	first, second := c.shown(n)
	if first == nil {
		return fmt.Errorf("frame %d belongs to no slide", n)
	}
	if second == nil {
		if err := c.slide(dst, first, n); err != nil {
			return err
		}
	} else if err := c.join(dst, first, second, n); err != nil {
		return err
	}
	for i := range c.scene.Overlays {
		o := &c.scene.Overlays[i]
		if n < o.Start || n >= o.Start+o.Length {
			continue
		}
		if err := c.layer(dst, &o.Layer, n-o.Start, o.Length); err != nil {
			return err
		}
	}
	c.fade(dst, n)
	return nil
}

// join draws a frame that two slides share. Where one of them shows alone the
// other is not drawn.
func (c *Compositor) join(dst *raster.Frame, first, second *scene.Slide, n timecode.Frames) error {
	share := first.Into.Share(int64(n-second.Start), int64(first.Overlap))
	switch {
	case share <= 0:
		return c.slide(dst, first, n)
	case share >= 1:
		return c.slide(dst, second, n)
	}
	if first.Into.Kind == "dissolve" {
		if k := shared(first, second); k > 0 {
			return c.giveWay(dst, first, second, k, share, n)
		}
	}
	if err := c.slide(dst, first, n); err != nil {
		return err
	}
	next := c.spare.Get().(*raster.Frame)
	defer c.spare.Put(next)
	if err := c.slide(next, second, n); err != nil {
		return err
	}
	first.Into.Draw(dst, dst, next, share, c.scene.Matrix)
	return nil
}

// shown finds the one or two slides at frame n.
func (c *Compositor) shown(n timecode.Frames) (first, second *scene.Slide) {
	for i := range c.scene.Slides {
		s := &c.scene.Slides[i]
		if n < s.Start || n >= s.End() {
			continue
		}
		if first != nil {
			return first, s
		}
		first = s
	}
	return first, nil
}

// Same reports whether frame n looks exactly like the one before it, so that
// it need not be drawn again.
func (c *Compositor) Same(n timecode.Frames) bool {
	if n < 1 || c.light(n) != c.light(n-1) || c.opening(n) != nil || c.opening(n-1) != nil {
		return false
	}
	first, second := c.shown(n)
	before, also := c.shown(n - 1)
	if first == nil || first != before || second != nil || also != nil {
		return false
	}
	for i := range first.Layers {
		if !first.Layers[i].Same(n-1-first.Start, n-first.Start, first.Length) {
			return false
		}
	}
	for i := range c.scene.Overlays {
		o := &c.scene.Overlays[i]
		now, then := n >= o.Start && n < o.Start+o.Length, n-1 >= o.Start && n-1 < o.Start+o.Length
		if now != then || (now && !o.Layer.Same(n-1-o.Start, n-o.Start, o.Length)) {
			return false
		}
	}
	return true
}

// light is how far the film is faded in from a colour or out to it, 1 for not
// at all.
func (c *Compositor) light(n timecode.Frames) float64 {
	light := 1.0
	if f := c.scene.FadeIn; n < f {
		light = float64(n) / float64(f)
	}
	if f, left := c.scene.FadeOut, c.scene.Frames-1-n; left < f {
		light = math.Min(light, float64(left)/float64(f))
	}
	return light
}

func (c *Compositor) fade(dst *raster.Frame, n timecode.Frames) {
	if light := c.light(n); light < 1 {
		dst.Fill(framing.Rect{
			W: float64(dst.W),
			H: float64(dst.H),
		}, c.scene.FadeRGB.In(c.scene.Matrix), 1-light)
	}
}

func (c *Compositor) slide(dst *raster.Frame, s *scene.Slide, film timecode.Frames) error {
	n := film - s.Start
	for i := range s.Layers {
		if err := c.layer(dst, &s.Layers[i], n, s.Length); err != nil {
			return &SlideError{s.ID, err}
		}
	}
	return nil
}

func (c *Compositor) layer(dst *raster.Frame, l *scene.Layer, n, length timecode.Frames) error {
	place, degrees, alpha := l.Where(n, length)
	if alpha <= 0 {
		return nil
	}
	switch l.Asset.Kind {
	case scene.None:
		return nil
	case scene.Fill:
		dst.Fill(place, l.Asset.Colour.In(c.scene.Matrix), alpha)
		return nil
	case scene.Drift:
		return c.drift(dst, l, n, alpha)
	}
	sp, err := c.sprite(l.Asset, n)
	if err != nil {
		return err
	}
	window := l.Window.At(n, length).Scale(float64(sp.W), float64(sp.H))
	if degrees != 0 {
		dst.DrawTurned(sp, place, window, degrees, alpha)
		return nil
	}
	var mask *raster.Sprite
	if l.Mask.Kind != scene.None {
		if mask, err = c.sprite(l.Mask, n); err != nil {
			return err
		}
	}
	dst.DrawMasked(sp, mask, place, window, alpha)
	return nil
}

func (c *Compositor) sprite(a scene.Asset, n timecode.Frames) (*raster.Sprite, error) {
	if a.Kind == scene.Footage {
		return c.assets.Clip(a, c.scene.Matrix, c.clips, n/c.step)
	}
	return c.assets.Sprite(a, c.scene.Matrix)
}

// speckSteps: particles are painted at sizes a quarter of an octave apart and
// drawn scaled from the next larger one.
const speckSteps = 4

// drift draws particles.
func (c *Compositor) drift(dst *raster.Frame, l *scene.Layer, n timecode.Frames, alpha float64) error {
	d := l.Drift
	short := math.Min(float64(dst.W), float64(dst.H))
	// A film begins in the middle of the fall.
	seconds := c.scene.Rate.Seconds(n) + 60
	for _, s := range drift.Specks(d.Particles, d.Density, d.Size, l.Seed, seconds,
		float64(dst.W)/float64(dst.H)) {
		if s.Opacity*alpha < 0.01 {
			continue
		}
		w := s.Size * short
		side := int(math.Ceil(math.Pow(2, math.Ceil(math.Log2(math.Max(4, w))*speckSteps)/speckSteps)))
		sp, err := c.sprite(scene.Asset{
			Kind:      scene.Speck,
			Particles: d.Particles,
			Variant:   s.Variant,
			W:         side,
			H:         side,
			Colour:    d.Colour,
		}, n)
		if err != nil {
			return err
		}
		place := framing.Rect{X: s.X*float64(dst.W) - w/2, Y: s.Y*float64(dst.H) - w/2, W: w, H: w}
		window := framing.Rect{W: float64(sp.W), H: float64(sp.H)}
		degrees := 0.0
		if drift.Turns(d.Particles) {
			degrees = s.Degrees
		}
		dst.DrawTurned(sp, place, window, degrees, s.Opacity*alpha)
	}
	return nil
}
