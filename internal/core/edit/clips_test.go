package edit

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
)

// clipSlide is the slide of the clip c1.
func clipSlide(d doc.Slideshow) doc.Slide {
	for _, s := range d.Slides {
		if s.Kind == doc.Clip {
			return s
		}
	}
	return doc.Slide{}
}

// However often and wherever a clip is split, its parts play what the whole
// played, one after the other without a gap, and nothing of the media is lost.
func TestSplitClipPlaysAllOfIt(t *testing.T) {
	with, ids := shelf(4)
	rapid.Check(t, func(t *rapid.T) {
		d := must(t, doc.New("tideline", 1), Pour{ids}, with)
		d = must(t, d, Shots{Media: []doc.MediaID{"c1"}, Trim: &doc.Trim{From: 0.25, To: 2.75}}, with)
		for range rapid.IntRange(1, 4).Draw(t, "splits") {
			var parts []doc.Slide
			for _, s := range d.Slides {
				if s.Kind == doc.Clip {
					parts = append(parts, s)
				}
			}
			at := rapid.Float64Range(0, 2.6).Draw(t, "at")
			n, err := Do(d, SplitClip{rapid.SampledFrom(parts).Draw(t, "slide").ID, at}, with)
			if err != nil {
				require.ErrorIs(t, err, ErrInvalid, "too near an end")
				continue
			}
			d = n
		}
		next := timecode.Samples(0.25 * timecode.SampleRate)
		for _, s := range d.Slides {
			if s.Kind != doc.Clip {
				continue
			}
			begin, length := d.Cut(s, with.Library["c1"])
			require.InDelta(t, float64(next), float64(begin), 2)
			require.Greater(t, float64(length), 0.19*timecode.SampleRate)
			next = begin + length
		}
		require.InDelta(t, 2.75*timecode.SampleRate, float64(next), 2)
		require.NoError(t, d.Validate())
	})
}

func TestTrimOfOnePart(t *testing.T) {
	with, ids := shelf(4)
	d := must(t, doc.New("tideline", 1), Pour{ids}, with)
	whole := clipSlide(d).ID
	d = must(t, d, TrimClip{whole, doc.Trim{From: 0.5, To: 2.5}}, with)
	assert.Equal(t, doc.Trim{From: 0.5, To: 2.5}, d.Shot("c1").Trim, "shown once: of the clip")
	d = must(t, d, SplitClip{whole, 1}, with)
	d = must(t, d, TrimClip{whole, doc.Trim{From: 0.5, To: 1}}, with)
	_, length := d.Cut(d.Slides[d.Index(whole)], with.Library["c1"])
	assert.EqualValues(t, 0.5*timecode.SampleRate, length)
	p := plan.Build(d, with.Theme, with.Library)
	assert.EqualValues(t, d.Rate.FramesIn(length), p.Slides[d.Index(whole)].Length,
		"the slide is as long as what it plays")
	_, err := Do(d, SplitClip{d.Slides[1].ID, 1}, with)
	require.ErrorIs(t, err, ErrInvalid, "no clip")
	_, err = Do(d, TrimClip{"gone", doc.Trim{}}, with)
	require.ErrorIs(t, err, ErrGone)
}

func TestPause(t *testing.T) {
	with, ids := shelf(4)
	d := must(t, doc.New("tideline", 1), Pour{ids}, with)
	n := must(t, d, Pause{d.Slides[2].ID}, with)
	require.Len(t, n.Slides, len(d.Slides)+1)
	assert.Equal(t, d.Slides[2].ID, n.Slides[3].ID)
	p := plan.Build(n, with.Theme, with.Library)
	assert.EqualValues(t, 60, p.Slides[2].Length, "two seconds at 30 frames a second")
}

// The figures of the manners are common practice, without a source: a still
// for five seconds with a join of one is a new picture every four.
func TestManners(t *testing.T) {
	with, ids := shelf(9)
	d := must(t, doc.New("tideline", 1), Pour{ids}, with)
	step := func(m Manner) (seconds, join float64) {
		n := must(t, d, InManner{Manner: m}, with)
		p := plan.Build(n, with.Theme, with.Library)
		a := p.Slides[3]
		return n.Rate.Seconds(a.Length - a.Overlap), n.Rate.Seconds(a.Overlap)
	}
	for m, want := range map[Manner][2]float64{Usual: {4, 1}, Lively: {3, 0.6}, Quick: {1, 0.25}} {
		every, join := step(m)
		assert.InDelta(t, want[0], every, 0.04, m)
		assert.InDelta(t, want[1], join, 0.04, m)
	}
	n := must(t, d, InManner{Manner: Prints}, with)
	for _, s := range n.Slides {
		for _, id := range s.Media {
			if with.Library[id].Kind == doc.PhotoMedia {
				assert.Equal(t, 0.8, n.Shot(id).Scale)
				assert.NotNil(t, s.Backdrop)
			}
		}
	}
	one := must(t, d, InManner{Manner: Calm, Slides: []doc.SlideID{d.Slides[1].ID}}, with)
	assert.NotNil(t, one.Slides[1].Motion)
	assert.Nil(t, one.Slides[2].Motion)
	_, err := Do(d, InManner{Manner: "loud"}, with)
	require.ErrorIs(t, err, ErrInvalid)
}

