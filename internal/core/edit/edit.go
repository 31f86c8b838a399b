// Package edit holds the operations on a slideshow document. Each is a value
// that turns one document into another or says why it cannot; none changes
// its input. What an operation is called in the history is its Title.
package edit

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"nelko/internal/core/cast"
	"nelko/internal/core/doc"
	"nelko/internal/core/follow"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
)

// Op is one edit.
type Op interface {
	// Title says what the edit does, in the past tense.
	Title() string
	// Apply returns the edited document.
	Apply(d doc.Slideshow, with Context) (doc.Slideshow, error)
}

// Context is what edits may look at beside the document.
type Context struct {
	Theme   *theme.Theme
	Library doc.Library
	// Words is the box around a slide's words as they come out, in fractions
	// of the frame, and empty for a slide without words. Where nothing
	// measures words it is nil.
	Words func(d doc.Slideshow, id doc.SlideID) framing.Rect
}

// ErrGone means that an edit names a slide, song or medium that is no longer
// there.
var ErrGone = errors.New("no longer in the slideshow")

// ErrInvalid means that a value is out of range.
var ErrInvalid = errors.New("cannot be set")

// Do applies op, narrowed to what it is for, and checks the result, leaving d as it
// is.
func Do(d doc.Slideshow, op Op, with Context) (doc.Slideshow, error) {
	op = Narrow(op, d, with)
	n, err := op.Apply(d.Clone(), with)
	if err != nil {
		return d, err
	}
	n = unmoorLost(d, n.Turned(d), with)
	if _, follows := op.(follower); n.Follows != nil && !follows {
		n = follow.Mark(d, n)
	}
	if err := n.Validate(); err != nil {
		return d, fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	return n, nil
}

// Telling is an Op whose title says what came of it.
type Telling interface {
	Op
	Tells(before, after doc.Slideshow) string
}

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
		is := i < len(after.Slides) && slices.ContainsFunc(after.Slides[i].Media, func(id doc.MediaID) bool { return came[id] })
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
					d.Soundtrack.Items = append(slices.Clip(d.Soundtrack.Items), doc.Item{Media: id, Role: doc.Narration, At: m.Spoken})
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
	if !d.Fit.Auto || d.Follows != nil || d.Pattern != nil || len(d.Soundtrack.Songs()) == 0 || len(d.Uses()) == 0 {
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
	if !slices.ContainsFunc(d.Slides, func(s doc.Slide) bool { return s.Kind == doc.Opening }) && d.LastSlide == 0 {
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

// Move puts slides, in their present order, before another slide, or last of
// all but the closing when Before is empty. Opening and closing stay.
type Move struct {
	Slides []doc.SlideID
	Before doc.SlideID
}

// Title implements Op.
func (m Move) Title() string { return "Moved " + wording.Counted(len(m.Slides), "slide") }

// Tells implements Telling.
func (m Move) Tells(before, _ doc.Slideshow) string {
	if i := before.Index(m.Before); m.Before != "" && i >= 0 {
		return fmt.Sprintf("%s before slide %d", m.Title(), i+1)
	}
	return m.Title() + " to the end"
}

// Apply implements Op.
func (m Move) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	moving := map[doc.SlideID]bool{}
	for _, id := range m.Slides {
		i := d.Index(id)
		if i < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
		if k := d.Slides[i].Kind; k == doc.Opening || k == doc.Closing {
			return d, fmt.Errorf("the %s stays in its place: %w", k, ErrInvalid)
		}
		moving[id] = true
	}
	if m.Before != "" && d.Index(m.Before) < 0 {
		return d, fmt.Errorf("slide %s: %w", m.Before, ErrGone)
	}
	var taken, rest []doc.Slide
	at := -1
	for _, s := range d.Slides {
		if s.ID == m.Before && s.Kind != doc.Opening {
			at = len(rest)
		}
		if moving[s.ID] {
			s.Placed = true
			taken = append(taken, s)
		} else {
			rest = append(rest, s)
		}
	}
	d.Slides = rest
	lo, hi := bounds(d)
	if m.Before != "" && at < 0 {
		at = lo // dropped on the opening: first after it
	}
	if at < 0 || at > hi {
		at = hi
	}
	d.Slides = slices.Insert(slices.Clone(rest), at, taken...)
	return d, nil
}

// Remove takes slides out of the film; their media are remembered as left
// out, so that the next pour does not bring them back.
type Remove struct{ Slides []doc.SlideID }

// Title implements Op.
func (r Remove) Title() string { return "Took out " + wording.Counted(len(r.Slides), "slide") }

// Apply implements Op.
func (r Remove) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	for _, id := range r.Slides {
		i := d.Index(id)
		if i < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
		d.LeftOut = append(d.LeftOut, d.Slides[i].Media...)
		d.Slides = slices.Delete(d.Slides, i, i+1)
	}
	return d, nil
}

// Time sets linger or pins the length of slides. A zero Linger leaves linger as
// it is; Unpin wins over Pin. Typed is a length as ParseLength reads it, in
// place of Pin.
type Time struct {
	Slides []doc.SlideID
	Linger float64
	Pin    float64 // seconds
	Typed  string
	Unpin  bool
}

// Title implements Op.
func (t Time) Title() string {
	n := wording.Counted(len(t.Slides), "slide")
	switch {
	case t.Unpin:
		return "Unpinned " + n
	case t.Pin > 0:
		return fmt.Sprintf("Pinned %s at %g s", n, t.Pin)
	case t.Typed != "":
		return fmt.Sprintf("Pinned %s at %s", n, t.Typed)
	}
	return fmt.Sprintf("Set linger %g on %s", t.Linger, n)
}

// Apply implements Op.
func (t Time) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	if t.Typed != "" && !t.Unpin {
		l, err := timecode.ParseLength(t.Typed, d.Rate)
		if err != nil {
			return d, fmt.Errorf("%w: %w", ErrInvalid, err)
		}
		t.Pin = math.Round(l.In(d.Rate)*1000) / 1000
	}
	for _, id := range t.Slides {
		i := d.Index(id)
		if i < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
		s := &d.Slides[i]
		if s.Kind == doc.Clip && (t.Pin > 0 || t.Linger != 0) {
			return d, fmt.Errorf("a clip keeps its length: %w", ErrInvalid)
		}
		if t.Linger != 0 {
			s.Linger = t.Linger
		}
		if t.Unpin {
			s.Pinned = 0
		} else if t.Pin != 0 {
			s.Pinned = t.Pin
		}
	}
	return d, nil
}

