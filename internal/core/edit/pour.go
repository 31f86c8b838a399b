package edit

import (
	"fmt"
	"slices"
	"strings"

	"nelko/internal/core/cast"
	"nelko/internal/core/doc"
	"nelko/internal/core/follow"
	"nelko/internal/core/plan"
	"nelko/internal/core/wording"
)

// Pour adds media that the slideshow does not hold yet: photos and clips are
// cast before the closing, songs go to the end of the soundtrack. As long as
// nothing was placed by hand, all slides are cast anew in capture order.
type Pour struct{ Media []doc.MediaID }

// Title implements Op.
func (p Pour) Title() string { return "Brought in " + wording.Counted(len(p.Media), "file") }

// Tells implements Telling: into a film that has pictures already, it says as
// which slides they went; and that the film was fitted, if it was.
func (p Pour) Tells(before, after doc.Slideshow) string {
	if before.Fit.Mode != after.Fit.Mode {
		return p.placed(before, after) + "; fitted to the music"
	}
	return p.placed(before, after)
}

// placed says as which slides what was brought in went into a film that had pictures.
func (p Pour) placed(before, after doc.Slideshow) string {
	had, came := before.Uses(), map[doc.MediaID]bool{}
	for _, id := range p.Media {
		came[id] = !had[id]
	}
	var spans []string
	first := 0 // of slides with what came, counted from 1
	for i := range len(after.Slides) + 1 {
		is := i < len(after.Slides) && slices.ContainsFunc(after.Slides[i].Media, func(id doc.MediaID) bool {
			return came[id]
		})
		switch {
		case is && first == 0:
			first = i + 1
		case !is && first > 0 && first == i:
			spans, first = append(spans, fmt.Sprint(i)), 0
		case !is && first > 0:
			spans, first = append(spans, fmt.Sprintf("%d to %d", first, i)), 0
		}
	}
	if len(had) == 0 || len(spans) == 0 {
		return p.Title()
	}
	if more := len(spans) - 4; more > 0 {
		spans = append(spans[:4], fmt.Sprintf("%d more places", more))
	}
	word := "slides "
	if len(spans) == 1 && !strings.Contains(spans[0], " ") {
		word = "slide "
	}
	return p.Title() + ", as " + word + strings.Join(spans, ", ")
}

// Apply implements Op.
func (p Pour) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	used := d.Uses()
	var pictures []doc.Media
	songs := 0
	for _, id := range p.Media {
		m, ok := with.Library[id]
		if !ok {
			return d, fmt.Errorf("medium %s: %w", id, ErrGone)
		}
		if m.Kind == doc.SongMedia {
			if !d.Soundtrack.Plays(id) {
				songs++
				if songs == 1 && d.Follows != nil && !follow.Has(d, follow.Soundtrack) {
					d.Soundtrack.Items = nil // a row's own song is instead of the pattern's
				}
				if m.Spoken != nil {
					d.Soundtrack.Items = append(slices.Clip(d.Soundtrack.Items), doc.Item{
						Media: id,
						Role:  doc.Narration,
						At:    m.Spoken,
					})
				} else {
					d.Soundtrack.Receive(m, with.Library)
				}
			}
			continue
		}
		if !used[id] {
			used[id] = true
			pictures = append(pictures, m)
			if _, set := d.Shots[id]; plan.Heard(m) && !set {
				if d.Shots == nil {
					d.Shots = map[doc.MediaID]doc.Shot{}
				}
				d.Shots[id] = doc.Shot{Sound: with.Theme.ClipSound()}
			}
		}
		d.LeftOut = without(d.LeftOut, id)
	}
	ensureCards(&d)
	if len(pictures) == 0 {
		return fitted(d, with), nil
	}
	if d.Pattern != nil {
		// Before what stands for the rows' own; from there it can be moved.
		cast.Order(pictures)
		lo, hi := bounds(d)
		at := slices.IndexFunc(d.Slides, func(s doc.Slide) bool { return s.Row })
		if at < lo {
			at = hi
		}
		d.Slides = slices.Insert(d.Slides, at, number(&d, caster(d, with).Slides(pictures, d.Seed))...)
		return d, nil
	}
	var own, common []doc.Slide
	for _, s := range body(d) {
		if s.Common() {
			common = append(common, s)
		} else {
			own = append(own, s)
		}
	}
	if d.Sorted == "" && !slices.ContainsFunc(own, doc.Slide.ByHand) {
		all := pictures
		for _, s := range own {
			for _, id := range s.Media {
				all = append(all, with.Library[id])
			}
		}
		cast.Order(all)
		own = renamed(&d, caster(d, with).Slides(all, d.Seed), own)
	} else {
		cast.Order(pictures)
		own = append(own, number(&d, caster(d, with).Slides(pictures, d.Seed))...)
	}
	setBody(&d, follow.Among(own, common))
	return fitted(d, with), nil
}

// fitted is d fitted to its music if nobody chose how it is fitted and there is a fit
// within its limits; else as it was.
func fitted(d doc.Slideshow, with Context) doc.Slideshow {
	tried, ok := Wanted(d)
	if !ok || plan.Build(tried, with.Theme, with.Library).FitError != nil {
		return d
	}
	return tried
}