// Spread slides keep their order, the others theirs, and no two that were
// spread stand together where there is room between.
func TestSpread(t *testing.T) {
	with, ids := shelf(20)
	rapid.Check(t, func(t *rapid.T) {
		d := must(t, doc.New("tideline", 1), Pour{ids}, with)
		var spread []doc.SlideID
		var rest []doc.SlideID
		for _, s := range body(d) {
			if len(spread) < 4 && rapid.Bool().Draw(t, "one of them") {
				spread = append(spread, s.ID)
			} else {
				rest = append(rest, s.ID)
			}
		}
		if len(spread) == 0 || len(rest) <= len(spread) {
			return
		}
		n := must(t, d, Spread{spread}, with)
		var gotSpread, gotRest []doc.SlideID
		last := -9
		for i, s := range body(n) {
			at := len(gotSpread)
			if at < len(spread) && s.ID == spread[at] {
				require.Greater(t, i-last, 1, "apart")
				gotSpread, last = append(gotSpread, s.ID), i
			} else {
				gotRest = append(gotRest, s.ID)
			}
		}
		require.Equal(t, spread, gotSpread)
		require.Equal(t, rest, gotRest)
		require.Equal(t, d.Slides[0].ID, n.Slides[0].ID)
	})
	d := must(t, doc.New("tideline", 1), Pour{ids}, with)
	_, err := Do(d, Spread{[]doc.SlideID{"gone"}}, with)
	require.ErrorIs(t, err, ErrGone)
}

func TestCaptionsFromDescriptions(t *testing.T) {
	with, ids := shelf(4)
	m := with.Library["p1"]
	m.Description = "At the slip"
	with.Library["p1"] = m
	d := must(t, doc.New("tideline", 1), Pour{ids}, with)
	var all []doc.SlideID
	for _, s := range body(d) {
		all = append(all, s.ID)
	}
	n := must(t, d, CaptionDescriptions{all}, with)
	said := 0
	for _, s := range n.Slides {
		if s.Caption != "" {
			assert.Equal(t, "At the slip", s.Caption)
			said++
		}
	}
	assert.Equal(t, 1, said)
	m.Description = ""
	with.Library["p1"] = m
	_, err := Do(d, CaptionDescriptions{all}, with)
	require.ErrorIs(t, err, ErrInvalid)
}

// It is said as which slides what came in went.
func TestPourTells(t *testing.T) {
	with, ids := shelf(9)
	d := must(t, doc.New("tideline", 1), Pour{ids[3:]}, with)
	n := must(t, d, Pour{ids[:3]}, with)
	first := 0
	for i, s := range n.Slides {
		if len(s.Media) > 0 && s.Media[0] == "p0" {
			first = i + 1
		}
	}
	assert.Equal(t, 2, first, "by time, they come first")
	assert.Contains(t, Pour{ids[:3]}.Tells(d, n), "Brought in 3 files, as slides 2 to ")
	assert.Equal(t, "Brought in 3 files", Pour{ids[:3]}.Tells(doc.New("tideline", 1), n))
}

// After sorting, a recast arranges the pictures anew and keeps their order; what
// was set by hand stays; undated pictures come last.
func TestRecastAfterSorting(t *testing.T) {
	with, ids := shelf(18)
	m := with.Library["p0"]
	m.Captured = time.Time{}
	with.Library["p0"] = m
	rapid.Check(t, func(t *rapid.T) {
		d := must(t, doc.New("tideline", 1), Pour{ids}, with)
		by := rapid.SampledFrom([]string{"time", "name", "random", "reverse"}).Draw(t, "by")
		d = must(t, d, Sort{By: by, Seed: 3}, with)
		order := shown(d)
		if by == "time" {
			require.Contains(t, order[len(order)-3:], doc.MediaID("p0"),
				"with the clip, which has no time either")
		}
		hand := d.Slides[2].ID
		d = must(t, d, Caption{[]doc.SlideID{hand}, "stays"}, with)
		n := must(t, d, Recast{Seed: rapid.Uint64Range(1, 1<<40).Draw(t, "seed")}, with)
		require.Equal(t, order, shown(n), by)
		require.Equal(t, "stays", n.Slides[n.Index(hand)].Caption)
		kept, anew := Recasts(d, n)
		require.Equal(t, 1, kept)
		require.Equal(t, len(n.Slides)-3, anew)
	})
}

// Of a mixed choice what is for clips is set for the clips, and it is said for
// how many.
func TestSoundOfAMixedChoice(t *testing.T) {
	with, ids := shelf(4)
	d := must(t, doc.New("tideline", 1), Pour{ids}, with)
	loud := 0.5
	op := Shots{Media: []doc.MediaID{"p0", "c1", "p1"}, Sound: &loud, Called: "Changed the sound"}
	n := must(t, d, op, with)
	assert.Equal(t, 0.5, n.Shot("c1").Sound)
	assert.Equal(t, doc.Shot{}, n.Shot("p0"))
	assert.Equal(t, "Changed the sound: 1 clip", op.Tells(d, n))
	for _, none := range [][]doc.MediaID{{"p0"}, {"p0", "p1"}} {
		_, err := Do(d, Shots{Media: none, Sound: &loud}, with)
		require.ErrorIs(t, err, ErrInvalid)
	}
}
