package runs

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/follow"
	"nelko/internal/core/list"
	"nelko/internal/core/theme"
	"nelko/internal/core/wording"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Stage is how far a row has come.
type Stage string

// The stages, as the heading counts them.
const (
	NeedsYou  Stage = "needs you"
	Ready     Stage = "ready"
	Rendering Stage = "rendering"
	Rendered  Stage = "rendered"
	Delivered Stage = "delivered"
	Reading   Stage = "being read"
)

// The columns of a sheet beside the details and what the list has.
const (
	Pictures list.Role = "pictures"
	Fit      list.Role = "fit"
	Checks   list.Role = "checks"
	Films    list.Role = "films"
	Answers  list.Role = "answers"
	Gone     list.Role = "delivered"
)

// Column is a column of the sheet.
type Column struct {
	Role  list.Role
	Label string
	Typed bool // can be typed in
	Extra bool // of the list, with no use here: only shown
}

// Row is a row of the sheet.
type Row struct {
	store.Order
	Head   int // revision of its film
	Render *store.Render
	Link   *orders.Link    // newest that is open
	Said   Answer          // what the client said of a draft
	Meant  map[string]bool // what was marked as meant, by key
	Needs  map[list.Role]string
	Stage  Stage
}

// IsOwn reports whether a column's value is the row's own and not the pattern's.
func (r Row) IsOwn(role list.Role, byRow []string) bool {
	k, isDetail := role.Detail()
	if isDetail && slices.Contains(byRow, k) {
		return false // every row has its own
	}
	if role == Fit {
		return slices.Contains(r.Own, follow.Soundtrack) || slices.Contains(r.Own, follow.Fit)
	}
	if role == Pictures {
		return slices.ContainsFunc(r.Own, func(p string) bool {
			return p == follow.Order || strings.HasPrefix(p, "slide:") || strings.HasPrefix(p, "picture:")
		})
	}
	return partOf(role) != "" && slices.Contains(r.Own, partOf(role))
}

// Follows reports whether a column's value is the pattern's.
func (r Row) Follows(role list.Role, byRow []string) bool {
	k, isDetail := role.Detail()
	return isDetail && !slices.Contains(byRow, k) && !slices.Contains(r.Own, partOf(role))
}

// Value is what a row has in a column that can be typed in.
func (r Row) Value(role list.Role) string {
	if v, ok := strings.CutPrefix(string(role), "cell:"); ok {
		return r.RunCells[v]
	}
	return valueOf(r.Order, role)
}

// Current reports whether the row's newest render is of its film as it is.
func (r Row) Current() bool { return r.Render != nil && r.Render.Revision == r.Head }

// Sheet is a Run's rows with what each has and needs.
type Sheet struct {
	*Run
	Columns []Column
	Rows    []Row
	Aside   int
	Folders []store.RunFolder // that wait for a word, or match nothing
	Loose   map[string]int    // files by folder that belong to no row
	Made    int64             // rows with films, or getting them
	Steps   int64             // that can be undone
	Redos   int64
}

// Sheet reads a Run's sheet, with the same number of statements however many
// rows it has.
func (y *Sheets) Sheet(ctx context.Context, id int64) (*Sheet, error) {
	run, err := y.Load(ctx, id)
	if err != nil {
		return nil, err
	}
	s := &Sheet{Run: run, Loose: map[string]int{}}
	tx := y.Store.DB.WithContext(ctx)
	held, err := rows(tx, id, true)
	if err != nil {
		return nil, err
	}
	if err := tx.Where("run_id = ? AND order_id IS NULL", id).Order("name").
		Find(&s.Folders).Error; err != nil {
		return nil, err
	}
	var loose []struct {
		Folder string
		N      int
	}
	if err := tx.Model(&store.RunFile{}).Select("folder, count(*) n").Where("run_id = ?", id).Group("folder").
		Scan(&loose).Error; err != nil {
		return nil, err
	}
	for _, l := range loose {
		s.Loose[l.Folder] = l.N
	}
	if s.Made, err = y.made(ctx, id); err != nil {
		return nil, err
	}
	if err := tx.Model(&store.RunStep{}).Where("run_id = ? AND NOT undone", id).
		Count(&s.Steps).Error; err != nil {
		return nil, err
	}
	if err := tx.Model(&store.RunStep{}).Where("run_id = ? AND undone", id).
		Count(&s.Redos).Error; err != nil {
		return nil, err
	}
	if err := y.fill(tx, s, held); err != nil {
		return nil, err
	}
	s.columns()
	return s, nil
}