// Wanted is d as it would be fitted to its music if that could be, where nobody chose
// how: ok is false where somebody did, or where there is nothing to fit.
func Wanted(d doc.Slideshow) (wanted doc.Slideshow, ok bool) {
	if !d.Fit.Auto || d.Follows != nil || d.Pattern != nil || len(d.Soundtrack.Songs()) == 0 ||
		len(d.Uses()) == 0 {
		return d, false
	}
	d.Fit.Mode, d.Fit.Auto = doc.ToMusic, false
	return d, true
}

// caster casts by the context's theme, counting pictures as turned and
// cropped.
func caster(d doc.Slideshow, with Context) cast.Caster {
	return cast.Of(d, with.Theme, with.Library)
}

// ensureCards gives the slideshow its opening and closing once.
func ensureCards(d *doc.Slideshow) {
	if d.Follows != nil {
		return // the pattern's
	}
	if !slices.ContainsFunc(d.Slides, func(s doc.Slide) bool {
		return s.Kind == doc.Opening
	}) && d.LastSlide == 0 {
		open := doc.Slide{ID: d.NextSlide(), Kind: doc.Opening, Linger: 1}
		end := doc.Slide{ID: d.NextSlide(), Kind: doc.Closing, Linger: 1}
		d.Slides = append([]doc.Slide{open}, append(d.Slides, end)...)
	}
}

// bounds are the positions of the first and after the last body slide.
func bounds(d doc.Slideshow) (lo, hi int) {
	hi = len(d.Slides)
	if hi > 0 && d.Slides[0].Kind == doc.Opening {
		lo = 1
	}
	if hi > lo && d.Slides[hi-1].Kind == doc.Closing {
		hi--
	}
	return lo, hi
}

func body(d doc.Slideshow) []doc.Slide {
	lo, hi := bounds(d)
	return d.Slides[lo:hi]
}

func setBody(d *doc.Slideshow, b []doc.Slide) {
	lo, hi := bounds(*d)
	d.Slides = slices.Concat(d.Slides[:lo], b, d.Slides[hi:])
}

func number(d *doc.Slideshow, s []doc.Slide) []doc.Slide {
	for i := range s {
		s[i].ID = d.NextSlide()
	}
	return s
}

// renamed names slides that were cast anew: one that shows what a slide of before showed, or
// most of it, is that slide; others get names of their own.
func renamed(d *doc.Slideshow, fresh, before []doc.Slide) []doc.Slide {
	taken := make([]bool, len(before))
	alike := func(s doc.Slide, whole bool) int {
		best, most := -1, 0
		for i, b := range before {
			if taken[i] {
				continue
			}
			both := 0
			for _, id := range s.Media {
				if slices.Contains(b.Media, id) {
					both++
				}
			}
			if same := slices.Equal(s.Media, b.Media); both > most && (same || !whole) {
				best, most = i, both
			}
		}
		return best
	}
	for _, whole := range []bool{true, false} {
		for i := range fresh {
			if fresh[i].ID != "" {
				continue
			}
			if k := alike(fresh[i], whole); k >= 0 {
				fresh[i].ID, taken[k] = before[k].ID, true
			}
		}
	}
	for i := range fresh {
		if fresh[i].ID == "" {
			fresh[i].ID = d.NextSlide()
		}
	}
	return fresh
}

func without[T comparable](s []T, v T) []T {
	return slices.DeleteFunc(slices.Clone(s), func(x T) bool { return x == v })
}

// Recast casts the untouched slides anew with another seed; slides set by
// hand stay where they are.
type Recast struct{ Seed uint64 }

// Title implements Op.
func (Recast) Title() string { return "Recast" }

// Tells implements Telling.
func (Recast) Tells(before, after doc.Slideshow) string {
	kept, anew := Recasts(before, after)
	return fmt.Sprintf("Recast %s; kept %d set by hand", wording.Counted(anew, "slide"), kept)
}

// Recasts counts the picture slides of a recast that stayed as they were set by
// hand, and those that were arranged anew.
func Recasts(before, after doc.Slideshow) (kept, anew int) {
	for _, s := range after.Slides {
		switch i := before.Index(s.ID); {
		case s.Kind == doc.Opening || s.Kind == doc.Closing:
		case i >= 0 && before.Slides[i].ByHand():
			kept++
		default:
			anew++
		}
	}
	return kept, anew
}

// Apply implements Op.
func (r Recast) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	d.Seed = r.Seed
	var out, were []doc.Slide
	var loose []doc.Media
	flush := func() {
		out = append(out, renamed(&d, caster(d, with).Slides(loose, r.Seed+uint64(len(out))), were)...)
		loose, were = nil, nil
	}
	for _, s := range body(d) {
		if s.ByHand() {
			flush()
			out = append(out, s)
			continue
		}
		for _, id := range s.Media {
			m, ok := with.Library[id]
			if !ok {
				return d, fmt.Errorf("medium %s: %w", id, ErrGone)
			}
			loose = append(loose, m)
		}
		were = append(were, s)
	}
	flush()
	setBody(&d, out)
	return d, nil
}
