package remedy_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/core/remedy"
	"nelko/internal/core/timecode"
	"nelko/themes/themestest"
)

// filled is a film of so many photos, each on a slide of its own, to a song of so
// many seconds.
func filled(t *testing.T, photos int, seconds float64, change func(doc.Library)) (doc.Slideshow,
	edit.Context) {
	th, err := themestest.Shelf(t).Get("tideline")
	require.NoError(t, err)
	lib := doc.Library{"song": {
		ID:     "song",
		Kind:   doc.SongMedia,
		Length: timecode.Samples(seconds * timecode.SampleRate),
		LUFS:   -14,
	}}
	media := []doc.MediaID{"song"}
	for i := range photos {
		id := doc.MediaID(fmt.Sprintf("p%04d", i))
		lib[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, Name: string(id), W: 3000, H: 2000, Sharp: 0.9}
		media = append(media, id)
	}
	if change != nil {
		change(lib)
	}
	with := edit.Context{Theme: th, Library: lib}
	d := doc.New("tideline", 1)
	do := func(op edit.Op) {
		n, err := edit.Do(d, op, with)
		require.NoError(t, err)
		d = n
	}
	do(edit.Pour{Media: media})
	var many []doc.SlideID
	for _, s := range d.Slides {
		if len(s.Media) > 1 {
			many = append(many, s.ID)
		}
	}
	if many != nil {
		do(edit.Split{Slides: many})
	}
	do(edit.Fit{Mode: doc.ToMusic})
	return d, with
}

func limits(d doc.Slideshow, shortest, longest float64) doc.Slideshow {
	d.Fit.Shortest, d.Fit.Longest = shortest, longest
	return d
}

// Worked by hand: opening 5 s, closing 6 s, 113 joins of 0.8 s. With joins of no
// length 112 pictures of 2 s need 224 + 11 = 235 s; the music has 203 s, so 16
// pictures must go (96 × 2 + 11 = 203), or 32 share slides, or a song of 32 s
// comes, or each is seen for 1.7 s (112 × 1.7 + 11 = 201.4).
func TestTooManyPictures(t *testing.T) {
	d, with := filled(t, 112, 203, nil)
	d = limits(d, 2, 10)
	p := plan.Build(d, with.Theme, with.Library)
	require.Error(t, p.FitError)
	assert.Equal(t, "the pictures need at least 3:55.0 (7050 frames), the music has 3:23.0 (6090 frames): "+
		"0:32.0 (960 frames) too little", p.CannotFit())
	got := map[string]remedy.Remedy{}
	for _, r := range remedy.For(d, with) {
		got[r.What] = r
	}
	assert.Equal(t, 16, got[remedy.LeaveOut].Count)
	assert.Equal(t, 32, got[remedy.Pairs].Count)
	assert.Equal(t, "let pictures go down to 1.7 s", got[remedy.Shorter].Text)
	assert.InDelta(t, 1.7, got[remedy.Shorter].Seconds, 0.03)
	assert.InDelta(t, 32, got[remedy.MoreMusic].Amount, 0.1)
	assert.NotContains(t, got, remedy.Unpin)
	for _, what := range []string{remedy.MoreMusic, remedy.Longer, "magic"} {
		_, err := edit.Do(d, remedy.Take{What: what}, with)
		require.ErrorIs(t, err, edit.ErrInvalid, what)
	}
}

// Too few pictures: how long they would have to stay, how many more would do.
func TestTooFewPictures(t *testing.T) {
	d, with := filled(t, 10, 203, nil)
	d = limits(d, 1.5, 10)
	got := map[string]remedy.Remedy{}
	for _, r := range remedy.For(d, with) {
		got[r.What] = r
	}
	// 203 − 11 + what eleven joins of 0.8 s take away of the sum: 10 pictures are
	// seen for (203 − 11 − 11·0.8 + 2·0.8) / 10 s, opening and closing for a join less; from
	// one to the next it is a join more.
	longer := got[remedy.Longer]
	require.NotEmpty(t, longer.Text)
	assert.InDelta(t, (203-11-11*0.8+2*0.8)/10+0.8, longer.Seconds, 0.25)
	assert.Contains(t, got, remedy.HoldPace)
	assert.Positive(t, got[remedy.MorePics].Count)
	assert.Positive(t, got[remedy.LessMusic].Amount)
	assert.Empty(t, remedy.For(limits(d, 0, 0), with), "without limits it fits")
}

// Look-alikes go first, of two the less sharp one; then what is blurred.
func TestWhatGoesFirst(t *testing.T) {
	d, with := filled(t, 60, 90, func(lib doc.Library) {
		for id, m := range lib {
			switch id {
			case "p0010", "p0011":
				m.Print = 0xff00ff00ff00ff
				if id == "p0010" {
					m.Sharp = 0.5
				}
			case "p0030":
				m.Sharp = 0.01
			}
			lib[id] = m
		}
	})
	d = limits(d, 1.5, 10)
	for _, r := range remedy.For(d, with) {
		if r.What == remedy.LeaveOut {
			op := r.Op.(edit.LeaveOut)
			assert.Equal(t, []doc.MediaID{"p0010", "p0030"}, op.Media[:2])
			return
		}
	}
	t.Fatal("nothing to leave out")
}

// Whatever does not fit: every remedy the program can do makes it fit, loses no
// picture that it does not name, and is the least that does.
func TestRemediesAreTrue(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		d, with := filled(t, rapid.IntRange(1, 120).Draw(rt, "photos"), rapid.Float64Range(14, 400).
			Draw(rt, "song"), nil)
		d = limits(d, rapid.Float64Range(0.2, 4).Draw(rt, "shortest"), rapid.Float64Range(4.1, 12).
			Draw(rt, "longest"))
		p := plan.Build(d, with.Theme, with.Library)
		list := remedy.For(d, with)
		if p.FitError == nil {
			assert.Empty(rt, list)
			return
		}
		assert.NotEmpty(rt, list)
		had := len(d.Uses())
		for _, r := range list {
			if r.Op == nil {
				continue
			}
			n, err := edit.Do(d, r.Op, with)
			require.NoError(rt, err, r.Text)
			q := plan.Build(n, with.Theme, with.Library)
			require.NoError(rt, q.FitError, r.Text)
			if n.Fit.Mode == doc.ToMusic {
				assert.Equal(rt, q.MusicEnd, q.Frames, r.Text)
			}
			taken, err := edit.Do(d, remedy.Take{What: r.What}, with)
			require.NoError(rt, err)
			assert.Equal(rt, n, taken)
			assert.NotEmpty(rt, remedy.Take{What: r.What}.Title())
			gone := 0
			if r.What == remedy.LeaveOut {
				gone = r.Count
			}
			assert.Len(rt, n.Uses(), had-gone, r.Text)
			assert.False(rt, strings.Contains(r.Text, "NaN"))
		}
	})
}

// Pictures that would be hardly seen are the last that is offered.
func TestPicturesHardlySeenAreTheLastResort(t *testing.T) {
	d, with := filled(t, 44, 27, nil)
	list := remedy.For(limits(d, 1.5, 10), with)
	require.Greater(t, len(list), 1)
	last := list[len(list)-1]
	assert.Equal(t, remedy.Shorter, last.What)
	assert.Contains(t, last.Text, "hardly seen")
}