// fill reads what belongs to the rows.
func (y *Sheets) fill(tx *gorm.DB, s *Sheet, held []store.Order) error {
	in := "(SELECT id FROM orders WHERE run_id = ? AND run_key <> '')"
	var renders []store.Render
	if err := tx.Raw("SELECT DISTINCT ON (order_id) * FROM renders WHERE main AND order_id IN "+in+
		" ORDER BY order_id, id DESC", s.ID).Find(&renders).Error; err != nil {
		return err
	}
	var heads []store.Slideshow
	if err := tx.Where("position = 0 AND order_id IN "+in, s.ID).Find(&heads).Error; err != nil {
		return err
	}
	var links []orders.Link
	err := tx.Raw(`SELECT DISTINCT ON (d.order_id) l.*, d.id d_id, d.order_id d_order_id, d.kind d_kind, d.state d_state, d.title d_title, d.created_at d_created_at,
			(SELECT render_id FROM delivery_renders r WHERE r.delivery_id = d.id ORDER BY position LIMIT 1) render_id
		FROM links l JOIN deliveries d ON d.id = l.delivery_id WHERE d.order_id IN `+in+` AND l.closed_at IS NULL ORDER BY d.order_id, l.id DESC`, s.ID).Scan(&links).Error
	if err != nil {
		return err
	}
	at := map[int64]int{}
	for _, o := range held {
		if o.AsideAt != nil {
			s.Aside++
			continue
		}
		at[o.ID] = len(s.Rows)
		s.Rows = append(s.Rows, Row{Order: o, Needs: map[list.Role]string{}})
	}
	of := func(id int64) *Row {
		if i, ok := at[id]; ok {
			return &s.Rows[i]
		}
		return &Row{} // aside
	}
	for i := range renders {
		of(renders[i].OrderID).Render = &renders[i]
	}
	for _, h := range heads {
		of(h.OrderID).Head = h.Head
	}
	for i := range links {
		if links[i].Proof {
			continue // the look at a draft is not the film's link
		}
		of(links[i].Delivery.OrderID).Link = &links[i]
	}
	if err := s.hear(tx, y.Now(), of); err != nil {
		return err
	}
	s.needs()
	return nil
}

func (r *Row) stage() Stage {
	switch {
	case r.Render != nil && !r.Render.State.Over():
		return Rendering
	case r.StepKind == string(orders.Works):
		return Reading
	case len(r.Needs) > 0:
		return NeedsYou
	case r.StepKind == string(orders.Finished):
		return Delivered
	case r.Current() && r.Render.State == store.RenderDone:
		return Rendered
	}
	return Ready
}

// columns are the key, the details that each row has by itself, what the
// program knows, and then what most rows have from the pattern or nowhere.
func (s *Sheet) columns() {
	add := func(r list.Role, typed bool) {
		s.Columns = append(s.Columns, Column{Role: r, Label: Called(r, s.Pattern), Typed: typed})
	}
	details := func(byRow bool) {
		for _, d := range s.Pattern.Theme.Details {
			if slices.Contains(s.ByRow(), d.Key) == byRow {
				add(list.DetailRole(d.Key), true)
			}
		}
	}
	add(list.Key, true)
	details(true)
	s.Columns = append(s.Columns, Column{
		Role:  Pictures,
		Label: "Pictures",
	}, Column{Role: Fit, Label: "Pictures / music"}, Column{Role: Checks, Label: "Checks"},
		Column{Role: Films, Label: "Films"})
	if slices.ContainsFunc(s.Rows, func(r Row) bool { return r.Said.Text() != "" }) {
		s.Columns = append(s.Columns, Column{Role: Answers, Label: "Client says"})
	}
	s.Columns = append(s.Columns, Column{Role: Gone, Label: "Delivered"})
	details(false)
	for _, r := range list.Roles {
		if r != list.Key && (hasRole(s.List, r) || slices.ContainsFunc(s.Rows, func(x Row) bool {
			return x.used(r)
		})) {
			add(r, true)
		}
	}
	if s.List == nil {
		return
	}
	asked := func(key string) bool {
		return slices.ContainsFunc(s.Pattern.Theme.Details, func(d theme.Detail) bool { return d.Key == key })
	}
	for i, r := range s.List.Roles {
		if k, isDetail := r.Detail(); r == list.Unused || isDetail && !asked(k) {
			s.Columns = append(s.Columns, Column{
				Role:  list.Role("cell:" + s.List.Headings[i]),
				Label: s.List.Headings[i],
				Extra: true,
			})
		}
	}
}

// used reports whether a row has something of its own in a column that the
// list did not bring.
func (r Row) used(role list.Role) bool {
	switch role {
	case list.Client, list.Due:
		return false
	case list.Email:
		return r.ClientEmail != ""
	}
	return r.RunValues[role] != ""
}

