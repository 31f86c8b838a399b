// Package wording is what messages are put together with.
package wording

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Counted is a number with a word for what it counts: "1 slide", "3 slides", "2
// copies".
func Counted(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	if stem, ok := strings.CutSuffix(word, "y"); ok && !strings.HasSuffix(stem, "a") &&
		!strings.HasSuffix(stem, "e") && !strings.HasSuffix(stem, "o") {
		return fmt.Sprintf("%d %sies", n, stem)
	}
	return fmt.Sprintf("%d %ss", n, word)
}

// Short keeps a text's beginning, on one line: at most so many characters, with "…" where more
// follows.
func Short(s string, most int) string {
	r := []rune(strings.ReplaceAll(s, "\n", " "))
	if len(r) <= most {
		return string(r)
	}
	return strings.TrimRight(string(r[:most-1]), " ") + "…"
}

// Listed joins words: "link", "link and disc", "link, disc and file".
func Listed(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	last := len(words) - 1
	return strings.Join(words[:last], ", ") + " and " + words[last]
}

// Lower is a text with its first letter small, to go on within a sentence.
func Lower(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	if n == 0 {
		return s
	}
	return string(unicode.ToLower(r)) + s[n:]
}
