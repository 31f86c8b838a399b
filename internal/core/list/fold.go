package list

import (
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// Fold is a text as it counts where case, accents, punctuation and spacing do
// not: its words in lower case, without marks, one space apart. Letters that
// decompose to nothing else, such as ß or ø, stay letters of their own but for
// the few that people write in two ways.
func Fold(s string) string {
	var b strings.Builder
	space := false
	for _, r := range norm.NFKD.String(cases.Fold().String(norm.NFKD.String(s))) {
		switch {
		case unicode.Is(unicode.Mn, r) && combining(r), r == '\'', r == '’', r == 'ʼ':
			// An accent, or an apostrophe: the word goes on.
		case unicode.IsLetter(r), unicode.IsNumber(r), unicode.Is(unicode.Mn, r), unicode.Is(unicode.Mc, r):
			if space && b.Len() > 0 {
				b.WriteByte(' ')
			}
			space = false
			if t, ok := twoWays[r]; ok {
				b.WriteString(t)
			} else {
				b.WriteRune(r)
			}
		default:
			space = true
		}
	}
	return b.String()
}

// combining tells accents, which may be left out, from the vowel signs of
// scripts in which a word without them is another word.
func combining(r rune) bool { return r >= 0x300 && r <= 0x36f }

var twoWays = map[rune]string{
	'ø': "o",
	'ł': "l",
	'đ': "d",
	'ð': "d",
	'þ': "th",
	'æ': "ae",
	'œ': "oe",
	'ı': "i",
}

// sorted is a folded text with its words in order of the alphabet.
func sorted(folded string) string {
	w := strings.Fields(folded)
	slices.Sort(w)
	return strings.Join(w, " ")
}

// likeness is how alike two folded texts are, from 0 to 1: one less the share
// of letters that must be changed to make one from the other, whatever the
// order of words. The way counts insertions, deletions, replacements and
// swaps of neighbours as one each (optimal string alignment).
func likeness(a, b string) float64 {
	x, y := []rune(sorted(a)), []rune(sorted(b))
	longer := max(len(x), len(y))
	if longer == 0 {
		return 0
	}
	before, row, next := make([]int, len(y)+1), make([]int, len(y)+1), make([]int, len(y)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(x); i++ {
		next[0] = i
		for j := 1; j <= len(y); j++ {
			same := 1
			if x[i-1] == y[j-1] {
				same = 0
			}
			next[j] = min(row[j]+1, next[j-1]+1, row[j-1]+same)
			if i > 1 && j > 1 && x[i-1] == y[j-2] && x[i-2] == y[j-1] {
				next[j] = min(next[j], before[j-2]+1)
			}
		}
		before, row, next = row, next, before
	}
	alike := 1 - float64(row[len(y)])/float64(longer)
	// One that holds all words of the other is like it too, as "03 Gannets" and
	// "The Gannets", the more so the less there is besides.
	if shared := wordsShared(a, b); shared >= 0.5 {
		alike = max(alike, 0.6+0.3*shared)
	} else if shared > 0 {
		alike = max(alike, 0.61)
	}
	return alike
}

// wordsShared is the share of the longer text's letters that stand in words of
// the shorter one too, or 0 if not all of that one's words of three letters and
// more do.
func wordsShared(a, b string) float64 {
	short, long := strings.Fields(a), strings.Fields(b)
	if len(short) > len(long) {
		short, long = long, short
	}
	shared := 0
	for _, w := range short {
		n := len([]rune(w))
		switch {
		case slices.Contains(long, w):
			shared += n
		case n >= 3:
			return 0
		}
	}
	if shared < 3 {
		return 0
	}
	return float64(shared) / float64(len([]rune(strings.Join(long, ""))))
}
