package plan

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
	"nelko/themes/themestest"
)

// show is a slideshow of n wide photos and a song of the given seconds.
func show(t require.TestingT, n int, music float64) (doc.Slideshow, *theme.Theme, doc.Library) {
	th, err := themestest.Shelf(t).Get("tideline")
	require.NoError(t, err)
	lib, d := doc.Library{}, doc.New("tideline", 1)
	for i := range n {
		id := doc.MediaID(fmt.Sprintf("p%03d", i))
		lib[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, Name: string(id), W: 3000, H: 2000}
		d.Slides = append(d.Slides, doc.Slide{
			ID:     doc.SlideID(id),
			Kind:   doc.Pictures,
			Layout: "full",
			Media:  []doc.MediaID{id},
			Linger: 1,
		})
	}
	d.Slides = append(append([]doc.Slide{{
		ID:     "open",
		Kind:   doc.Opening,
		Linger: 1,
	}}, d.Slides...), doc.Slide{ID: "close", Kind: doc.Closing, Linger: 1})
	if music > 0 {
		lib["song"] = doc.Media{
			ID:     "song",
			Kind:   doc.SongMedia,
			Name:   "song",
			Length: timecode.Samples(music * timecode.SampleRate),
		}
		d.Soundtrack.AddSong("song")
	}
	d.Details = map[string]string{"names": "The Gannets", "date": "2026"}
	return d, th, lib
}

// Worked by hand at 30 frames a second: a pace of 3.31 s is 99 frames from
// one picture to the next; 41·99 + 150 + 180 − 24 = 4365 frames = 145.5 s.
func TestArithmetic(t *testing.T) {
	d, th, lib := show(t, 41, 151)
	d.Fit.PaceSeconds = 3.31
	p := Build(d, th, lib)
	assert.Equal(t, "41 picture slides × 3.30 s + opening 5.00 s + closing 6.00 s − 1 join × 0.80 s = "+
		"2:25.5 — music 2:31.0 — 5.5 s of music left", p.Arithmetic())
	d.Fit.Mode = doc.ToMusic
	p = Build(d, th, lib)
	assert.Contains(t, p.Arithmetic(), "= 2:31.0 — music 2:31.0 — ends with the music, to the frame")
	assert.Zero(t, p.Left())
	d.Fit = doc.Fit{Mode: doc.AtPace, PaceSeconds: 5}
	assert.Contains(t, Build(d, th, lib).Arithmetic(), "pictures run on")
	d.Soundtrack.Items = nil
	assert.Contains(t, Build(d, th, lib).Arithmetic(), "no music yet")
}

// What is called the seconds of slides can be added up: they are the film, in all of the
// film's words for it.
func TestSecondsAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d, th, lib := show(t, rapid.IntRange(1, 60).Draw(t, "photos"), rapid.Float64Range(2, 400).
			Draw(t, "music"))
		d.Fit.Mode = rapid.SampledFrom([]doc.FitMode{doc.ToMusic, doc.AtPace}).Draw(t, "mode")
		d.Fit.PaceSeconds = rapid.Float64Range(2.5, 9).Draw(t, "pace")
		p := Build(d, th, lib)
		var all timecode.Frames
		for i, s := range p.Slides {
			all += s.Each()
			if i+1 < len(p.Slides) {
				require.Equal(t, p.Slides[i+1].Start-s.Start, s.Each())
			}
			if d.Fit.Mode == doc.AtPace && s.Kind == doc.Pictures && !p.Short {
				require.InDelta(t, d.Fit.PaceSeconds, p.Rate.Seconds(s.Each()), 0.02,
					"a new picture comes at the pace")
			}
		}
		require.Equal(t, p.Frames, all)
	})
}

// In every plan slides follow one another without a gap, at most two show at
// once, and every frame of the film belongs to one.
func TestEveryFrameBelongsToOneOrTwoSlides(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d, th, lib := show(t, rapid.IntRange(1, 60).Draw(t, "photos"), rapid.Float64Range(2, 400).
			Draw(t, "music"))
		d.Rate = rapid.SampledFrom([]timecode.Rate{timecode.R24, timecode.R2997, timecode.R60}).
			Draw(t, "rate")
		d.Fit.Mode = rapid.SampledFrom([]doc.FitMode{doc.ToMusic, doc.AtPace}).Draw(t, "mode")
		p := Build(d, th, lib)
		if d.Fit.Mode == doc.ToMusic && p.FitError == nil {
			require.Equal(t, d.Rate.FramesIn(p.Music), p.Frames)
		}
		for i, s := range p.Slides[1:] {
			require.Equal(t, p.Slides[i].End()-p.Slides[i].Overlap, s.Start)
		}
		require.Equal(t, p.Frames, p.Slides[len(p.Slides)-1].End())
		n := timecode.Frames(rapid.Int64Range(0, int64(p.Frames)-1).Draw(t, "frame"))
		a, b := p.At(n)
		require.GreaterOrEqual(t, a, 0)
		require.True(t, b == -1 || b == a+1)
	})
}

func texts(c []Check) (out []string) {
	for _, x := range c {
		out = append(out, x.Text)
	}
	return out
}

