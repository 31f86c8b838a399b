package edit

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"nelko/internal/core/cast"
	"nelko/internal/core/doc"
	"nelko/internal/core/wording"
)

// Group puts the pictures of several slides together on the first of them, with the captions of
// all.
type Group struct{ Slides []doc.SlideID }

// Title implements Op.
func (g Group) Title() string { return "Put " + wording.Counted(len(g.Slides), "slide") + " together" }

// Apply implements Op.
func (g Group) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	ids := slices.Clone(g.Slides)
	for _, id := range ids {
		if d.Index(id) < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
	}
	slices.SortFunc(ids, func(a, b doc.SlideID) int { return cmp.Compare(d.Index(a), d.Index(b)) })
	if len(ids) < 2 {
		return d, fmt.Errorf("one slide cannot be put together: %w", ErrInvalid)
	}
	var media []doc.MediaID
	var captions []string
	chapter := ""
	for _, id := range ids {
		s := d.Slides[d.Index(id)]
		if s.Caption != "" && !slices.Contains(captions, s.Caption) {
			captions = append(captions, s.Caption)
		}
		chapter = cmp.Or(chapter, s.Chapter)
		if s.Kind != doc.Pictures && s.Kind != doc.Clip {
			return d, fmt.Errorf("only slides with pictures or clips can be put together: %w", ErrInvalid)
		}
		media = append(media, s.Media...)
	}
	if len(media) > 6 {
		return d, fmt.Errorf("a slide holds at most six pictures, these have %d: %w", len(media), ErrInvalid)
	}
	first := &d.Slides[d.Index(ids[0])]
	first.Kind, first.Media, first.Layout, first.Placed = doc.Pictures, media, "", true
	first.Caption, first.Chapter = wording.Beside(captions...), chapter
	d.Slides = slices.DeleteFunc(slices.Clone(d.Slides), func(s doc.Slide) bool {
		return slices.Contains(ids[1:], s.ID)
	})
	return d, nil
}

// Split gives every picture of slides a slide of its own, and its caption where the slide has one
// for each.
type Split struct{ Slides []doc.SlideID }

// Title implements Op.
func (s Split) Title() string { return "Took " + wording.Counted(len(s.Slides), "slide") + " apart" }

// Apply implements Op.
func (s Split) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	var out []doc.Slide
	for _, id := range s.Slides {
		if d.Index(id) < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
	}
	for _, x := range d.Slides {
		if !slices.Contains(s.Slides, x.ID) || len(x.Media) < 2 {
			out = append(out, x)
			continue
		}
		captions := strings.Split(x.Caption, wording.Dot)
		for i, m := range x.Media {
			one := x
			if i > 0 {
				one.ID, one.Caption, one.Chapter = d.NextSlide(), "", ""
			}
			if len(captions) == len(x.Media) {
				one.Caption = wording.Bare(captions[i])
			}
			one.Media, one.Layout, one.Placed, one.Kind = []doc.MediaID{m}, "", true, doc.Pictures
			if with.Library[m].Kind == doc.ClipMedia {
				one.Kind = doc.Clip
			}
			out = append(out, one)
		}
	}
	d.Slides = out
	return d, nil
}

// Sort puts the body of the film in order: by capture "time", by file "name",
// at "random" by the seed, with clips and cards spread "evenly", or the other
// way round ("reverse"). Opening and closing stay, and with Keep so does every
// slide that was put in its place by hand: the others are put in order around
// these.
type Sort struct {
	By   string
	Seed uint64
	Keep bool
}

// Title implements Op.
func (s Sort) Title() string {
	return map[string]string{
		"time":    "Sorted by capture time",
		"name":    "Sorted by file name",
		"random":  "Shuffled",
		"evenly":  "Spread clips and cards evenly",
		"reverse": "Turned the order round",
	}[s.By]
}