// Details fills details; keys not named stay as they are.
type Details struct{ Values map[string]string }

// Title implements Op.
func (Details) Title() string { return "Filled details" }

// Apply implements Op.
func (e Details) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	for k, v := range e.Values {
		i := slices.IndexFunc(with.Theme.Details, func(x theme.Detail) bool { return x.Key == k })
		if i < 0 {
			return d, fmt.Errorf("theme %s does not ask for %q: %w", with.Theme.Name, k, ErrInvalid)
		}
		v = strings.TrimSpace(v)
		if err := with.Theme.Details[i].Check(v); err != nil {
			return d, fmt.Errorf("%w: %w", ErrInvalid, err)
		}
		if v == "" {
			delete(d.Details, k)
		} else {
			d.Details[k] = v
		}
	}
	return d, nil
}

// Songs sets the order of the soundtrack; songs not named are taken out of it
// and stay with the order.
type Songs struct{ Songs []doc.MediaID }

// Title implements Op.
func (Songs) Title() string { return "Changed the soundtrack" }

// Apply implements Op.
func (s Songs) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	for i, id := range s.Songs {
		if m, ok := with.Library[id]; !ok || m.Kind != doc.SongMedia {
			return d, fmt.Errorf("song %s: %w", id, ErrGone)
		}
		if slices.Contains(s.Songs[:i], id) {
			return d, fmt.Errorf("a song is named twice: %w", ErrInvalid)
		}
	}
	was := d.Soundtrack.Items
	for _, old := range d.Soundtrack.Songs() {
		d.LeftOut = without(d.LeftOut, old)
		if !slices.Contains(s.Songs, old) {
			d.LeftOut = append(d.LeftOut, old)
		}
	}
	for _, id := range s.Songs {
		d.LeftOut = without(d.LeftOut, id)
	}
	d.Soundtrack.Items = nil
	for _, id := range s.Songs {
		// A song that was there keeps its trim, fades and volume.
		if i := slices.IndexFunc(was, func(it doc.Item) bool { return it.Media == id && it.Role == doc.Music }); i >= 0 {
			d.Soundtrack.Items = append(d.Soundtrack.Items, was[i])
			continue
		}
		d.Soundtrack.AddSong(id)
	}
	for _, it := range was {
		if it.Role != doc.Music {
			d.Soundtrack.Items = append(d.Soundtrack.Items, it)
		}
	}
	return fitted(d, with), nil
}

