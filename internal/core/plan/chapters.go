package plan

import (
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
)

// Chapter is a place in a film one can go to.
type Chapter struct {
	At    timecode.Frames
	Title string
}

// Chapters are a film's chapters, the first at its first frame and called like
// the film: those that were chosen; where none was, one at each text card. A chapter begins where
// its slide is whole, so that it does
// not begin with the picture before.
func (p Plan) Chapters(film string) []Chapter {
	chosen := false
	for _, s := range p.Slides {
		chosen = chosen || s.Chapter != ""
	}
	out := []Chapter{{0, film}}
	for i, s := range p.Slides {
		title := s.Chapter
		if !chosen && s.Kind == doc.Card && s.Card != nil {
			title = strings.TrimSpace(s.Card.Main)
		}
		if title == "" {
			continue
		}
		at := s.Start
		if i > 0 {
			at += p.Slides[i-1].Overlap
		}
		if last := &out[len(out)-1]; at <= last.At {
			last.Title = title
			continue
		}
		out = append(out, Chapter{at, title})
	}
	return out
}

// Every gives chapters at every n-th picture slide, the first at the first
// frame.
func (p Plan) Every(n int) (out []Chapter) {
	out = []Chapter{{}}
	k := 0
	for i, s := range p.Slides {
		if s.Kind != doc.Pictures && s.Kind != doc.Clip {
			continue
		}
		if k++; k%max(1, n) != 1 && n > 1 || k == 1 {
			continue
		}
		at := s.Start
		if i > 0 {
			at += p.Slides[i-1].Overlap
		}
		if at > out[len(out)-1].At {
			out = append(out, Chapter{At: at})
		}
	}
	return out
}
