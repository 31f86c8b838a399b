package theme_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/theme"
)

const shipped = "../../../themes/tideline/theme.json"

func TestBrokenThemesAreRefusedWithThePath(t *testing.T) {
	b, err := os.ReadFile(shipped)
	require.NoError(t, err)
	good := string(b)
	th, err := theme.Parse(b)
	require.NoError(t, err)
	assert.Len(t, th.Missing(map[string]string{"names": "x"}), 1)

	for change, want := range map[[2]string]string{
		{`"id": "tideline"`, `"id": ""`}:                                     "must be given",
		{`"author": "Nelko"`, `"autor": "Nelko"`}:                            "unknown field",
		{`"kind": "dissolve"`, `"kind": "explode"`}:                          "transition.kind",
		{`"detail": "names"`, `"detail": "shoes"`}:                           "opening.lines[0].detail",
		{`"font": "display"`, `"font": "comic"`}:                             "opening.lines[0].font",
		{`"framing": "fill"`, `"framing": "squash"`}:                         "layouts[0].places[0]",
		{`"x": 0.1, "y": 0.075, "w": 0.8`, `"x": 0.3, "y": 0.075, "w": 0.8`}: "layouts[1].places[0]",
		{`"id": "print"`, `"id": "full"`}:                                    `layouts[1].id: "full" is used twice`,
		{`"suits": "upright", "share": 2`, `"suits": "wide", "share": 2`}:    "none for one upright picture",
		{`#0d2233`, `blue`}:                                                  "#rrggbb",
		{`"ease": "in-out"`, `"ease": "wobbly"`}:                             "motion",
		{`"zoom": 0.12`, `"zoom": 12`}:                                       "motion",
		{`"in_seconds": 0.6`, `"in_seconds": 60`}:                            "fades",
		{`"calmest": 7`, `"calmest": 1`}:                                     "pace",
		{`"seconds": 5,`, `"seconds": 0,`}:                                   "opening.seconds",
		{`"blur": 0.03 }`, `"blur": 3 }`}:                                    "backdrop",
	} {
		require.Contains(t, good, change[0])
		_, err := theme.Parse([]byte(strings.Replace(good, change[0], change[1], 1)))
		assert.ErrorContains(t, err, want, change[1])
	}
}

// SMPTE ST 2046-1 (from memory): the safe title area is the middle 90 % of
// width and height, so words keep 5 % from every edge.
func TestWordsKeepToTheSafeTitleArea(t *testing.T) {
	b, err := os.ReadFile(shipped)
	require.NoError(t, err)
	th, err := theme.Parse(b)
	require.NoError(t, err)
	for _, c := range []theme.Card{th.Opening, th.Closing} {
		for _, l := range c.Lines {
			assert.GreaterOrEqual(t, l.Box.X, 0.05)
			assert.GreaterOrEqual(t, l.Box.Y, 0.05)
			assert.LessOrEqual(t, l.Box.X+l.Box.W, 0.95)
			assert.LessOrEqual(t, l.Box.Y+l.Box.H, 0.95)
		}
	}
}

func FuzzParse(f *testing.F) {
	b, err := os.ReadFile(shipped)
	require.NoError(f, err)
	f.Add(b)
	f.Fuzz(func(_ *testing.T, b []byte) { _, _ = theme.Parse(b) })
}
