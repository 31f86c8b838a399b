package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/theme"
	"nelko/internal/core/wording"
)

// Weight says how much a check matters.
type Weight int

// Stops means that rendering makes no sense yet; Doubt that someone should
// look.
const (
	Doubt Weight = iota
	Stops
)

// Check is one thing the program sees. Field is where it is put right:
// detail:KEY, material, soundtrack, fit or slide:ID. Kind groups like ones; Key
// knows a doubt again after the film was changed, so that it can be marked as
// meant. Both are empty where that makes no sense.
type Check struct {
	Weight Weight
	Text   string
	Field  string
	Kind   string
	Key    string
	Media  doc.MediaID // the picture it is about, if it is about one
}

// EndsApart is the kind of the check that pictures and music do not end together.
const EndsApart = "apart"

// Common practice, no source: stills below 1.5 s are hectic, above 10 s tire.
const (
	hectic = 1.5
	tiring = 10.0
)

// Checks lists what is wrong or doubtful, the gravest and earliest first.
func Checks(d doc.Slideshow, p Plan, t *theme.Theme, lib doc.Library) []Check {
	var out []Check
	add := func(w Weight, field, format string, a ...any) {
		out = append(out, Check{Weight: w, Text: fmt.Sprintf(format, a...), Field: field})
	}
	if missing := t.Missing(d.Details); len(missing) > 0 {
		labels := make([]string, len(missing))
		for i, m := range missing {
			labels[i] = m.Label
		}
		add(Stops, "detail:"+missing[0].Key, "Missing: %s", strings.Join(labels, ", "))
	}
	pictures := 0
	for _, s := range d.Slides {
		pictures += len(s.Media)
	}
	if pictures == 0 {
		add(Stops, "material", "No pictures yet")
	}
	if len(d.Soundtrack.Songs()) == 0 {
		add(Stops, "soundtrack", "No music yet")
	}
	if p.FitError != nil && !errors.Is(p.FitError, ErrNoMusic) {
		add(Stops, "fit", "Cannot fit: %s", p.offBy())
	}
	if left := p.Left(); p.Music > 0 && pictures > 0 && left != 0 && p.FitError == nil {
		c := Check{Weight: Doubt, Field: "fit", Kind: EndsApart}
		if left > 0 {
			c.Text = fmt.Sprintf("Music %s longer than pictures", apart(p.Rate, left))
		} else {
			c.Text = fmt.Sprintf("Pictures %s longer than music", apart(p.Rate, -left))
		}
		out = append(out, c)
	}
	if p.Short {
		add(Doubt, "fit", "Transitions shortened: the slides are too short for them")
	}
	out = append(out, paceChecks(p)...)
	for _, det := range t.Details {
		if n := len([]rune(d.Details[det.Key])); det.Max > 0 && n > det.Max {
			add(Doubt, "detail:"+det.Key, "%s has %d characters; over %d are set small", det.Label, n,
				det.Max)
		}
	}
	if n := leftOut(d, lib); n > 0 {
		add(Doubt, "material", "%s not in the film", wording.Counted(n, "file"))
	}
	slices.SortStableFunc(out, func(a, b Check) int { return int(b.Weight - a.Weight) })
	return out
}

func paceChecks(p Plan) []Check {
	var out []Check
	quick, slow := 0, 0
	for _, s := range p.Slides {
		if s.Kind != doc.Pictures || s.Pinned > 0 {
			continue
		}
		sec := p.Rate.Seconds(s.Length - s.Overlap)
		if sec < hectic {
			quick++
		}
		if sec/max(1, s.Linger) > tiring {
			slow++
		}
	}
	if quick > 0 {
		out = append(out, Check{
			Weight: Doubt,
			Text: fmt.Sprintf("%s shorter than %.1f s: too many pictures for this music",
				wording.Counted(quick, "slide"), hectic),
			Field: "fit",
		})
	}
	if slow > 0 {
		out = append(out, Check{
			Weight: Doubt,
			Text: fmt.Sprintf("%s longer than %.0f s: too few pictures for this music",
				wording.Counted(slow, "slide"), tiring),
			Field: "fit",
		})
	}
	return out
}

// leftOut counts the pictures, clips and songs of the order that the film
// does not show or play.
func leftOut(d doc.Slideshow, lib doc.Library) int {
	used, n := d.Uses(), 0
	for id, m := range lib {
		if m.Kind == doc.SongMedia {
			if !d.Soundtrack.Plays(id) {
				n++
			}
		} else if !used[id] {
			n++
		}
	}
	return n
}

// Finding puts what a scene found on a slide into words: faces cut by the
// framing, pictures enlarged past their own pixels, words too long for their
// box.
func Finding(d doc.Slideshow, lib doc.Library, slide doc.SlideID, kind string, media doc.MediaID,
	words string, by float64) Check {
	c := Check{Weight: Doubt, Field: "slide:" + string(slide)}
	n := d.Index(slide) + 1
	c.Kind, c.Media = kind, media
	if !slices.Contains([]string{"face", "enlarged", "outside", "cropped", "contrast"}, kind) {
		c.Kind = "long"
	}
	c.Key = c.Kind + ":" + string(slide) + ":" + string(media) + words
	switch kind {
	case "face":
		c.Text = fmt.Sprintf("Slide %d: no framing keeps the faces of %s whole", n, lib[media].Name)
	case "enlarged":
		c.Text = fmt.Sprintf("Slide %d: %s is shown %.1f times its own size and will look soft", n,
			lib[media].Name, by)
	case "cropped":
		c.Text = fmt.Sprintf("Slide %d: %.0f %% of %s is cut away; a layout that shows more, or “whole”, "+
			"keeps it", n, by*100, lib[media].Name)
	case "contrast":
		c.Text = fmt.Sprintf("Slide %d: “%s” is hard to read on what is behind it (contrast %.1f : 1); a "+
			"plate or another colour helps", n, wording.Short(words, 32), by)
	case "outside":
		c.Text = fmt.Sprintf("Slide %d: its words reach out of the title-safe area and may be cut off on "+
			"television sets", n)
	default:
		c.Text = fmt.Sprintf("Slide %d: “%s” is too long for its place even in small type", n,
			wording.Short(words, 32))
	}
	return c
}
