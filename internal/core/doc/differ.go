package doc

import (
	"bytes"
	"encoding/json"
	"maps"
	"reflect"
	"slices"
)

// Differences is what one state of a slideshow shows otherwise than another.
type Differences struct {
	Slides []SlideID // new ones, and those that show something else, in order
	Gone   int       // slides that are no more
	Moved  bool      // the order of those that stayed
	Whole  []string  // what else: the theme, the soundtrack, the details, the look
}

// None reports whether nothing differs.
func (d Differences) None() bool {
	return len(d.Slides) == 0 && d.Gone == 0 && !d.Moved && len(d.Whole) == 0
}

// Differ compares a slideshow with an earlier state of it.
func Differ(before, after Slideshow) (d Differences) {
	was := map[SlideID]Slide{}
	for _, s := range before.Slides {
		was[s.ID] = s
	}
	var stayed, earlier []SlideID
	for _, s := range after.Slides {
		old, there := was[s.ID]
		if there {
			stayed = append(stayed, s.ID)
		}
		if !there || !same(shown(before, old), shown(after, s)) {
			d.Slides = append(d.Slides, s.ID)
		}
	}
	for _, s := range before.Slides {
		if after.Index(s.ID) >= 0 {
			earlier = append(earlier, s.ID)
		} else {
			d.Gone++
		}
	}
	d.Moved = !slices.Equal(stayed, earlier)
	note := func(name string, differs bool) {
		if differs {
			d.Whole = append(d.Whole, name)
		}
	}
	note("theme", before.Theme != after.Theme || before.ThemeVersion != after.ThemeVersion ||
		before.Seed != after.Seed)
	note("words", !maps.Equal(before.Details, after.Details))
	note("soundtrack", !same(before.Soundtrack, after.Soundtrack))
	note("frame shapes", before.Frame != after.Frame || !same(before.Shapes, after.Shapes))
	note("lengths", before.Fit != after.Fit)
	note("look", !reflect.DeepEqual(before.Look, after.Look) ||
		!reflect.DeepEqual(before.Motion, after.Motion) || !reflect.DeepEqual(before.Join, after.Join) ||
		!reflect.DeepEqual(before.CaptionStyle, after.CaptionStyle) ||
		!reflect.DeepEqual(before.Fades, after.Fades) || before.Shutter != after.Shutter ||
		!same(before.Decor, after.Decor))
	return d
}

// shown is a slide with all that is set for what it shows.
func shown(d Slideshow, s Slide) any {
	shots := make([]Shot, len(s.Media))
	for i, m := range s.Media {
		shots[i] = d.Shot(m)
	}
	s.Placed, s.CommonAt = false, nil // how it came to stand there is not seen
	return struct {
		Slide Slide
		Shots []Shot
	}{s, shots}
}

// same compares as documents are kept.
func same(a, b any) bool {
	x, errX := json.Marshal(a)
	y, errY := json.Marshal(b)
	return errX == nil && errY == nil && bytes.Equal(x, y)
}
