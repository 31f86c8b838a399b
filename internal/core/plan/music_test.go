package plan

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/internal/core/rhythm"
	"nelko/internal/core/timecode"
)

// pulse gives a song of the library a beat every half second and bars of four, and a
// place where it goes on alike.
func pulse(lib doc.Library, id doc.MediaID) {
	m := lib[id]
	m.Heard = &doc.Heard{Rhythm: rhythm.Analysis{
		BPM:   120,
		Loops: []rhythm.Loop{{From: 8, To: 16, Alike: 0.9}},
	}}
	for k := 0; 0.5*float64(k) < float64(m.Length)/timecode.SampleRate; k++ {
		m.Heard.Rhythm.Beats = append(m.Heard.Rhythm.Beats, rhythm.Beat{
			At:       0.5 * float64(k),
			Strength: 1,
			Down:     k%4 == 0,
		})
	}
	lib[id] = m
}

func TestCutsOnBeatsAndBars(t *testing.T) {
	d, th, lib := show(t, 16, 70)
	song := d.Soundtrack.Songs()[0]
	pulse(lib, song)
	d.Fit = doc.Fit{Mode: doc.ToMusic, PaceSeconds: 4, Strict: 1}
	plain := Build(d, th, lib)
	require.NoError(t, plain.FitError)
	assert.Zero(t, plain.OnBeat, "no beat is asked for")
	for beat, every := range map[doc.Beat]float64{doc.AnyBeat: 0.5, doc.Downbeat: 2, doc.HalfBeat: 0.25} {
		d.Fit.Beat = beat
		p := Build(d, th, lib)
		require.NoError(t, p.FitError, beat)
		assert.Equal(t, plain.Frames, p.Frames, "the film is as long: %s", beat)
		on := 0
		for i := 1; i < len(p.Slides); i++ {
			cut := p.Slides[i].Start + p.Slides[i-1].Overlap/2
			if n := p.Rate.Seconds(cut) / every; n-float64(int(n+0.5)) < 0.034/every &&
				float64(int(n+0.5))-n < 0.034/every {
				on++
			}
		}
		assert.GreaterOrEqual(t, on, p.OnBeat, beat)
		assert.GreaterOrEqual(t, p.OnBeat, len(p.Slides)-2, beat)
	}
}

func TestMusicIsMadeAsLongAsThePictures(t *testing.T) {
	d, th, lib := show(t, 12, 30)
	song := d.Soundtrack.Songs()[0]
	d.Fit = doc.Fit{Mode: doc.MusicToPictures, PaceSeconds: 4}
	p := Build(d, th, lib)
	assert.ErrorIs(t, p.FitError, ErrNoVersion, "it is too short, and nothing is known of it")
	pulse(lib, song)
	p = Build(d, th, lib)
	require.NoError(t, p.FitError)
	assert.Zero(t, p.Left(), "pictures and music end together")
	require.NotNil(t, p.Made)
	assert.Positive(t, p.Made.Joins)
	assert.Empty(t, d.Soundtrack.Items[0].Made, "the document is as it was")

	d.Fit = doc.Fit{Mode: doc.AtPace, PaceSeconds: 1, Hold: true}
	p = Build(d, th, lib)
	assert.Zero(t, p.Left(), "the last slide holds")
	assert.Greater(t, p.Rate.Seconds(p.Slides[len(p.Slides)-1].Length), 5.0)
}

// Two songs of 60 s for some 42 s of pictures: each is heard for half of the film, and
// one gives way to the other in the middle of their cross-fade.
func TestSongsShareTheTimeEvenly(t *testing.T) {
	d, th, lib := show(t, 12, 60)
	lib["second"] = doc.Media{ID: "second", Kind: doc.SongMedia, Length: 60 * timecode.SampleRate}
	d.Soundtrack.AddSong("second")
	d.Soundtrack.Items[1].Join = &doc.SongJoin{Kind: doc.CrossFade, Seconds: 2}
	d.Fit = doc.Fit{Mode: doc.MusicToPictures, PaceSeconds: 4, EvenSongs: true}
	p := Build(d, th, lib)
	require.NoError(t, p.FitError)
	assert.Zero(t, p.Left())
	placed := p.Sound.Placed(lib)
	half := float64(p.Rate.SampleAt(p.Frames)) / 2
	assert.InDelta(t, half, float64(placed[0].End()+placed[1].Start)/2, 2)
	assert.InDelta(t, 2*timecode.SampleRate, float64(placed[0].End()-placed[1].Start), 2)
	d.Soundtrack.Items[1].Join = nil
	p = Build(d, th, lib)
	require.NoError(t, p.FitError)
	placed = p.Sound.Placed(lib)
	assert.InDelta(t, half, float64(placed[1].Start), 2)
	assert.EqualValues(t, evenFade*timecode.SampleRate, placed[0].Out.Length, "it stops before its own end")
	assert.Empty(t, d.Soundtrack.Items[0].Made, "the document is as it was")
}

