package remedy

import (
	"fmt"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
)

// Take is the edit of taking a remedy.
type Take struct{ What string }

// titles are what taking a remedy is called in the history.
var titles = map[string]string{
	LeaveOut: "Left out pictures, so that the film fits",
	Pairs:    "Put pictures two on a slide, so that the film fits",
	Shorter:  "Let pictures be shorter, so that the film fits",
	TrimClip: "Shortened a clip, so that the film fits",
	Longer:   "Let pictures be longer, so that the film fits",
	HoldPace: "Held the pace, as the music is longer",
	Unpin:    "Unpinned slides, so that the film fits",
}

// Title implements edit.Op.
func (t Take) Title() string { return titles[t.What] }

// Apply implements edit.Op.
func (t Take) Apply(d doc.Slideshow, with edit.Context) (doc.Slideshow, error) {
	for _, r := range For(d, with) {
		if r.What == t.What && r.Op != nil {
			return edit.Do(d, r.Op, with)
		}
	}
	return d, fmt.Errorf("%q does not make this film fit, or is not for the program to do: %w", t.What,
		edit.ErrInvalid)
}
