package fit

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func every(step, until Frames) (out []Beat) {
	for at := step; at < until; at += step {
		out = append(out, Beat{At: at, Strength: 1})
	}
	return out
}

func free(n int) []Slide {
	s := make([]Slide, n)
	for i := range s {
		s[i].Linger = 1
	}
	return s
}

// Worked by hand: four slides share 400 frames; the beat comes every 30. Evenly
// they would change at 100, 200 and 300; strictly on the beat at 90, 180 and 300, of
// which the last is one already: lengths of 90, 90, 120 and 100 depart by 1/9,
// 1/9, 1/5 and 0.
func TestCutsGoToTheNearestBeats(t *testing.T) {
	s, on, err := OnBeats(free(4), Even(4, 0), 400, Grid{Beats: every(30, 400), Strict: 1})
	require.NoError(t, err)
	assert.Equal(t, 3, on)
	assert.Equal(t, Frames(400), s.Total())
	assert.Equal(t, []Frames{90, 180, 300}, s.Cuts())

	s, on, err = OnBeats(free(4), Even(4, 0), 400, Grid{Beats: every(30, 400)})
	require.NoError(t, err)
	assert.Equal(t, []Frames{100, 200, 300}, s.Cuts(), "free: as without beats")
	assert.Equal(t, 1, on)

	s, on, err = OnBeats(free(4), Even(4, 20), 340, Grid{Beats: every(30, 340), Strict: 1})
	require.NoError(t, err)
	assert.Equal(t, 3, on, "the middles of joins are on the beat")
	assert.Equal(t, Frames(340), s.Total())
	for i, c := range s.Cuts() {
		assert.Zero(t, c%30, i)
		assert.Equal(t, c-10, s.Starts()[i+1])
	}
}

// A clip keeps its length: a cut before it is chosen so that its end is on the beat
// too where that can be, and beats that cannot be reached are left.
func TestClipsKeepTheirLengthOnTheBeat(t *testing.T) {
	slides := free(5)
	slides[2] = Slide{Fixed: 75}
	s, on, err := OnBeats(slides, Even(5, 0), 475, Grid{Beats: every(25, 475), Strict: 1})
	require.NoError(t, err)
	assert.Equal(t, Frames(75), s.Lengths[2])
	assert.Equal(t, 4, on)

	slides[2] = Slide{Fixed: 60}
	s, on, err = OnBeats(slides, Even(5, 0), 460, Grid{Beats: every(25, 460), Strict: 1})
	require.NoError(t, err)
	assert.Equal(t, Frames(60), s.Lengths[2])
	assert.Equal(t, 3, on, "one end of it is off")

	slides[2].Give = 20
	s, on, err = OnBeats(slides, Even(5, 0), 460, Grid{Beats: every(25, 460), Strict: 1})
	require.NoError(t, err)
	assert.Contains(t, []Frames{50, 75}, s.Lengths[2])
	assert.Equal(t, 4, on)
}

// The first cut waits for the first downbeat; a song's passage without beats is cut
// as the lengths would have it.
func TestTheFirstCutWaitsAndPassagesWithoutBeatsAreFree(t *testing.T) {
	beats := every(24, 480)
	slides := append([]Slide{{Fixed: 90}}, free(9)...)
	s, _, err := OnBeats(slides, Even(10, 0), 960, Grid{Beats: beats, Strict: 0.8, Wait: 120})
	require.NoError(t, err)
	assert.Equal(t, Frames(120), s.Cuts()[0])
	assert.Equal(t, Frames(960), s.Total())
	for _, l := range s.Lengths[6:] {
		assert.InDelta(t, 96.7, float64(l), 12)
	}
	s, _, err = OnBeats(free(3), Even(3, 0), 300, Grid{Strict: 1})
	require.NoError(t, err)
	assert.Equal(t, []Frames{100, 200}, s.Cuts())
}

