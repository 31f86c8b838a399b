package doc

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/framing"
	"nelko/internal/core/timecode"
)

func TestParseRefusesWhatCannotBe(t *testing.T) {
	good, err := New("tideline", 1).Marshal()
	require.NoError(t, err)
	_, err = Parse(good)
	require.NoError(t, err)
	for change, want := range map[[2]string]string{
		{`"version":3`, `"version":4`}:                             "reads 1 to 3",
		{`"version":3`, `"version":2`}:                             "must be converted",
		{`"theme":"tideline"`, `"theme":""`}:                       "theme: missing",
		{`"w":1920`, `"w":1921`}:                                   "sides must be even",
		{`"slides":null`, `"slides":[{"id":"s1"}]`}:                "slides[0].kind",
		{`"mode":"pace"`, `"mode":"maybe"`}:                        "fit.mode",
		{`"pace_seconds":4`, `"pace_seconds":0`}:                   "fit.pace_seconds",
		{`"seed":1`, `"seed":1,"extra":1`}:                         "unknown field",
		{`"items":null`, `"items":[{"role":"music"}]`}:             "soundtrack.items[0].media",
		{`"items":null`, `"items":[{"media":"a","role":"noise"}]`}: "items[0].role",
		{`"items":null`, `"items":[{"media":"a","role":"music","gain":[{"at_seconds":2,"db":0},{"at_seconds":1,"db":0}]}]`}: "points must follow",
		{`"items":null`, `"items":[{"media":"a","role":"music","trim":{"from":3,"to":2}}]`}:                                 "trim",
		{`"fade_in_seconds":0.5`,
			`"fade_in_seconds":-1`}: "soundtrack",
	} {
		require.Contains(t, string(good), change[0])
		_, err := Parse([]byte(strings.Replace(string(good), change[0], change[1], 1)))
		assert.ErrorContains(t, err, want, change[1])
	}
	_, err = Parse([]byte("{"))
	assert.Error(t, err)
}

func TestSlidesAreChecked(t *testing.T) {
	for _, s := range []Slide{
		{ID: "a", Kind: Clip, Linger: 1}, {ID: "a", Kind: Pictures, Linger: 1},
		{
			ID:     "a",
			Kind:   Pictures,
			Media:  make([]MediaID, 7),
			Linger: 1,
		}, {ID: "a", Kind: Opening}, {Kind: Opening, Linger: 1},
		{ID: "a", Kind: Opening, Linger: 1, Pinned: -2},
	} {
		d := New("t", 1)
		d.Slides = []Slide{s}
		assert.Error(t, d.Validate(), "%+v", s)
	}
	d := New("t", 1)
	d.Slides = []Slide{{ID: "a", Kind: Opening, Linger: 1}, {ID: "a", Kind: Closing, Linger: 1}}
	assert.ErrorContains(t, d.Validate(), "used twice")
	d.Rate = timecode.Rate{}
	assert.Error(t, d.Validate())
}

func FuzzParse(f *testing.F) {
	good, err := New("tideline", 1).Marshal()
	require.NoError(f, err)
	f.Add(good)
	f.Add(stored(f, "version-1.json"))
	f.Add(stored(f, "version-2.json"))
	f.Fuzz(func(t *testing.T, b []byte) {
		d, err := Parse(b)
		if err != nil {
			d, _, err = Convert(b, asRow, nil)
		}
		if err == nil {
			require.NoError(t, d.Validate())
			_, err = d.Clone().Marshal()
			require.NoError(t, err)
		}
	})
}

// stored are documents as earlier versions of the program wrote them into the
// database.
func stored(t testing.TB, name string) []byte {
	b, err := os.ReadFile(filepath.Join("testdata", name))
	require.NoError(t, err)
	return b
}

// asRow gives every row a made-up content.
func asRow(name string) (MediaID, bool) {
	return MediaID("content of " + name), strings.HasPrefix(name, "m")
}

