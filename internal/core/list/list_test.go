package list_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/list"
)

var details = []list.Detail{{
	Key:      "names",
	Label:    "Names",
	Required: true,
}, {
	Key:      "date",
	Label:    "Date",
	Required: true,
}, {Key: "place", Label: "Place"}, {Key: "message", Label: "Closing message"}}

func table(rows ...string) *list.Table {
	t := &list.Table{}
	for i, r := range rows {
		t.Rows, t.Lines = append(t.Rows, strings.Split(r, "|")), append(t.Lines, i+1)
	}
	return t
}

func TestTheHeadingIsFoundAndUnderstood(t *testing.T) {
	names := list.DetailRole("names")
	for what, c := range map[string]struct {
		t        *list.Table
		head     int
		roles    []list.Role
		headings []string
	}{
		"usual words": {table("No.|Crew|E-Mail|Due date|Coach", "1|Gannets|g@x.example|x|B. Reed"), 0,
			[]list.Role{list.Key, names, list.Email, list.Due, ""}, []string{"No.", "Crew", "E-Mail",
				"Due date", "Coach"}},
		"the theme's": {table("Names|Closing message", "Gannets|Thanks"), 0,
			[]list.Role{names, list.DetailRole("message")}, []string{"Names", "Closing message"}},
		"in the third row": {table("Saltmere Lantern Regatta|", "as of May|", "Key|Team", "1|Gannets"), 2,
			[]list.Role{list.Key, names}, []string{"Key", "Team"}},
		"a title over it": {table("Harbour Regatta – crews as of 1 September|||", "|||",
			"Bow no.|Skipper|Raced on|Mail", "101|Ada Ng|12.09.2026|a@x.example", "102|Ben Li|13.09.2026|",
			"103|Cléo Åkesson|14.09.2026|c@x.example"), 2, []list.Role{list.Key, names,
			list.DetailRole("date"), list.Email}, []string{"Bow no.", "Skipper", "Raced on", "Mail"}},
		"two title lines": {table("Regatta||||", "Saltmere, 12.9.2026||||", "Boot|Steuer|Ort|Klasse|Start",
			"101|Ada Ng|Quay|A|9:10", "102|Ben Li|Quay|A|9:20", "103|Cléo Å|Pier|B|9:30"), 2,
			[]list.Role{list.Key, names, "", "", ""}, []string{"Boot", "Steuer", "Ort", "Klasse", "Start"}},
		"names of two": {table("Boot|First|Last", "101|Ada|Ng", "102|Ben|Li"), 0,
			[]list.Role{list.Key, "", ""}, []string{"Boot", "First", "Last"}},
		"no heading": {table("101|Ada Ng|12.09.2026", "102|Ben Li|13.09.2026",
			"103|Cléo Å|14.09.2026"), -1, []list.Role{list.Key, names, list.DetailRole("date")},
			[]string{"Column A", "Column B", "Column C"}},
		"a person's number": {table("Mobile no.|Crew", "0171|Gannets", "0172|Terns"), 0,
			[]list.Role{"", names}, []string{"Mobile no.", "Crew"}},
		"unknown words": {table("Boot|Trainer", "Gannets|B. Reed"), 0, []list.Role{"", ""},
			[]string{"Boot", "Trainer"}},
		"none": {table("Gannets|", "Harbour Lights|x"), -1, []list.Role{names, ""},
			[]string{"Column A", "Column B"}},
		"twice": {table("Name|Name|Name", "a|b|c"), 0, []list.Role{names, "", ""},
			[]string{"Name", "Name 2", "Name 3"}},
	} {
		roles := c.t.Recognise(details)
		assert.Equal(t, c.head, c.t.Head, what)
		assert.Equal(t, c.roles, roles, what)
		assert.Equal(t, c.headings, c.t.Headings, what)
	}
	assert.Equal(t, []string{"A", "Z", "AA", "AZ", "BA", "ZZ", "AAA"}, []string{list.ColumnName(0),
		list.ColumnName(25), list.ColumnName(26), list.ColumnName(51), list.ColumnName(52),
		list.ColumnName(701), list.ColumnName(702)})
}

func TestRowsKeepWhatIsWritten(t *testing.T) {
	tb := table("Key|Crew|Coach", "007|The Gannets| B. Reed ", "||", "12/9|Two\nLines|", "007|Twice|",
		"|No key|")
	rows, problems := tb.Read(tb.Recognise(details))
	require.Len(t, rows, 4)
	assert.Equal(t, list.Row{
		Key:    "007",
		Line:   2,
		Values: map[list.Role]string{list.Key: "007", list.DetailRole("names"): "The Gannets"},
		Cells:  map[string]string{"Key": "007", "Crew": "The Gannets", "Coach": "B. Reed"},
	}, rows[0])
	assert.Equal(t, "12/9", rows[1].Key)
	assert.Equal(t, "Two\nLines", rows[1].Values[list.DetailRole("names")])
	assert.Equal(t, []string{"007 (2)", "No key"}, []string{rows[2].Key, rows[3].Key})
	assert.Equal(t, []list.Problem{{Line: 5, Column: "Key", Text: `the key "007" is in row 2 too`}}, problems)
}

