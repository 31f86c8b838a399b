package plan

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"nelko/internal/core/cast"
	"nelko/internal/core/doc"
	"nelko/internal/core/theme"
	"nelko/internal/core/wording"
)

// longJoin is the share of a slide above which a transition leaves too little
// of it standing (common practice, no source).
const longJoin = 0.5

// Closer is what a second, closer look at the slides sees: pictures shown
// twice or beside their look-alikes, slides and transitions whose lengths are
// out of proportion, clips that are silent, names spelled otherwise than in the
// details. Everything is a doubt.
func Closer(d doc.Slideshow, p Plan, t *theme.Theme, lib doc.Library) []Check {
	var out []Check
	add := func(kind, subject string, i int, format string, a ...any) {
		id := string(p.Slides[i].ID)
		out = append(out, Check{
			Weight: Doubt,
			Text:   fmt.Sprintf(format, a...),
			Field:  "slide:" + id,
			Kind:   kind,
			Key:    kind + ":" + id + ":" + subject,
		})
	}
	shown := map[doc.MediaID][]int{}
	for i, s := range p.Slides {
		for _, m := range s.Media {
			shown[m] = append(shown[m], i)
		}
	}
	for i, s := range p.Slides {
		for _, m := range s.Media {
			if on := shown[m]; len(on) > 1 && on[0] == i {
				numbers := make([]string, len(on))
				for k, n := range on {
					numbers[k] = fmt.Sprint(n + 1)
				}
				add("twice", string(m), i, "%s is shown on slides %s", lib[m].Name,
					strings.Join(numbers, ", "))
			}
			if why := lib[m].Faulty; why != "" {
				add("faulty", string(m), i, "Slide %d: the clip %s is damaged; look at all of it (%s)", i+1,
					lib[m].Name, why)
			}
			if Heard(lib[m]) && d.Shot(m).Sound == 0 {
				add("silent", string(m), i, "Slide %d: the clip %s has sound of its own, which is off", i+1,
					lib[m].Name)
			}
		}
		if i+1 < len(p.Slides) {
			next := p.Slides[i+1]
			if slices.ContainsFunc(s.Media, func(a doc.MediaID) bool {
				return slices.ContainsFunc(next.Media, func(b doc.MediaID) bool {
					return a != b && cast.Alike(lib[a], lib[b])
				})
			}) {
				add("alike", string(next.ID), i, "Slides %d and %d show look-alikes one after the other", i+1,
					i+2)
			}
			if wants := s.Into.Seconds; s.Into.Kind != "cut" &&
				wants > longJoin*p.Rate.Seconds(min(s.Length, next.Length)) {
				add("join", "", i, "The transition after slide %d is to last %g s, longer than half of a "+
					"slide beside it", i+1, wants)
			}
		}
		if s.Pinned > 0 && s.Kind == doc.Pictures {
			switch sec := p.Rate.Seconds(s.Length); {
			case sec < hectic:
				add("length", "", i, "Slide %d is pinned at %.1f s: hardly seen", i+1, sec)
			case sec > tiring:
				add("length", "", i, "Slide %d is pinned at %.1f s: long for one picture", i+1, sec)
			}
		}
	}
	wordChecks(d, p, lib, add)
	limitChecks(d, p, add)
	known := namesIn(d, t)
	for i, s := range p.Slides {
		for _, w := range words(s.Caption) {
			if name := nearly(w, known); name != "" {
				add("name", strings.ToLower(w), i, "Slide %d: its caption says “%s”, the details “%s”", i+1,
					w, name)
			}
		}
	}
	return out
}

// inaudible is the loudness of a clip's sound up to which nothing is heard of it (EBU Tech
// 3341 gates blocks below −70 LUFS; a room where nobody speaks is louder: common practice, no
// source).
const inaudible = -50

// Heard reports whether a clip has sound that somebody would miss. Of a clip whose
// loudness was not measured it is taken for granted.
func Heard(m doc.Media) bool {
	return m.Kind == doc.ClipMedia && m.Sound && (m.LUFS == 0 || m.LUFS > inaudible)
}

// words are the words of a text without what stands around them.
func words(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool {
		return !unicode.IsLetter(r) && r != '\'' && r != '’' && r != '-'
	})
}

