package plan

import (
	"path/filepath"
	"regexp"
	"strings"

	"nelko/internal/core/doc"
)

// SuggestedTitle is what a new card says until somebody writes something else.
const SuggestedTitle = "Title"

// What no person writes: parts of programs and names of files.
var (
	machine = regexp.MustCompile(
		`\$\(|\$\{|\{\{|%[0-9A-F]{2}|_|\\|(?i)\.(jpe?g|png|heic|webp|tiff?|gif|mp4|mov|mp3|wav)\b`)
	figures = regexp.MustCompile(`\d{3,}`)
	year    = regexp.MustCompile(`^(1[89]|20)\d\d$`)
)

// unwritten tells why words look as if nobody had written them; empty: they do not.
// names are the files that are shown with them, and known words those of the details, in
// which figures are meant.
func unwritten(text string, names []string, known string) string {
	text = strings.TrimSpace(text)
	if text == "" {
		return ""
	}
	for _, n := range names {
		stem := strings.TrimSuffix(n, filepath.Ext(n))
		if strings.EqualFold(text, n) || strings.EqualFold(text, stem) && (figures.MatchString(stem) ||
			machine.MatchString(stem)) {
			return "the name of a file"
		}
	}
	if m := machine.FindString(text); m != "" {
		return "“" + m + "”"
	}
	for _, f := range figures.FindAllString(text, -1) {
		if !year.MatchString(f) && !strings.Contains(known, f) {
			return "“" + f + "”"
		}
	}
	return ""
}

// wordChecks are the words of a film that a colleague would ask about: those that were
// suggested and left, and those that no person writes.
func wordChecks(d doc.Slideshow, p Plan, lib doc.Library, add func(kind, subject string, i int, format string,
	a ...any)) {
	var known strings.Builder
	for _, v := range d.Details {
		known.WriteString(v + "\n")
	}
	for i, s := range p.Slides {
		if s.Card != nil {
			for _, w := range []string{s.Card.Main, s.Card.Smaller, s.Card.Text} {
				if strings.TrimSpace(w) == SuggestedTitle {
					add("suggested", w, i, "Slide %d says “%s”, as it was suggested", i+1, SuggestedTitle)
				}
				if why := unwritten(w, nil, known.String()); why != "" {
					add("machine", w, i, "Slide %d says “%s”: %s is nothing that a person writes", i+1, w,
						why)
				}
			}
		}
		var names []string
		for _, id := range s.Media {
			names = append(names, lib[id].Name)
		}
		said := []string{s.Caption}
		for _, l := range s.Lines {
			said = append(said, l.Text)
		}
		for _, w := range said {
			if why := unwritten(w, names, known.String()); why != "" {
				add("machine", w, i, "Slide %d: its caption is “%s”; %s is nothing that a person writes", i+1,
					w, why)
			}
		}
	}
}

// limitChecks are the pictures that are seen shorter or longer than the film's limits, by
// the pace or by hand.
func limitChecks(d doc.Slideshow, p Plan, add func(kind, subject string, i int, format string, a ...any)) {
	const near = 0.05 // seconds, for lengths in whole frames
	for i, s := range p.Slides {
		if s.Kind != doc.Pictures || s.Pinned > 0 && (p.Rate.Seconds(s.Length) < hectic ||
			p.Rate.Seconds(s.Length) > tiring) {
			continue // what is said of such by hand is enough
		}
		switch seen := p.Rate.Seconds(p.Seen(i)); {
		case d.Fit.Shortest > 0 && seen < d.Fit.Shortest-near:
			add("limits", "", i, "Slide %d is wholly seen for %.1f s; the film’s shortest is %g s", i+1, seen,
				d.Fit.Shortest)
		case d.Fit.Longest > 0 && seen > d.Fit.Longest+near && s.Linger <= 1:
			add("limits", "", i, "Slide %d is wholly seen for %.1f s; the film’s longest is %g s", i+1, seen,
				d.Fit.Longest)
		}
	}
}
