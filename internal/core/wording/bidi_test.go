package wording_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"golang.org/x/text/unicode/bidi"

	"nelko/internal/core/wording"
)

// The name of a crew in Arabic between an event and a date leaves both where they are: the runs,
// as Unicode's algorithm orders them (golang.org/x/text/unicode/bidi), begin with the event and
// end with the date.
func TestNamesFromTheRightStayInTheirPlace(t *testing.T) {
	text := wording.Beside("Fest <30> für 24", "عمر", "Dec 2026", "")
	assert.Equal(t, "Fest <30> für 24 · \u2068عمر\u2069 · Dec 2026", text)
	ordered := func(text string) (out []string) {
		var p bidi.Paragraph
		_, err := p.SetString(text, bidi.DefaultDirection(bidi.LeftToRight))
		assert.NoError(t, err)
		o, err := p.Order()
		assert.NoError(t, err)
		for i := range o.NumRuns() {
			r := o.Run(i)
			out = append(out, r.String())
		}
		return out
	}
	runs := ordered(wording.Beside("عمر", "24 crews"))
	assert.Contains(t, runs[len(runs)-1], "24 crews", "the number stands after the name")
	assert.Equal(t, "Salt & Tar · 12", wording.Beside("Salt & Tar", "12"),
		"nothing is marked where nothing needs it")
	assert.Equal(t, "عمر", wording.Bare(wording.Isolated("عمر")))
	assert.Equal(t, "Ida", wording.Bare(wording.Isolated("Ida")))
}

func TestQuotesAreIsolated(t *testing.T) {
	assert.Equal(t, "Row 3 is called “\u2068عمر <30>\u2069” too",
		wording.IsolatedQuotes("Row 3 is called “عمر <30>” too"))
	assert.Equal(t, "Row 3 is called “Omar” too", wording.IsolatedQuotes("Row 3 is called “Omar” too"))
}
