package plan

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/themes"
)

// show is a slideshow of n wide photos and a song of the given seconds.
func show(t require.TestingT, n int, music float64) (doc.Slideshow, *theme.Theme, doc.Library) {
	th, err := themes.Get("tideline")
	require.NoError(t, err)
	lib, d := doc.Library{}, doc.New("tideline", 1)
	for i := range n {
		id := doc.MediaID(fmt.Sprintf("p%03d", i))
		lib[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, Name: string(id), W: 3000, H: 2000}
		d.Slides = append(d.Slides, doc.Slide{ID: doc.SlideID(id), Kind: doc.Pictures, Layout: "full", Media: []doc.MediaID{id}, Linger: 1})
	}
	d.Slides = append(append([]doc.Slide{{ID: "open", Kind: doc.Opening, Linger: 1}}, d.Slides...), doc.Slide{ID: "close", Kind: doc.Closing, Linger: 1})
	if music > 0 {
		lib["song"] = doc.Media{ID: "song", Kind: doc.SongMedia, Name: "song", Length: timecode.Samples(music * timecode.SampleRate)}
		d.Soundtrack.Songs = []doc.MediaID{"song"}
	}
	d.Details = map[string]string{"names": "The Gannets", "date": "2026"}
	return d, th, lib
}

// Worked by hand at 30 frames a second: a pace of 3.31 s is 99 frames, and 24
// shared ones make 123; 41·123 + 150 + 180 − 42·24 = 4365 frames = 145.5 s.
func TestArithmetic(t *testing.T) {
	d, th, lib := show(t, 41, 151)
	d.Fit.PaceSeconds = 3.31
	p := Build(d, th, lib)
	assert.Equal(t, "41 picture slides × 4.10 s + opening 5.00 s + closing 6.00 s − 42 joins × 0.80 s = 2:25.5 — music 2:31.0 — 5.5 s of music left", p.Arithmetic())
	d.Fit.Mode = doc.ToMusic
	p = Build(d, th, lib)
	assert.Contains(t, p.Arithmetic(), "= 2:31.0 — music 2:31.0 — ends with the music, to the frame")
	assert.Zero(t, p.Left())
	d.Fit = doc.Fit{Mode: doc.AtPace, PaceSeconds: 5}
	assert.Contains(t, Build(d, th, lib).Arithmetic(), "pictures run on")
	d.Soundtrack.Songs = nil
	assert.Contains(t, Build(d, th, lib).Arithmetic(), "no music yet")
}

// In every plan slides follow one another without a gap, at most two show at
// once, and every frame of the film belongs to one.
func TestEveryFrameBelongsToOneOrTwoSlides(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d, th, lib := show(t, rapid.IntRange(1, 60).Draw(t, "photos"), rapid.Float64Range(2, 400).Draw(t, "music"))
		d.Rate = rapid.SampledFrom([]timecode.Rate{timecode.R24, timecode.R2997, timecode.R60}).Draw(t, "rate")
		d.Fit.Mode = rapid.SampledFrom([]doc.FitMode{doc.ToMusic, doc.AtPace}).Draw(t, "mode")
		p := Build(d, th, lib)
		if d.Fit.Mode == doc.ToMusic && p.FitError == nil {
			require.Equal(t, d.Rate.FramesIn(p.Music), p.Pictures)
		}
		for i, s := range p.Slides[1:] {
			require.Equal(t, p.Slides[i].End()-p.Slides[i].Overlap, s.Start)
		}
		require.Equal(t, p.Pictures, p.Slides[len(p.Slides)-1].End())
		n := timecode.Frames(rapid.Int64Range(0, int64(p.Pictures)-1).Draw(t, "frame"))
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
	assert.Equal(t, Check{Stops, "Missing: Names, Date", "detail:names"}, c[0])
	d.Details = map[string]string{"names": "An exceedingly long name for one single rowing crew of four", "date": "2026"}
	assert.Contains(t, texts(check())[0], "over 42 are set small")

	d, th, lib = show(t, 200, 60)
	d.Fit.Mode = doc.ToMusic
	assert.Equal(t, []string{"Transitions shortened: the slides are too short for them", "200 slides shorter than 1.5 s: too many pictures for this music"}, texts(check()))
	d, th, lib = show(t, 2, 60)
	d.Fit.Mode = doc.ToMusic
	assert.Equal(t, []string{"2 slides longer than 10 s: too few pictures for this music"}, texts(check()))
	lib["spare"] = doc.Media{ID: "spare", Kind: doc.PhotoMedia}
	assert.Contains(t, texts(check()), "1 file not in the film")

	d, th, lib = show(t, 5, 8)
	d.Fit.Mode = doc.ToMusic
	c = check()
	assert.Equal(t, Stops, c[0].Weight)
	assert.Contains(t, c[0].Text, "Cannot fit: slides of set length and 5 others need at least")

	d, th, lib = show(t, 0, 0)
	d.Slides = nil
	d.Fit.Mode = doc.ToMusic
	assert.Equal(t, []string{"No pictures yet", "No music yet"}, texts(check()))
}
