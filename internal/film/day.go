package film

import (
	"slices"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/theme"
	"nelko/internal/core/wording"
)

// dayOf is the day a film is of: its date, where the theme asks for one and it is
// written with its year, else the day the middle one of its pictures was taken on. Zero where
// nothing is known.
func dayOf(d doc.Slideshow, t *theme.Theme, lib doc.Library) time.Time {
	for _, x := range t.Details {
		if day, ok := wording.Date(d.Details[x.Key]); ok && (x.Type == theme.OfDate || x.Key == "date") {
			return day
		}
	}
	var taken []time.Time
	for _, s := range d.Slides {
		for _, id := range s.Media {
			if at := lib[id].Captured; !at.IsZero() {
				taken = append(taken, at)
			}
		}
	}
	if len(taken) == 0 {
		return time.Time{}
	}
	slices.SortFunc(taken, time.Time.Compare)
	return taken[len(taken)/2]
}