// run is a Run reduced to what a list does to it.
type run map[string]*list.Held

func (r run) bring(rows []list.Row) list.Comparison {
	var held []list.Held
	for _, h := range r {
		held = append(held, *h)
	}
	c := list.Compare(held, rows)
	for _, n := range slices.Concat(c.New, c.Back) {
		if r[n.Key] == nil {
			r[n.Key] = &list.Held{Key: n.Key, Now: maps.Clone(n.Values)}
		}
		r[n.Key].Aside = false
	}
	for _, x := range c.Changes {
		if !x.ByHand {
			r[x.Key].Now[x.Role] = x.To
		}
	}
	for _, row := range rows {
		r[row.Key].Listed = row.Values
	}
	for _, k := range c.Gone {
		r[k].Aside = true
	}
	return c
}

func (r run) now() map[string]map[list.Role]string {
	out := map[string]map[list.Role]string{}
	for k, h := range r {
		if !h.Aside {
			v := maps.Clone(h.Now)
			maps.DeleteFunc(v, func(_ list.Role, s string) bool { return s == "" })
			out[k] = v
		}
	}
	return out
}

func random(rng *rand.Rand) (rows []list.Row) {
	for k := range 12 {
		if rng.IntN(4) == 0 {
			continue
		}
		v := map[list.Role]string{list.Key: fmt.Sprint(k)}
		for _, role := range []list.Role{list.DetailRole("names"), list.Email, list.Note} {
			if n := rng.IntN(4); n > 0 {
				v[role] = fmt.Sprint(role, n)
			}
		}
		rows = append(rows, list.Row{Key: fmt.Sprint(k), Values: v})
	}
	return rows
}

// Bringing in the same list twice changes nothing; importing, correcting and
// importing again is importing the corrected list; what was set by hand stays.
func TestImportingAgain(t *testing.T) {
	for seed := range uint64(300) {
		rng := rand.New(rand.NewPCG(seed, 2))
		first, corrected := random(rng), random(rng)
		a, b := run{}, run{}
		a.bring(first)
		require.True(t, a.bring(first).Nothing(), "seed %d", seed)
		a.bring(corrected)
		require.True(t, a.bring(corrected).Nothing(), "seed %d", seed)
		b.bring(corrected)
		require.Equal(t, b.now(), a.now(), "seed %d", seed)

		// A cell set by hand is told of and kept, in the next list too.
		if len(corrected) == 0 {
			continue
		}
		key := corrected[0].Key
		a[key].Now[list.Note] = "by hand"
		c := a.bring(random(rng))
		if !a[key].Aside {
			require.Equal(t, "by hand", a[key].Now[list.Note], "seed %d", seed)
			for _, x := range c.Changes {
				require.Equal(t, x.Key == key && x.Role == list.Note, x.ByHand, "seed %d", seed)
			}
		}
	}
}

func TestAComparisonInWords(t *testing.T) {
	names := list.DetailRole("names")
	held := []list.Held{
		{Key: "1", Listed: map[list.Role]string{names: "A"}, Now: map[list.Role]string{names: "A"}},
		{Key: "2", Listed: map[list.Role]string{names: "B"}, Now: map[list.Role]string{names: "B"}},
		{Key: "3", Listed: map[list.Role]string{names: "C"}, Now: map[list.Role]string{names: "C by hand"}},
		{Key: "4"},
	}
	row := func(k, n string) list.Row { return list.Row{Key: k, Values: map[list.Role]string{names: n}} }
	c := list.Compare(held, []list.Row{row("1", "A2"), row("2", "B2"), row("3", "C2"), row("5", "E")})
	assert.Equal(t, "2 names changed, 1 new row, 1 gone, 1 cell as changed by hand",
		c.InWords(func(list.Role) string {
			return "Names"
		}))
	assert.Equal(t, "nothing changed", list.Comparison{}.InWords(nil))
}

