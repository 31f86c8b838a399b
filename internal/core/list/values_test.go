package list_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/list"
)

// Dates as organisers write them; common practice, no source.
func TestIsDate(t *testing.T) {
	for text, is := range map[string]bool{
		"12/9":               true,
		"12.09.2026":         true,
		"2026-09-12":         true,
		"12.9.":              true,
		"12 September 2026":  true,
		"12th Sept":          true,
		"Sat 12 Sep 2026":    true,
		"September 12, 2026": true,
		"12. März 2026":      true,
		"12 août 2026":       true,
		"The Gannets":        false,
		"24 crews":           false,
		"417":                false,
		"Crew 12":            false,
		"":                   false,
		"12":                 false,
		"1:30":               false,
		"May":                false,
		"4 Marina Road":      false,
	} {
		assert.Equal(t, is, list.IsDate(text), text)
	}
}

// A column of dates is the date whatever it is called, and one of addresses the e-mail; what is
// said by hand goes before what was guessed.
func TestColumnsAreReadByTheirValues(t *testing.T) {
	details := []list.Detail{{Key: "names", Label: "Names"}, {Key: "date", Label: "Date"}}
	for _, heading := range []string{"Regatta date", "Raced on", "Gerudert am"} {
		tb := list.Table{Rows: [][]string{{"Nr", "Names", heading, "Write to"},
			{"1", "The Gannets", "12 September 2026", "a@b.example"},
			{"2", "Harbour Lights", "13 September 2026", ""}, {"3", "Terns", "", "c@d.example"}}}
		roles := tb.Recognise(details)
		assert.Equal(t, []list.Role{list.Key, list.DetailRole("names"), list.DetailRole("date"), list.Email},
			roles, heading)
	}
	tb := list.Table{Rows: [][]string{{"Nr", "Crew", "Signed up", "Raced on"},
		{"1", "The Gannets", "1 May 2026", "12 September 2026"}, {"2", "Lights", "2 May 2026",
			"12 September 2026"}}}
	roles := tb.Recognise(details)
	assert.Equal(t, list.DetailRole("date"), roles[2], "the first of them")
	require.NoError(t, tb.Assign(roles, map[string]string{"date": "raced on"}, details))
	assert.Equal(t, []list.Role{list.Key, list.DetailRole("names"), list.Unused, list.DetailRole("date")},
		roles)
	assert.ErrorContains(t, tb.Assign(roles, map[string]string{"date": "Rowed"}, details),
		"it has Nr, Crew, Signed up, Raced on")
	assert.ErrorContains(t, tb.Assign(roles, map[string]string{"colour": "Nr"}, details), "neither a detail")
}
