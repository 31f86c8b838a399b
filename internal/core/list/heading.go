package list

import (
	"fmt"
	"slices"
	"strings"
)

// headSearch is how many rows from the top the heading is looked for in, headLooks how many below
// it are looked at for that.
const (
	headSearch = 12
	headLooks  = 200
)

// Recognise finds the heading row and gives every column its role, each role once. Columns whose
// headings say nothing are read by what stands in them.
func (t *Table) Recognise(details []Detail) []Role {
	t.Head = t.head(details)
	t.Headings = make([]string, t.width())
	for i := range t.Headings {
		if t.Head >= 0 && i < len(t.Rows[t.Head]) {
			t.Headings[i] = strings.TrimSpace(t.Rows[t.Head][i])
		}
		if t.Headings[i] == "" {
			t.Headings[i] = "Column " + ColumnName(i)
		}
		for n := 2; slices.Contains(t.Headings[:i], t.Headings[i]); n++ {
			t.Headings[i] = fmt.Sprintf("%s %d", strings.TrimSuffix(t.Headings[i], fmt.Sprintf(" %d", n-1)),
				n)
		}
	}
	roles := give(t.Headings, details)
	t.byValues(roles, details)
	return roles
}

// head is the row of the upper ones that reads most as a heading: most of its cells are known
// words, or are of another sort than what stands below them, such as a word over dates. If none
// does, the first row counts when all its cells are filled and differ, none is of the sort of those
// below and the list is longer than it; else there is none. Lines over the heading, with few cells
// of what rows usually have, are titles.
func (t *Table) head(details []Detail) int {
	best, most, first := -1, 0, -1
	usual := t.usually()
	for i, row := range t.Rows[:min(len(t.Rows), headSearch)] {
		n := filled(row)
		if n == 0 || usual > 2 && 2*n < usual {
			continue
		}
		if first < 0 {
			first = i
		}
		known := 0
		for _, r := range give(row, details) {
			if r != Unused {
				known++
			}
		}
		other := t.unlikeBelow(i)
		// One known word may be a name that happens to be one.
		if known == 1 && other == 0 && n > 2 && i > first {
			continue
		}
		if v := 2*known + other; v > most {
			best, most = i, v
		}
	}
	if best < 0 && first >= 0 && len(t.Rows) > first+1 && distinct(t.Rows[first]) && t.likeBelow(first) == 0 {
		return first
	}
	return best
}

// usually is how many cells the rows that have any have filled, in the middle of them all.
func (t *Table) usually() int {
	var all []int
	for _, row := range t.Rows[:min(len(t.Rows), headSearch+headLooks)] {
		if n := filled(row); n > 0 {
			all = append(all, n)
		}
	}
	if len(all) == 0 {
		return 0
	}
	slices.Sort(all)
	return all[len(all)/2]
}

// sorts are the sorts of cells that columns have.
var sorts = []func(string) bool{IsDate, isAddress, isCode}

// unlikeBelow counts the cells of a row that are filled and not of the sort that mostly all below
// them are; likeBelow those that are.
func (t *Table) unlikeBelow(row int) int { return t.besideBelow(row, false) }
func (t *Table) likeBelow(row int) int   { return t.besideBelow(row, true) }

func (t *Table) besideBelow(i int, like bool) (n int) {
	below := t.Rows[i+1 : min(len(t.Rows), i+1+headLooks)]
	for c, cell := range t.Rows[i] {
		if cell = strings.TrimSpace(cell); cell == "" {
			continue
		}
		if slices.ContainsFunc(sorts, func(is func(string) bool) bool {
			return is(cell) == like && shareIn(below, c, is) >= mostly
		}) {
			n++
		}
	}
	return n
}
