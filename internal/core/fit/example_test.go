package fit_test

import (
	"fmt"

	"nelko/internal/core/fit"
)

// Ten seconds of music at 30 frames a second: an opening of three seconds and
// three photos, one of which lingers, dissolving over half a second.
func ExampleSolve() {
	slides := []fit.Slide{{Fixed: 90}, {Linger: 1}, {Linger: 2}, {Linger: 1}}
	s, err := fit.Solve(slides, fit.Even(4, 15), 300)
	fmt.Println(s.Lengths, s.Starts(), s.Total(), err)

	_, err = fit.Solve(slides, fit.Even(4, 15), 60)
	fmt.Println(err)
	// Output:
	// [90 64 127 64] [0 75 124 236] 300 <nil>
	// slides of set length and 3 others need at least 93 frames, the music has 60: 33 too few
}
