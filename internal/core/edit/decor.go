package edit

import (
	"fmt"
	"slices"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
)

// Decorate lays decor over the film; an index replaces what was laid there,
// and nil takes it off. Index −1 adds. Snap moves the points of a picture's
// path onto the frame's middle lines, its edges and those of the safe areas
// where they are near.
type Decorate struct {
	Index int
	Laid  *doc.Laid
	Snap  bool
}

// snapWithin is how near a point must be to snap, as a share of the frame.
const snapWithin = 0.02

// Title implements Op.
func (e Decorate) Title() string {
	switch {
	case e.Laid == nil:
		return "Took off decor"
	case e.Index < 0:
		return "Laid decor over slides"
	}
	return "Changed decor"
}

// Apply implements Op.
func (e Decorate) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	if e.Index >= len(d.Decor) || (e.Index < 0 && e.Laid == nil) {
		return d, fmt.Errorf("decor %d: %w", e.Index, ErrGone)
	}
	if e.Laid == nil {
		d.Decor = slices.Delete(slices.Clone(d.Decor), e.Index, e.Index+1)
		return d, nil
	}
	if d.Index(e.Laid.From) < 0 || d.Index(e.Laid.To) < 0 {
		return d, fmt.Errorf("the slides of the decor: %w", ErrGone)
	}
	if m := with.Library[doc.MediaID(e.Laid.Media)]; e.Laid.Kind == design.Sprite &&
		m.Kind != doc.PhotoMedia && m.Kind != doc.ClipMedia {
		return d, fmt.Errorf("decor is a picture or clip of the order, or a drift: %w", ErrInvalid)
	}
	laid := *e.Laid
	if d.Index(laid.From) > d.Index(laid.To) {
		laid.From, laid.To = laid.To, laid.From
	}
	if e.Snap && laid.Kind == design.Sprite {
		laid.Path = snapped(laid.Decor, with.Library[doc.MediaID(laid.Media)].Aspect(), d.Frame)
	}
	d.Decor = slices.Clone(d.Decor)
	if e.Index < 0 {
		d.Decor = append(d.Decor, laid)
	} else {
		d.Decor[e.Index] = laid
	}
	return d, nil
}

// snapped is a picture's path with its points snapped.
func snapped(d design.Decor, aspect float64, f doc.Frame) []design.Waypoint {
	path := slices.Clone(d.Path)
	for i, p := range path {
		size := p.Size
		if size == 0 {
			size = 1
		}
		w := d.Size * size
		at := framing.Snap(framing.Point{X: p.X, Y: p.Y}, w, w*float64(f.W)/float64(f.H)/aspect, snapWithin)
		path[i].X, path[i].Y = at.X, at.Y
	}
	return path
}