// Summary says how the Run stands, such as "24 films: 19 ready, 3 names
// missing, 1 with no pictures".
func (s *Sheet) Summary() string {
	stages := map[Stage]int{}
	needs, column := map[string]int{}, map[string]int{}
	for _, r := range s.Rows {
		stages[r.Stage]++
		role, n := s.Exception(r)
		if r.Stage != NeedsYou {
			continue
		}
		n = s.sums(role, n)
		needs[n]++
		column[n] = slices.IndexFunc(s.Columns, func(c Column) bool { return c.Role == role })
	}
	parts := []string{}
	for _, st := range []Stage{Delivered, Rendered, Rendering, Ready, Reading} {
		if stages[st] > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", stages[st], st))
		}
	}
	inOrder := func(a, b string) int { return cmp.Or(cmp.Compare(column[a], column[b]), cmp.Compare(a, b)) }
	for _, n := range slices.SortedFunc(maps.Keys(needs), inOrder) {
		word := n
		if what, ok := strings.CutSuffix(n, " missing"); ok && needs[n] == 1 &&
			!strings.HasSuffix(what, "ss") {
			word = strings.TrimSuffix(what, "s") + " missing"
		}
		parts = append(parts, fmt.Sprintf("%d %s", needs[n], word))
	}
	text := wording.Counted(len(s.Rows), "film")
	if len(parts) > 0 {
		text += ": " + strings.Join(parts, ", ")
	}
	if look := s.ToLookAt(); look > 0 {
		text += fmt.Sprintf("; %d to look at", look)
	}
	if s.Aside > 0 {
		text += fmt.Sprintf("; %d kept aside", s.Aside)
	}
	return text
}

// sums is what a row needs as the heading counts it, after a number: like ones under one name.
func (s *Sheet) sums(role list.Role, need string) string {
	switch {
	case strings.HasSuffix(need, " missing"):
		return need
	case role == list.Songs:
		return "song missing"
	case role == list.Email:
		return "e-mail missing"
	case strings.HasPrefix(need, "is “"):
		return "with no pictures"
	case strings.HasSuffix(need, "damaged or unusable"):
		return "with damaged or unusable files"
	case role == Films:
		return "with failed render"
	case role == Answers:
		return "with the client’s answer"
	case role == s.calledIn():
		return "called as another"
	case strings.HasPrefix(need, cannotFit):
		return "cannot be fitted"
	case role == Fit && need != "no music":
		return "with pictures and music apart"
	}
	return "with " + need
}

// cannotFit is how it begins what is said of a row whose pictures cannot end with its music.
const cannotFit = "cannot fit: "

// Asked are the folders that wait for a word; those that nobody has looked at
// yet are not among them.
func (s *Sheet) Asked() (out []store.RunFolder) {
	for _, f := range s.Folders {
		if !f.Passed && f.Why != "" {
			out = append(out, f)
		}
	}
	return out
}

// Waiting counts the files that wait to be given to a row.
func (s *Sheet) Waiting() (n int) {
	for _, k := range s.Loose {
		n += k
	}
	return n
}

// EndsAt tells when the films that are rendering and waiting will be done, by the pace of the
// latest. Of those that wait, what is kept already takes no time, as far as it is known.
func (y *Sheets) EndsAt(ctx context.Context, s *Sheet) (films int, at time.Time, err error) {
	var left float64
	var wait []Row
	for _, r := range s.Rows {
		switch {
		case r.Render == nil || r.Render.State.Over():
			continue
		case r.Render.State == store.RenderWaiting:
			wait = append(wait, r)
		default:
			left += float64(max(0, r.Render.FramesTotal-r.Render.FramesDone))
		}
		films++
	}
	if films == 0 {
		return 0, at, nil
	}
	e, err := y.Estimate(ctx, s, wait, false)
	if err != nil {
		return films, at, err
	}
	minutes, _, err := y.lasts(ctx, left+float64(e.Frames), films)
	return films, y.Now().Add(time.Duration(minutes * float64(time.Minute))), err
}

// FilmText says how a row's film stands.
func (r Row) FilmText(now time.Time) string {
	if r.Render == nil {
		return ""
	}
	switch rd := r.Render; rd.State {
	case store.RenderWaiting:
		if rd.Error != "" {
			return "waits: " + rd.Error
		}
		return "waits"
	case store.RenderRunning:
		text := "rendering"
		if rd.FramesTotal > 0 {
			text += fmt.Sprintf(" %d %%", 100*rd.FramesDone/rd.FramesTotal)
		}
		if left, ok := making.TimeLeft(*rd, now); ok {
			text += fmt.Sprintf(", %d:%02d left", int(left.Minutes()), int(left.Seconds())%60)
		}
		return text
	case store.RenderDone:
		if r.Current() {
			return rd.Profile
		}
		return fmt.Sprintf("%s, changed since (revision %d of %d)", rd.Profile, rd.Revision, r.Head)
	case store.RenderCancelled:
		return "cancelled"
	}
	return "failed"
}
