// Package remedy finds what makes a film fit its music that does not: each remedy
// with what would come of it, so that whoever decides knows. Nothing is left out,
// shown again or cut by itself.
package remedy

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"math/bits"
	"slices"
	"sort"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/fit"
	"nelko/internal/core/focus"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
)

// What a remedy does.
const (
	LeaveOut  = "leave out pictures"
	Pairs     = "two pictures a slide"
	MoreMusic = "more music"
	Shorter   = "shorter pictures"
	TrimClip  = "shorten a clip"
	Longer    = "longer pictures"
	MorePics  = "more pictures"
	LessMusic = "less music"
	HoldPace  = "hold the pace"
	Unpin     = "unpin slides"
)

// Remedy is one way to make a film fit.
type Remedy struct {
	What  string `json:"what"`
	Count int    `json:"how_many"` // of pictures, slides or songs it is about
	// a picture then, on average: from its own beginning to that of the next
	Seconds float64 `json:"seconds_a_picture"`
	Amount  float64 `json:"seconds,omitempty"` // of music to be added or taken away, or of a clip left
	Text    string  `json:"text"`
	Op      edit.Op `json:"-"` // nil: it is not for the program to do
}

// For finds the remedies of a film that cannot be fitted to its music, the gentlest
// first; none where it can. Where nobody chose how it is fitted, they are those of a
// fit to the music, and taking one chooses that.
func For(d doc.Slideshow, with edit.Context) []Remedy {
	if wanted, ok := edit.Wanted(d); ok {
		out := For(wanted, with)
		for i, r := range out {
			if r.Op != nil {
				out[i].Op = edit.Several{
					Called: r.Op.Title(),
					Ops:    []edit.Op{edit.Fit{Mode: doc.ToMusic}, r.Op},
				}
			}
		}
		return out
	}
	if d.Fit.Mode != doc.ToMusic {
		return nil
	}
	f := finder{d: d, with: with, now: plan.Build(d, with.Theme, with.Library)}
	var e *fit.Error
	if !errors.As(f.now.FitError, &e) {
		return nil
	}
	if e.Reach > e.Target || e.Free == 0 {
		f.tooMuch(e)
	} else {
		f.tooLittle(e)
	}
	return f.out
}

type finder struct {
	d    doc.Slideshow
	with edit.Context
	now  plan.Plan
	out  []Remedy
	over bool // what was tried last was still too much
}

// fits reports whether the film would fit with an edit, and how long a picture is
// wholly seen then.
func (f *finder) fits(op edit.Op) (seconds float64, ok bool) {
	n, err := edit.Do(f.d, op, f.with)
	if err != nil {
		f.over = true
		return 0, false
	}
	p := plan.Build(n, f.with.Theme, f.with.Library)
	if p.FitError != nil {
		var e *fit.Error
		if f.over = !errors.As(p.FitError, &e) || e.Reach > e.Target; e != nil && e.Free == 0 {
			f.over = false
		}
		return 0, false
	}
	count := 0
	for _, s := range p.Slides {
		if s.Kind == doc.Pictures && s.Pinned == 0 {
			seconds, count = seconds+p.Rate.Seconds(s.Each()), count+1
		}
	}
	return seconds / float64(max(1, count)), true
}

// each is a picture's seconds, from its own beginning to that of the next, when it is
// wholly seen for so many.
func (f *finder) each(seen float64) float64 {
	joins, slides := 0.0, 0
	for _, s := range f.now.Slides {
		if s.Kind == doc.Pictures && s.Pinned == 0 {
			joins, slides = joins+f.now.Rate.Seconds(s.Overlap), slides+1
		}
	}
	return math.Round(100*(seen+joins/float64(max(1, slides)))) / 100
}

// add adds a remedy by an edit, if it is one.
func (f *finder) add(r Remedy) {
	seconds, ok := f.fits(r.Op)
	if !ok {
		return
	}
	r.Seconds = math.Round(seconds*100) / 100
	f.out = append(f.out, r)
}

// first is the smallest n from 1 to most for which ok holds, or 0; where it holds,
// it holds for all that are larger.
func first(most int, ok func(n int) bool) int {
	if n := 1 + sort.Search(most, func(i int) bool { return ok(i + 1) }); n <= most {
		return n
	}
	return 0
}

// least is the smallest n from 1 to most with which a film is no longer too much
// for its music by op(n), or 0.
func (f *finder) least(most int, op func(n int) edit.Op) int {
	return first(most, func(n int) bool {
		_, ok := f.fits(op(n))
		return ok || !f.over
	})
}

