package remedy_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/core/remedy"
	"nelko/internal/core/rhythm"
	"nelko/internal/core/timecode"
)

// pulse gives the song a beat every half second and bars of four.
func pulse(lib doc.Library) {
	m := lib["song"]
	m.Heard = &doc.Heard{Rhythm: rhythm.Analysis{
		BPM:   120,
		Loops: []rhythm.Loop{{From: 8, To: 16, Alike: 0.9}},
	}}
	for k := range int(2 * m.Length / timecode.SampleRate) {
		m.Heard.Rhythm.Beats = append(m.Heard.Rhythm.Beats, rhythm.Beat{
			At:       0.5 * float64(k),
			Strength: 1,
			Down:     k%4 == 0,
		})
	}
	lib["song"] = m
}

// What a way promises is what comes of taking it.
func TestAWayComesToWhatItSays(t *testing.T) {
	d, with := filled(t, 20, 100, pulse)
	before := plan.Build(d, with.Theme, with.Library)
	ways := remedy.Ways(d, with)
	require.Len(t, ways, 7, "free, beats, bars, half beats, music to pictures, two at a pace")
	now := 0
	for _, w := range ways {
		require.Empty(t, w.Cannot, w.Name)
		n, err := edit.Do(d, w.Op, with)
		require.NoError(t, err)
		p := plan.Build(n, with.Theme, with.Library)
		assert.InDelta(t, p.Rate.Seconds(p.Frames), w.Film, 1e-9, w.Name)
		assert.InDelta(t, float64(p.Music)/timecode.SampleRate, w.Music, 1e-9, w.Name)
		assert.Equal(t, p.OnBeat, w.OnBeat, w.Name)
		changed, shortest := 0, math.Inf(1)
		for i, s := range p.Slides {
			if s.Length != before.Slides[i].Length {
				changed++
			}
			if s.Kind == doc.Pictures {
				shortest = math.Min(shortest, p.Rate.Seconds(s.Each()))
			}
		}
		assert.Equal(t, changed, w.Changed, w.Name)
		assert.Equal(t, shortest, w.Shortest, w.Name)
		assert.Equal(t, w.Shortest, p.Rate.Seconds(p.Slides[w.ShortAt-1].Each()), w.Name)
		if w.Now {
			now++
			assert.Zero(t, w.Changed)
		}
	}
	assert.Equal(t, 1, now, "one of them is how it is fitted")

	many, with := filled(t, 112, 100, nil)
	ways = remedy.Ways(many, with)
	assert.Len(t, ways, 4, "there is no beat")
	assert.Contains(t, ways[0].Cannot, "too little")
	many.Soundtrack.Items = nil
	assert.Empty(t, remedy.Ways(many, with), "there is no music")
}

// Worked by hand: opening 5 s, closing 6 s, joins of 0.8 s, pictures one a slide that
// change every 4 s: n pictures last 11 − 0.8 + 4 n = 10.2 + 4 n seconds, so that 210.2 s
// of music are for 50.
func TestHowManyPicturesSuit(t *testing.T) {
	d, with := filled(t, 20, 210.2, nil)
	s, ok := remedy.Suiting(d, with)
	require.True(t, ok)
	assert.Equal(t, 20, s.Have)
	assert.Equal(t, 50, s.Usual)
	assert.InDelta(t, 90.2, s.Seconds, 0.05, "10.2 + 4 × 20")
	assert.Less(t, s.Least, s.Usual)
	assert.Greater(t, s.Most, s.Usual)
	assert.Less(t, s.Shortest, s.Seconds)
	assert.Greater(t, s.Longest, s.Seconds)
	d.Fit.Shortest = 3.5
	narrower, _ := remedy.Suiting(d, with)
	assert.Less(t, narrower.Most, s.Most, "a limit makes it fewer")
	for i := range d.Slides {
		d.Slides[i].Pinned = 5
	}
	_, ok = remedy.Suiting(d, with)
	assert.False(t, ok, "no slide follows the music")
}

