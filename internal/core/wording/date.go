package wording

import (
	"time"

	"github.com/goodsign/monday"
)

// inFigures are the forms in which lists write a date with its year; in those below
// months have names.
var (
	inFigures = []string{time.DateOnly, "2.1.2006", "2/1/2006", "2-1-2006", "1/2/2006", "2006/1/2", "2.1.06",
		"2/1/06"}
	inWords = []string{"2 January 2006", "2 Jan 2006", "2 Jan. 2006", "January 2, 2006",
		"Monday 2 January 2006", "Monday, 2 January 2006"}
	loose  = []string{"2 January 2006", "2 Jan 2006", "January 2 2006", "Monday 2 January 2006"}
	spoken = []string{"2 January 2006", "Monday 2 January 2006", "Monday, 2 January 2006",
		"January 2, 2006", "Monday, January 2, 2006",
		"Monday 2 January", "2 January", "January 2", "2 Jan 2006", "Jan 2, 2006", "January 2006",
		time.DateOnly, "2.1.2006", "02.01.2006",
		"2. January 2006", "Monday, 2. January 2006", "2. January", "2 de January de 2006"}
)

// Date reads a date with a year, as lists write it, its month in figures or in any language.
// Where day and month could be either, the day comes first (common practice outside North
// America).
func Date(s string) (time.Time, bool) {
	if t, ok := dated(s, inFigures); ok {
		return t, true
	}
	if t, ok := dated(s, inWords); ok {
		return t, true
	}
	return dated(inEnglish(s), loose)
}

func dated(s string, forms []string) (time.Time, bool) {
	for _, f := range forms {
		if t, err := time.Parse(f, s); err == nil && t.Year() >= 2000 && t.Year() <= 2200 {
			return t, true
		}
	}
	return time.Time{}, false
}

// DateLike is a date written in figures, as an example reads: "2026-09-12" like "8 May
// 2026" is "12 September 2026". What is written in words, or is no date, is as it is; an
// example that is no date reads like "8 May 2026". It is written in the example's language.
func DateLike(example, s string) string {
	t, ok := dated(s, inFigures)
	if !ok {
		return s
	}
	form, l, ok := language(example, spoken)
	if !ok {
		form, l = spoken[0], monday.LocaleEnUS
	}
	return monday.Format(t, form, l)
}
