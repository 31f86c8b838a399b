package wording

import (
	"regexp"
	"strings"
	"unicode"
)

// The marks that keep the direction of a text from that of what stands beside it: first strong
// isolate and pop directional isolate (Unicode Standard Annex 9, 2.4 and 2.5).
const (
	firstStrong = "\u2068"
	popIsolate  = "\u2069"
)

// fromTheRight are the scripts that are written from right to left.
var fromTheRight = []*unicode.RangeTable{unicode.Hebrew, unicode.Arabic, unicode.Syriac, unicode.Thaana,
	unicode.Nko, unicode.Samaritan, unicode.Mandaic, unicode.Adlam, unicode.Hanifi_Rohingya}

// Isolated is a value that is put into a text, such that it orders nothing but itself: what is
// written from right to left does not move what stands before or after it.
func Isolated(value string) string {
	if !strings.ContainsFunc(value, func(r rune) bool { return unicode.In(r, fromTheRight...) }) {
		return value
	}
	return firstStrong + value + popIsolate
}

var quoted = regexp.MustCompile("“[^“”]*”")

// IsolatedQuotes is a message with what it quotes isolated.
func IsolatedQuotes(message string) string {
	return quoted.ReplaceAllStringFunc(message, func(q string) string {
		return "“" + Isolated(strings.TrimSuffix(strings.TrimPrefix(q, "“"), "”")) + "”"
	})
}

// Bare is a value without the marks of Isolated.
func Bare(value string) string {
	return strings.TrimSuffix(strings.TrimPrefix(value, firstStrong), popIsolate)
}

// Beside puts values beside each other with a dot between, each isolated; empty ones are
// left out.
func Beside(values ...string) string {
	var out []string
	for _, v := range values {
		if v != "" {
			out = append(out, Isolated(v))
		}
	}
	return strings.Join(out, Dot)
}

// Dot stands between values beside each other.
const Dot = " · "
