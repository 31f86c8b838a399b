package edit

import (
	"fmt"

	"nelko/internal/core/doc"
)

// Limits sets how long a picture is wholly seen at least and at most, in seconds;
// 0 is no limit, and nil leaves a limit as it is.
type Limits struct{ Shortest, Longest *float64 }

// Title implements Op.
func (l Limits) Title() string {
	said := func(v *float64, words string) string {
		if *v == 0 {
			return "Let pictures be seen for any time"
		}
		return fmt.Sprintf("Let pictures be seen for %g s at %s", *v, words)
	}
	switch {
	case l.Shortest != nil && l.Longest != nil && *l.Shortest > 0 && *l.Longest > 0:
		return fmt.Sprintf("Let pictures be seen for %g to %g s", *l.Shortest, *l.Longest)
	case l.Shortest != nil:
		return said(l.Shortest, "least")
	case l.Longest != nil:
		return said(l.Longest, "most")
	}
	return "Left the limits of pictures as they are"
}

// Apply implements Op.
func (l Limits) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	set(&d.Fit.Shortest, l.Shortest)
	set(&d.Fit.Longest, l.Longest)
	return d, nil
}

// AnyTime lets pictures be seen for any time.
func AnyTime() Limits { return Limits{Shortest: new(float64), Longest: new(float64)} }

// Several are edits that are one step: all of them or none.
type Several struct {
	Called string // the step's title
	Ops    []Op
}

// Title implements Op.
func (s Several) Title() string { return s.Called }

// Apply implements Op.
func (s Several) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	var err error
	for _, op := range s.Ops {
		if d, err = op.Apply(d, with); err != nil {
			return d, err
		}
	}
	return d, nil
}
