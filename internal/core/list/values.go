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
	inWords   = regexp.MustCompile(`^(\p{L}+\.?,? )?(\d{1,2}(st|nd|rd|th|\.)? \p{L}{3,}\.?|\p{L}{3,}\.? \d{1,2}(st|nd|rd|th)?)(,? \d{4})?$`)
	letters   = regexp.MustCompile(`\p{L}{3,}`)
)

// months are the first three letters of the months in English, German, French, Spanish and
// Dutch.
var months = strings.Fields("jan feb fev fév mar mär maa mrt apr avr abr may mai mei jun jui jul aug aou aoû ago sep set oct okt nov dec dez déc dic ene")

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

// byValues gives roles to columns whose headings say nothing, by what stands in them: a column
// of dates is the date, one of addresses the e-mail.
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
}

// share is how many of a column's filled cells below the heading are of a sort; 0 where there
// are too few.
func (t *Table) share(column int, is func(string) bool) float64 {
	fits, all := 0, 0
	for _, row := range t.Rows[t.Head+1:] {
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
