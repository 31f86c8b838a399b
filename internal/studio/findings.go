package studio

import (
	"fmt"
	"sync"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/scene"
	"nelko/internal/media/pango"
)

// maxFindings is how many findings are told of; the rest are counted.
const maxFindings = 3

// findings remembers what was found, since pages ask again and again for the
// same revision and laying a film out takes a while.
type findings struct {
	mu    sync.Mutex
	known map[string][]plan.Check
}

// rememberFindings is how many revisions are remembered.
const rememberFindings = 200

// wordsBox is the box around a slide's words were the document the order's,
// in fractions of the frame.
func (w *Work) wordsBox(d doc.Slideshow, id doc.SlideID) framing.Rect {
	sc := scene.Build(d, w.Theme, plan.Build(d, w.Theme, w.Library), w.Library, pango.Words, scene.Options{})
	for _, s := range sc.Slides {
		if s.ID == id {
			return s.Words
		}
	}
	return framing.Rect{}
}

// Findings are what the film's frames show that someone should look at:
// faces cut, pictures enlarged, words too long or outside the safe area.
func (s *Studio) Findings(w *Work) []plan.Check {
	if w.Plan.Pictures < 1 {
		return nil
	}
	name := fmt.Sprintf("%d.%d.%d", w.Slideshow.ID, w.Slideshow.Head, len(w.Library))
	s.found.mu.Lock()
	known, ok := s.found.known[name]
	s.found.mu.Unlock()
	if ok {
		return known
	}
	var out []plan.Check
	found := scene.Build(w.Doc, w.Theme, w.Plan, w.Library, pango.Words, scene.Options{}).Findings
	for i, f := range found {
		if i == maxFindings {
			out = append(out, plan.Check{Weight: plan.Doubt, Text: fmt.Sprintf("and %d more to look at", len(found)-i), Field: "slide:" + string(f.Slide)})
			break
		}
		out = append(out, plan.Finding(w.Doc, w.Library, f.Slide, string(f.Kind), f.Media, f.Words, f.By))
	}
	s.found.mu.Lock()
	defer s.found.mu.Unlock()
	if s.found.known == nil || len(s.found.known) >= rememberFindings {
		s.found.known = map[string][]plan.Check{}
	}
	s.found.known[name] = out
	return out
}
