package list

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"nelko/internal/core/wording"
)

// Held is a row as a Run has it.
type Held struct {
	Key    string
	Aside  bool            // was gone from a list before
	Listed map[Role]string // as the list had it last
	Now    map[Role]string // as it is: what was set by hand since is here only
}

// Change is a cell that a list has otherwise than it had.
type Change struct {
	Key    string
	Role   Role
	Was    string // as it is now
	To     string // as the list has it; empty: nothing
	ByHand bool   // was changed by hand since, and is not changed unless asked
}

// Comparison is what a list would change.
type Comparison struct {
	New     []Row
	Back    []Row    // were aside and are in the list again
	Gone    []string // keys that are no longer in the list
	Changes []Change
	Same    int // rows in which nothing changes
}

// Compare tells what a list changes in the rows there are, by their keys. What
// the list has as it had it is left alone, also where it was changed by hand
// since.
func Compare(held []Held, rows []Row) Comparison {
	var c Comparison
	byKey := map[string]Held{}
	for _, h := range held {
		byKey[h.Key] = h
	}
	listed := map[string]bool{}
	for _, r := range rows {
		listed[r.Key] = true
		h, ok := byKey[r.Key]
		if !ok {
			c.New = append(c.New, r)
			continue
		}
		if h.Aside {
			c.Back = append(c.Back, r)
		}
		n := len(c.Changes)
		for _, role := range rolesOf(h.Listed, r.Values) {
			was, to := h.Listed[role], r.Values[role]
			if role == Key || was == to || h.Now[role] == to {
				continue
			}
			c.Changes = append(c.Changes, Change{r.Key, role, h.Now[role], to, h.Now[role] != was})
		}
		if len(c.Changes) == n && !h.Aside {
			c.Same++
		}
	}
	for _, h := range held {
		if !listed[h.Key] && !h.Aside {
			c.Gone = append(c.Gone, h.Key)
		}
	}
	return c
}

func rolesOf(a, b map[Role]string) []Role {
	all := map[Role]bool{}
	for r := range a {
		all[r] = true
	}
	for r := range b {
		all[r] = true
	}
	return slices.Sorted(maps.Keys(all))
}

// Nothing reports whether the list changes nothing.
func (c Comparison) Nothing() bool {
	return len(c.New)+len(c.Back)+len(c.Gone)+len(c.Changes) == 0
}

// InWords sums a comparison up, such as "3 names changed, 1 new row, 1 gone".
// called gives a role's word.
func (c Comparison) InWords(called func(Role) string) string {
	var parts []string
	count := map[Role]int{}
	byHand := 0
	for _, x := range c.Changes {
		if x.ByHand {
			byHand++
			continue
		}
		count[x.Role]++
	}
	for _, r := range slices.SortedFunc(maps.Keys(count), func(a, b Role) int {
		return cmp.Or(count[b]-count[a], cmp.Compare(a, b))
	}) {
		word := strings.ToLower(called(r))
		if count[r] == 1 {
			word = strings.TrimSuffix(word, "s")
		} else if !strings.HasSuffix(word, "s") {
			word += "s"
		}
		parts = append(parts, fmt.Sprintf("%d %s changed", count[r], word))
	}
	if n := len(c.New); n > 0 {
		parts = append(parts, wording.Counted(n, "new row"))
	}
	if n := len(c.Back); n > 0 {
		parts = append(parts, fmt.Sprintf("%d back again", n))
	}
	if n := len(c.Gone); n > 0 {
		parts = append(parts, fmt.Sprintf("%d gone", n))
	}
	if byHand > 0 {
		parts = append(parts, fmt.Sprintf("%s as changed by hand", wording.Counted(byHand, "cell")))
	}
	if len(parts) == 0 {
		return "nothing changed"
	}
	return strings.Join(parts, ", ")
}
