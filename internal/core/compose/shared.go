package compose

import (
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// While two slides on one backdrop dissolve, what stands on it goes until this share of the
// join, and what comes begins as much before its end: never are two pictures seen
// through one another for long.
const givesWay = 0.58

// shared is how many layers at the bottom of two slides are the same backdrop: nothing that
// one of them shows alone.
func shared(a, b *scene.Slide) int {
	n := 0
	for n < len(a.Layers) && n < len(b.Layers) && behind(a.Layers[n]) && behind(b.Layers[n]) &&
		a.Layers[n].Asset == b.Layers[n].Asset {
		n++
	}
	return n
}

// behind reports whether a layer is a backdrop, there from the slide's beginning.
func behind(l scene.Layer) bool {
	switch l.Asset.Kind {
	case scene.Fill, scene.Gradient, scene.Texture, scene.Soft, scene.Image:
		return l.Alpha >= 1 && l.Enter == 0 && l.Delay == 0 && l.Leave == 0 && l.Until == 0 && l.Turn == 0 &&
			l.Path == nil && l.Mask.Kind == scene.None
	}
	return false
}

// giveWay draws a dissolve of two slides that share their n lowest layers at share
// of the way: the backdrop stays, what stands on it goes, and what comes comes.
func (c *Compositor) giveWay(dst *raster.Frame, first, second *scene.Slide, n int, share float64,
	film timecode.Frames) error {
	back := c.spare.Get().(*raster.Frame)
	defer c.spare.Put(back)
	ground := *first
	ground.Layers = first.Layers[:n]
	if err := c.slide(back, &ground, film); err != nil {
		return err
	}
	gone, come := framing.InOut.At(share/givesWay), framing.InOut.At((share-1+givesWay)/givesWay)
	if gone >= 1 {
		dst.Copy(back)
	} else {
		if err := c.slide(dst, first, film); err != nil {
			return err
		}
		dst.Dissolve(dst, back, raster.Share(gone))
	}
	if come <= 0 {
		return nil
	}
	if err := c.slide(back, second, film); err != nil {
		return err
	}
	dst.Dissolve(dst, back, raster.Share(come))
	return nil
}
