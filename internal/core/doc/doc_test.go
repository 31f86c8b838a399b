package doc

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/timecode"
)

func TestParseRefusesWhatCannotBe(t *testing.T) {
	good, err := New("tideline", 1).Marshal()
	require.NoError(t, err)
	_, err = Parse(good)
	require.NoError(t, err)
	for change, want := range map[[2]string]string{
		{`"version":1`, `"version":2`}:                    "reads 1 to 1",
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
