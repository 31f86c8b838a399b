package edit_test

import (
	"errors"
	"fmt"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
)

// An edit makes another document and leaves the one it was given, so that the
// two can be kept as revisions and gone back and forth between.
func ExampleDo() {
	before := doc.New("tideline", 7)
	before.Slides = append(before.Slides, doc.Slide{
		ID:     "s2",
		Kind:   doc.Card,
		Linger: 1,
		Card:   &doc.Words{Kind: "title", Main: "The race"},
	})
	op := edit.Time{Slides: []doc.SlideID{"s2"}, Pin: 4.5}
	after, err := edit.Do(before, op, edit.Context{})
	fmt.Printf("%s: %g, then %g, %v\n", op.Title(), before.Slides[0].Pinned, after.Slides[0].Pinned, err)

	_, err = edit.Do(after, edit.Remove{Slides: []doc.SlideID{"s9"}}, edit.Context{})
	fmt.Println(errors.Is(err, edit.ErrGone))
	// Output:
	// Pinned 1 slide at 4.5 s: 0, then 4.5, <nil>
	// true
}
