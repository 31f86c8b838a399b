package film

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/themes"
	"nelko/themes/themestest"
)

var house House

func laid(t testing.TB, change func(*Source)) *Film {
	if house.Shelf == nil {
		house.Shelf = themestest.Shelf(t)
	}
	th, err := house.Shelf.(*themes.Shelf).Get("tideline")
	require.NoError(t, err)
	lib := doc.Library{"song": {ID: "song", Kind: doc.SongMedia, Length: 20 * timecode.SampleRate, LUFS: -14}}
	ids := []doc.MediaID{"song"}
	for i := range 6 {
		id := doc.MediaID(fmt.Sprintf("p%d", i))
		lib[id] = doc.Media{
			ID:       id,
			Kind:     doc.PhotoMedia,
			Name:     string(id),
			W:        360,
			H:        240 + 240*(i%2),
			Captured: time.Unix(int64(i), 0),
		}
		ids = append(ids, id)
	}
	d := doc.New(th.ID, 4)
	d.Frame = doc.Frame{W: 320, H: 180}
	for _, op := range []edit.Op{edit.Details{Values: map[string]string{
		"names": "The Gannets",
		"date":  "2026",
	}}, edit.Pour{Media: ids}, edit.Fit{Mode: doc.AtPace, Pace: 4}} {
		d, err = edit.Do(d, op, edit.Context{Theme: th, Library: lib})
		require.NoError(t, err)
	}
	s := Source{Doc: d, Theme: th, Library: lib, Profile: profile.Film}
	s.Profile.Rate = timecode.R25
	if change != nil {
		change(&s)
	}
	f, err := house.Lay(s)
	require.NoError(t, err)
	return f
}

// A date in figures, as lists have it, is printed as the theme's date reads.
func TestDatesAreWrittenAsTheThemeDoes(t *testing.T) {
	with := func(date string) (keys []string) {
		f := laid(t, func(s *Source) { s.Doc.Details["date"] = date })
		segs, err := f.Segments()
		require.NoError(t, err)
		for _, s := range segs {
			keys = append(keys, s.Key)
		}
		return keys
	}
	assert.Equal(t, with("14 June 2026"), with("2026-06-14"))
	assert.Equal(t, with("14 June 2026"), with("14.6.2026"))
	assert.NotEqual(t, with("14 June 2026"), with("2026-06-15"))
	assert.NotEqual(t, with("14 June 2026"), with("Sunday 14th of June"), "words stand as they are")
}

// Laying out changes nothing of what it is given, and a film is the same
// however often it is laid out.
func TestLayingOutIsPure(t *testing.T) {
	var given Source
	a := laid(t, func(s *Source) { given = *s })
	before, err := given.Doc.Marshal()
	require.NoError(t, err)
	b, err := house.Lay(given)
	require.NoError(t, err)
	after, err := given.Doc.Marshal()
	require.NoError(t, err)
	assert.Equal(t, before, after)
	x, err := a.Name()
	require.NoError(t, err)
	y, err := b.Name()
	require.NoError(t, err)
	assert.Equal(t, x, y)
	assert.Equal(t, a.Scene, b.Scene)
	assert.Equal(t, "The Gannets", a.Title())
	assert.Greater(t, a.Poster(), timecode.Frames(0))
	assert.Less(t, a.Poster(), a.Scene.Slides[0].Length)
}

// Segments follow one another without gap or overlap from the first frame to
// the last, whatever their greatest length.
func TestSegmentsCoverTheFilm(t *testing.T) {
	for _, most := range []timecode.Frames{7, 40, 240, 10000} {
		f := laid(t, func(s *Source) { s.Profile.Longest = most })
		sc := f.Scene
		segs, err := f.Segments()
		require.NoError(t, err)
		at, keys := timecode.Frames(0), map[string]bool{}
		for _, s := range segs {
			assert.Equal(t, at, s.From)
			assert.True(t, s.Frames() > 0 && s.Frames() <= most)
			assert.NotEmpty(t, s.Slide)
			assert.Len(t, s.Key, 64)
			keys[s.Key] = true
			at = s.To
		}
		assert.Equal(t, sc.Frames, at)
		assert.Len(t, keys, len(segs), "no two segments of this film are alike")
		var joined []Segment
		for _, run := range Stretches(segs, func(timecode.Frames) timecode.Frames { return 60 }) {
			joined = append(joined, run...)
		}
		assert.Equal(t, segs, joined)
	}
}

