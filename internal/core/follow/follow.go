// Package follow makes the films of a Run from its pattern: what all share is
// the pattern's, and what a row has by itself stays its own. A row's film is a
// function of the pattern, the row's own slides and its own parts, so a change
// of the pattern and its opposite give every row back.
package follow

import (
	"maps"
	"math"
	"reflect"
	"slices"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/look"
	"nelko/internal/core/transition"
)

// The parts of a film that a row can have by itself. Besides, there is one for
// each detail, common slide and common picture.
const (
	Theme      = "theme"
	Casting    = "casting" // the seed
	Frame      = "frame"
	Soundtrack = "soundtrack"
	Fit        = "fit"
	Join       = "transitions"
	Motion     = "motion"
	Look       = "look"
	Captions   = "captions"
	Fades      = "fades"
	Shutter    = "shutter"
	Decor      = "decor"
	Shapes     = "shapes" // the further frame shapes, without what is their own
	Order      = "order"  // of common slides among the row's own
)

// Detail is the part that is a detail.
func Detail(key string) string { return "detail:" + key }

// Slide is the part that is a common slide, by its ID in the row.
func Slide(id doc.SlideID) string { return "slide:" + string(id) }

// Shot is the part that is what is set for a common picture.
func Shot(id doc.MediaID) string { return "picture:" + string(id) }

// Has reports whether a part is the row's own.
func Has(row doc.Slideshow, part string) bool {
	return row.Follows != nil && slices.Contains(row.Follows.Own, part)
}

// InWords is what a part is called.
func InWords(part string) string {
	if kind, rest, ok := strings.Cut(part, ":"); ok {
		return map[string]string{
			"slide":   "a shared slide",
			"picture": "a shared picture",
			"detail":  rest,
		}[kind]
	}
	if w, ok := map[string]string{
		Casting:  "arrangement",
		Frame:    "frame shape",
		Shapes:   "further frame shapes",
		Captions: "captions’ style",
		Fades:    "beginning and end",
		Shutter:  "motion blur",
		Order:    "order of slides",
	}[part]; ok {
		return w
	}
	return part
}

// part is a part with a way to see and to set it.
type part struct {
	name string
	same func(a, b doc.Slideshow) bool
	take func(to *doc.Slideshow, from doc.Slideshow)
}

func field[T any](name string, of func(*doc.Slideshow) *T) part {
	return part{name,
		func(a, b doc.Slideshow) bool { return reflect.DeepEqual(*of(&a), *of(&b)) },
		func(to *doc.Slideshow, from doc.Slideshow) { *of(to) = *of(&from) },
	}
}

var parts = []part{
	{Theme, func(a, b doc.Slideshow) bool { return a.Theme == b.Theme && a.ThemeVersion == b.ThemeVersion },
		func(to *doc.Slideshow, from doc.Slideshow) {
			to.Theme, to.ThemeVersion = from.Theme, from.ThemeVersion
		}},
	field(Casting, func(d *doc.Slideshow) *uint64 { return &d.Seed }),
	field(Frame, func(d *doc.Slideshow) *doc.Frame { return &d.Frame }),
	{Soundtrack, func(a, b doc.Slideshow) bool {
		x, y := a.Soundtrack, b.Soundtrack
		return len(x.Items)+len(y.Items) == 0 && x.FadeInSeconds == y.FadeInSeconds &&
			x.FadeOutSeconds == y.FadeOutSeconds && x.LUFS == y.LUFS || reflect.DeepEqual(x, y)
	}, func(to *doc.Slideshow, from doc.Slideshow) {
		to.Soundtrack = from.Soundtrack
		to.Soundtrack.Items = slices.Clone(from.Soundtrack.Items)
	}},
	field(Fit, func(d *doc.Slideshow) *doc.Fit { return &d.Fit }),
	field(Join, func(d *doc.Slideshow) **transition.Transition { return &d.Join }),
	field(Motion, func(d *doc.Slideshow) **design.Motion { return &d.Motion }),
	field(Look, func(d *doc.Slideshow) **look.Look { return &d.Look }),
	field(Captions, func(d *doc.Slideshow) **design.Caption { return &d.CaptionStyle }),
	field(Shutter, func(d *doc.Slideshow) *float64 { return &d.Shutter }),
	field(Fades, func(d *doc.Slideshow) **doc.Fades { return &d.Fades }),
}