// Fit chooses the rule for the slides' lengths.
type Fit struct {
	Mode   doc.FitMode
	Pace   float64   // seconds; 0 keeps the present pace
	Beat   *doc.Beat // where cuts should fall; nil keeps it
	Strict *float64  // how much; nil keeps it
	Hold   *bool     // at pace, whether the last slide stays until the music ends; nil keeps it
	Own    *bool     // whether each song has its own pictures; nil keeps it
	Even   *bool     // music to pictures: whether all songs share the time evenly; nil keeps it
}

// Title implements Op.
func (f Fit) Title() string {
	switch {
	case f.Hold != nil && *f.Hold:
		return "Held the last slide until the music ends"
	case f.Hold != nil:
		return "Let the music fade with the last slide"
	case f.Even != nil && *f.Even:
		return "Let all songs share the time evenly"
	case f.Even != nil:
		return "Made the last song as long as is left"
	case f.Own != nil && *f.Own:
		return "Gave each song its own pictures"
	case f.Own != nil:
		return "Fitted all songs as one"
	case f.Strict != nil && f.Beat == nil:
		return fmt.Sprintf("Kept to the beat by %.0f %%", *f.Strict*100)
	case f.Beat != nil && f.Mode != doc.AtPace:
		if name, ok := beatNames[*f.Beat]; ok {
			return "Put cuts on " + name
		}
		return "Took cuts off the beat"
	case f.Mode == doc.ToMusic:
		return "Fitted to the music"
	case f.Mode == doc.MusicToPictures:
		return "Made the music as long as the pictures"
	}
	if f.Pace == 0 {
		return "Held the pace"
	}
	return fmt.Sprintf("Set the pace to %g s a picture", f.Pace)
}

var beatNames = map[doc.Beat]string{doc.AnyBeat: "the beat", doc.Downbeat: "bars", doc.HalfBeat: "beats and half beats"}

// Apply implements Op.
func (f Fit) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	d.Fit.Auto = false
	if f.Mode != "" {
		d.Fit.Mode = f.Mode
	}
	if f.Beat != nil && *f.Beat != "" && d.Fit.Strict == 0 {
		d.Fit.Strict = doc.UsualStrict
	}
	set(&d.Fit.Beat, f.Beat)
	set(&d.Fit.Strict, f.Strict)
	set(&d.Fit.Hold, f.Hold)
	set(&d.Fit.OwnPictures, f.Own)
	set(&d.Fit.EvenSongs, f.Even)
	if f.Pace != 0 {
		d.Fit.PaceSeconds = f.Pace
	}
	return d, nil
}

// Restore puts media that were left out back into the film.
type Restore struct{ Media []doc.MediaID }

// Title implements Op.
func (r Restore) Title() string { return "Put back " + wording.Counted(len(r.Media), "file") }

// Apply implements Op.
func (r Restore) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	return Pour(r).Apply(d, with)
}
