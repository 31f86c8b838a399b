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

	"nelko/internal/core/doc"
	"nelko/internal/core/follow"
	"nelko/internal/core/framing"
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
		if i := slices.IndexFunc(was, func(it doc.Item) bool {
			return it.Media == id && it.Role == doc.Music
		}); i >= 0 {
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

var beatNames = map[doc.Beat]string{
	doc.AnyBeat:  "the beat",
	doc.Downbeat: "bars",
	doc.HalfBeat: "beats and half beats",
}

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
