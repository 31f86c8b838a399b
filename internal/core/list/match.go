package list

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Named is a row as folders may name it.
type Named struct {
	Key    string
	Folder string   // as the list names it; may be empty
	Names  []string // what the row is called: names, client
}

// Sureness is how sure a match is.
type Sureness int

// Nobody is asked about an exact match; a likely one waits for a word; one that suits two
// rows equally waits for somebody to say which; for an unmatched one nothing is near enough.
const (
	Unmatched Sureness = iota
	Likely
	Exact
	Either
)

// Match is a folder and the row it belongs to, by index.
type Match struct {
	Folder   string
	Sure     Sureness
	Row      int // -1: none
	RunnerUp int // the next likely, -1: none
	Why      string
}

// near is how alike a name must be to be proposed, and nearby to be named as
// the runner-up.
const (
	near   = 0.62
	nearby = 0.4
	asMuch = 0.02 // two rows are equally like it
)

// Folders matches folders to rows: by the folder the list names, by the key
// alone or in front, by the name, of which case, accents, spaces, punctuation and figures in
// front are forgiven. What is alike only when words are run together or split, their order
// or a letter is forgiven is likely and waits for someone, with the next likely row beside it.
// Two folders never go to one row without being asked.
func Folders(folders []string, rows []Named) []Match {
	out := make([]Match, len(folders))
	taken := map[int]bool{}
	for i, f := range folders {
		out[i] = exactly(f, rows)
		if out[i].Sure != Exact {
			continue
		}
		if taken[out[i].Row] {
			out[i].Sure, out[i].Why = Likely, "another folder is this row's already"
		}
		taken[out[i].Row] = true
	}
	for i, f := range folders {
		if out[i].Row < 0 {
			out[i] = likely(f, rows, taken)
		}
	}
	return out
}

// exactly finds the one row a folder surely names.
func exactly(folder string, rows []Named) Match {
	m := Match{Folder: folder, Row: -1, RunnerUp: -1}
	rules := []struct {
		why  string
		fits func(Named) bool
	}{
		{"the folder in the list", func(r Named) bool { return r.Folder != "" && r.Folder == folder }},
		{"the key", func(r Named) bool { return r.Key == folder }},
		{"the name", func(r Named) bool { return slices.Contains(r.Names, folder) }},
		{"key and name, written otherwise", func(r Named) bool {
			first, rest, _ := strings.Cut(Fold(folder), " ")
			return sameKey(first, Fold(r.Key)) && rest != "" && r.called(rest)
		}},
		{"the name, written otherwise", func(r Named) bool {
			f := Fold(folder)
			return r.called(f) || r.called(strings.TrimLeft(f, "0123456789 "))
		}},
		{"the key in front", func(r Named) bool { return r.Key != "" && startsWith(folder, r.Key) }},
	}
	for _, rule := range rules {
		var found []int
		for i, r := range rows {
			if rule.fits(r) {
				found = append(found, i)
			}
		}
		if len(found) == 1 {
			m.Row, m.Sure, m.Why = found[0], Exact, rule.why
			return m
		}
		if len(found) > 1 {
			m.Row, m.RunnerUp, m.Sure, m.Why = found[0], found[1], Either, "several rows are called so"
			return m
		}
	}
	return m
}

// called reports whether a folded name is one of the row's, folded.
func (r Named) called(folded string) bool {
	return folded != "" && slices.ContainsFunc(append([]string{r.Folder}, r.Names...), func(n string) bool {
		return Fold(n) == folded
	})
}

// sameKey reports whether two folded keys differ by zeros in front at most.
func sameKey(a, b string) bool {
	return a != "" && (a == b || strings.Trim(a, "0123456789") == "" &&
		strings.TrimLeft(a, "0") == strings.TrimLeft(b, "0"))
}

// startsWith reports whether a name begins with a key as a word by itself:
// "03 Gannets", "03_gannets" and "03.jpg" with "03", but neither "031" nor
// "03a".
func startsWith(name, key string) bool {
	rest, ok := strings.CutPrefix(name, key)
	next, _ := utf8.DecodeRuneInString(rest)
	return ok && key != "" && (rest == "" || !unicode.IsLetter(next) && !unicode.IsNumber(next) &&
		!unicode.IsMark(next))
}

func likely(folder string, rows []Named, taken map[int]bool) Match {
	m := Match{Folder: folder, Row: -1, RunnerUp: -1}
	type score struct {
		row   int
		alike float64
		why   string
	}
	var all []score
	f := Fold(folder)
	bare := strings.TrimLeft(f, "0123456789 ")
	first, _, _ := strings.Cut(f, " ")
	for i, r := range rows {
		s := score{row: i}
		see := func(alike float64, why string) {
			if alike > s.alike {
				s.alike, s.why = alike, why
			}
		}
		key := Fold(r.Key)
		if key != "" && (f == key || sameKey(first, key)) {
			see(0.95, "the key, written otherwise")
		}
		for _, n := range append([]string{r.Folder}, r.Names...) {
			name := Fold(n)
			switch {
			case name == "":
			case name == f:
				see(1, "the name, written otherwise")
			case sorted(name) == sorted(f):
				see(0.98, "the name in another order")
			case strings.ReplaceAll(name, " ", "") == strings.ReplaceAll(f, " ", ""),
				strings.ReplaceAll(name, " ", "") == strings.ReplaceAll(bare, " ", ""):
				see(0.98, "the name, its words run together or split")
			default:
				see(0.97*max(likeness(f, name), likeness(bare, name)), "a name nearly alike")
			}
		}
		if taken[i] {
			s.alike *= 0.8
		}
		if s.alike >= nearby {
			all = append(all, s)
		}
	}
	slices.SortStableFunc(all, func(a, b score) int { return cmp.Compare(b.alike, a.alike) })
	if len(all) > 0 && all[0].alike >= near {
		m.Row, m.Sure, m.Why = all[0].row, Likely, all[0].why
		if len(all) > 1 && all[0].alike-all[1].alike < asMuch {
			m.Sure, m.Why = Either, "two rows are equally like it"
		}
		all = all[1:]
	}
	if len(all) > 0 {
		m.RunnerUp = all[0].row
	}
	return m
}

// FileRow is the row whose key a file's name begins with, such as
// "03_IMG_2.jpg" with the key "03"; -1 if there is none or more than one.
func FileRow(name string, rows []Named) int {
	found := -1
	for i, r := range rows {
		if !startsWith(name, r.Key) {
			continue
		}
		// The longest key wins: "03-b" before "03".
		if found < 0 || len(r.Key) > len(rows[found].Key) {
			found = i
		} else if len(r.Key) == len(rows[found].Key) {
			return -1
		}
	}
	return found
}
