package wording

import (
	"strings"
	"sync"
	"time"
	"unicode"

	"github.com/goodsign/monday"
)

// english are the names of months and days in the languages there are, in lower case, and what
// they are in English. What means one month here and another there is left out.
var english = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	put := func(name, called string) {
		name = strings.ToLower(strings.Trim(name, ". "))
		if name == "" || strings.ContainsFunc(name, unicode.IsDigit) {
			return // some languages count their months
		}
		if had, ok := out[name]; ok && had != called {
			called = ""
		}
		out[name] = called
	}
	for _, l := range monday.ListLocales() {
		for m := time.January; m <= time.December; m++ {
			t := time.Date(2026, m, 3, 0, 0, 0, 0, time.UTC)
			for _, form := range []string{"January", "Jan", "2 January"} { // the last for the genitive
				put(strings.TrimPrefix(monday.Format(t, form, l), "3 "), m.String())
			}
		}
		for d := range 7 {
			t := time.Date(2026, time.March, 1+d, 0, 0, 0, 0, time.UTC)
			put(monday.Format(t, "Monday", l), t.Weekday().String())
		}
	}
	return out
})

// inEnglish is a date written in words of any language as it is in English: "12. Mai 2026" and
// "12 de mayo de 2026" are "12 May 2026".
func inEnglish(s string) string {
	words := strings.FieldsFunc(s, func(r rune) bool { return unicode.IsSpace(r) || r == ',' })
	var out []string
	for _, w := range words {
		low := strings.ToLower(strings.Trim(w, "."))
		switch e := english()[low]; {
		case low == "de" || low == "del" || low == "of" || low == "the" || low == "den" || low == "le":
		case e != "":
			out = append(out, e)
		default:
			out = append(out, strings.TrimSuffix(w, "."))
		}
	}
	return strings.Join(out, " ")
}

// language is in which language, and by which of forms, an example of a date is written: English
// where it can be, else one that writes it letter by letter so.
func language(example string, forms []string) (form string, l monday.Locale, ok bool) {
	for _, f := range forms {
		if _, err := time.Parse(f, example); err == nil {
			return f, monday.LocaleEnUS, true
		}
	}
	for _, l := range monday.ListLocales() {
		for _, f := range forms {
			// It reads leniently, so it is to be written as it was.
			if t, err := monday.Parse(f, example, l); err == nil && monday.Format(t, f, l) == example {
				return f, l, true
			}
		}
	}
	return "", "", false
}