// prefix begins the IDs of slides in a row that are the pattern's, so that
// none is a row's own.
const prefix = "p"

func common(id doc.SlideID) doc.SlideID { return prefix + id }

// Follow gives the row as the pattern has it, but for the row's own slides and
// parts.
func Follow(pattern, row doc.Slideshow) doc.Slideshow {
	out := row.Clone()
	if out.Follows == nil {
		out.Follows = &doc.Follows{}
	}
	out.Follows.ByRow = nil
	if pattern.Pattern != nil {
		out.Follows.ByRow = slices.Clone(pattern.Pattern.ByRow)
	}
	out.Follows.Own = slices.DeleteFunc(out.Follows.Own, func(p string) bool {
		return slices.ContainsFunc(out.Follows.ByRow, func(k string) bool { return p == Detail(k) })
	})
	for _, p := range parts {
		if !Has(out, p.name) {
			p.take(&out, pattern)
		}
	}
	details(pattern, &out)
	out.Slides = slides(pattern, out)
	shots(pattern, &out)
	if !Has(out, Decor) {
		out.Decor = decor(pattern, out)
	}
	shapes(pattern, row, &out)
	return out
}

// shapes takes over the pattern's further frame shapes, with what is their own
// of its common slides and of the pictures on these. What is set in a shape for
// the row's own slides and pictures stays.
func shapes(pattern, row doc.Slideshow, out *doc.Slideshow) {
	from := pattern.Shapes
	if Has(*out, Shapes) {
		from = row.Shapes
	}
	out.Shapes = nil
	for _, x := range from {
		n := doc.Shape{Frame: x.Frame}
		var theirs, ours doc.Shape
		if at := pattern.ShapeAt(x.Frame); at >= 0 {
			theirs = pattern.Shapes[at]
		}
		if at := row.ShapeAt(x.Frame); at >= 0 {
			ours = row.Shapes[at]
		}
		shared := map[doc.MediaID]bool{}
		for _, s := range out.Slides {
			own, is := ours.Slides[s.ID]
			if s.Common() && !Has(*out, Slide(s.ID)) {
				own, is = theirs.Slides[doc.SlideID(strings.TrimPrefix(string(s.ID), prefix))]
				own.Slide.ID = s.ID
			}
			if is {
				n.Slides = put(n.Slides, s.ID, own)
			}
			for _, id := range s.Media {
				shared[id] = shared[id] || s.Common() && !Has(*out, Shot(id))
			}
		}
		for id, own := range theirs.Shots {
			if shared[id] {
				n.Shots = put(n.Shots, id, own)
			}
		}
		for id, own := range ours.Shots {
			if !shared[id] {
				n.Shots = put(n.Shots, id, own)
			}
		}
		out.Shapes = append(out.Shapes, n)
	}
}

func put[K comparable, V any](m map[K]V, k K, v V) map[K]V {
	if m == nil {
		m = map[K]V{}
	}
	m[k] = v
	return m
}

// framesOf are the further frame shapes, without what is their own.
func framesOf(d doc.Slideshow) (out []doc.Frame) {
	for _, x := range d.Shapes {
		out = append(out, x.Frame)
	}
	return out
}

// inShapes is what is a further shape's own of a slide, for each.
func inShapes(d doc.Slideshow, id doc.SlideID) (out []doc.SlideOwn) {
	for _, x := range d.Shapes {
		out = append(out, x.Slides[id])
	}
	return out
}

// shotInShapes is what is a further shape's own of a picture, for each.
func shotInShapes(d doc.Slideshow, id doc.MediaID) (out []doc.ShotOwn) {
	for _, x := range d.Shapes {
		out = append(out, x.Shots[id])
	}
	return out
}

func details(pattern doc.Slideshow, out *doc.Slideshow) {
	for _, k := range keysOf(pattern.Details, out.Details) {
		if slices.Contains(out.Follows.ByRow, k) || Has(*out, Detail(k)) {
			continue
		}
		if v, ok := pattern.Details[k]; ok {
			out.Details[k] = v
		} else {
			delete(out.Details, k)
		}
	}
}

func keysOf(a, b map[string]string) []string {
	all := maps.Clone(a)
	if all == nil {
		all = map[string]string{}
	}
	maps.Copy(all, b)
	return slices.Sorted(maps.Keys(all))
}