// Whatever slides, limits, joins and beats there are: the film lasts exactly as
// long, limits hold, what is set stays, the film can be fitted on the beat exactly
// when it can without, and stricter is never less on the beat than free.
func TestFitsOnTheBeatHoldWhatFitsHold(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 40).Draw(t, "slides")
		slides, laps := make([]Slide, n), make([]Frames, n-1)
		for i := range slides {
			slides[i] = Slide{
				Linger: rapid.Float64Range(0.5, 3).Draw(t, "linger"),
				Least:  Frames(rapid.IntRange(0, 40).Draw(t, "least")),
			}
			if rapid.Bool().Draw(t, "limited") {
				slides[i].Most = slides[i].Least + Frames(rapid.IntRange(0, 200).Draw(t, "most"))
			}
			if rapid.IntRange(0, 4).Draw(t, "fixed") == 0 {
				slides[i].Fixed = Frames(rapid.IntRange(50, 200).Draw(t, "length"))
			}
		}
		for i := range laps {
			laps[i] = Frames(rapid.IntRange(0, 20).Draw(t, "lap"))
		}
		target := Frames(rapid.IntRange(20, 6000).Draw(t, "target"))
		var beats []Beat
		for at := Frames(0); at < target; {
			at += Frames(rapid.IntRange(5, 60).Draw(t, "gap"))
			beats = append(beats, Beat{At: at, Strength: rapid.Float64Range(0, 1).Draw(t, "strength")})
		}
		plain, err := Solve(slides, laps, target)
		s, on, beatErr := OnBeats(slides, laps, target, Grid{
			Beats:  beats,
			Strict: rapid.Float64Range(0, 1).Draw(t, "strict"),
		})
		if err != nil {
			require.Equal(t, err, beatErr)
			return
		}
		require.NoError(t, beatErr)
		require.Equal(t, target, s.Total())
		require.Equal(t, plain.Overlaps, s.Overlaps)
		for i, sl := range slides {
			seen := s.Lengths[i]
			if i > 0 {
				seen -= s.Overlaps[i-1]
			}
			if i < n-1 {
				seen -= s.Overlaps[i]
			}
			if sl.Fixed > 0 {
				require.Equal(t, sl.Fixed, s.Lengths[i])
				continue
			}
			require.GreaterOrEqual(t, seen, max(1, sl.Least))
			if sl.Most > 0 {
				require.LessOrEqual(t, seen, max(sl.Most, 1))
			}
		}
		require.GreaterOrEqual(t, on, 0)
		// Strictness loses no beat, where all are as clear; but in a passage without
		// beats, a cut that lay by chance on one beside it may go.
		widest := beats[0].At
		for i := range beats {
			beats[i].Strength = 1
			if i > 0 {
				widest = max(widest, beats[i].At-beats[i-1].At)
			}
		}
		_, none, _ := OnBeats(slides, laps, target, Grid{Beats: beats})
		strict, most, _ := OnBeats(slides, laps, target, Grid{Beats: beats, Strict: 1})
		require.Equal(t, target, strict.Total())
		if widest <= 2*usual(beats) {
			require.GreaterOrEqual(t, most, none)
		}
	})
}

// No choice of beats for the cuts costs less than the one found: every one is tried
// on small films.
func TestNoOtherChoiceOfBeatsIsNearer(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(2, 4).Draw(t, "slides")
		slides := free(n)
		for i := range slides {
			slides[i].Linger = rapid.Float64Range(0.5, 2).Draw(t, "linger")
			slides[i].Least = 5
		}
		target := Frames(rapid.IntRange(60, 200).Draw(t, "target"))
		beats := every(Frames(rapid.IntRange(8, 30).Draw(t, "beat")), target)
		plain, err := Solve(slides, Even(n, 0), target)
		require.NoError(t, err)
		s, on, err := OnBeats(slides, Even(n, 0), target, Grid{Beats: beats, Strict: 1})
		require.NoError(t, err)
		cost := func(cuts []Frames) float64 {
			sum, last := 0.0, Frames(0)
			for i, c := range append(append([]Frames{}, cuts...), target) {
				if c-last < 5 {
					return math.Inf(1)
				}
				x := float64(c-last-plain.Lengths[i]) / float64(min(c-last, plain.Lengths[i]))
				sum, last = sum+x*x, c
			}
			return sum
		}
		if on < n-1 {
			return // not all cuts can be on a beat
		}
		best := math.Inf(1)
		var try func(cuts []Frames)
		try = func(cuts []Frames) {
			if len(cuts) == n-1 {
				best = math.Min(best, cost(cuts))
				return
			}
			for _, b := range beats {
				try(append(cuts, b.At))
			}
		}
		try(nil)
		require.InDelta(t, best, cost(s.Cuts()), 1e-9)
	})
}