// Apply implements Op.
func (s Sort) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	all := body(d)
	b := slices.Clone(all)
	if s.Keep {
		b = slices.DeleteFunc(b, func(x doc.Slide) bool { return x.Placed })
	}
	first := func(x doc.Slide) doc.Media {
		if len(x.Media) == 0 {
			return doc.Media{}
		}
		return with.Library[x.Media[0]]
	}
	switch s.By {
	case "time":
		at := takenAt(b, with.Library)
		slices.SortStableFunc(b, func(x, y doc.Slide) int { return at[x.ID].Compare(at[y.ID]) })
	case "name":
		slices.SortStableFunc(b, func(x, y doc.Slide) int {
			return cast.CompareNames(first(x).Name, first(y).Name)
		})
	case "random":
		rng := rand.New(rand.NewPCG(s.Seed, 7))
		rng.Shuffle(len(b), func(i, j int) { b[i], b[j] = b[j], b[i] })
	case "evenly":
		b = cast.Spread(b)
	case "reverse":
		slices.Reverse(b)
	default:
		return d, fmt.Errorf("order %q: %w", s.By, ErrInvalid)
	}
	if s.Keep {
		for i, x := range all {
			if x.Placed {
				b = slices.Insert(b, i, x)
			}
		}
	}
	// Their order is kept from now on; how they are arranged is still the cast's.
	if d.Sorted = s.By; s.By == "time" && !slices.ContainsFunc(b, doc.Slide.ByHand) {
		d.Sorted = "" // as it is anyhow
	}
	setBody(&d, b)
	return d, nil
}

// undated is later than any picture was taken.
var undated = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

// takenAt is when each slide's first picture was taken: undated pictures come
// last, and a card goes with the slide that follows it.
func takenAt(b []doc.Slide, lib doc.Library) map[doc.SlideID]time.Time {
	at := map[doc.SlideID]time.Time{}
	next := undated
	for _, s := range slices.Backward(b) {
		if len(s.Media) > 0 {
			if next = lib[s.Media[0]].Captured; next.IsZero() {
				next = undated
			}
		}
		at[s.ID] = next
	}
	return at
}

// Shift moves slides by a number of places, later or, below 0, earlier, in
// their present order and past what is not moved itself. Opening and closing
// stay; at the film's ends the slides stop.
type Shift struct {
	Slides []doc.SlideID
	By     int
}

// Title implements Op.
func (s Shift) Title() string { return "Moved " + wording.Counted(len(s.Slides), "slide") }

// Apply implements Op.
func (s Shift) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	moving := map[doc.SlideID]bool{}
	first := len(d.Slides)
	for _, id := range s.Slides {
		i := d.Index(id)
		if i < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
		moving[id] = true
		first = min(first, i)
	}
	// Where the first of them stands among those that are not moved.
	at := 0
	var rest []doc.Slide
	for i, x := range d.Slides {
		if !moving[x.ID] {
			if i < first {
				at++
			}
			rest = append(rest, x)
		}
	}
	lo, hi := bounds(doc.Slideshow{Slides: rest})
	to := max(lo, min(at+s.By, hi))
	if to == at && len(s.Slides) == 1 {
		return d, nil
	}
	before := doc.SlideID("")
	if to < len(rest) {
		before = rest[to].ID
	}
	return Move{Slides: s.Slides, Before: before}.Apply(d, with)
}

// Spread moves slides so that they stand evenly among the others, in the order
// they have: clips or cards that came together, say.
type Spread struct{ Slides []doc.SlideID }

// Title implements Op.
func (s Spread) Title() string {
	return "Spread " + wording.Counted(len(s.Slides), "slide") + " evenly"
}

// Apply implements Op.
func (s Spread) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	var spread, rest []doc.Slide
	for _, id := range s.Slides {
		if d.Index(id) < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
	}
	for _, x := range body(d) {
		if slices.Contains(s.Slides, x.ID) {
			x.Placed = true
			spread = append(spread, x)
		} else {
			rest = append(rest, x)
		}
	}
	if len(spread) == 0 || len(rest) == 0 {
		return d, fmt.Errorf("there is nothing to spread them among: %w", ErrInvalid)
	}
	out := make([]doc.Slide, 0, len(spread)+len(rest))
	for i, x := range rest {
		out = append(out, x)
		// The k-th of n stands behind k/(n+1) of the others.
		for len(spread) > 0 && (i+1)*(len(s.Slides)+1) >= (len(s.Slides)-len(spread)+1)*len(rest) {
			out, spread = append(out, spread[0]), spread[1:]
		}
	}
	setBody(&d, append(out, spread...))
	return d, nil
}