// Folder names against names in a list: what must match, what must be asked,
// what must not. Common practice, no source.
func TestFoldersAreMatched(t *testing.T) {
	rows := []list.Named{
		{
			Key:   "01",
			Names: []string{"The Gannets"},
		}, {Key: "02", Names: []string{"Harbour Lights"}}, {Key: "03", Names: []string{"The Shearwaters"}},
		{
			Key:   "31",
			Names: []string{"Zoë Müller-Lund"},
		}, {
			Key:    "x7",
			Folder: "IMG 2026-07",
			Names:  []string{"Storm Petrels"},
		}, {Key: "40", Names: []string{"The Terns"}},
		{
			Key:   "41",
			Names: []string{"Terns of the North"},
		}, {Key: "50", Names: []string{"محمد علي"}}, {Key: "51", Names: []string{"O’Neill & Daughters"}},
		{
			Key:   "60",
			Names: []string{"Straße 9"},
		}, {Key: "61", Names: []string{"Twins"}}, {Key: "62", Names: []string{"Twins"}},
	}
	for _, c := range []struct {
		folder string
		sure   list.Sureness
		row    int // index, -1: none
	}{
		// Letter by letter, or by the key in front.
		{"The Gannets", list.Exact, 0}, {"02", list.Exact, 1}, {"03 whatever", list.Exact, 2},
		{"31_Müller", list.Exact, 3}, {"IMG 2026-07", list.Exact, 4}, {"محمد علي", list.Exact, 7},
		{"x7-crew", list.Exact, 4},
		// Only case, spaces, accents, punctuation or figures in front differ.
		{"12 The Terns", list.Exact, 5}, {"1. the  gannets", list.Exact, 0}, {"2_Harbour-Lights", list.Exact,
			1}, {"THE TERNS.", list.Exact, 5},
		// Forgiven, and asked.
		{"TheTerns", list.Likely, 5}, {"Storm-Pet rels", list.Likely, 4},
		{"the gannets", list.Exact, 0}, {"Gannets, The", list.Likely, 0}, {"harbour_lights", list.Exact, 1},
		{"HarbourLights", list.Likely, 1}, {"Shearwaters", list.Likely, 2}, {"The Shearwatres", list.Likely,
			2},
		{"zoe muller lund", list.Exact, 3}, {"Lund-Mueller Zoe", list.Likely, 3},
		{"oneill and daughters", list.Likely, 8}, {"2", list.Likely, 1}, {"1 - crew", list.Likely, 0},
		{"strasse 9", list.Exact, 9}, {"Twins", list.Either, 10},
		{"X7", list.Likely, 4},
		// Nothing like any of them.
		{"Kittiwakes", list.Unmatched, -1}, {"DCIM", list.Unmatched, -1}, {"99 Unknown", list.Unmatched, -1},
		{"The", list.Unmatched, -1}, {"031", list.Likely, 3}, {"0312", list.Unmatched, -1},
		{"x", list.Unmatched, -1},
	} {
		m := list.Folders([]string{c.folder}, rows)[0]
		assert.Equal(t, c.sure, m.Sure, "%s: %s", c.folder, m.Why)
		assert.Equal(t, c.row, m.Row, "%s: %s", c.folder, m.Why)
	}
	// The next likely stands beside it.
	m := list.Folders([]string{"terns"}, rows)[0]
	assert.Equal(t, []int{5, 6}, []int{m.Row, m.RunnerUp})
	assert.Equal(t, 11, list.Folders([]string{"Twins"}, rows)[0].RunnerUp)
	// Two folders do not go to one row without a word.
	two := list.Folders([]string{"The Gannets", "01"}, rows)
	assert.Equal(t, []list.Sureness{list.Exact, list.Likely}, []list.Sureness{two[0].Sure, two[1].Sure})

	for file, want := range map[string]int{
		"01_IMG_2.jpg": 0,
		"01.jpg":       0,
		"011.jpg":      -1,
		"01a.jpg":      -1,
		"x7 start.jpg": 4,
		"IMG_01.jpg":   -1,
		"quay.jpg":     -1,
	} {
		assert.Equal(t, want, list.FileRow(file, rows), file)
	}
	assert.Equal(t, 1, list.FileRow("03-b 1.jpg", []list.Named{{Key: "03"}, {Key: "03-b"}}), "the longer key")
}

func TestFold(t *testing.T) {
	for a, b := range map[string]string{
		"Zoë":     "zoe",
		"STRASSE": "straße",
		"O’Neill": "ONEILL",
		"Ærø":     "aero",
		"ﬁnch":    "finch",
		"Ａｂｃ":     "abc",
		"a-b_c":   "A  b c",
		"İzmir":   "izmir",
	} {
		assert.Equal(t, list.Fold(a), list.Fold(b), "%s and %s", a, b)
	}
	assert.NotEqual(t, list.Fold("कि"), list.Fold("की"), "vowel signs are no accents")
}