// Where the songs cannot be made as long as the pictures, arithmetic, lanes and message tell of
// the same music: the songs as they are.
func TestMusicThatCannotBeMadeStaysAsItIs(t *testing.T) {
	d, th, lib := show(t, 60, 20)
	lib["second"] = doc.Media{ID: "second", Kind: doc.SongMedia, Length: 130 * timecode.SampleRate}
	d.Soundtrack.Items = append([]doc.Item{{Media: "second", Role: doc.Music}}, d.Soundtrack.Items...)
	d.Fit = doc.Fit{Mode: doc.MusicToPictures, PaceSeconds: 4, EvenSongs: true}
	p := Build(d, th, lib)
	require.ErrorIs(t, p.FitError, ErrNoVersion)
	assert.Equal(t, d.Soundtrack, p.Sound)
	assert.Nil(t, p.Made)
	assert.Equal(t, d.Soundtrack.MusicEnd(lib), p.Music)
	assert.Contains(t, p.Arithmetic(), "music 2:30.0")
}

func TestSongsWithPicturesOfTheirOwn(t *testing.T) {
	d, th, lib := show(t, 12, 30)
	lib["second"] = doc.Media{ID: "second", Kind: doc.SongMedia, Length: 24 * timecode.SampleRate}
	d.Soundtrack.AddSong("second")
	d.Fit = doc.Fit{Mode: doc.ToMusic, PaceSeconds: 4, OwnPictures: true}
	p := Build(d, th, lib)
	require.NoError(t, p.FitError)
	cuts := map[timecode.Frames]bool{}
	for i := 1; i < len(p.Slides); i++ {
		cuts[p.Slides[i].Start+p.Slides[i-1].Overlap/2] = true
	}
	assert.True(t, cuts[30*30], "a slide gives way where the song does")
	assert.Zero(t, p.Left())
	d.Slides[3].NewSong = true
	p = Build(d, th, lib)
	require.NoError(t, p.FitError)
	assert.Equal(t, timecode.Frames(30*30), p.Slides[3].Start+p.Slides[2].Overlap/2, "by hand")
}

// A slide stays until the speaking ends, at a pace and fitted, and the speaking goes
// with its slide.
func TestASlideStaysUntilTheSpeakingEnds(t *testing.T) {
	d, th, lib := show(t, 12, 60)
	at := 0.5
	lib["spoken"] = doc.Media{ID: "spoken", Kind: doc.SongMedia, Length: 9 * timecode.SampleRate}
	d.Soundtrack.Items = append(d.Soundtrack.Items, doc.Item{
		Media: "spoken",
		Role:  doc.Narration,
		At:    &at,
		On:    d.Slides[4].ID,
		Hold:  true,
	})
	for _, f := range []doc.Fit{{
		Mode:        doc.AtPace,
		PaceSeconds: 3,
	}, {
		Mode:        doc.ToMusic,
		PaceSeconds: 3,
		Shortest:    1.5,
		Longest:     10,
	}, {Mode: doc.ToMusic, PaceSeconds: 3, Longest: 5}} {
		d.Fit = f
		p := Build(d, th, lib)
		require.NoError(t, p.FitError)
		said := p.Sound.Placed(lib)[1]
		s := p.Slides[4]
		assert.InDelta(t, p.Rate.Seconds(s.Start)+0.5, float64(said.Start)/timecode.SampleRate, 0.001,
			"it goes with its slide")
		assert.GreaterOrEqual(t, s.End()-s.Overlap, p.Rate.FramesIn(said.End()),
			"the next slide comes when it has ended")
		if f.Mode == doc.ToMusic {
			assert.Zero(t, p.Left())
		}
		assert.Equal(t, 4, p.SlideAt(float64(said.End())/timecode.SampleRate-0.1))
	}
	d.Soundtrack.Items[1].On = "gone"
	assert.EqualValues(t, 0.5*timecode.SampleRate, Build(d, th, lib).Sound.Placed(lib)[1].Start,
		"without its slide it stays")
}

// Music that is cut shorter or made longer never puts pictures back to the pace: where it
// cannot be met each stays as near as its limits let it, and joins stay.
func TestAFitHoldsThroughTheMusic(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d, th, lib := show(t, rapid.IntRange(2, 30).Draw(t, "pictures"), rapid.Float64Range(2, 400).
			Draw(t, "music"))
		d.Fit.Mode = doc.ToMusic
		p := Build(d, th, lib)
		for i, s := range p.Slides {
			if s.Kind != doc.Pictures {
				continue
			}
			seen := p.Rate.Seconds(p.Seen(i))
			require.GreaterOrEqual(t, seen, d.Fit.Shortest-0.001)
			require.LessOrEqual(t, seen, d.Fit.Longest+0.001)
			switch {
			case p.FitError == nil:
			case p.Left() < 0:
				require.InDelta(t, d.Fit.Shortest, seen, 0.05, "as short as may be")
			default:
				require.InDelta(t, d.Fit.Longest, seen, 0.05, "as long as may be")
			}
		}
		if p.FitError != nil {
			require.NotZero(t, p.Left(), "why it cannot be fitted is said")
			require.False(t, p.Short)
		}
	})
}
