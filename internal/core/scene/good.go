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
	b := newBuilder(stage{
		scene: &Scene{W: d.Frame.W, H: d.Frame.H},
		of:    d.Frame,
		doc:   d,
		theme: t,
		lib:   lib,
		slide: plan.Slide{Slide: s},
	})
	switch s.Kind {
	case doc.Opening:
		return b.pics.picture(&t.Opening, true)
	case doc.Closing:
		return b.pics.picture(&t.Closing, false)
	}
	return b.own(nearPicture(d, s.ID))
}

// own is the picture chosen for the slide by hand, or else another.
func (b *stage) own(otherwise doc.MediaID) doc.MediaID {
	if _, ok := b.lib[b.slide.Picture]; ok {
		return b.slide.Picture
	}
	return otherwise
}

// picture is the picture an opening or a closing shows: chosen by hand, or a good
// one of the film, as in its own frame: the same however large it is drawn.
func (b *prints) picture(c *theme.Card, opening bool) doc.MediaID {
	in := newBuilder(stage{scene: &Scene{W: b.of.W, H: b.of.H}})
	aspect := in.w() / in.h()
	if c.Picture != nil {
		aside := in.texts.asideOf(c.Picture)
		aspect = aside.W / aside.H
	}
	return b.own(goodPicture(b.doc, b.lib, aspect, in.w(), opening))
}

// What counts for an opening's picture, as weights (common practice, no source): people
// whose faces are whole, large and sharp come before a picture whose shape suits better.
const (
	wrongShape  = 1.5  // for each power of e that its aspect is off
	enlargedBy  = 2    // likewise for being enlarged
	tooLight    = 1.5  // for each share of lightness off the middle
	wholeFaces  = 3    // when they are as large as largeFace, less below
	cutFaces    = -0.5 // whatever their size
	largeFace   = 0.15 // of the picture's shorter side
	asSharp     = 0.6  // as the picture in the middle
	alongFilm   = 0.3  // from its beginning to its end
	facesInTune = 0.25 // of what whole faces count, for being sharp
)

// goodPicture is the photo of a film that stands best for it, in a place of an
// aspect, width pixels wide: with people whose faces are whole and large there, near the
// place's shape, large and sharp enough, neither dark nor glaring, and early in the film for
// its opening, late for its closing, which shows another than the opening. What a row shares
// with its Run stands for it only while it has none of its own. Without photos it is the
// film's first or last clip.
func goodPicture(d doc.Slideshow, lib doc.Library, aspect, width float64, opening bool) doc.MediaID {
	type scored struct {
		id          doc.MediaID
		shared      bool
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
			good := -wrongShape * math.Abs(math.Log(w/h/aspect))
			if enlarged := width / math.Min(w, h*aspect); enlarged > 1 {
				good -= enlargedBy * math.Log(enlarged)
			}
			if m.Light > 0 {
				good -= tooLight * math.Abs(m.Light-0.5)
			}
			good += people(m, aspect)
			if m.Sharp > 0 {
				sharp = append(sharp, m.Sharp)
			}
			on := alongFilm * float64(i) / float64(len(d.Slides))
			all = append(all, scored{id, s.Common() || d.Pattern != nil && !s.Row, good - on, good + on})
		}
	}
	if own := slices.DeleteFunc(slices.Clone(all), func(x scored) bool { return x.shared }); len(own) > 0 {
		all = own
	}
	if len(all) == 0 {
		return edgePicture(d, opening)
	}
	slices.Sort(sharp)
	for i := range all {
		if m := lib[all[i].id]; m.Sharp > 0 {
			share := math.Min(1, m.Sharp/sharp[len(sharp)/2])
			more := asSharp * share
			if faces := people(m, aspect); faces > 0 {
				more -= facesInTune * faces * (1 - share)
			}
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

// people is what the faces of a picture count in a place of an aspect.
func people(m doc.Media, aspect float64) float64 {
	if len(m.Faces) == 0 {
		return 0
	}
	if !facesFit(m, aspect) {
		return cutFaces
	}
	largest := 0.0
	for _, f := range m.Faces {
		// Of the picture's shorter side, from fractions of both.
		largest = math.Max(largest, math.Max(f.W*math.Max(1, m.Aspect()), f.H*math.Max(1, 1/m.Aspect())))
	}
	return wholeFaces * math.Min(1, largest/largeFace)
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
