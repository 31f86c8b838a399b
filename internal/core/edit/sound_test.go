package edit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/rhythm"
	"nelko/internal/core/timecode"
)

// songs is a film with two songs of 60 and 40 s; the first goes on alike at 20 and 36 s.
func songs(t *testing.T) (doc.Slideshow, Context) {
	d := doc.New("tideline", 1)
	lib := doc.Library{
		"a": {
			ID:     "a",
			Kind:   doc.SongMedia,
			Name:   "a",
			Length: 60 * timecode.SampleRate,
			Heard:  &doc.Heard{Rhythm: rhythm.Analysis{Loops: []rhythm.Loop{{From: 20, To: 36, Alike: 0.9}}}},
		},
		"b": {ID: "b", Kind: doc.SongMedia, Name: "b", Length: 40 * timecode.SampleRate},
	}
	d.Soundtrack.AddSong("a")
	d.Soundtrack.AddSong("b")
	return d, Context{Library: lib}
}

func TestSongsAreTrimmedMovedJoinedAndMadeLong(t *testing.T) {
	d, with := songs(t)
	do := func(op Op) {
		t.Helper()
		n, err := Do(d, op, with)
		require.NoError(t, err)
		require.NotEmpty(t, op.Title())
		d = n
	}
	end := func() float64 { return float64(d.Soundtrack.MusicEnd(with.Library)) / timecode.SampleRate }
	v := func(x float64) *float64 { return &x }
	assert.Equal(t, 100.0, end())
	do(Song{At: 1, Media: "b", To: v(30)})
	assert.Equal(t, 90.0, end())
	cross := doc.CrossFade
	do(Song{At: 1, Media: "b", Join: &cross, JoinSeconds: v(4)})
	assert.Equal(t, 86.0, end())
	placed := d.Soundtrack.Placed(with.Library)
	assert.Equal(t, doc.Fade{Length: 4 * timecode.SampleRate, Shape: doc.PowerFade}, placed[0].Out)
	assert.Equal(t, placed[0].Out, placed[1].In)
	gap := doc.Gap
	do(Song{At: 1, Media: "b", Join: &gap})
	assert.Equal(t, 94.0, end())
	do(Song{At: 1, Media: "b", Start: v(10)})
	assert.Equal(t, 60.0, end(), "beside the first")
	do(Song{At: 1, Media: "b", Start: v(-1)})
	assert.Equal(t, 94.0, end())
	do(Song{At: 0, Media: "a", Long: v(76)})
	assert.Equal(t, []rhythm.Stretch{{From: 0, To: 36}, {From: 20, To: 60}}, d.Soundtrack.Items[0].Made)
	assert.Equal(t, 110.0, end())
	do(Song{At: 0, Media: "a", Long: v(0)})
	assert.Equal(t, 94.0, end())
	role := doc.Narration
	do(Song{At: 1, Media: "b", Role: &role})
	assert.Equal(t, 60.0, end(), "narration is no music")
	require.NotNil(t, d.Soundtrack.Items[1].At)
	even, points := doc.EvenFade, []doc.GainPoint{{AtSeconds: 2, DB: -6}}
	do(Song{At: 0, Media: "a", FadeIn: v(2), FadeOut: v(3), Shape: &even, LevelDB: v(-3), Points: &points})
	it := d.Soundtrack.Items[0]
	assert.Equal(t, doc.Item{
		Media:          "a",
		Role:           doc.Music,
		FadeInSeconds:  2,
		FadeOutSeconds: 3,
		Shape:          doc.EvenFade,
		LevelDB:        -3,
		Gain:           points,
	}, it)
	do(DropItem{At: 1, Media: "b"})
	assert.Len(t, d.Soundtrack.Items, 1)
	assert.Contains(t, d.LeftOut, doc.MediaID("b"))

	for _, op := range []Op{
		Song{At: 1, Media: "b", To: v(3)}, Song{At: 0, Media: "b"}, DropItem{At: -1, Media: "a"}, // not there
		Song{At: 0, Media: "a", From: v(50), To: v(40)}, Song{At: 0, Media: "a", LevelDB: v(90)},
		Song{At: 0, Media: "a", FadeIn: v(99)}, NewSong{Slide: "none", Begins: true},
		Sound{FadeIn: v(99)}, Sound{DuckDB: v(5)}, Sound{LUFS: v(5)},
	} {
		_, err := Do(d, op, with)
		assert.Error(t, err, "%#v", op)
	}
	_, err := Do(d, Song{
		At:    0,
		Media: "a",
		Long:  v(500),
	}, Context{Library: doc.Library{"a": {ID: "a", Kind: doc.SongMedia, Length: 60 * timecode.SampleRate}}})
	assert.ErrorIs(t, err, ErrInvalid, "no place to go on")
	do(Sound{FadeIn: v(1), FadeOut: v(2), LUFS: v(-23), DuckDB: v(-9), Attack: v(0.2)})
	assert.Equal(t, -23.0, d.Soundtrack.LUFS)
	assert.Equal(t, doc.Duck{DB: -9, Attack: 0.2, Release: 1.2, Ahead: 0.3}, d.Soundtrack.Ducked())
}

// What was spoken comes in at its moment, beside the music.
func TestNarrationComesInWhereItWasSpoken(t *testing.T) {
	d, with := songs(t)
	at := 12.5
	with.Library["spoken"] = doc.Media{
		ID:     "spoken",
		Kind:   doc.SongMedia,
		Length: 5 * timecode.SampleRate,
		Spoken: &at,
	}
	n, err := Do(d, Pour{Media: []doc.MediaID{"spoken"}}, with)
	require.NoError(t, err)
	it := n.Soundtrack.Items[2]
	assert.Equal(t, doc.Narration, it.Role)
	assert.Equal(t, 12.5, *it.At)
	assert.Equal(t, d.Soundtrack.MusicEnd(with.Library), n.Soundtrack.MusicEnd(with.Library))
}

// Songs that are brought in together keep their order, whichever was read first; what
// was moved by hand stays where it is.
func TestSongsComeInAsTheyWereSent(t *testing.T) {
	with := Context{Library: doc.Library{}}
	for i, id := range []doc.MediaID{"a", "b", "c", "d"} {
		with.Library[id] = doc.Media{
			ID:     id,
			Kind:   doc.SongMedia,
			Length: timecode.SampleRate,
			Came:   int64(i + 1),
		}
	}
	pour := func(d doc.Slideshow, ids ...doc.MediaID) doc.Slideshow {
		n, err := Do(d, Pour{Media: ids}, with)
		require.NoError(t, err)
		return n
	}
	assert.Equal(t, []doc.MediaID{"a", "b", "c"}, pour(pour(pour(doc.New("tideline", 1), "b"), "c"),
		"a").Soundtrack.Songs())
	d := pour(doc.New("tideline", 1), "a", "b", "c")
	d, err := Do(d, Songs{Songs: []doc.MediaID{"c", "a", "b"}}, with)
	require.NoError(t, err)
	assert.Equal(t, []doc.MediaID{"c", "a", "b", "d"}, pour(d, "d").Soundtrack.Songs())
}