func BenchmarkOnBeats(b *testing.B) {
	slides := free(1000)
	for i := range slides {
		slides[i].Linger, slides[i].Least = 1+float64(i%3)/2, 20
	}
	for b.Loop() {
		_, _, _ = OnBeats(slides, Even(1000, 12), 60000, Grid{Beats: every(30, 60000), Strict: 0.7})
	}
}

// Two songs of 300 and 200 frames, each with its own pictures: the change of songs is
// the middle of a join, and the film ends with the second. By share of time, five
// slides of the same length are three and two.
func TestEachSongHasItsOwnPictures(t *testing.T) {
	ends := []Frames{300, 500}
	first := Share(free(5), Even(5, 11), []Frames{10, 10, 10, 10, 10}, ends)
	assert.Equal(t, []int{0, 3}, first)
	s, _, err := Parted(free(5), Even(5, 11), ends, first, Grid{})
	require.NoError(t, err)
	assert.Equal(t, Frames(500), s.Total())
	assert.Equal(t, Frames(300), s.Cuts()[2])
	assert.Equal(t, []int{0, 1, 2}, Share(free(3), Even(3, 0), []Frames{1000, 1, 1}, []Frames{10, 20, 30}),
		"each song has one")
	short := free(5)
	for i := range short {
		short[i].Most = 90
	}
	assert.Equal(t, []int{0, 4}, Share(short, Even(5, 0), []Frames{10, 10, 10, 10, 10}, []Frames{300, 380}),
		"three could not last as long as the first")

	pinned := free(4)
	pinned[0].Fixed, pinned[1].Fixed = 200, 200
	_, _, err = Parted(pinned, Even(4, 0), ends, []int{0, 2}, Grid{})
	var cannot *Error
	require.ErrorAs(t, err, &cannot)
	assert.ErrorContains(t, err, "song 1")
	_, _, err = Parted(free(2), Even(2, 0), ends, []int{0, 2}, Grid{})
	assert.ErrorContains(t, err, "song 2")
}

// However slides are parted, every song ends where it ends.
func TestPartsEndWithTheirSongs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n, songs := rapid.IntRange(2, 30).Draw(t, "slides"), rapid.IntRange(1, 2).Draw(t, "songs")
		slides, laps := free(n), make([]Frames, n-1)
		for i := range laps {
			laps[i] = Frames(rapid.IntRange(0, 12).Draw(t, "lap"))
		}
		var ends []Frames
		for k := range songs {
			ends = append(ends, Frames(k*2000+rapid.IntRange(1500, 3000).Draw(t, "end")))
		}
		lengths := make([]Frames, n)
		for i := range lengths {
			lengths[i] = Frames(rapid.IntRange(1, 100).Draw(t, "length"))
		}
		if songs > 1 && ends[1] <= ends[0] {
			return
		}
		first := Share(slides, laps, lengths, ends)
		s, _, err := Parted(slides, laps, ends, first, Grid{})
		require.NoError(t, err)
		require.Equal(t, ends[songs-1], s.Total())
		if songs > 1 {
			require.Equal(t, ends[0], s.Cuts()[first[1]-1])
		}
	})
}
