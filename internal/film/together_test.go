package film

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/timecode"
)

// Short stretches are put together: the film stays whole, nothing is longer than may be, and
// nothing is too short for an encoder but a film that is.
func TestShortStretchesArePutTogether(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 5))
	for range 3000 {
		most := timecode.Frames(15 + rng.IntN(200))
		var in []Segment
		at := timecode.Frames(0)
		for range 1 + rng.IntN(20) {
			n := 1 + timecode.Frames(rng.IntN(int(most)))
			if rng.IntN(2) == 0 {
				n = 1 + timecode.Frames(rng.IntN(5))
			}
			in = append(in, Segment{From: at, To: at + n})
			at += n
		}
		out := together(in, most)
		least, next := min(shortest, most/2), timecode.Frames(0)
		for _, s := range out {
			assert.Equal(t, next, s.From, "%v of %v", out, in)
			assert.LessOrEqual(t, s.Frames(), most, "%v of %v, at most %d", out, in, most)
			if len(out) > 1 {
				assert.GreaterOrEqual(t, s.Frames(), least, "%v of %v, at most %d", out, in, most)
			}
			next = s.To
		}
		assert.Equal(t, at, next)
		if t.Failed() {
			return
		}
	}
}