// hardlySeen is how long a picture must be seen, in seconds, to be more than a flicker
// (common practice, no source).
const hardlySeen = 1.0

// tooMuch finds what helps against too many pictures.
func (f *finder) tooMuch(e *fit.Error) {
	if pinned := f.pinned(); len(pinned) > 0 {
		f.add(Remedy{
			What:  Unpin,
			Count: len(pinned),
			Text: fmt.Sprintf("let %s follow the music too, instead of a set length",
				wording.Counted(len(pinned), "pinned slide")),
			Op: edit.Time{Slides: pinned, Unpin: true},
		})
	}
	if f.d.Fit.Shortest > 0 {
		// In tenths of a second, as long as may be.
		tenths := int(math.Ceil(f.d.Fit.Shortest * 10))
		to := func(n int) float64 { return float64(tenths-n) / 10 }
		n := first(tenths-1, func(n int) bool {
			s := to(n)
			_, ok := f.fits(edit.Limits{Shortest: &s})
			return ok
		})
		if s := to(n); n > 0 {
			shorter := Remedy{
				What:  Shorter,
				Count: e.Free,
				Text:  fmt.Sprintf("let pictures go down to %g s", s),
				Op:    edit.Limits{Shortest: &s},
			}
			if s < hardlySeen {
				shorter.Text += ", hardly seen"
				defer f.add(shorter) // the last resort
			} else {
				f.add(shorter)
			}
		}
	}
	pairs := f.pairs()
	of := func(n int) edit.Op {
		s := edit.Several{Called: fmt.Sprintf("Put %s on slides of two", wording.Counted(2*n, "picture"))}
		for _, p := range pairs[:n] {
			s.Ops = append(s.Ops, edit.Group{Slides: p})
		}
		return s
	}
	if n := f.least(len(pairs), of); n > 0 {
		f.add(Remedy{
			What:  Pairs,
			Count: 2 * n,
			Text:  fmt.Sprintf("put %d in two-picture layouts", 2*n),
			Op:    of(n),
		})
	}
	spare := f.dispensable()
	leave := func(n int) edit.Op { return edit.LeaveOut{Media: spare[:n]} }
	if n := f.least(len(spare), leave); n > 0 {
		f.add(Remedy{
			What:  LeaveOut,
			Count: n,
			Text:  fmt.Sprintf("leave out %d: look-alikes and blurred ones first", n),
			Op:    leave(n),
		})
	}
	f.clips(e)
	if missing := f.now.Rate.Seconds(e.Reach - e.Target); missing > 0 {
		f.out = append(f.out, Remedy{
			What:    MoreMusic,
			Count:   1,
			Amount:  math.Ceil(missing*10) / 10,
			Seconds: f.each(f.d.Fit.Shortest),
			Text: fmt.Sprintf("add a song of %s (%d frames) or more",
				timecode.Clock(math.Ceil(missing*10)/10), e.Reach-e.Target),
		})
	}
}

// tooLittle finds what helps against too few pictures.
func (f *finder) tooLittle(e *fit.Error) {
	tenths := int(f.d.Fit.Longest * 10)
	to := func(n int) float64 { return float64(tenths+n) / 10 }
	n := first(doc.MaxPace*10-tenths, func(n int) bool {
		s := to(n)
		_, ok := f.fits(edit.Limits{Longest: &s})
		return ok
	})
	if s := to(n); n > 0 {
		f.add(Remedy{
			What:  Longer,
			Count: e.Free,
			Text:  fmt.Sprintf("let pictures stay up to %g s", s),
			Op:    edit.Limits{Longest: &s},
		})
	}
	f.add(Remedy{
		What:  HoldPace,
		Count: e.Free,
		Text: fmt.Sprintf("hold %g s a picture and let the music fade at the end of the pictures",
			f.d.Fit.PaceSeconds),
		Op: edit.Fit{Mode: doc.AtPace},
	})
	over := f.now.Rate.Seconds(e.Target - e.Reach)
	f.out = append(f.out, Remedy{
		What:    LessMusic,
		Count:   1,
		Amount:  math.Ceil(over*10) / 10,
		Seconds: f.each(f.d.Fit.Longest),
		Text: fmt.Sprintf("take a song that is %s (%d frames) shorter",
			timecode.Clock(math.Ceil(over*10)/10), e.Target-e.Reach),
	})
	if f.d.Fit.Longest > 0 {
		n := int(math.Ceil(over / f.d.Fit.Longest))
		f.out = append(f.out, Remedy{
			What:    MorePics,
			Count:   n,
			Seconds: f.each(f.d.Fit.Longest),
			Text: fmt.Sprintf("bring in %s more, or fewer that are seen shorter",
				wording.Counted(n, "picture")),
		})
	}
}

