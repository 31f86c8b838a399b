// Package list is the list a Run is made from: a table of cells as they were
// written, what its columns mean, what changed since it was brought in last,
// and which row the folders of material belong to. Reading files is done
// elsewhere; here are the rules.
package list

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// Table is a list as it was read: cells letter by letter.
type Table struct {
	Name      string   `json:"name"`                // of the file
	Format    string   `json:"format"`              // CSV, TSV, XLSX, ODS or pasted
	Encoding  string   `json:"encoding,omitempty"`  // of text
	Separator string   `json:"separator,omitempty"` // likewise, in words
	Sheet     string   `json:"sheet,omitempty"`     // of a workbook
	Head      int      `json:"head"`                // index of the heading row, -1 without one
	Headings  []string `json:"headings"`            // one a column, never two alike

	Rows  [][]string `json:"rows"`  // all rows, the heading too
	Lines []int      `json:"lines"` // where each row stands in the file, from 1
}

// Limits on a list.
const (
	MaxRows    = 20_000
	MaxColumns = 200
	MaxCell    = 8_000 // bytes
)

// Role is what a column is for: one of these, or the detail of a theme.
type Role string

// The roles beside details. A column without a role is kept with its rows.
const (
	Unused     Role = ""
	Key        Role = "key"
	Client     Role = "client"
	Email      Role = "email"
	Due        Role = "due"
	FolderName Role = "folder"
	Songs      Role = "songs"
	Pace       Role = "pace"
	Wanted     Role = "deliveries"
	Note       Role = "note"
)

// Roles are all but the details, in the order they are offered.
var Roles = []Role{Key, Client, Email, Due, FolderName, Songs, Pace, Wanted, Note}

// DetailRole is the role of a theme's detail.
func DetailRole(key string) Role { return Role("detail:" + key) }

// Detail is the key of the detail a role is for; ok is false for the others.
func (r Role) Detail() (key string, ok bool) { return strings.CutPrefix(string(r), "detail:") }

// Detail is a detail a theme asks for.
type Detail struct {
	Key, Label string
	Required   bool
}

// common are headings that lists in the trade have; common practice, no
// source. The first that fits wins.
var common = []struct {
	role  Role
	words []string
}{
	{Key, []string{"key", "id", "no", "nr", "number", "code", "ref", "reference", "start number",
		"order number", "bib"}},
	{Client, []string{"client", "customer", "ordered by", "family"}},
	{Email, []string{"email", "e mail", "mail", "email address", "e mail address"}},
	{Due, []string{"due", "due date", "deadline", "wanted by"}},
	{FolderName, []string{"folder", "directory", "pictures", "photos", "folder name", "material"}},
	{Songs, []string{"songs", "song", "music", "track", "soundtrack"}},
	{Pace, []string{"pace", "seconds a picture", "seconds per picture"}},
	{Wanted, []string{"deliveries", "delivery", "wanted", "wants"}},
	{Note, []string{"note", "notes", "remark", "remarks", "comment", "comments"}},
}

// usual are headings by which details are called in lists, by the detail's
// key; common practice, no source.
var usual = map[string][]string{
	"names":   {"name", "names", "crew", "team", "couple", "class", "group", "title", "full name"},
	"date":    {"date", "day", "when", "event date"},
	"place":   {"place", "venue", "location", "where"},
	"message": {"message", "text", "words", "thanks", "closing", "closing message"},
}

// roleOf is what a heading stands for.
func roleOf(heading string, details []Detail) Role {
	h := Fold(heading)
	if h == "" {
		return Unused
	}
	for _, d := range details {
		if h == Fold(d.Label) || h == Fold(d.Key) {
			return DetailRole(d.Key)
		}
	}
	for _, d := range details {
		if slices.Contains(usual[d.Key], h) {
			return DetailRole(d.Key)
		}
	}
	for _, c := range common {
		if slices.Contains(c.words, h) {
			return c.role
		}
	}
	if numbered.MatchString(h) && !private.MatchString(h) {
		return Key // "Bow no.", "Startnummer"
	}
	return Unused
}