// A key changes with what its frames show and with nothing else: a slide
// changed touches itself and its two joins; a slide made longer moves the
// ones after it in time, but they stay the same.
func TestKeysNameWhatFramesDependOn(t *testing.T) {
	f := laid(t, nil)
	sc := f.Scene
	before, err := f.Segments()
	require.NoError(t, err)
	changed := func(change func(*scene.Scene)) (out []int) {
		c := *sc
		c.Slides = append([]scene.Slide(nil), sc.Slides...)
		for i := range c.Slides {
			c.Slides[i].Layers = append([]scene.Layer(nil), sc.Slides[i].Layers...)
		}
		change(&c)
		other := *f
		other.Scene = &c
		after, err := cut(&other)
		require.NoError(t, err)
		require.Len(t, after, len(before))
		for i := range after {
			if after[i].Key != before[i].Key {
				out = append(out, i)
			}
		}
		return out
	}
	assert.Empty(t, changed(func(*scene.Scene) {}))
	// Segments are body, join, body, join …: slide 2 is body 4 between joins 3 and 5.
	assert.Equal(t, []int{3, 4, 5}, changed(func(c *scene.Scene) { c.Slides[2].Layers[0].Alpha = 0.5 }))
	assert.Equal(t, []int{5}, changed(func(c *scene.Scene) { c.Slides[2].Into.Kind = "iris" }))
	assert.Len(t, changed(func(c *scene.Scene) { c.Matrix = 1 - c.Matrix }), len(before))
	moved := changed(func(c *scene.Scene) {
		c.Slides[2].Length += 3
		for i := 3; i < len(c.Slides); i++ {
			c.Slides[i].Start += 3
		}
		c.Frames += 3
	})
	assert.Equal(t, []int{3, 4, 5}, moved)
	for name, change := range map[string]func(*Source){
		"quality": func(s *Source) { s.Profile.Video.CRF = 30 },
		"rate":    func(s *Source) { s.Profile.Rate = timecode.R30 },
		"size":    func(s *Source) { s.Profile.Longer = 240 },
		"details": func(s *Source) { s.Doc.Details["names"] = "Others" },
		"fonts": func(s *Source) {
			th := *s.Theme
			th.FontsContent = themestest.Get(t, "waypoint").FontsContent
			s.Theme = &th
		},
		"another photo": func(s *Source) {
			s.Doc.Slides[1].Media[0] = "p5"
			s.Doc.Slides[len(s.Doc.Slides)-2].Media[0] = "p0"
		},
	} {
		other, err := laid(t, change).Segments()
		require.NoError(t, err)
		assert.NotEqual(t, before[0].Key, other[0].Key, name)
	}
	same, err := laid(t, func(s *Source) { s.Profile.Name, s.Profile.Audio.Kbps = "another", 64 }).Segments()
	require.NoError(t, err)
	assert.Equal(t, before, same, "neither the profile's name nor its sound shows")
	house.Tools.Draw = "another libvips"
	defer func() { house.Tools.Draw = "" }()
	redrawn, err := laid(t, nil).Segments()
	require.NoError(t, err)
	for i := range redrawn {
		assert.NotEqual(t, before[i].Key, redrawn[i].Key, "other tools, other frames")
	}
}

// The sound's name changes with what is heard and with nothing else.
func TestSoundIsNamedByWhatIsHeard(t *testing.T) {
	key := func(change func(*Source)) string {
		k, err := laid(t, change).SoundKey()
		require.NoError(t, err)
		return k
	}
	before := key(nil)
	assert.Equal(t, before, key(func(s *Source) {
		s.Doc.Details["names"] = "Others"
		s.Profile.Video.CRF = 30
		s.Profile.Longer = 100
	}))
	at := 3.0
	for name, change := range map[string]func(*Source){
		"length":   func(s *Source) { s.Doc.Fit = doc.Fit{Mode: doc.AtPace, PaceSeconds: 9} },
		"bit rate": func(s *Source) { s.Profile.Audio.Kbps = 64 },
		"fade":     func(s *Source) { s.Doc.Soundtrack.FadeOutSeconds = 1 },
		"trim":     func(s *Source) { s.Doc.Soundtrack.Items[0].Trim.From = 1 },
		"place":    func(s *Source) { s.Doc.Soundtrack.Items[0].At = &at },
		"gain":     func(s *Source) { s.Doc.Soundtrack.Items[0].Gain = []doc.GainPoint{{DB: -6}} },
		"narration": func(s *Source) {
			s.Doc.Soundtrack.Items = append(s.Doc.Soundtrack.Items, doc.Item{
				Media: "song",
				Role:  doc.Narration,
			})
		},
	} {
		assert.NotEqual(t, before, key(change), name)
	}
}

// A disc's film is as loud as discs are, whatever is said for online; what is left as it
// is stays so.
func TestAProfileMayHaveItsLoudness(t *testing.T) {
	for _, c := range []struct {
		p          profile.Profile
		said, want float64
	}{{profile.Film, -14, -14}, {profile.DVDPALWide, -14, -23}, {profile.HDDisc, -16, -23},
		{profile.DVDPALWide, 0, 0}} {
		f := laid(t, func(s *Source) { s.Profile, s.Doc.Soundtrack.LUFS = c.p, c.said })
		assert.Equal(t, c.want, lufs(f), c.p.Name)
	}
	own, err := profile.DVDPALWide.Own(profile.Change{Name: "louder", LUFS: -20})
	require.NoError(t, err)
	assert.Equal(t, -20.0, own.Audio.LUFS)
	_, err = profile.Film.Own(profile.Change{Name: "loud", LUFS: 3})
	assert.Error(t, err)
}

// Captions follow one another: none begins before the one before has ended, whatever the joins,
// and the words of two slides that are put together are all told.
func TestCaptionsDoNotOverlap(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.R24, timecode.R25, timecode.R2997, timecode.R30} {
		f := laid(t, func(s *Source) {
			s.Profile.Rate = rate
			for i := range s.Doc.Slides {
				if len(s.Doc.Slides[i].Media) > 0 {
					s.Doc.Slides[i].Caption = fmt.Sprint("Caption ", i)
				}
			}
			d, err := edit.Do(s.Doc, edit.Group{Slides: []doc.SlideID{s.Doc.Slides[2].ID,
				s.Doc.Slides[3].ID}}, edit.Context{
				Theme:   s.Theme,
				Library: s.Library,
			})
			require.NoError(t, err)
			d.Details = s.Doc.Details
			s.Doc = d
		})
		all, said := f.Captions(), ""
		for i, c := range all {
			said += c.Text + "\n"
			assert.Less(t, c.From, c.To)
			if i > 0 {
				assert.GreaterOrEqual(t, c.From, all[i-1].To, "%v: %s", rate, c.Text)
			}
		}
		for _, text := range []string{"Caption 1", "Caption 2 · Caption 3", "Caption 4"} {
			assert.Contains(t, said, text)
		}
	}
}
