package doc

import (
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
		{`"version":2`, `"version":3`}:                    "reads 1 to 2",
		{`"theme":"tideline"`, `"theme":""`}:              "theme: missing",
		{`"w":1920`, `"w":1921`}:                          "sides must be even",
		{`"num":30`, `"num":31`}:                          "frame rate",
		{`"slides":null`, `"slides":[{"id":"s1"}]`}:       "slides[0].kind",
		{`"mode":"pace"`, `"mode":"maybe"`}:               "fit.mode",
		{`"pace_seconds":4`, `"pace_seconds":0`}:          "fit.pace_seconds",
		{`"details":{}`, `"details":{},"extra":1`}:        "unknown field",
		{`"fade_in_seconds":0.5`, `"fade_in_seconds":-1`}: "soundtrack",
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
		{ID: "a", Kind: Pictures, Media: make([]MediaID, 7), Linger: 1}, {ID: "a", Kind: Opening}, {Kind: Opening, Linger: 1},
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
	f.Fuzz(func(t *testing.T, b []byte) {
		d, err := Parse(b)
		if err == nil {
			require.NoError(t, d.Validate())
			_, err = d.Clone().Marshal()
			require.NoError(t, err)
		}
	})
}

// A document of version 1, as the program wrote it, is read without loss: the
// layouts it was cast into are the theme's business now, all else stays.
func TestFirstVersionIsConverted(t *testing.T) {
	old := `{"version":1,"theme":"tideline","seed":7,"frame":{"w":1920,"h":1080},"rate":{"num":30,"den":1},"details":{"names":"A"},
		"slides":[{"id":"s1","kind":"opening","linger":1},{"id":"s3","kind":"pictures","layout":"pair","media":["m1","m2"],"linger":2,"pinned_seconds":3,"placed":true}],
		"left_out":["m9"],"soundtrack":{"songs":["m4"],"fade_in_seconds":0.5,"fade_out_seconds":3,"lufs":-16},"fit":{"mode":"music","pace_seconds":4},"last_slide":3}`
	d, err := Parse([]byte(old))
	require.NoError(t, err)
	assert.Equal(t, Version, d.Version)
	assert.Equal(t, Slide{ID: "s3", Kind: Pictures, Media: []MediaID{"m1", "m2"}, Linger: 2, Pinned: 3, Placed: true}, d.Slides[1])
	assert.Equal(t, []MediaID{"m9"}, d.LeftOut)
	again, err := d.Marshal()
	require.NoError(t, err)
	back, err := Parse(again)
	require.NoError(t, err)
	assert.Equal(t, d, back)
}

func TestShotsAreChecked(t *testing.T) {
	for _, s := range []Shot{{Turn: 4}, {Crop: framing.Rect{X: 0.9, W: 0.5, H: 1}}, {Focal: &framing.Point{X: 2}}, {Fit: "squash"}, {Scale: 3}, {Trim: Trim{From: 3, To: 2}}, {Sound: 9}} {
		d := New("t", 1)
		d.Shots = map[MediaID]Shot{"m": s}
		assert.ErrorContains(t, d.Validate(), "shots.m.", "%+v", s)
	}
}

// Trimming never reaches beyond the clip.
func TestTrim(t *testing.T) {
	d, m := New("t", 1), Media{ID: "c", Kind: ClipMedia, Length: 10 * timecode.SampleRate}
	assert.Equal(t, m.Length, d.Length(m))
	d.Shots = map[MediaID]Shot{"c": {Trim: Trim{From: 2, To: 5}}}
	assert.EqualValues(t, 3*timecode.SampleRate, d.Length(m))
	assert.EqualValues(t, 2*timecode.SampleRate, d.Begin(m))
	d.Shots["c"] = Shot{Trim: Trim{From: 2, To: 50}}
	assert.EqualValues(t, 8*timecode.SampleRate, d.Length(m))
	d.Shots["c"] = Shot{Trim: Trim{From: 20}}
	assert.EqualValues(t, 1, d.Length(m))
}
