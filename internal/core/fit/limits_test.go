package fit

import (
	"errors"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Worked by hand: four pictures share 400 frames by lingers 1, 1, 2 and 4. The
// last may be seen for 120 at most, which leaves 280 for 1, 1 and 2: 70, 70, 140,
// of which the third may have 100; the first two share what is left then.
func TestClampedSlidesHandOnTheirShare(t *testing.T) {
	slides := []Slide{{Linger: 1}, {Linger: 1}, {Linger: 2, Most: 100}, {Linger: 4, Most: 120}}
	s, err := Solve(slides, Even(4, 0), 400)
	require.NoError(t, err)
	assert.Equal(t, []Frames{90, 90, 100, 120}, s.Lengths)
	slides[1].Most = 60
	s, err = Solve(slides, Even(4, 0), 400)
	require.NoError(t, err)
	assert.Equal(t, []Frames{120, 60, 100, 120}, s.Lengths)
	slides[0] = Slide{Linger: 1, Most: 100}
	_, err = Solve(slides, Even(4, 0), 400)
	var e *Error
	require.True(t, errors.As(err, &e))
	assert.Equal(t, Frames(380), e.Reach)
	assert.Equal(t, "4 slides last at most 380 frames, the music has 400: 20 too many", e.Error())
}

// What is wholly seen lies between the joins: a still of 5 s with joins of 1 s is
// seen for 3 s by itself, and a new one comes every 4 s (common practice, no
// source).
func TestLimitsCountWhatIsWhollySeen(t *testing.T) {
	slides := stills(11)
	for i := range slides {
		slides[i].Least, slides[i].Most = 90, 90
	}
	// Ten joins of 30 frames and eleven pictures of 90 by themselves.
	s, err := Solve(slides, Even(11, 30), 11*90+10*30)
	require.NoError(t, err)
	assert.Equal(t, Frames(150), s.Lengths[5])
	assert.Equal(t, Frames(120), s.Starts()[5]-s.Starts()[4])
	_, err = Solve(slides, Even(11, 30), 11*90+10*30+1)
	assert.ErrorContains(t, err, "1 too many")
	s, err = Solve(slides, Even(11, 30), 11*90)
	require.NoError(t, err, "joins are made shorter before pictures are")
	assert.True(t, s.Shortened)
	_, err = Solve(slides, Even(11, 30), 11*90-1)
	assert.ErrorContains(t, err, "1 too few")
}

// Within limits a solution adds up exactly, holds every limit, leaves what is
// fixed, gives more to whom is to linger more, and no slide is a frame from its
// share; where there is none, none can be.
func TestLimitsHold(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 300).Draw(t, "slides")
		slides, overlaps := stills(n), Even(n, 0)
		for i := range slides {
			slides[i].Linger = rapid.SampledFrom([]float64{1, 1, 0.5, 2, 3.7, 20, 0.1}).Draw(t, "linger")
			if rapid.IntRange(0, 9).Draw(t, "pin") == 0 {
				slides[i].Fixed = Frames(rapid.IntRange(100, 400).Draw(t, "fixed"))
			}
			slides[i].Least = Frames(rapid.IntRange(0, 60).Draw(t, "least"))
			slides[i].Most = slides[i].Least + Frames(rapid.IntRange(1, 300).Draw(t, "most"))
			if i < n-1 {
				overlaps[i] = Frames(rapid.IntRange(0, 40).Draw(t, "overlap"))
			}
		}
		least, most := Frames(0), Frames(0) // with joins of no length, and with all of them
		for i, s := range slides {
			lap := Frames(0)
			if i < n-1 {
				lap = overlaps[i]
			}
			if s.Fixed > 0 {
				least, most = least+s.Fixed, most+s.Fixed-lap
				continue
			}
			both := lap
			if i > 0 {
				both += overlaps[i-1]
			}
			least, most = least+max(1, s.Least), most+s.Most+both-lap
		}
		target := Frames(rapid.IntRange(1, int(most)+500).Draw(t, "target"))
		s, err := Solve(slides, overlaps, target)
		var e *Error
		if errors.As(err, &e) {
			assert.True(t, target < least || target > most || e.Free == 0, "%d lies between %d and %d: %v",
				target, least, most, err)
			return
		}
		require.NoError(t, err)
		assert.Equal(t, target, s.Total())
		level, known := 0.0, false
		for i, l := range s.Lengths {
			if slides[i].Fixed > 0 {
				assert.Equal(t, slides[i].Fixed, l)
				continue
			}
			seen := l
			if i > 0 {
				seen -= s.Overlaps[i-1]
			}
			if i < n-1 {
				seen -= s.Overlaps[i]
			}
			assert.GreaterOrEqual(t, seen, max(1, slides[i].Least))
			assert.LessOrEqual(t, seen, max(slides[i].Least, slides[i].Most))
			if seen > max(1, slides[i].Least)+1 && seen < slides[i].Most-1 {
				// All that are free have the same length for their linger, to a frame.
				mine := float64(l) / slides[i].Linger
				if known {
					assert.Less(t, math.Abs(mine-level)*math.Min(1, slides[i].Linger), 2.1+level*0.02,
						"slide %d", i)
				} else if slides[i].Linger >= 1 {
					level, known = mine, true
				}
			}
		}
	})
}