// pinned are the slides of set length that need not have it.
func (f *finder) pinned() (out []doc.SlideID) {
	for _, s := range f.d.Slides {
		if s.Pinned > 0 && s.Kind != doc.Clip {
			out = append(out, s.ID)
		}
	}
	return out
}

// pairs are neighbouring slides of one photo each, of the same shape first, that
// nobody set a length or words for.
func (f *finder) pairs() (out [][]doc.SlideID) {
	single := func(s doc.Slide) bool {
		return s.Kind == doc.Pictures && len(s.Media) == 1 && s.Pinned == 0 && s.Caption == "" &&
			len(s.Lines) == 0 && s.Layout == "" && !s.Common() && !s.Row
	}
	shape := func(s doc.Slide) bool { return f.d.Aspect(f.with.Library[s.Media[0]]) < 1 }
	used := map[doc.SlideID]bool{}
	for _, same := range []bool{true, false} {
		for i := 0; i+1 < len(f.d.Slides); i++ {
			a, b := f.d.Slides[i], f.d.Slides[i+1]
			if used[a.ID] || used[b.ID] || !single(a) || !single(b) || same && shape(a) != shape(b) {
				continue
			}
			used[a.ID], used[b.ID] = true, true
			out = append(out, []doc.SlideID{a.ID, b.ID})
		}
	}
	return out
}

// dispensable are the film's photos in the order in which they are best done
// without: the less sharp of look-alikes, blurred ones, then evenly from all over
// the film. What was set by hand stays.
func (f *finder) dispensable() []doc.MediaID {
	type photo struct {
		id     doc.MediaID
		at     int
		reason int // 0 is the first to go
	}
	var all []photo
	for _, s := range f.d.Slides {
		if s.Kind != doc.Pictures || s.Pinned > 0 || s.Caption != "" || s.Common() || s.Row {
			continue
		}
		for _, id := range s.Media {
			m := f.with.Library[id]
			p := photo{id: id, at: len(all), reason: 2}
			if m.Sharp > 0 && m.Sharp < focus.Blurred {
				p.reason = 1
			}
			if k := len(all) - 1; k >= 0 && m.Print != 0 {
				if before := f.with.Library[all[k].id]; before.Print != 0 &&
					bits.OnesCount64(before.Print^m.Print) <= 8 {
					if before.Sharp < m.Sharp {
						all[k].reason = 0
					} else {
						p.reason = 0
					}
				}
			}
			all = append(all, p)
		}
	}
	order := spread(len(all))
	slices.SortStableFunc(all, func(a, b photo) int {
		return cmp.Or(cmp.Compare(a.reason, b.reason), cmp.Compare(order[a.at], order[b.at]))
	})
	out := make([]doc.MediaID, 0, len(all))
	for _, p := range all[:max(0, len(all)-1)] { // one stays
		out = append(out, p.id)
	}
	return out
}

// spread ranks n places so that the first few lie evenly among all: by the bits of
// their numbers read backwards.
func spread(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = int(bits.Reverse32(uint32(i)))
	}
	return out
}

// clips names a clip that is longer than what is left for it, with the trim that
// makes it fit.
func (f *finder) clips(e *fit.Error) {
	over := f.now.Rate.Seconds(e.Reach - e.Target)
	for _, s := range f.d.Slides {
		if s.Kind != doc.Clip || s.Trim != nil {
			continue
		}
		m := f.with.Library[s.Media[0]]
		begin, length := f.d.Cut(s, m)
		from, left := float64(begin)/timecode.SampleRate, float64(length)/timecode.SampleRate-over-0.1
		if left < 1 {
			continue
		}
		t := doc.Trim{From: from, To: math.Floor((from+left)*10) / 10}
		f.add(Remedy{
			What:   TrimClip,
			Count:  1,
			Amount: t.To - t.From,
			Text:   fmt.Sprintf("shorten %s to %.1f s", m.Name, t.To-t.From),
			Op:     edit.Shots{Media: s.Media, Trim: &t, Called: "Trimmed"},
		})
	}
}
