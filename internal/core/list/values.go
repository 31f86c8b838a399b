package list

import (
	"fmt"
	"net/mail"
	"regexp"
	"slices"
	"strings"
)

// mostly is the share of a column's values that must be of a sort for the column to be read
// as that, and fewest how many there must be.
const (
	mostly = 0.8
	fewest = 2
)

var (
	inFigures = regexp.MustCompile(`^\d{1,4}[./-]\d{1,2}([./-](\d{4}|\d{2})?)?$`)
	inWords   = regexp.MustCompile(
		`^(\p{L}+\.?,? )?(\d{1,2}(st|nd|rd|th|\.)? \p{L}{3,}\.?|\p{L}{3,}\.? \d{1,2}(st|nd|rd|th)?)(,? \d{4})?$`)
	letters = regexp.MustCompile(`\p{L}{3,}`)
	words   = regexp.MustCompile(`\p{L}{2,}`)
)

// months are the first three letters of the months in English, German, French, Spanish and
// Dutch.
var months = strings.Fields("jan feb fev fév mar mär maa mrt apr avr abr may mai mei jun jui jul aug aou " +
	"aoû ago sep set oct okt nov dec dez déc dic ene")

// IsDate reports whether a cell reads as a date of a day, with its year or without.
func IsDate(s string) bool {
	s = strings.Join(strings.Fields(s), " ")
	if inFigures.MatchString(s) {
		return true
	}
	if !inWords.MatchString(s) {
		return false
	}
	return slices.ContainsFunc(letters.FindAllString(strings.ToLower(s), -1), func(w string) bool {
		return slices.Contains(months, string([]rune(w)[:3]))
	})
}

func isAddress(s string) bool {
	a, err := mail.ParseAddress(s)
	return err == nil && a.Name == "" && strings.Contains(a.Address, ".")
}

// isCode reports whether a cell reads as what numbers a row: short, in one word, with a figure.
func isCode(s string) bool {
	return len(s) <= longestCode && strings.ContainsAny(s, "0123456789") && !strings.ContainsAny(s, " @") &&
		!IsDate(s)
}

const longestCode = 6

// isWords reports whether a cell reads as what somebody or something is called.
func isWords(s string) bool {
	return words.MatchString(s) && len([]rune(s)) <= 80 && !IsDate(s) && !isAddress(s)
}

// byValues gives roles to columns whose headings say nothing, by what stands in them: a column
// of dates is the date, one of addresses the e-mail, one of short codes that are never alike the
// key; the only one of words that are hardly ever alike is what the films are called by.
func (t *Table) byValues(roles []Role, details []Detail) {
	give := func(role Role, is func(string) bool) {
		if slices.Contains(roles, role) {
			return
		}
		for i := range roles {
			if roles[i] == Unused && t.share(i, is) >= mostly {
				roles[i] = role
				return
			}
		}
	}
	if slices.ContainsFunc(details, func(d Detail) bool { return d.Key == "date" }) {
		give(DetailRole("date"), IsDate)
	}
	give(Email, isAddress)
	if !slices.Contains(roles, Key) {
		for c, is := range t.unlike(roles, isCode, 1) {
			if is && !private.MatchString(Fold(t.Headings[c])) {
				roles[c] = Key
				break
			}
		}
	}
	called := slices.IndexFunc(details, func(d Detail) bool { return d.Key == "names" })
	if called < 0 {
		called = slices.IndexFunc(details, func(d Detail) bool { return d.Required && d.Key != "date" })
	}
	if called < 0 || slices.Contains(roles, DetailRole(details[called].Key)) {
		return
	}
	names := t.unlike(roles, isWords, mostly)
	if k := slices.Index(names, true); k >= 0 && !slices.Contains(names[k+1:], true) {
		roles[k] = DetailRole(details[called].Key)
	}
}

// unlike tells of each column without a role whether mostly all rows have a cell in it, of a
// sort, and at least such a share of them differ.
func (t *Table) unlike(roles []Role, is func(string) bool, differ float64) []bool {
	rows := 0
	for _, row := range t.Rows[t.Head+1:] {
		if filled(row) > 0 {
			rows++
		}
	}
	out := make([]bool, len(roles))
	for c := range roles {
		if roles[c] != Unused || t.share(c, is) < mostly {
			continue
		}
		n, seen := 0, map[string]bool{}
		for _, row := range t.Rows[t.Head+1:] {
			if c < len(row) && strings.TrimSpace(row[c]) != "" {
				n++
				seen[Fold(row[c])] = true
			}
		}
		out[c] = float64(n) >= mostly*float64(rows) && float64(len(seen)) >= differ*float64(n)
	}
	return out
}

// share is how many of a column's filled cells below the heading are of a sort; 0 where there
// are too few.
func (t *Table) share(column int, is func(string) bool) float64 {
	return shareIn(t.Rows[t.Head+1:], column, is)
}

func shareIn(rows [][]string, column int, is func(string) bool) float64 {
	fits, all := 0, 0
	for _, row := range rows {
		if column >= len(row) {
			continue
		}
		if v := strings.TrimSpace(row[column]); v != "" {
			all++
			if is(v) {
				fits++
			}
		}
	}
	if all < fewest {
		return 0
	}
	return float64(fits) / float64(all)
}

// Assign gives columns the roles that were said: by a role or the key of a detail, the column's
// heading. Other columns that had such a role lose it.
func (t *Table) Assign(roles []Role, said map[string]string, details []Detail) error {
	for what, heading := range said {
		role := Role(what)
		if slices.ContainsFunc(details, func(d Detail) bool { return d.Key == what }) {
			role = DetailRole(what)
		} else if !slices.Contains(Roles, role) {
			return fmt.Errorf("%q is neither a detail of the theme nor one of %v", what, Roles)
		}
		at := slices.IndexFunc(t.Headings, func(h string) bool { return Fold(h) == Fold(heading) })
		if at < 0 {
			return fmt.Errorf("the list has no column %q; it has %s", heading, strings.Join(t.Headings, ", "))
		}
		for i := range roles {
			if roles[i] == role {
				roles[i] = Unused
			}
		}
		roles[at] = role
	}
	return nil
}
