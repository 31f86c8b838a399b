package edit

import (
	"fmt"
	"maps"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/follow"
	"nelko/internal/core/wording"
)

// follower is an edit by which a row comes to be as its pattern has it, so
// that nothing it changes is the row's own.
type follower interface{ follows() }

// Follow makes a row as its pattern has it, but for its own parts.
type Follow struct{ Pattern doc.Slideshow }

// Title implements Op.
func (Follow) Title() string { return "Followed the pattern" }

func (Follow) follows() {}

// Apply implements Op.
func (f Follow) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	return follow.Follow(f.Pattern, d), nil
}

// AsPattern gives parts of a row back to its pattern.
type AsPattern struct {
	Pattern doc.Slideshow
	Parts   []string
}

// Title implements Op.
func (a AsPattern) Title() string {
	return "Took " + wording.Counted(len(a.Parts), "part") + " as the pattern has it"
}

func (AsPattern) follows() {}

// Apply implements Op.
func (a AsPattern) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	if d.Follows == nil {
		return d, fmt.Errorf("this film follows no pattern: %w", ErrInvalid)
	}
	d.Follows.Own = slices.DeleteFunc(d.Follows.Own, func(p string) bool {
		return slices.Contains(a.Parts, p)
	})
	return follow.Follow(a.Pattern, d), nil
}

// SeeAs fills a pattern with the own slides and details of one of its rows, to
// look at.
type SeeAs struct {
	Row     doc.Slideshow // with its details
	Called  string
	Details []string // keys that the rows fill themselves
}

// Title implements Op.
func (s SeeAs) Title() string { return "Seen as " + s.Called }

// Apply implements Op.
func (s SeeAs) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	if d.Pattern == nil {
		return d, fmt.Errorf("this film is no pattern: %w", ErrInvalid)
	}
	d.Pattern.ByRow = slices.Sorted(slices.Values(s.Details))
	for _, k := range s.Details {
		delete(d.Details, k)
		if v := s.Row.Details[k]; v != "" {
			d.Details[k] = v
		}
	}
	d.Slides, d.Shots = follow.Stand(d, s.Row), maps.Clone(d.Shots)
	if d.Shots == nil {
		d.Shots = map[doc.MediaID]doc.Shot{}
	}
	for id, shot := range s.Row.Shots {
		if _, set := d.Shots[id]; !set {
			d.Shots[id] = shot
		}
	}
	return d, nil
}

// Leave names the details that a pattern leaves to its rows.
type Leave struct{ Details []string }

// Title implements Op.
func (l Leave) Title() string {
	return "Left " + wording.Counted(len(l.Details), "detail") + " to the rows"
}

// Apply implements Op.
func (l Leave) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	if d.Pattern == nil {
		return d, fmt.Errorf("this film is no pattern: %w", ErrInvalid)
	}
	d.Pattern.ByRow = slices.Sorted(slices.Values(l.Details))
	return d, nil
}

// NewPattern makes a slideshow a pattern, with an opening and a closing.
type NewPattern struct{ Details []string }

// Title implements Op.
func (NewPattern) Title() string { return "Began the pattern" }

// Apply implements Op.
func (n NewPattern) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	ensureCards(&d)
	d.Pattern = &doc.Pattern{ByRow: n.Details}
	d.Fit.Mode = doc.ToMusic
	return d, nil
}
