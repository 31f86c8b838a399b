package edit

import (
	"slices"

	"nelko/internal/core/doc"
)

// narrowing is an Op for slides of a sort: of a mixed choice it is for those that
// are of it.
type narrowing interface {
	Op
	// of are the slides of the choice, and what sort of slide the edit is for.
	of(with Context) (slides []doc.SlideID, is func(doc.Slide) bool)
	// to is the edit of other slides.
	to(slides []doc.SlideID) Op
}

// Narrow gives an edit of a mixed choice as that of those slides it is for, so
// that its title says of how many. An edit for none of them stays as it is: doing
// it says why it cannot be done.
func Narrow(op Op, d doc.Slideshow, with Context) Op {
	if x, is := op.(InShape); is {
		if in, ok := d.In(x.Frame); ok {
			x.Op = Narrow(x.Op, in, with)
		}
		return x
	}
	n, is := op.(narrowing)
	if !is {
		return op
	}
	all, fits := n.of(with)
	those := slices.DeleteFunc(slices.Clone(all), func(id doc.SlideID) bool {
		i := d.Index(id)
		return i >= 0 && !fits(d.Slides[i]) // what is gone is said by the edit
	})
	if len(those) == 0 || len(those) == len(all) {
		return op
	}
	return n.to(those)
}

func pictured(s doc.Slide) bool { return len(s.Media) > 0 }
func worded(s doc.Slide) bool   { return len(s.Media) == 0 }
func still(s doc.Slide) bool    { return s.Kind != doc.Clip }

func (o Caption) of(Context) ([]doc.SlideID, func(doc.Slide) bool) { return o.Slides, pictured }
func (o Caption) to(slides []doc.SlideID) Op                       { o.Slides = slides; return o }

func (o CaptionNames) of(Context) ([]doc.SlideID, func(doc.Slide) bool) { return o.Slides, pictured }
func (o CaptionNames) to(slides []doc.SlideID) Op                       { o.Slides = slides; return o }

func (o CaptionDescriptions) of(Context) ([]doc.SlideID, func(doc.Slide) bool) {
	return o.Slides, pictured
}
func (o CaptionDescriptions) to(slides []doc.SlideID) Op { o.Slides = slides; return o }

func (o CaptionStyle) of(Context) ([]doc.SlideID, func(doc.Slide) bool) { return o.Slides, pictured }
func (o CaptionStyle) to(slides []doc.SlideID) Op                       { o.Slides = slides; return o }

func (o CaptionPart) of(Context) ([]doc.SlideID, func(doc.Slide) bool) { return o.Slides, pictured }
func (o CaptionPart) to(slides []doc.SlideID) Op                       { o.Slides = slides; return o }

func (o Motion) of(Context) ([]doc.SlideID, func(doc.Slide) bool) { return o.Slides, pictured }
func (o Motion) to(slides []doc.SlideID) Op                       { o.Slides = slides; return o }

func (o MotionPart) of(Context) ([]doc.SlideID, func(doc.Slide) bool) { return o.Slides, pictured }
func (o MotionPart) to(slides []doc.SlideID) Op                       { o.Slides = slides; return o }

func (o InManner) of(Context) ([]doc.SlideID, func(doc.Slide) bool) { return o.Slides, pictured }
func (o InManner) to(slides []doc.SlideID) Op                       { o.Slides = slides; return o }

func (o Lettering) of(Context) ([]doc.SlideID, func(doc.Slide) bool) { return o.Slides, worded }
func (o Lettering) to(slides []doc.SlideID) Op                       { o.Slides = slides; return o }

func (o Time) of(Context) ([]doc.SlideID, func(doc.Slide) bool) {
	if o.Unpin {
		return o.Slides, func(s doc.Slide) bool { return s.Pinned > 0 }
	}
	return o.Slides, still
}
func (o Time) to(slides []doc.SlideID) Op { o.Slides = slides; return o }

func (o Layout) of(with Context) ([]doc.SlideID, func(doc.Slide) bool) {
	l, ok := with.Theme.Layout(o.Layout)
	return o.Slides, func(s doc.Slide) bool {
		return s.Kind == doc.Pictures && (!ok || l.Pictures == len(s.Media))
	}
}
func (o Layout) to(slides []doc.SlideID) Op { o.Slides = slides; return o }
