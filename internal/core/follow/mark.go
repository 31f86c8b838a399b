package follow

import (
	"maps"
	"reflect"
	"slices"
	"strings"

	"nelko/internal/core/doc"
)

// Mark notes as the row's own every part in which after differs from before.
func Mark(before, after doc.Slideshow) doc.Slideshow {
	if after.Follows == nil {
		return after
	}
	own := map[string]bool{}
	for _, p := range after.Follows.Own {
		own[p] = true
	}
	for _, p := range parts {
		if !p.same(before, after) {
			own[p.name] = true
		}
	}
	if !(len(before.Decor)+len(after.Decor) == 0 || reflect.DeepEqual(before.Decor, after.Decor)) {
		own[Decor] = true
	}
	framesAsBefore := slices.Equal(framesOf(before), framesOf(after))
	if !framesAsBefore {
		own[Shapes] = true
	}
	for _, k := range keysOf(before.Details, after.Details) {
		if before.Details[k] != after.Details[k] && !slices.Contains(after.Follows.ByRow, k) {
			own[Detail(k)] = true
		}
	}
	now := map[doc.SlideID]doc.Slide{}
	for _, s := range after.Slides {
		now[s.ID] = s
	}
	for _, s := range before.Slides {
		if !s.Common() {
			continue
		}
		n, there := now[s.ID]
		n.Placed = s.Placed
		if !there || !reflect.DeepEqual(s, n) || framesAsBefore && !reflect.DeepEqual(inShapes(before, s.ID),
			inShapes(after, s.ID)) {
			own[Slide(s.ID)] = true
		}
		for _, id := range s.Media {
			if !reflect.DeepEqual(before.Shots[id], after.Shots[id]) || framesAsBefore &&
				!reflect.DeepEqual(shotInShapes(before, id), shotInShapes(after, id)) {
				own[Shot(id)] = true
			}
		}
	}
	if moved(before, after) {
		own[Order] = true
	}
	after = after.Clone()
	after.Follows.Own = slices.Sorted(maps.Keys(own))
	return after
}

// moved reports whether a common slide stands otherwise among the slides that
// were there before and still are. Before there were slides of the row's own,
// all common ones stand together.
func moved(before, after doc.Slideshow) bool {
	both := func(a, b doc.Slideshow) (out []doc.SlideID) {
		for _, s := range a.Slides {
			if b.Index(s.ID) >= 0 {
				out = append(out, s.ID)
			}
		}
		return out
	}
	x, y := both(before, after), both(after, before)
	place := func(ids []doc.SlideID) map[doc.SlideID][]doc.SlideID {
		m := map[doc.SlideID][]doc.SlideID{}
		for i, id := range ids {
			if before.Slides[before.Index(id)].Common() {
				m[id] = slices.Sorted(slices.Values(ids[:i]))
			}
		}
		return m
	}
	return !reflect.DeepEqual(place(x), place(y))
}

// Stand are the pattern's slides with a row's own in place of those that stand
// for them. The pattern's own keep their places among these.
func Stand(pattern, row doc.Slideshow) []doc.Slide {
	var own []doc.Slide
	for _, s := range row.Slides {
		if s.Common() {
			continue
		}
		s.ID, s.Row = "r"+s.ID, true
		own = append(own, s)
	}
	shared := share(pattern)
	out := Among(own, shared)
	for i := range out {
		if !out[i].Row {
			out[i].ID, out[i].CommonAt = doc.SlideID(strings.TrimPrefix(string(out[i].ID), prefix)), nil
		}
	}
	return out
}
