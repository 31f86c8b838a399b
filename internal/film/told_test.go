package film

import (
	"maps"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
)

// Wherever a teaser begins it is as long as it says or as the film, its frames
// are the film's at that place, its segments cover it, and its sound is the
// film's from there with fades of its own.
func TestTeasers(t *testing.T) {
	whole := laid(t, nil)
	rapid.Check(t, func(rt *rapid.T) {
		teaser := profile.Teaser{
			From:    rapid.Float64Range(0, 30).Draw(rt, "from"),
			Seconds: rapid.Float64Range(1, 30).Draw(rt, "seconds"),
			Fade:    0.4,
		}
		f := laid(t, func(s *Source) { s.Profile.Teaser = &teaser })
		n := min(timecode.R25.Frames(teaser.Seconds), whole.Frames())
		require.Equal(rt, n, f.Frames())
		assert.LessOrEqual(rt, f.From+n, whole.Frames())
		assert.Equal(rt, timecode.R25.Frames(0.4), f.Scene.FadeIn)
		segs, err := f.Segments()
		require.NoError(rt, err)
		at := timecode.Frames(0)
		for _, s := range segs {
			assert.Equal(rt, at, s.From)
			at = s.To
		}
		assert.Equal(rt, n, at)
		// The slide shown at a frame is the one the film shows there.
		for _, k := range []timecode.Frames{0, n / 2, n - 1} {
			assert.Equal(rt, shownAt(whole.Scene, f.From+k), shownAt(f.Scene, k))
		}
		for _, h := range f.heard() {
			assert.GreaterOrEqual(rt, h.At, timecode.Samples(0))
			assert.LessOrEqual(rt, h.At+h.Length, f.Samples())
			assert.Equal(rt, timecode.R25.SampleAt(f.From), h.Begin-h.At,
				"the song is where it is in the film")
		}
		in, out := fades(f)
		assert.Equal(rt, []float64{0.4, 0.4}, []float64{in, out})
	})
}

func shownAt(sc *scene.Scene, n timecode.Frames) (ids []doc.SlideID) {
	for i := range sc.Slides {
		if s := &sc.Slides[i]; n >= s.Start && n < s.End() {
			ids = append(ids, s.ID)
		}
	}
	return ids
}

// A part of what is heard begins and ends where it is cut, with what is left of
// the fades.
func TestPartOfTheSound(t *testing.T) {
	all := []heard{
		{
			Media:   "a",
			At:      0,
			Length:  1000,
			Begin:   50,
			FadeIn:  300,
			FadeOut: 200,
			Points:  []sound.Point{{At: 600, Gain: 2}},
		},
		{Media: "b", At: 2000, Length: 500},
	}
	got := part(all, 400, 500)
	require.Len(t, got, 1)
	assert.Equal(t, heard{
		Media:   "a",
		At:      0,
		Length:  500,
		Begin:   450,
		FadeIn:  0,
		FadeOut: 100,
		Points:  []sound.Point{{At: 200, Gain: 2}},
	}, got[0])
	assert.Equal(t, timecode.Samples(600), all[0].Points[0].At, "the film's own stay as they are")
	assert.Empty(t, part(all, 1200, 300), "silence between")
}

// Captions that do not belong into the picture are not in it, and are told at
// their times; the same ones burnt in are.
func TestCaptionsLeaveThePicture(t *testing.T) {
	with := func(c profile.Captions, text string) *Film {
		return laid(t, func(s *Source) {
			s.Profile.Captions = c
			s.Doc.Slides[2].Caption = text
		})
	}
	words := func(f *Film) (n int) {
		for _, l := range f.Scene.Slides[2].Layers {
			if l.Asset.Kind == scene.Text {
				n++
			}
		}
		return n
	}
	assert.NotZero(t, words(with(profile.Burnt, "Home")))
	f := with(profile.Track, "Home")
	assert.Zero(t, words(f))
	s := f.Plan.Slides[2]
	assert.Equal(t, []plan.Cue{{
		From: s.Start + f.Plan.Slides[1].Overlap/2,
		To:   s.End() - s.Overlap/2,
		Text: "Home",
	}}, f.Captions())
	assert.Empty(t, with(profile.Track, " ").Captions())
	assert.Equal(t, []plan.Chapter{{At: 0, Title: "The Gannets"}}, f.Chapters())
	ch := laid(t, func(s *Source) {
		s.Doc.Slides[2].Chapter = "Home"
		s.Profile.Teaser = &profile.Teaser{From: 12, Seconds: 3}
	})
	require.NotEmpty(t, ch.Chapters())
	assert.Zero(t, ch.Chapters()[0].At, "a part begins with the chapter it lies in")
}

// A film for a disc is drawn with square pixels and kept in the disc's own; its
// colours are those of its size, whatever the size it is drawn at.
func TestKeptFrames(t *testing.T) {
	dvd := laid(t, func(s *Source) { s.Profile = profile.DVDPALWide })
	assert.Equal(t, Kept{
		W:      720,
		H:      576,
		Scaled: true,
		Shown:  profile.Shape{W: 16, H: 9},
		Matrix: raster.BT601,
	}, dvd.Kept)
	assert.Equal(t, []int{1024, 576}, []int{dvd.Scene.W, dvd.Scene.H})
	segs, err := dvd.Segments()
	require.NoError(t, err)
	assert.Len(t, segs, 1, "in one piece")
	small := laid(t, func(s *Source) {
		s.Doc.Frame = doc.Frame{W: 1920, H: 1080}
		s.Profile.Lines, s.Profile.Drawn = 480, &profile.Size{W: 1920, H: 1080}
	})
	assert.Equal(t, Kept{W: 854, H: 480, Scaled: true, Matrix: raster.BT601}, small.Kept)
	assert.Equal(t, raster.BT709, small.Scene.Matrix)
	alone := laid(t, func(s *Source) {
		s.Doc.Frame = doc.Frame{W: 1920, H: 1080}
		s.Profile.Lines = 480
	})
	a, err := small.Name()
	require.NoError(t, err)
	b, err := alone.Name()
	require.NoError(t, err)
	assert.NotEqual(t, a, b, "scaled is another film than drawn small")
	still := laid(t, func(s *Source) { s.Profile.Kind = profile.OfStill })
	none, err := still.Segments()
	require.NoError(t, err)
	assert.Empty(t, none)
}

// A film is of the day its date says, else of the day its pictures are of, not of the day it
// was made on.
func TestTheDayOfAFilm(t *testing.T) {
	at := func(date string, taken time.Time) string {
		f := laid(t, func(s *Source) {
			s.Doc.Details["date"] = date
			s.Library = maps.Clone(s.Library)
			for id, m := range s.Library {
				m.Captured = taken
				s.Library[id] = m
			}
		})
		return f.Day().Format(time.DateOnly)
	}
	noon := time.Date(2026, 6, 14, 12, 0, 0, 0, time.UTC)
	assert.Equal(t, "2026-06-13", at("13 June 2026", noon))
	assert.Equal(t, "2026-06-13", at("2026-06-13", noon))
	assert.Equal(t, "2026-06-13", at("Saturday 13 June 2026", noon))
	assert.Equal(t, "2026-06-14", at("Midsummer", noon))
	assert.Equal(t, "0001-01-01", at("Midsummer", time.Time{}), "not known")
}