// A song that comes in is fitted where there is a fit; where there is none the
// remedies are there, and taking one fits. Who chose a rule keeps it.
func TestAFitIsTakenWhenASongComesIn(t *testing.T) {
	d, with := filled(t, 20, 80, nil)
	fresh := doc.New("tideline", 1)
	pour := func(d doc.Slideshow, ids ...doc.MediaID) doc.Slideshow {
		n, err := edit.Do(d, edit.Pour{Media: ids}, with)
		require.NoError(t, err)
		return n
	}
	var photos []doc.MediaID
	for _, s := range d.Slides {
		photos = append(photos, s.Media...)
	}
	p := pour(fresh, photos...)
	assert.Equal(t, doc.AtPace, p.Fit.Mode, "no music yet")
	with2 := pour(p, "song")
	assert.Equal(t, doc.ToMusic, with2.Fit.Mode)
	assert.Zero(t, plan.Build(with2, with.Theme, with.Library).Left())
	assert.Contains(t, edit.Pour{Media: []doc.MediaID{"song"}}.Tells(p, with2), "fitted to the music")
	assert.Equal(t, doc.ToMusic, pour(pour(fresh, "song"), photos...).Fit.Mode, "the pictures came later")

	chosen, err := edit.Do(p, edit.Fit{Pace: 5}, with)
	require.NoError(t, err)
	assert.Equal(t, doc.AtPace, pour(chosen, "song").Fit.Mode, "somebody chose a pace")

	few := pour(pour(fresh, photos[:3]...), "song")
	assert.Equal(t, doc.AtPace, few.Fit.Mode, "three pictures are too few")
	list := remedy.For(few, with)
	require.NotEmpty(t, list)
	assert.Equal(t, remedy.Longer, list[0].What)
	n, err := edit.Do(few, list[0].Op, with)
	require.NoError(t, err)
	assert.Equal(t, doc.ToMusic, n.Fit.Mode)
	assert.Zero(t, plan.Build(n, with.Theme, with.Library).Left())
}

// Holding a slide for narration, moving that, and losing the slide.
func TestNarrationHoldsItsSlide(t *testing.T) {
	d, with := filled(t, 20, 90, nil)
	at, yes, no := 30.0, true, false
	with.Library["spoken"] = doc.Media{
		ID:     "spoken",
		Kind:   doc.SongMedia,
		Length: 8 * timecode.SampleRate,
		Spoken: &at,
	}
	do := func(op edit.Op) {
		t.Helper()
		n, err := edit.Do(d, op, with)
		require.NoError(t, err)
		d = n
	}
	heard := func() (float64, plan.Plan) {
		p := plan.Build(d, with.Theme, with.Library)
		require.NoError(t, p.FitError)
		return *p.Sound.Items[1].At, p
	}
	do(edit.Pour{Media: []doc.MediaID{"spoken"}})
	was, p := heard()
	on := p.SlideAt(was)
	do(edit.Song{At: 1, Media: "spoken", Hold: &yes})
	now, p := heard()
	assert.Equal(t, d.Slides[on].ID, d.Soundtrack.Items[1].On)
	assert.Equal(t, on, p.SlideAt(now))
	assert.Equal(t, on, p.SlideAt(now+7.9), "until it has ended")

	later := 60.0
	do(edit.Song{At: 1, Media: "spoken", Start: &later})
	moved, p := heard()
	assert.Greater(t, p.SlideAt(moved), on)
	lost := d.Soundtrack.Items[1].On
	before := moved
	do(edit.Remove{Slides: []doc.SlideID{lost}})
	after, _ := heard()
	assert.Empty(t, d.Soundtrack.Items[1].On)
	assert.InDelta(t, before, after, 0.001, "it stays where it was heard")
	do(edit.Song{At: 1, Media: "spoken", Hold: &yes})
	do(edit.Song{At: 1, Media: "spoken", Hold: &no})
	assert.False(t, d.Soundtrack.Items[1].Hold)
	_, err := edit.Do(d, edit.Song{At: 0, Media: "song", Hold: &yes}, with)
	assert.ErrorIs(t, err, edit.ErrInvalid, "music holds nothing")
}
