package film

import (
	"slices"
	"time"

	"nelko/internal/core/theme"
	"nelko/internal/core/wording"
)

// Day is the day a film is of: its date, where the theme asks for one and it is
// written with its year, else the day the middle one of its pictures was taken on. Zero where
// nothing is known.
func (f *Film) Day() time.Time {
	for _, x := range f.Theme.Details {
		if day, ok := wording.Date(f.details[x.Key]); ok && (x.Type == theme.OfDate || x.Key == "date") {
			return day
		}
	}
	var taken []time.Time
	for _, s := range f.Doc.Slides {
		for _, id := range s.Media {
			if at := f.Library[id].Captured; !at.IsZero() {
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
