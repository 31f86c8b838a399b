package scene

import (
	"cmp"
	"math"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/theme"
)

// PictureOf is the picture that a slide without pictures of its own shows, if its
// theme has a place for one: that of an opening, a closing or a card.
func PictureOf(d doc.Slideshow, t *theme.Theme, lib doc.Library, s doc.Slide) doc.MediaID {
	b := &builder{scene: &Scene{W: d.Frame.W, H: d.Frame.H}, doc: d, theme: t, lib: lib, slide: plan.Slide{Slide: s}}
	switch s.Kind {
	case doc.Opening:
		return b.picture(&t.Opening, true)
	case doc.Closing:
		return b.picture(&t.Closing, false)
	}
	return b.own(nearPicture(d, s.ID))
}

// own is the picture chosen for the slide by hand, or else another.
func (b *builder) own(otherwise doc.MediaID) doc.MediaID {
	if _, ok := b.lib[b.slide.Picture]; ok {
		return b.slide.Picture
	}
	return otherwise
}

// picture is the picture an opening or a closing shows: chosen by hand, or a good
// one of the film.
func (b *builder) picture(c *theme.Card, opening bool) doc.MediaID {
	aspect := b.w() / b.h()
	if c.Picture != nil {
		aside := b.asideOf(c.Picture)
		aspect = aside.W / aside.H
	}
	return b.own(goodPicture(b.doc, b.lib, aspect, b.w(), opening))
}

// goodPicture is the photo of a film that stands best for it, in a place of an
// aspect, width pixels wide: near the place's shape, large and sharp enough,
// neither dark nor glaring, with somebody to be seen, and early in the film for
// its opening, late for its closing, which shows another than the opening.
// Without photos it is the film's first or last clip. The weights are common
// practice, no source.
func goodPicture(d doc.Slideshow, lib doc.Library, aspect, width float64, opening bool) doc.MediaID {
	type scored struct {
		id          doc.MediaID
		first, last float64
	}
	var all []scored
	var sharp []float64
	seen := map[doc.MediaID]bool{}
	for i, s := range d.Slides {
		for _, id := range s.Media {
			m := lib[id]
			if m.Kind != doc.PhotoMedia || m.Clear || m.W == 0 || seen[id] {
				continue
			}
			seen[id] = true
			w, h := d.Size(m)
			good := -1.5 * math.Abs(math.Log(w/h/aspect))
			if enlarged := width / math.Min(w, h*aspect); enlarged > 1 {
				good -= 2 * math.Log(enlarged)
			}
			if m.Light > 0 {
				good -= 1.5 * math.Abs(m.Light-0.5)
			}
			if len(m.Faces) > 0 {
				if good += 0.5; !facesFit(m, aspect) {
					good -= 1
				}
			}
			if m.Sharp > 0 {
				sharp = append(sharp, m.Sharp)
			}
			on := 0.3 * float64(i) / float64(len(d.Slides))
			all = append(all, scored{id, good - on, good + on})
		}
	}
	if len(all) == 0 {
		return edgePicture(d, opening)
	}
	slices.Sort(sharp)
	for i := range all {
		if m := lib[all[i].id]; m.Sharp > 0 {
			more := 0.6 * math.Min(1, m.Sharp/sharp[len(sharp)/2])
			all[i].first, all[i].last = all[i].first+more, all[i].last+more
		}
	}
	first := slices.MaxFunc(all, func(a, b scored) int { return cmp.Compare(a.first, b.first) })
	if opening || len(all) == 1 {
		return first.id
	}
	all = slices.DeleteFunc(all, func(x scored) bool { return x.id == first.id })
	return slices.MaxFunc(all, func(a, b scored) int { return cmp.Compare(a.last, b.last) }).id
}

// facesFit reports whether all faces of a picture can be seen when it is cropped
// to an aspect.
func facesFit(m doc.Media, aspect float64) bool {
	all := m.Faces[0]
	for _, f := range m.Faces[1:] {
		all = all.Union(f)
	}
	return all.W <= math.Min(1, aspect/m.Aspect()) && all.H <= math.Min(1, m.Aspect()/aspect)
}
