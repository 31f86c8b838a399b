// Package compose draws the frames of a scene. Any frame can be drawn at any
// time, by any number of goroutines, and always comes out the same, byte for
// byte.
package compose

import (
	"fmt"
	"math"
	"sync"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// Assets prepares what scenes ask for. Implementations must be safe for use
// by several goroutines.
type Assets interface {
	// Sprite prepares a Photo, Soft, Text or Shadow asset.
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
}

// New makes a compositor for s.
func New(s *scene.Scene, a Assets) *Compositor {
	c := &Compositor{scene: s, assets: a}
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
	shown := c.shown(n)
	if len(shown) == 0 {
		return fmt.Errorf("frame %d belongs to no slide", n)
	}
	if err := c.slide(dst, shown[0], n); err != nil {
		return err
	}
	if len(shown) > 1 {
		next := c.spare.Get().(*raster.Frame)
		defer c.spare.Put(next)
		if err := c.slide(next, shown[1], n); err != nil {
			return err
		}
		dst.Dissolve(dst, next, share(n-shown[1].Start, shown[0].Overlap))
	}
	c.fade(dst, n)
	return nil
}

// shown finds the one or two slides at frame n.
func (c *Compositor) shown(n timecode.Frames) []*scene.Slide {
	var out []*scene.Slide
	for i := range c.scene.Slides {
		if s := &c.scene.Slides[i]; n >= s.Start && n < s.Start+s.Length && len(out) < 2 {
			out = append(out, s)
		}
	}
	return out
}

// share is how much of the second slide shows at frame k of a join of o
// frames, of 256: nothing at the first, everything at the last.
func share(k, o timecode.Frames) int {
	if o <= 1 {
		return 128
	}
	return int(math.Round(256 * float64(k) / float64(o-1)))
}

// fade takes the film in from black and out to black.
func (c *Compositor) fade(dst *raster.Frame, n timecode.Frames) {
	light := 1.0
	if f := c.scene.FadeIn; n < f {
		light = float64(n) / float64(f)
	}
	if f, left := c.scene.FadeOut, c.scene.Frames-1-n; left < f {
		light = math.Min(light, float64(left)/float64(f))
	}
	if light < 1 {
		dst.Fill(framing.Rect{W: float64(dst.W), H: float64(dst.H)}, raster.Black, 1-light)
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
	alpha := l.Opacity(n)
	if alpha <= 0 {
		return nil
	}
	place := l.Place.At(n, length)
	var sp *raster.Sprite
	var err error
	switch l.Asset.Kind {
	case scene.Fill:
		dst.Fill(place, l.Asset.Colour.In(c.scene.Matrix), alpha)
		return nil
	case scene.Footage:
		sp, err = c.assets.Clip(l.Asset, c.scene.Matrix, c.scene.Rate, n)
	default:
		sp, err = c.assets.Sprite(l.Asset, c.scene.Matrix)
	}
	if err != nil {
		return err
	}
	w, h := float64(sp.W), float64(sp.H)
	if l.Asset.Kind == scene.Text {
		place = framing.Rect{X: place.X + (place.W-w)/2, Y: place.Y + (place.H-h)/2, W: w, H: h}
		dst.Draw(sp, place, framing.Rect{W: w, H: h}, alpha)
		return nil
	}
	dst.Draw(sp, place, l.Window.At(n, length).Scale(w, h), alpha)
	return nil
}

// NewShadow makes the sprite of a Shadow asset: a black rectangle with soft
// edges, reaching three blur radii beyond it on each side.
func NewShadow(a scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	// Prepared at a quarter of the size: it has no detail.
	const q = 4
	spread := 3 * a.Blur
	w, h := max(1, (a.W+2*spread)/q), max(1, (a.H+2*spread)/q)
	p := raster.Pixels{W: w, H: h, Channels: 4, Pix: make([]byte, w*h*4)}
	for y := spread / q; y < h-spread/q; y++ {
		for x := spread / q; x < w-spread/q; x++ {
			p.Pix[(y*w+x)*4+3] = 255
		}
	}
	raster.Blur(p, max(1, a.Blur/q))
	return raster.NewSprite(p, m)
}