// numbered are headings of a column that numbers the rows, private those of a person's numbers;
// common practice, no source.
var (
	numbered = regexp.MustCompile(`^(\pL+ )+(no|nr|number|id)$|^\pL+nummer$`)
	private  = regexp.MustCompile(
		`phone|tel|mobil|cell|fax|handy|haus|house|street|account|konto|card|kredit|post|zip|bank|member`)
)

func (t *Table) width() (n int) {
	for _, r := range t.Rows {
		n = max(n, len(r))
	}
	return n
}

// give gives each heading its role; a role that is taken is not given again.
func give(headings []string, details []Detail) []Role {
	out := make([]Role, len(headings))
	for i, h := range headings {
		if r := roleOf(h, details); r != Unused && !slices.Contains(out[:i], r) {
			out[i] = r
		}
	}
	return out
}

func filled(row []string) (n int) {
	for _, c := range row {
		if strings.TrimSpace(c) != "" {
			n++
		}
	}
	return n
}

func distinct(row []string) bool {
	seen := map[string]bool{}
	for _, c := range row {
		f := Fold(c)
		if f == "" || seen[f] {
			return false
		}
		seen[f] = true
	}
	return len(row) > 0
}

// ColumnName is the name of a column in a sheet: A to Z, AA, AB…
func ColumnName(i int) string {
	name := ""
	for i++; i > 0; i = (i - 1) / 26 {
		name = string(rune('A'+(i-1)%26)) + name
	}
	return name
}

// Row is a row of a list.
type Row struct {
	Key    string
	Line   int               // in the file
	Values map[Role]string   // by role, only those that are filled
	Cells  map[string]string // by heading, all that are filled
}

// Problem is something in a list that someone should look at.
type Problem struct {
	Line   int
	Column string // heading; empty: the row
	Text   string
}

// Read reads the rows under the heading by the columns' roles. Empty rows are
// passed over. A row's key is its cell in the key's column; without such a
// column, or without a cell in it, what its folder is called, or its first
// detail, or its client. A key that was there already gets a number, and a
// problem tells of it.
func (t *Table) Read(roles []Role) (rows []Row, problems []Problem) {
	taken := map[string]int{} // folded key → line
	for i := t.Head + 1; i < len(t.Rows); i++ {
		if filled(t.Rows[i]) == 0 {
			continue
		}
		r := Row{Line: t.Lines[i], Values: map[Role]string{}, Cells: map[string]string{}}
		for c, cell := range t.Rows[i] {
			if cell = strings.TrimSpace(cell); cell == "" {
				continue
			}
			if len(cell) > MaxCell {
				problems = append(problems, Problem{r.Line, t.Headings[c],
					fmt.Sprintf("longer than %d bytes: left out", MaxCell)})
				continue
			}
			r.Cells[t.Headings[c]] = cell
			if c < len(roles) && roles[c] != Unused {
				r.Values[roles[c]] = cell
			}
		}
		r.Key = t.keyOf(r, roles)
		base := r.Key
		for n := 2; taken[r.Key] > 0; n++ {
			if n == 2 {
				problems = append(problems, Problem{r.Line, heading(t.Headings, roles, Key),
					fmt.Sprintf("the key %q is in row %d too", base, taken[base])})
			}
			r.Key = fmt.Sprintf("%s (%d)", base, n)
		}
		taken[r.Key] = r.Line
		rows = append(rows, r)
	}
	return rows, problems
}

func heading(headings []string, roles []Role, want Role) string {
	if i := slices.Index(roles, want); i >= 0 {
		return headings[i]
	}
	return ""
}

func (t *Table) keyOf(r Row, roles []Role) string {
	order := []Role{Key, FolderName}
	for _, role := range roles {
		if _, ok := role.Detail(); ok {
			order = append(order, role)
		}
	}
	for _, role := range append(order, Client, Email) {
		if v := r.Values[role]; v != "" {
			return oneLine(v)
		}
	}
	return fmt.Sprintf("row %d", r.Line)
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }
