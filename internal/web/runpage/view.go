package runpage

import (
	"bytes"
	"context"
	"fmt"
	"html/template"
	"slices"
	"strings"

	"nelko/internal/core/list"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/runs"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// runView is a Run's sheet.
type runView struct {
	page.Base
	*runs.Sheet
	Leaves    []parts.LeafLink
	Lines     []runLine
	Head      string // the heading's count
	Next      string
	Ends      string // how many films are on the way, and when they will be done
	Proposal  *runs.Proposal
	Roles     []parts.Choice
	Reads     []readColumn // the list's columns and what they are for
	Questions []question
	Act       actView // what can be done with all rows that are ready
	Doings    []doing // what goes on with them
	Poll      bool    // always false: the sheet hears of it
	Failed    int
	Told      string // of the pattern's changes that rows have not been given
	Due       string
	Only      bool // rows that need a person are shown alone
	Seen      string
	drawn     []page.Drawn
	heading   template.HTML // of the columns
}

// readColumn is a column of the list.
type readColumn struct {
	Index         int
	Heading, Role string
	First         []string // values
}

// question is a folder that waits for a word.
type question struct {
	Folder        string
	Files         int
	Likely, Other string // rows in words; empty: none
	LikelyID      int64
	OtherID       int64
	Why           string
	Sure          bool // the likely row is more likely than any other
}

// actView is what the bar at the sheet's foot offers.
type actView struct {
	Act            runs.Act
	Rows           int
	Text, Left, Do string
	Ask            bool // for how much work it is, which is not wholly known yet
	Links, Mails   int  // that could be made, and mailed
	Running        int
}

// runLine is a row of the sheet, drawn.
type runLine struct {
	ID        int64
	Key, Name string
	Needs     bool
	Why       string // what it needs first
	Cells     []runCell
}

// runCell is a cell: Text is what is typed, Shown what stands there.
type runCell struct {
	Role        list.Role
	Text, Shown string
	Need        string
	First       bool // what is needed here is done before what is needed elsewhere
	Typed, Own  bool
	Follows     bool // the pattern's value
	Fixed       bool // the first column
	Strip       []int64
	Mono        bool
	Path        string
}

// leavesOf are the ways to a Run's leaves.
func leavesOf(s *runs.Sheet, here string) []parts.LeafLink {
	p := fmt.Sprintf("/runs/%d", s.ID)
	return []parts.LeafLink{
		{Name: "Sheet", Note: fmt.Sprint(len(s.Rows)), Path: p, Key: 1, Here: here == "sheet"},
		{
			Name: "Pattern",
			Note: wording.Counted(len(s.Pattern.Doc.Slides), "slide"),
			Path: fmt.Sprintf("/orders/%d", *s.PatternID),
			Key:  2,
		},
		{Name: "Names to proofread", Path: p + "/proofread", Key: 3, Here: here == "proofread"},
		{
			Name: "Out",
			Note: fmt.Sprintf("%d of %d", s.Finished(), len(s.Rows)),
			Path: p + "/out",
			Key:  4,
			Here: here == "out",
		},
	}
}

func (s *shared) runView(ctx context.Context, sh *runs.Sheet, only bool) (*runView, error) {
	v := &runView{
		Sheet:  sh,
		Leaves: leavesOf(sh, "sheet"),
		Head:   sh.Summary(),
		Due:    page.Day(sh.Due),
		Only:   only,
		Next:   sh.Standing().Asks(),
	}
	var err error
	if v.Proposal, err = s.Runs.Lists.Proposed(ctx, sh.Run); err != nil {
		return nil, err
	}
	v.columns()
	v.questions()
	if err := s.acts(ctx, v); err != nil {
		return nil, err
	}
	if v.Doings, err = s.doings(ctx, v.ID); err != nil {
		return nil, err
	}
	films, at, err := s.Runs.Sheets.EndsAt(ctx, sh)
	if err != nil {
		return nil, err
	}
	if films > 0 {
		v.Ends = fmt.Sprintf("%s on the way, done about %s", wording.Counted(films, "film"),
			at.Format("15:04"))
		if sh.PausedAt != nil {
			v.Ends = wording.Counted(films, "film") + " wait; the Run is paused"
		}
	}
	if sh.Made > 0 && sh.Given != sh.Pattern.Slideshow.Head {
		v.Told = "The pattern was changed since the rows followed it."
	}
	for _, r := range sh.Rows {
		l := runLine{ID: r.ID, Key: r.RunKey, Name: r.Client, Needs: sh.Asks(r)}
		first, why := sh.Exception(r)
		l.Why = why
		for i, c := range sh.Columns {
			x := s.cell(sh, r, c, i == 0)
			x.First = c.Role == first
			l.Cells = append(l.Cells, x)
		}
		v.Lines = append(v.Lines, l)
	}
	return v, nil
}

// stripShown is how many pictures a row of the sheet shows.
const stripShown = 5

func (s *shared) cell(sh *runs.Sheet, r runs.Row, c runs.Column, fixed bool) runCell {
	x := runCell{
		Role:    c.Role,
		Typed:   c.Typed,
		Fixed:   fixed,
		Need:    r.Needs[c.Role],
		Own:     r.IsOwn(c.Role, sh.ByRow()),
		Follows: r.Follows(c.Role, sh.ByRow()),
		Path:    fmt.Sprintf("/orders/%d", r.ID),
	}
	switch c.Role {
	case runs.Pictures:
		x.Strip = r.Strip[:min(len(r.Strip), stripShown)]
		x.Shown = fmt.Sprint(r.Pictures)
		x.Path += "/material"
	case runs.Fit:
		x.Mono = true
		x.Shown = timecode.Clock(r.PictureSeconds)
		if r.MusicSeconds > 0 {
			x.Shown += " / " + timecode.Clock(r.MusicSeconds)
		}
		if strings.Contains(x.Need, "longer") {
			x.Need = strings.TrimSuffix(strings.TrimSuffix(x.Need, " than pictures"), " than music")
		}
	case runs.Checks:
		x.Path += "/check"
		if x.Shown = x.Need; x.Shown == "" {
			x.Shown = "none"
		}
		x.Need = ""
	case runs.Films:
		x.Path += "/deliveries"
		x.Shown = r.FilmText(s.Orders.Now())
	case runs.Answers:
		x.Path += "/deliveries"
		x.Shown = r.Said.Text()
	case runs.Gone:
		x.Path += "/deliveries"
		if l := r.Link; l != nil {
			x.Shown = delivered(l.Link)
		}
	default:
		x.Text = r.Value(c.Role)
		x.Shown = x.Text
		if c.Role == list.Due {
			x.Shown = r.Due.Format("2 Jan 2006")
		}
	}
	return x
}

// delivered says in few words what became of a link.
func delivered(l store.Link) string {
	var said []string
	switch {
	case l.MailError != "":
		return "" // the cell says so
	case l.MailedAt != nil:
		said = append(said, "mailed "+l.MailedAt.Format("2 Jan"))
	case l.MailedTo != "":
		said = append(said, "mail waits")
	default:
		said = append(said, "link made")
	}
	if l.Views > 0 {
		said = append(said, parts.Views(l))
	}
	return strings.Join(said, ", ")
}

// columns tells how the list was read.
func (v *runView) columns() {
	l := v.List
	if v.Pending != nil {
		l = v.Pending
	}
	v.Roles = []parts.Choice{{ID: "", Name: "kept, not used"}}
	for _, d := range v.Pattern.Theme.Details {
		v.Roles = append(v.Roles, parts.Choice{ID: string(list.DetailRole(d.Key)), Name: d.Label})
	}
	for _, r := range list.Roles {
		v.Roles = append(v.Roles, parts.Choice{ID: string(r), Name: runs.Called(r, nil)})
	}
	if l == nil {
		return
	}
	for i, h := range l.Headings {
		c := readColumn{Index: i, Heading: h, Role: string(l.Roles[i])}
		for _, row := range l.Table.Rows[l.Table.Head+1:] {
			if i < len(row) && strings.TrimSpace(row[i]) != "" {
				c.First = append(c.First, row[i])
			}
			if len(c.First) == 3 {
				break
			}
		}
		v.Reads = append(v.Reads, c)
	}
}

// HowRead says how the list was read.
func (v *runView) HowRead() string {
	l := v.List
	if v.Pending != nil {
		l = v.Pending
	}
	if l == nil {
		return ""
	}
	parts := []string{l.Table.Format}
	for _, p := range []string{l.Separator, l.Encoding} {
		if p != "" {
			parts = append(parts, p)
		}
	}
	if l.Table.Sheet != "" {
		parts = append(parts, "sheet “"+l.Table.Sheet+"”")
	}
	text := strings.Join(parts, ", ")
	if l.Table.Name != "" {
		text = l.Table.Name + ": " + text
	}
	unused := []string{}
	for i, r := range l.Roles {
		if r == list.Unused {
			unused = append(unused, l.Headings[i])
		}
	}
	if len(unused) > 0 {
		text += "; kept and not used: " + strings.Join(unused, ", ")
	}
	return text
}

// questions are the folders that wait for a word, those with a likely row
// first, and what belongs to no row.
func (v *runView) questions() {
	called := map[int64]string{}
	for _, r := range v.Rows {
		called[r.ID] = r.RunKey + " " + r.Client
	}
	name := func(id *int64) (string, int64) {
		if id == nil || called[*id] == "" {
			return "", 0
		}
		return called[*id], *id
	}
	for _, f := range v.Asked() {
		q := question{Folder: f.Name, Files: v.Loose[f.Name], Why: f.Why}
		q.Likely, q.LikelyID = name(f.Likely)
		_, q.Sure = runs.LikelyRow(f)
		q.Other, q.OtherID = name(f.RunnerUp)
		v.Questions = append(v.Questions, q)
	}
	slices.SortStableFunc(v.Questions, func(a, b question) int {
		return map[bool]int{
			true:  0,
			false: 1,
		}[a.LikelyID != 0] - map[bool]int{true: 0, false: 1}[b.LikelyID != 0]
	})
}

// Likely counts the folders with a likely row: those that one answer is enough for.
func (v *runView) Likely() (n int) {
	for _, q := range v.Questions {
		if q.Sure {
			n++
		}
	}
	return n
}

// acts are what can be done with all rows that are ready.
func (s *shared) acts(ctx context.Context, v *runView) error {
	var err error
	if v.Act.Running, err = s.Runs.Work.Running(ctx, v.ID); err != nil {
		return err
	}
	again, err := s.Runs.Work.Plan(ctx, v.Sheet, runs.Again)
	if err != nil {
		return err
	}
	v.Failed = len(again.Rows)
	p, err := s.Runs.Work.Plan(ctx, v.Sheet, runs.Render)
	if err != nil {
		return err
	}
	v.Act.Act, v.Act.Rows, v.Act.Text, v.Act.Left = runs.Render, len(p.Rows), p.InWords(), p.WhyLeftOut()
	v.Act.Ask = len(p.Rows) > 0 && !p.Work.Whole
	v.Act.Do = "Render " + wording.Counted(len(p.Rows), "film")
	for act, n := range map[runs.Act]*int{runs.Link: &v.Act.Links, runs.Mail: &v.Act.Mails} {
		p, err := s.Runs.Work.Plan(ctx, v.Sheet, act)
		if err != nil {
			return err
		}
		*n = len(p.Rows)
	}
	return nil
}

// drawRun draws the parts of a sheet: head, questions, foot, which rows there
// are, and each row.
func (s *shared) drawRun(v *runView) error {
	add := func(template, place string, data any) error {
		p, err := s.DrawPart(template, place, data)
		v.drawn = append(v.drawn, p)
		return err
	}
	for _, name := range []string{"runhead", "runfoot"} {
		if err := add(name, name, v); err != nil {
			return err
		}
	}
	var ids strings.Builder
	for _, l := range v.Lines {
		fmt.Fprint(&ids, l.ID, " ")
	}
	for _, c := range v.Columns {
		fmt.Fprint(&ids, c.Role, c.Label, c.Extra, " ")
	}
	var heading bytes.Buffer
	if err := s.Execute(&heading, "runcolumns", v); err != nil {
		return err
	}
	v.heading = template.HTML(heading.String()) // written by its own template
	v.drawn = append(v.drawn, page.Drawn{Name: "runrows", Sum: page.Sum([]byte(ids.String()))})
	for _, l := range v.Lines {
		if err := add("runrow", fmt.Sprint("row-", l.ID), l); err != nil {
			return err
		}
	}
	v.Seen = page.Sums(v.drawn)
	return nil
}

// Part is a part of the sheet as it was drawn.
func (v *runView) Part(name string) template.HTML {
	for _, p := range v.drawn {
		if p.Name == name {
			return template.HTML(p.HTML) // written by the part's own template
		}
	}
	return ""
}

// Heading is the row of headings: drawn from the same columns as the cells, and sent with
// them.
func (v *runView) Heading() template.HTML { return v.heading }

// Drawn are the rows as they were drawn.
func (v *runView) Drawn() template.HTML {
	var b strings.Builder
	for _, p := range v.drawn {
		if strings.HasPrefix(p.Name, "row-") {
			b.WriteString(p.HTML)
		}
	}
	return template.HTML(b.String()) // written by the rows' own template
}

// since are the parts that differ from those a page has drawn; all rows where
// there are others.
func (v *runView) since(seen string) []byte {
	before := strings.Split(seen, ".")
	var b bytes.Buffer
	rowsToo := len(before) == len(v.drawn) && before[2] == v.drawn[2].Sum
	for i, p := range v.drawn {
		if i < len(before) && before[i] == p.Sum && (i < 3 || rowsToo) {
			continue
		}
		switch {
		case i < 2:
			b.WriteString(p.HTML)
		case i == 2:
			fmt.Fprint(&b, `<table>`, v.Heading(), `<tbody id="runrows">`, v.Drawn(), `</tbody></table>`)
		case rowsToo:
			b.WriteString("<table><tbody>" + p.HTML + "</tbody></table>")
		}
	}
	return b.Bytes()
}
