package wording

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestDates(t *testing.T) {
	for s, want := range map[string]string{
		"2026-09-12":                  "12 September 2026",
		"12.9.2026":                   "12 September 2026",
		"12/9/26":                     "12 September 2026",
		"12. September 2026":          "12 September 2026",
		"12 de septiembre de 2026":    "12 September 2026",
		"12 settembre 2026":           "12 September 2026",
		"Samstag, 12. September 2026": "12 September 2026",
		"12 août 2026":                "12 August 2026",
		"1. März 2026":                "1 March 2026",
		"3 maja 2026":                 "3 May 2026",
		"12 SEPTEMBRE 2026":           "12 September 2026",
		"12 сентября 2026":            "12 September 2026",
		"12 sept. 2026":               "12 September 2026",
		"9/28/2026":                   "28 September 2026",
		"12 Sep 2026":                 "12 September 2026",
		"September 12, 2026":          "12 September 2026",
	} {
		got, ok := Date(s)
		assert.True(t, ok, s)
		assert.Equal(t, want, got.Format("2 January 2006"), s)
	}
	for _, s := range []string{"", "12 listopad 2026", "12 Nowhere 2026", "1986 – 2026", "31.2.2026",
		"1926-09-12", "12 September"} {
		_, ok := Date(s)
		assert.False(t, ok, s)
	}
}

// A date in figures reads as the example does; all else is as it was written.
func TestDatesReadLikeTheExample(t *testing.T) {
	for _, x := range [][3]string{
		{"3 July 2026", "2026-09-12", "12 September 2026"},
		{"Saturday 12 September", "19.9.2026", "Saturday 19 September"},
		{"Sunday 20 September 2026", "5/9/2026", "Saturday 5 September 2026"},
		{"September 8, 2026", "2026-09-12", "September 12, 2026"},
		{"3. Juli 2026", "2026-03-12", "12. März 2026"},
		{"3 juillet 2026", "2026-08-12", "12 août 2026"},
		{"3 de julio de 2026", "12.9.2026", "12 de septiembre de 2026"},
		{"Samstag, 12. September 2026", "19.9.2026", "Samstag, 19. September 2026"},
		{"Summer 2026", "2026-09-12", "12 September 2026"},
		{"3 July 2026", "Midsummer 2026", "Midsummer 2026"},
		{"3 July 2026", "Sept 12th", "Sept 12th"},
		{"3 July 2026", "", ""},
	} {
		assert.Equal(t, x[2], DateLike(x[0], x[1]), x)
	}
}
