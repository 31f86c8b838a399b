// Package naming gives files names that every file system takes, from a
// pattern of an order's values.
package naming

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// Usual is the pattern where none is given.
const Usual = "{key} {names}"

// MaxBytes is the longest name, ending included: less than the 255 bytes that
// file systems take (POSIX, NAME_MAX), to leave room for "name (2).part".
const MaxBytes = 200

// Counter is the field that counts the rows, from 1, with as many figures as
// the last needs.
const Counter = "counter"

var field = regexp.MustCompile(`\{([^{}]*)\}`)

// Fields are the fields a pattern names, in order.
func Fields(pattern string) (out []string) {
	for _, m := range field.FindAllStringSubmatch(pattern, -1) {
		out = append(out, m[1])
	}
	return out
}

// Check reports what is wrong with a pattern. known are the fields there are.
func Check(pattern string, known []string) error {
	for _, f := range Fields(pattern) {
		if f != Counter && !slices.Contains(known, f) {
			return fmt.Errorf("there is no {%s}; there are {%s}", f,
				strings.Join(append(slices.Clone(known), Counter), "}, {"))
		}
	}
	if rest := field.ReplaceAllString(pattern, ""); strings.ContainsAny(rest, "{}") {
		return fmt.Errorf("a brace is not closed, or not opened")
	}
	if strings.TrimSpace(pattern) == "" {
		return fmt.Errorf("the pattern is empty")
	}
	return nil
}

// Names gives each row its file's name. ending is the file's extension,
// without a dot. No two names are alike, also where case and accents' spelling
// do not count. A field that holds whole numbers only, such as the rows' own, has as many
// figures in each as the longest needs, so that files stand in the rows' order.
func Names(pattern string, rows []map[string]string, ending string) []string {
	figures := len(strconv.Itoa(len(rows)))
	widths := map[string]int{}
	for _, f := range Fields(pattern) {
		widths[f] = width(f, rows)
	}
	taken := map[string]bool{}
	out := make([]string, len(rows))
	for i, row := range rows {
		name := field.ReplaceAllStringFunc(pattern, func(f string) string {
			if f = f[1 : len(f)-1]; f == Counter {
				return fmt.Sprintf("%0*d", figures, i+1)
			}
			v := strings.TrimSpace(row[f])
			if zeros := widths[f] - len(v); zeros > 0 && v != "" {
				return strings.Repeat("0", zeros) + v
			}
			return row[f]
		})
		out[i] = unlike(Safe(name), ending, taken)
	}
	return out
}

// width is how many figures the longest value of a field has; 0 where any value is more
// than a whole number.
func width(field string, rows []map[string]string) int {
	widest := 0
	for _, row := range rows {
		v := strings.TrimSpace(row[field])
		if strings.Trim(v, "0123456789") != "" {
			return 0
		}
		widest = max(widest, len(v))
	}
	return widest
}

// unlike gives a name an ending and, if it is taken, a number.
func unlike(stem, ending string, taken map[string]bool) string {
	for n := 1; ; n++ {
		end := "." + ending
		if ending == "" {
			end = ""
		}
		if n > 1 {
			end = fmt.Sprintf(" (%d)%s", n, end)
		}
		name := cut(stem, MaxBytes-len(end)) + end
		if key := cases.Fold().String(norm.NFKC.String(name)); !taken[key] {
			taken[key] = true
			return name
		}
	}
}

// reserved are names that Windows keeps for devices, whatever their ending
// (Microsoft, "Naming Files, Paths, and Namespaces").
var reserved = regexp.MustCompile(`(?i)^(con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(\.|$)`)

// Safe turns a text into a name that can stand on every file system, without
// an ending: characters that some refuse become hyphens, line breaks and runs
// of blanks a single one, no dot or blank stands at either end, and what
// Windows keeps for devices gets an underscore. The text is composed (NFC), as
// most file systems expect. An empty text becomes "film".
func Safe(s string) string {
	s = strings.Map(func(r rune) rune {
		switch {
		case strings.ContainsRune(`<>:"/\|?*`, r):
			return '-'
		case unicode.IsSpace(r):
			return ' '
		case unicode.IsControl(r), r == utf8.RuneError, unicode.Is(unicode.Bidi_Control, r):
			return -1
		}
		return r
	}, s)
	s = norm.NFC.String(s) // now, as what was taken out may have stood between a letter and its mark
	s = strings.Join(strings.Fields(s), " ")
	s = strings.Trim(cut(s, MaxBytes), " .")
	if reserved.MatchString(s) {
		s = "_" + s
	}
	if s == "" {
		return "film"
	}
	return s
}

// cut shortens a text to so many bytes, at the end of a character that is not
// followed by a mark of its own.
func cut(s string, most int) string {
	if len(s) <= most {
		return s
	}
	for most > 0 {
		r, _ := utf8.DecodeRuneInString(s[most:])
		if utf8.RuneStart(s[most]) && !unicode.IsMark(r) {
			break
		}
		most--
	}
	return strings.TrimRight(s[:most], " .")
}