func TestChecks(t *testing.T) {
	d, th, lib := show(t, 10, 40)
	check := func() []Check { return Checks(d, Build(d, th, lib), th, lib) }
	// 10·144 + 330 − 11·24 = 1506 frames, 50.2 s.
	assert.Equal(t, []string{"Pictures 10.2 s longer than music"}, texts(check()))
	d.Fit.Mode = doc.ToMusic
	assert.Empty(t, check())

	delete(d.Details, "names")
	delete(d.Details, "date")
	c := check()
	assert.Equal(t, Check{Weight: Stops, Text: "Missing: Names, Date", Field: "detail:names"}, c[0])
	d.Details = map[string]string{
		"names": "An exceedingly long name for one single rowing crew of four",
		"date":  "2026",
	}
	assert.Contains(t, texts(check())[0], "over 42 are set small")

	d, th, lib = show(t, 200, 60)
	d.Fit = doc.Fit{Mode: doc.ToMusic, PaceSeconds: 4}
	assert.Equal(t, []string{"Transitions shortened: the slides are too short for them",
		"200 slides shorter than 1.5 s: too many pictures for this music"}, texts(check()))
	d, th, lib = show(t, 2, 60)
	d.Fit = doc.Fit{Mode: doc.ToMusic, PaceSeconds: 4}
	assert.Equal(t, []string{"2 slides longer than 10 s: too few pictures for this music"}, texts(check()))
	lib["spare"] = doc.Media{ID: "spare", Kind: doc.PhotoMedia}
	assert.Contains(t, texts(check()), "1 file not in the film")

	d, th, lib = show(t, 5, 8)
	d.Fit = doc.Fit{Mode: doc.ToMusic, PaceSeconds: 4}
	c = check()
	assert.Equal(t, Stops, c[0].Weight)
	assert.Contains(t, c[0].Text, "Cannot fit: the music is 0:03.2 too short for the pictures")

	d, th, lib = show(t, 0, 0)
	d.Slides = nil
	d.Fit.Mode = doc.ToMusic
	assert.Equal(t, []string{"No pictures yet", "No music yet"}, texts(check()))
}

// Joins by hand, for all and by the theme's rule: each counts with its own
// length, and a cut with none. The film still ends with the music.
func TestJoinsOfDifferentLengths(t *testing.T) {
	d, th, lib := show(t, 6, 30)
	d.Fit.Mode = doc.ToMusic
	d.Slides[2].Join = &transition.Transition{Kind: "iris", Seconds: 2}
	d.Slides[3].Join = &transition.Transition{Kind: "cut", Seconds: 2}
	p := Build(d, th, lib)
	require.NoError(t, p.FitError)
	assert.Zero(t, p.Left())
	assert.EqualValues(t, 60, p.Slides[2].Overlap)
	assert.EqualValues(t, 0, p.Slides[3].Overlap)
	assert.EqualValues(t, 24, p.Slides[4].Overlap)
	assert.Equal(t, transition.Kind("iris"), p.Slides[2].Into.Kind)
	d.Join = &transition.Transition{Kind: "push", Seconds: 0.5}
	p = Build(d, th, lib)
	assert.EqualValues(t, 60, p.Slides[2].Overlap, "by hand goes before for all")
	assert.EqualValues(t, 15, p.Slides[4].Overlap)
	assert.NotEqual(t, p.Slides[4].Into.Direction, p.Slides[5].Into.Direction, "directions take turns")
}

// Text cards last as the theme has them, trimmed clips as trimmed, and both
// are counted in the arithmetic.
func TestCardsAndTrimmedClipsInTheArithmetic(t *testing.T) {
	d, th, lib := show(t, 4, 40)
	lib["c"] = doc.Media{
		ID:     "c",
		Kind:   doc.ClipMedia,
		Name:   "c.mp4",
		W:      640,
		H:      360,
		Length: 10 * timecode.SampleRate,
	}
	d.Shots = map[doc.MediaID]doc.Shot{"c": {Trim: doc.Trim{From: 1, To: 4}}}
	d.Slides = slices.Insert(d.Slides, 2, doc.Slide{
		ID:     "k",
		Kind:   doc.Card,
		Linger: 1,
		Card:   &doc.Words{Kind: "title", Main: "Noon"},
	},
		doc.Slide{ID: "c", Kind: doc.Clip, Media: []doc.MediaID{"c"}, Linger: 1})
	d.Fit.Mode = doc.ToMusic
	p := Build(d, th, lib)
	require.NoError(t, p.FitError)
	assert.Zero(t, p.Left())
	assert.EqualValues(t, th.Title.Seconds*30, p.Slides[2].Length)
	assert.EqualValues(t, 90, p.Slides[3].Length)
	assert.Contains(t, p.Arithmetic(), "1 clip 3.00 s")
	assert.Contains(t, p.Arithmetic(), "1 text card 4.00 s")
}

// What a scene found is told with the slide's number and the file's name.
func TestFindingsInWords(t *testing.T) {
	d, _, lib := show(t, 3, 30)
	assert.Equal(t, "Slide 2: p000 is shown 1.8 times its own size and will look soft",
		Finding(d, lib, "p000", "enlarged", "p000", "", 1.8).Text)
	assert.Contains(t, Finding(d, lib, "p001", "face", "p001", "", 0).Text,
		"Slide 3: no framing keeps the faces of p001")
	long := Finding(d, lib, "open", "long", "", "A name that goes on\nand on and on for ever", 0)
	assert.Contains(t, long.Text, "“A name that goes on and on and…”")
	assert.Equal(t, "slide:open", long.Field)
}