// namesIn are the words of the details that are written with a capital.
func namesIn(d doc.Slideshow, t *theme.Theme) []string {
	var out []string
	for _, det := range t.Details {
		for _, w := range words(d.Details[det.Key]) {
			if r := []rune(w); len(r) > 3 && unicode.IsUpper(r[0]) {
				out = append(out, w)
			}
		}
	}
	return out
}

// nearly is the name that a word with a capital is written like but for one or
// two letters, or empty. Short words must differ in one letter only.
func nearly(word string, names []string) string {
	r := []rune(word)
	if len(r) < 4 || !unicode.IsUpper(r[0]) || slices.ContainsFunc(names, func(n string) bool {
		return strings.EqualFold(n, word)
	}) {
		return ""
	}
	for _, n := range names {
		most := 1
		if min(len(r), len([]rune(n))) > 6 {
			most = 2
		}
		if off := apartBy(strings.ToLower(word), strings.ToLower(n)); off <= most && !plural(word, n) {
			return n
		}
	}
	return ""
}

// plural reports that one is the other with an s at its end.
func plural(a, b string) bool {
	return strings.EqualFold(a+"s", b) || strings.EqualFold(a, b+"s") || strings.EqualFold(a+"’s", b) ||
		strings.EqualFold(a, b+"’s")
}

// apartBy counts the letters to change, take out or put in to make one word of
// the other (V. I. Levenshtein, 1966).
func apartBy(a, b string) int {
	x, y := []rune(a), []rune(b)
	row := make([]int, len(y)+1)
	for j := range row {
		row[j] = j
	}
	for i, r := range x {
		before := row[0]
		row[0] = i + 1
		for j, s := range y {
			change := before
			if r != s {
				change++
			}
			before = row[j+1]
			row[j+1] = min(change, row[j]+1, row[j+1]+1)
		}
	}
	return row[len(y)]
}

// Several are checks of one kind, told in one line.
type Several struct {
	Text   string
	Weight Weight
	Checks []Check
}

// together is from how many on checks of one kind are one line.
const together = 3

// Gather puts checks of one kind together, the first of each where it stands.
func Gather(checks []Check) []Several {
	var out []Several
	at := map[string]int{}
	count := map[string]int{}
	for _, c := range checks {
		count[c.Kind]++
	}
	for _, c := range checks {
		if c.Kind == "" || count[c.Kind] < together {
			out = append(out, Several{c.Text, c.Weight, []Check{c}})
			continue
		}
		i, ok := at[c.Kind]
		if !ok {
			i = len(out)
			at[c.Kind] = i
			out = append(out, Several{
				Text:   fmt.Sprintf(many[c.Kind], wording.Counted(count[c.Kind], counted(c.Kind))),
				Weight: c.Weight,
			})
		}
		out[i].Checks = append(out[i].Checks, c)
	}
	return out
}

// many says several checks of a kind in one line.
var many = map[string]string{
	"face":      "%s cut faces by their framing",
	"enlarged":  "%s are shown larger than their own size and will look soft",
	"cropped":   "%s lose more than a third of themselves by the layout",
	"contrast":  "%s have words that are hard to read on what is behind them",
	"outside":   "%s have words that reach out of the title-safe area",
	"long":      "%s have words too long for their place",
	"twice":     "%s are shown more than once",
	"silent":    "%s play without their own sound",
	"faulty":    "%s are damaged; look at all of them",
	"suggested": "%s still say what was suggested",
	"machine":   "%s have words that no person writes",
	"limits":    "%s are seen shorter or longer than the film’s limits",
	"opens":     "%s show the opening’s picture again at once",
	"alike":     "%s are followed by a look-alike",
	"join":      "%s are to last longer than half of a slide beside them",
	"length":    "%s are pinned very short or very long",
	"name":      "%s spell a name otherwise than the details",
	"licence":   "%s need a look at their licence, because the film goes to a public link",
}

// counted is what a kind of check is counted in.
func counted(kind string) string {
	switch kind {
	case "enlarged", "twice", "cropped":
		return "picture"
	case "silent", "faulty":
		return "clip"
	case "join":
		return "transition"
	case "name":
		return "caption"
	case "licence":
		return "song"
	}
	return "slide"
}