// A document of version 1, as the program wrote it, is read without loss: the
// layouts it was cast into are the theme's business now, all else stays.
func TestFirstVersionIsConverted(t *testing.T) {
	d, told, err := Convert(stored(t, "version-1.json"), asRow, func(id string) string {
		return "content of " + id
	})
	require.NoError(t, err)
	assert.Equal(t, Version, d.Version)
	assert.Equal(t, "content of tideline", d.ThemeVersion)
	assert.Equal(t, Slide{
		ID:     "s3",
		Kind:   Pictures,
		Media:  []MediaID{"content of m1", "content of m2"},
		Linger: 2,
		Pinned: 3,
		Placed: true,
	}, d.Slides[1])
	assert.Equal(t, []MediaID{"content of m9"}, d.LeftOut)
	assert.Equal(t, []Item{{Media: "content of m4", Role: Music}}, d.Soundtrack.Items)
	assert.Equal(t, Told{Details: map[string]string{"names": "A"}, Rate: timecode.R30}, told)
	again, err := d.Marshal()
	require.NoError(t, err)
	assert.NotContains(t, string(again), "names\":\"A", "details are the order's")
	back, err := Parse(again)
	require.NoError(t, err)
	back.Details = told.Details
	assert.Equal(t, d, back)
}

// A document of version 2 with all an operator can set: what is set for a
// photo, laid over slides or heard is named by content, and nothing is lost.
func TestSecondVersionIsConverted(t *testing.T) {
	b := stored(t, "version-2.json")
	d, told, err := Convert(b, asRow, nil)
	require.NoError(t, err)
	assert.Equal(t, "The Gannets", told.Details["names"])
	assert.Contains(t, d.Shots, MediaID("content of m2"))
	assert.Equal(t, "content of m3", d.Decor[0].Media)
	assert.Equal(t, "m2", d.Called("content of m2"), "chance goes by what it was called")
	assert.Equal(t, "else", d.Called("else"))
	now, err := d.Marshal()
	require.NoError(t, err)
	// Every value is there still, media under their new names.
	var was, is map[string]any
	require.NoError(t, json.Unmarshal(b, &was))
	require.NoError(t, json.Unmarshal([]byte(strings.ReplaceAll(string(now), "content of ", "")), &is))
	for k, v := range was {
		switch k {
		case "version", "details", "rate", "soundtrack":
		default:
			assert.Equal(t, v, is[k], k)
		}
	}
	_, _, err = Convert([]byte(strings.ReplaceAll(string(b), `"m2"`, `"gone"`)), asRow, nil)
	assert.ErrorContains(t, err, "medium gone is not known")
}

func TestShotsAreChecked(t *testing.T) {
	for _, s := range []Shot{{Turn: 4}, {Crop: framing.Rect{
		X: 0.9,
		W: 0.5,
		H: 1,
	}}, {Focal: &framing.Point{X: 2}}, {Fit: "squash"}, {Scale: 3}, {Trim: Trim{From: 3, To: 2}},
		{Sound: 9}} {
		d := New("t", 1)
		d.Shots = map[MediaID]Shot{"m": s}
		assert.ErrorContains(t, d.Validate(), "shots.m.", "%+v", s)
	}
}

// Trimming never reaches beyond the clip.
func TestTrim(t *testing.T) {
	d, m := New("t", 1), Media{ID: "c", Kind: ClipMedia, Length: 10 * timecode.SampleRate}
	length := func() timecode.Samples { _, n := d.Cut(Slide{}, m); return n }
	assert.Equal(t, m.Length, length())
	d.Shots = map[MediaID]Shot{"c": {Trim: Trim{From: 2, To: 5}}}
	assert.EqualValues(t, 3*timecode.SampleRate, length())
	begin, _ := d.Cut(Slide{}, m)
	assert.EqualValues(t, 2*timecode.SampleRate, begin)
	begin, n := d.Cut(Slide{Trim: &Trim{From: 6, To: 7}}, m)
	assert.EqualValues(t, 6*timecode.SampleRate, begin, "the slide's own stands before the clip's")
	assert.EqualValues(t, timecode.SampleRate, n)
	d.Shots["c"] = Shot{Trim: Trim{From: 2, To: 50}}
	assert.EqualValues(t, 8*timecode.SampleRate, length())
	d.Shots["c"] = Shot{Trim: Trim{From: 20}}
	assert.EqualValues(t, 1, length())
}
