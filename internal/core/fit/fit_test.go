package fit

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/timecode"
)

func stills(n int) []Slide {
	s := make([]Slide, n)
	for i := range s {
		s[i].Linger = 1
	}
	return s
}

// Worked by hand: opening 5 s and closing 6 s at 30 frames a second, 41 stills,
// 42 joins of 0.8 s, music 2:31.0. Stills share 151 + 42·0.8 − 11 = 173.6 s,
// 5208 frames: one of 128 and forty of 127 frames.
func TestWorkedExample(t *testing.T) {
	slides := append(append([]Slide{{Fixed: 150}}, stills(41)...), Slide{Fixed: 180})
	s, err := Solve(slides, Even(43, 24), 4530)
	require.NoError(t, err)
	assert.Equal(t, Frames(4530), s.Total())
	counts := map[Frames]int{}
	for _, l := range s.Lengths[1:42] {
		counts[l]++
	}
	assert.Equal(t, map[Frames]int{127: 40, 128: 1}, counts)
	assert.Equal(t, Frames(126), s.Starts()[1])
	assert.False(t, s.Shortened)
}

func TestLingerSharesTime(t *testing.T) {
	slides := stills(4)
	slides[2].Linger = 2
	s, err := Solve(slides, Even(4, 0), 500)
	require.NoError(t, err)
	assert.Equal(t, []Frames{100, 100, 200, 100}, s.Lengths)
}

func TestTooShortMusicShortensJoinsThenSaysByHowMuch(t *testing.T) {
	s, err := Solve(stills(1000), Even(1000, 24), 2000)
	require.NoError(t, err)
	assert.True(t, s.Shortened)
	assert.Equal(t, Frames(2000), s.Total())

	_, err = Solve(stills(1000), Even(1000, 24), 990)
	var e *Error
	require.True(t, errors.As(err, &e))
	assert.Equal(t, Frames(1000), e.Reach)
	assert.Equal(t, "1000 slides need at least 1000 frames, the music has 990: 10 too few", e.Error())

	_, err = Solve([]Slide{{Fixed: 100}, {Fixed: 90}}, Even(2, 10), 200)
	require.True(t, errors.As(err, &e))
	assert.ErrorContains(t, err, "every slide has a set length")
	_, err = Solve([]Slide{{Fixed: 100}, {Linger: 1}}, Even(2, 10), 60)
	assert.ErrorContains(t, err, "41 too few")
	_, err = Solve(nil, nil, 60)
	assert.ErrorContains(t, err, "no slides")
}

// For 1 to 1,000 slides, any frame rate, lingers, pins and music length: the
// film lasts exactly as long as the music or the error says what is missing.
func TestFitIsExactToTheFrame(t *testing.T) {
	rates := []timecode.Rate{timecode.R24, timecode.R23976, timecode.R25, timecode.R2997, timecode.R30,
		timecode.R50, timecode.R5994, timecode.R60}
	rapid.Check(t, func(t *rapid.T) {
		rate := rapid.SampledFrom(rates).Draw(t, "rate")
		n := rapid.IntRange(1, 1000).Draw(t, "slides")
		music := timecode.Samples(rapid.Int64Range(48000, 900*48000).Draw(t, "samples"))
		overlaps := Even(n, rate.Frames(rapid.Float64Range(0, 2).Draw(t, "overlap")))
		for i := range overlaps {
			if i%7 == 3 {
				overlaps[i] = rate.Frames(rapid.Float64Range(0, 2).Draw(t, "own overlap"))
			}
		}
		slides := stills(n)
		for i := range slides {
			slides[i].Linger = rapid.SampledFrom([]float64{1, 1, 1, 0.5, 2, 3.7, 20, 0.1}).Draw(t, "linger")
			if rapid.IntRange(0, 9).Draw(t, "pin") == 0 {
				slides[i].Fixed = Frames(rapid.IntRange(1, 400).Draw(t, "fixed"))
			}
		}
		target := rate.FramesIn(music)
		s, err := Solve(slides, overlaps, target)
		var e *Error
		if errors.As(err, &e) {
			if e.Free > 0 {
				assert.Greater(t, e.Reach, target)
				_, again := Solve(slides, Even(n, 0), e.Reach)
				assert.NoError(t, again, "the length named as reachable is")
			} else {
				assert.NotEqual(t, e.Reach, target)
			}
			return
		}
		require.NoError(t, err)
		assert.Equal(t, target, s.Total())
		for i, l := range s.Lengths {
			lap := Frames(0)
			if i > 0 {
				lap += s.Overlaps[i-1]
			}
			if i < n-1 {
				lap += s.Overlaps[i]
			}
			assert.GreaterOrEqual(t, l, lap+1, "a frame of its own")
			if slides[i].Fixed > 0 {
				assert.Equal(t, slides[i].Fixed, l)
			}
		}
	})
}

func TestEqualLingersDifferByAtMostOneFrame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 300).Draw(t, "n")
		target := Frames(rapid.IntRange(n*60, n*400).Draw(t, "target"))
		s, err := Solve(stills(n), Even(n, 20), target)
		require.NoError(t, err)
		lo, hi := s.Lengths[0], s.Lengths[0]
		for _, l := range s.Lengths {
			lo, hi = min(lo, l), max(hi, l)
		}
		assert.LessOrEqual(t, hi-lo, Frames(1))
	})
}

// Common practice, no source: with a 4 s pace and a 1 s transition every still
// lasts 5 s and a new picture comes every 4 s.
func TestPace(t *testing.T) {
	s := Lay(stills(3), Even(3, 25), 100)
	assert.Equal(t, []Frames{125, 125, 125}, s.Lengths)
	assert.Equal(t, []Frames{0, 100, 200}, s.Starts())
	s = Lay([]Slide{{Fixed: 3}, {Linger: 1}, {Fixed: 1}}, Even(3, 25), 100)
	assert.Equal(t, []Frames{1, 0}, s.Overlaps)
	assert.True(t, s.Shortened)
}

// Two joins of a slide never meet: each takes less than half of it, so that a frame is left in
// which it stands alone. A slide between joins is as much longer as they overlap, up to half its
// pace.
func TestLayLeavesEachSlideAFrame(t *testing.T) {
	for length := Frames(1); length <= 60; length++ {
		slides := []Slide{{Fixed: 1000}, {Fixed: length}, {Fixed: 1000}}
		s := Lay(slides, []Frames{999, 999}, 25)
		for i, lap := range s.Overlaps {
			assert.LessOrEqual(t, 2*lap+1, length, "join %d of %d frames", i, length)
			assert.GreaterOrEqual(t, 2*lap+2, length, "and no less than it can have")
		}
	}
	free := []Slide{{Linger: 1}, {Linger: 1}, {Linger: 2}}
	s := Lay(free, []Frames{20, 20}, 25)
	assert.Equal(t, []Frames{25 + 12, 25 + 12, 50 + 12}, s.Lengths)
	assert.Equal(t, []Frames{18, 18}, s.Overlaps)
	assert.True(t, s.Shortened)
}
