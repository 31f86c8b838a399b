package compose

import (
	"math"

	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// fineness is how many moments there are between a frame and the next.
const fineness = 1024

// A frame with motion blur is the mean of so many moments while the shutter is
// open: enough that nothing goes further than half a pixel from one to the next.
const (
	leastMoments = 8
	mostMoments  = 128
	apart        = 0.5 // pixels
)

// unseen is how far something may go while the shutter is open without a blur
// being seen, in pixels. A slow pan goes less, and costs nothing more.
const unseen = 1.0

// fine is a compositor of the same film with moments for frames. Frame n of the
// film is moment n·fineness, and lengths are such that every movement is where
// it was there.
func (c *Compositor) fine() *Compositor {
	s := *c.scene
	s.Shutter = 0
	s.Rate.Num *= fineness
	// From a first frame to a last one there is one step less than frames.
	length := func(n timecode.Frames) timecode.Frames { return fineness*(n-1) + 1 }
	layer := func(l scene.Layer) scene.Layer {
		for _, m := range []*scene.Move{&l.Place, &l.Window} {
			m.Start, m.Span = m.Start*fineness, m.Span*fineness
		}
		l.Enter, l.Delay, l.Leave = l.Enter*fineness, l.Delay*fineness, l.Leave*fineness
		if l.Until > 0 {
			l.Until = length(l.Until)
		}
		return l
	}
	s.Frames, s.FadeIn, s.FadeOut = length(s.Frames), s.FadeIn*fineness, s.FadeOut*fineness
	s.Slides = make([]scene.Slide, len(c.scene.Slides))
	for i, sl := range c.scene.Slides {
		sl.Start, sl.Length = sl.Start*fineness, length(sl.Length)
		if sl.Overlap > 0 {
			sl.Overlap = length(sl.Overlap)
		}
		layers := make([]scene.Layer, len(sl.Layers))
		for j, l := range sl.Layers {
			layers[j] = layer(l)
		}
		sl.Layers = layers
		s.Slides[i] = sl
	}
	s.Overlays = make([]scene.Overlay, len(c.scene.Overlays))
	for i, o := range c.scene.Overlays {
		s.Overlays[i] = scene.Overlay{
			Start:  o.Start * fineness,
			Length: length(o.Length),
			Layer:  layer(o.Layer),
		}
	}
	f := New(&s, c.assets)
	f.step, f.clips = fineness, c.scene.Rate
	return f
}

// shutter is the angle at frame n: a transition's own, or the film's.
func (c *Compositor) shutter(first, second *scene.Slide) float64 {
	if second != nil && first.Into.Shutter > 0 {
		return first.Into.Shutter
	}
	return c.scene.Shutter
}

// opening gives the moments, as frames of the finer film, of which frame n is
// the mean; nil where it is sharp.
func (c *Compositor) opening(n timecode.Frames) []timecode.Frames {
	if !c.blurs || c.step != 1 {
		return nil
	}
	first, second := c.shown(n)
	if first == nil {
		return nil
	}
	angle := c.shutter(first, second)
	if angle <= 0 {
		return nil
	}
	open := angle / 360 * fineness
	fine := c.finer()
	// The shutter closes with the last of what is shown.
	last := timecode.Frames(0)
	for _, s := range []*scene.Slide{first, second} {
		if s != nil {
			last = max(last, fineness*(s.End()-1))
		}
	}
	from := n * fineness
	to := min(from+timecode.Frames(open), last)
	far := fine.goes(from, to)
	if far < unseen {
		return nil
	}
	k := max(leastMoments, min(int(math.Ceil(far/apart)), mostMoments))
	times := make([]timecode.Frames, k)
	for i := range times {
		times[i] = from + timecode.Frames((float64(i)+0.5)/float64(k)*float64(to-from))
	}
	return times
}

// goes is how far anything goes between two moments, in pixels.
func (c *Compositor) goes(from, to timecode.Frames) (far float64) {
	first, second := c.shown(from)
	for _, s := range []*scene.Slide{first, second} {
		if s == nil {
			continue
		}
		for i := range s.Layers {
			far = math.Max(far, c.travel(&s.Layers[i], from-s.Start, min(to-s.Start, s.Length-1), s.Length))
		}
	}
	if second != nil && first.Into.Kind.Moves() {
		a, b := first.Into.Share(int64(from-second.Start), int64(first.Overlap)),
			first.Into.Share(int64(min(to, first.End()-1)-second.Start), int64(first.Overlap))
		far = math.Max(far, math.Abs(b-a)*float64(max(c.scene.W, c.scene.H)))
	}
	for i := range c.scene.Overlays {
		o := &c.scene.Overlays[i]
		if from >= o.Start && from < o.Start+o.Length {
			far = math.Max(far, c.travel(&o.Layer, from-o.Start, min(to-o.Start, o.Length-1), o.Length))
		}
	}
	return far
}

// travel is how far the corners of a layer's picture go between two of its
// frames. Particles have no corners: they are blurred with what else is.
func (c *Compositor) travel(l *scene.Layer, from, to, length timecode.Frames) (far float64) {
	pa, da, aa := l.Where(from, length)
	pb, db, ab := l.Where(to, length)
	if l.Drift != nil || (aa <= 0 && ab <= 0) {
		return 0
	}
	wa, wb := l.Window.At(from, length), l.Window.At(to, length)
	// Where the whole picture's edges are, of which the window shows a part.
	edge := func(place, size, win, winSize, u float64) float64 {
		if winSize == 0 {
			return place + u*size
		}
		return place + (u-win)/winSize*size
	}
	for _, u := range []float64{0, 1} {
		x := math.Abs(edge(pb.X, pb.W, wb.X, wb.W, u) - edge(pa.X, pa.W, wa.X, wa.W, u))
		y := math.Abs(edge(pb.Y, pb.H, wb.Y, wb.H, u) - edge(pa.Y, pa.H, wa.Y, wa.H, u))
		far = math.Max(far, math.Hypot(x, y))
	}
	return far + math.Abs(db-da)*math.Pi/180*math.Hypot(pa.W, pa.H)/2
}

// blurred is the mean of moments.
func (c *Compositor) blurred(dst *raster.Frame, times []timecode.Frames) error {
	fine := c.finer()
	one := c.spare.Get().(*raster.Frame)
	defer c.spare.Put(one)
	sums := [3][]uint32{make([]uint32, len(dst.Y)), make([]uint32, len(dst.U)), make([]uint32, len(dst.V))}
	for _, n := range times {
		if err := fine.sharp(one, n); err != nil {
			return err
		}
		for p, plane := range [3][]byte{one.Y, one.U, one.V} {
			sum := sums[p]
			for i, v := range plane {
				sum[i] += uint32(v)
			}
		}
	}
	k := uint32(len(times))
	for p, plane := range [3][]byte{dst.Y, dst.U, dst.V} {
		for i, sum := range sums[p] {
			plane[i] = byte((sum + k/2) / k)
		}
	}
	return nil
}