// slides are the pattern's among the row's own.
func slides(pattern, row doc.Slideshow) []doc.Slide {
	had := map[doc.SlideID]doc.Slide{}
	var own []doc.Slide
	for _, s := range row.Slides {
		if s.Common() {
			had[s.ID] = s
		} else {
			own = append(own, s)
		}
	}
	var shared []doc.Slide
	for _, s := range share(pattern) {
		old, there := had[s.ID]
		if Has(row, Slide(s.ID)) {
			if !there {
				continue // the row has taken it out
			}
			old.CommonAt = s.CommonAt
			s = old
		}
		shared = append(shared, s)
	}
	if !Has(row, Order) {
		return Among(own, shared)
	}
	// The row has an order of its own: what is new goes to its place, the rest
	// stays where it is.
	now := map[doc.SlideID]doc.Slide{}
	for _, s := range shared {
		now[s.ID] = s
	}
	var out, fresh []doc.Slide
	for _, s := range row.Slides {
		if !s.Common() {
			out = append(out, s)
		} else if n, ok := now[s.ID]; ok {
			out = append(out, n)
			delete(now, s.ID)
		}
	}
	for _, s := range shared {
		if _, left := now[s.ID]; left {
			fresh = append(fresh, s)
		}
	}
	return Among(out, fresh)
}

// share are the pattern's slides as rows have them: with the place of each
// among the rows' own, by how many of those that stand for them are before it.
func share(pattern doc.Slideshow) (out []doc.Slide) {
	stand, before := 0, 0
	for _, s := range pattern.Slides {
		if s.Row {
			stand++
		}
	}
	for _, s := range pattern.Slides {
		if s.Row {
			before++
			continue
		}
		at := 0.0
		switch {
		case s.Kind == doc.Closing:
			at = 1
		case stand > 0:
			at = float64(before) / float64(stand)
		}
		s.ID, s.CommonAt, s.Media = common(s.ID), &at, slices.Clone(s.Media)
		out = append(out, s)
	}
	return out
}

// Among puts shared slides, which are in order, among a row's own.
func Among(own, shared []doc.Slide) []doc.Slide {
	out := make([]doc.Slide, 0, len(own)+len(shared))
	k := 0
	for i := 0; i <= len(own); i++ {
		for k < len(shared) && (i == len(own) ||
			int(math.Round(*shared[k].CommonAt*float64(len(own)))) <= i) {
			out = append(out, shared[k])
			k++
		}
		if i < len(own) {
			out = append(out, own[i])
		}
	}
	return out
}

// shots takes over what is set for pictures on common slides.
func shots(pattern doc.Slideshow, out *doc.Slideshow) {
	for _, s := range share(pattern) {
		for _, id := range s.Media {
			if Has(*out, Shot(id)) {
				continue
			}
			if shot, ok := pattern.Shots[id]; ok {
				if out.Shots == nil {
					out.Shots = map[doc.MediaID]doc.Shot{}
				}
				out.Shots[id] = shot
			} else {
				delete(out.Shots, id)
			}
		}
	}
	if len(out.Shots) == 0 {
		out.Shots = nil
	}
}

// decor lays the pattern's decor over the same slides of the row; where it
// begins or ends on one that stands for the row's own, on the one that is as
// far on among these.
func decor(pattern, row doc.Slideshow) (out []doc.Laid) {
	var own, stand []doc.SlideID
	for _, s := range row.Slides {
		if !s.Common() {
			own = append(own, s.ID)
		}
	}
	for _, s := range pattern.Slides {
		if s.Row {
			stand = append(stand, s.ID)
		}
	}
	at := func(id doc.SlideID) doc.SlideID {
		if row.Index(common(id)) >= 0 {
			return common(id)
		}
		if i := slices.Index(stand, id); i >= 0 && len(own) > 0 {
			if len(stand) == 1 {
				return own[0]
			}
			return own[int(math.Round(float64(i)*float64(len(own)-1)/float64(len(stand)-1)))]
		}
		return ""
	}
	for _, l := range pattern.Decor {
		from, to := at(l.From), at(l.To)
		if from == "" || to == "" {
			continue // it lies over what this row does not have
		}
		if row.Index(from) > row.Index(to) {
			from, to = to, from
		}
		l.From, l.To = from, to
		out = append(out, l)
	}
	return out
}
