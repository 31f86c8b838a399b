package plan

import (
	"math"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
)

// Cue is words at a time of the film.
type Cue struct {
	From, To timecode.Frames // To is the frame after the last
	Text     string
}

// Said is what captions a slide.
type Said struct {
	Caption string
	Lines   []doc.Line // with times of their own, instead
}

// wholeSlide is the share of a slide that a cue must stand for to be its
// caption rather than a line with times.
const wholeSlide = 0.75

// Place gives words to the slides that are seen while they stand: each cue to
// the slide it shares most time with, and to any other that it covers more than
// half of. Slides without a cue have no entry. lost is how many cues stand
// where there is no slide.
func (p Plan) Place(cues []Cue, rate timecode.Rate) (said map[doc.SlideID]Said, lost int) {
	said = map[doc.SlideID]Said{}
	type stands struct{ from, to timecode.Frames }
	seen := make([]stands, len(p.Slides)) // half of each join is each slide's
	for i, s := range p.Slides {
		seen[i] = stands{s.Start, s.End() - s.Overlap/2}
		if i > 0 {
			seen[i].from += p.Slides[i-1].Overlap / 2
		}
	}
	of := make([][]Cue, len(p.Slides))
	for _, c := range cues {
		best, most := -1, timecode.Frames(0)
		for i, s := range seen {
			common := min(c.To, s.to) - max(c.From, s.from)
			if common > most {
				best, most = i, common
			}
		}
		if best < 0 {
			lost++
			continue
		}
		for i, s := range seen {
			if common := min(c.To, s.to) - max(c.From, s.from); i == best || common*2 > s.to-s.from {
				of[i] = append(of[i], c)
			}
		}
	}
	for i, list := range of {
		s := p.Slides[i]
		switch {
		case len(list) == 0:
		case len(list) == 1 && float64(min(list[0].To, seen[i].to)-max(list[0].From,
			seen[i].from)) >= wholeSlide*float64(seen[i].to-seen[i].from):
			said[s.ID] = Said{Caption: list[0].Text}
		default:
			var lines []doc.Line
			for _, c := range list {
				// Times are kept to the hundredth, as people read them.
				at := func(n timecode.Frames) float64 { return math.Round(rate.Seconds(n-s.Start)*100) / 100 }
				l := doc.Line{From: max(0, at(c.From)), To: at(c.To), Text: c.Text}
				if c.To >= seen[i].to {
					l.To = 0
				}
				lines = append(lines, l)
			}
			said[s.ID] = Said{Lines: lines}
		}
	}
	return said, lost
}
