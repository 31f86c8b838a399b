package runs

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/list"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Bring brings in a list: the first at once, a later one to be compared and
// agreed to.
func (y *Lists) Bring(ctx context.Context, id int64, t list.Table, author *int64) error {
	run, err := y.Load(ctx, id)
	if err != nil {
		return err
	}
	l := store.RunList{Table: t}
	l.Roles = l.Recognise(Details(run.Pattern.Theme))
	if run.List != nil && slices.Equal(l.Headings, run.List.Headings) {
		l.Roles = run.List.Roles // as they were chosen
	}
	return y.propose(ctx, run, l, author)
}

// propose takes a list at once where there are no rows yet or it changes
// nothing, else has it wait to be agreed to.
func (y *Lists) propose(ctx context.Context, run *Run, l store.RunList, author *int64) error {
	return y.Store.Tx(ctx, func(tx *gorm.DB) error {
		held, err := rows(tx, run.ID, true)
		if err != nil {
			return err
		}
		if c, _, _ := y.compare(run.Run, held, l); len(held) == 0 || c.Nothing() {
			return y.take(ctx, tx, run.ID, l, run.Pattern, author)
		}
		return change(tx, run.ID, map[string]any{"pending": &l})
	})
}

// Roles gives the columns of the list other meanings. role is by column; what
// changes by that is shown as a corrected list would be, unless it is new.
func (y *Lists) Roles(ctx context.Context, id int64, roles []list.Role, author *int64) error {
	run, err := y.Load(ctx, id)
	if err != nil {
		return err
	}
	l := run.Pending
	if l == nil {
		l = run.List
	}
	if l == nil || len(roles) != len(l.Headings) {
		return invalid.Field("roles", "The list has other columns by now; look again.")
	}
	for i, r := range roles {
		if r != list.Unused && slices.Contains(roles[:i], r) {
			return invalid.Field("roles", "Two columns cannot both be the %s.", Called(r, run.Pattern))
		}
	}
	n := *l
	n.Roles = roles
	if run.Pending == nil {
		if err := y.rekey(ctx, run.ID, *l, n); err != nil {
			return err
		}
	}
	return y.propose(ctx, run, n, author)
}

// rekey gives rows the keys that their lines have when the same list is read
// otherwise, so that they are the same rows still.
func (y *Lists) rekey(ctx context.Context, id int64, was, is store.RunList) error {
	old, _ := was.Read(was.Roles)
	now, _ := is.Read(is.Roles)
	if len(old) != len(now) {
		return nil
	}
	return y.Store.Tx(ctx, func(tx *gorm.DB) error {
		if _, err := lock(tx, id); err != nil {
			return err
		}
		// By way of keys that no list has: a key may go from one row to another.
		for _, step := range []struct{ from, to string }{{"", "\x01"}, {"\x01", ""}} {
			for i := range old {
				from, to := old[i].Key, step.to+now[i].Key
				if step.from != "" {
					from = step.from + now[i].Key
				}
				if old[i].Key == now[i].Key {
					continue
				}
				if err := tx.Model(&store.Order{}).Where("run_id = ? AND run_key = ?", id, from).
					Update("run_key", to).Error; err != nil {
					return fmt.Errorf("the key of row %d: %w", now[i].Line, err)
				}
				// A client who was called by the key is so still.
				if err := tx.Model(&store.Order{}).Where("run_id = ? AND run_key = ? AND client = ?", id, to,
					old[i].Key).Update("client", calledBy(nil, now[i].Key)).Error; err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Called is a role's word.
func Called(r list.Role, pattern *orders.Dossier) string {
	if k, ok := r.Detail(); ok {
		if pattern != nil {
			for _, d := range pattern.Theme.Details {
				if d.Key == k {
					return d.Label
				}
			}
		}
		return k
	}
	return map[list.Role]string{
		list.Unused:     "not used",
		list.Key:        "Key",
		list.Client:     "Client",
		list.Email:      "E-mail",
		list.Due:        "Due",
		list.FolderName: "Folder",
		list.Songs:      "Songs",
		list.Pace:       "Pace",
		list.Wanted:     "Deliveries",
		list.Note:       "Note",
	}[r]
}

// valueOf is what a row has for a role now.
func valueOf(o store.Order, r list.Role) string {
	if k, ok := r.Detail(); ok {
		return o.Details[k]
	}
	switch r {
	case list.Key:
		return o.RunKey
	case list.Client:
		return o.Client
	case list.Email:
		return o.ClientEmail
	case list.Due:
		return o.Due.Format(time.DateOnly)
	}
	return o.RunValues[r]
}

// compare tells what a list changes, the rows of it, and what is doubtful in
// it.
func (y *Lists) compare(run store.Run, held []store.Order, l store.RunList) (list.Comparison, []list.Row,
	[]list.Problem) {
	read, problems := l.Read(l.Roles)
	for i := range read {
		problems = append(problems, tidy(&read[i], l)...)
	}
	var now []list.Held
	for _, o := range held {
		h := list.Held{
			Key:    o.RunKey,
			Aside:  o.AsideAt != nil,
			Listed: o.RunListed,
			Now:    map[list.Role]string{},
		}
		for _, r := range slices.Concat(l.Roles, slices.Collect(maps.Keys(o.RunListed))) {
			h.Now[r] = valueOf(o, r)
		}
		// What the program gave a row whose list said nothing is nobody's choice.
		if o.RunListed[list.Client] == "" && o.Client == calledBy(o.Details, o.RunKey) {
			h.Now[list.Client] = ""
		}
		if o.RunListed[list.Due] == "" && o.Due.Equal(run.Due) {
			h.Now[list.Due] = ""
		}
		now = append(now, h)
	}
	return list.Compare(now, read), read, problems
}

// tidy writes what a row says of dates and pace as the program keeps them, and
// tells what it cannot read; that is left out.
func tidy(r *list.Row, l store.RunList) (problems []list.Problem) {
	doubt := func(role list.Role, format string, a ...any) {
		delete(r.Values, role)
		problems = append(problems, list.Problem{
			Line:   r.Line,
			Column: l.Headings[slices.Index(l.Roles, role)],
			Text:   fmt.Sprintf(format, a...),
		})
	}
	if v := r.Values[list.Due]; v != "" {
		if t, ok := wording.Date(v); ok {
			r.Values[list.Due] = t.Format(time.DateOnly)
		} else {
			doubt(list.Due, "%q is no date with a year; the Run's due date holds", v)
		}
	}
	if v := r.Values[list.Pace]; v != "" {
		if _, err := doc.ParsePace(v); err != nil {
			doubt(list.Pace, "%v", err)
		}
	}
	if v := r.Values[list.Email]; v != "" {
		if err := (orders.Head{
			Client:      "x",
			Event:       "x",
			Due:         time.Unix(0, 0),
			ClientEmail: v,
		}).Check(); err != nil {
			doubt(list.Email, "%q is not an e-mail address; left out", v)
		}
	} else if wants := orders.Wanted(store.Order{RunValues: r.Values}); slices.Contains(l.Roles,
		list.Email) &&
		(r.Values[list.Wanted] == "" || slices.Contains(wants, store.LinkDelivery)) {
		doubt(list.Email, "no e-mail address")
	}
	return problems
}

// Proposal is a list that waits to be agreed to.
type Proposal struct {
	list.Comparison
	List     store.RunList
	Summary  string
	Problems []list.Problem
}

// Proposed tells what the list that waits would change; nil if none waits.
func (y *Lists) Proposed(ctx context.Context, run *Run) (*Proposal, error) {
	if run.Pending == nil {
		return nil, nil
	}
	held, err := rows(y.Store.DB.WithContext(ctx), run.ID, true)
	if err != nil {
		return nil, err
	}
	c, _, problems := y.compare(run.Run, held, *run.Pending)
	return &Proposal{c, *run.Pending, c.InWords(func(r list.Role) string {
		return Called(r, run.Pattern)
	}), problems}, nil
}

// Agree takes the list that waits; byHand also where cells were changed by
// hand since. Refuse forgets it.
func (y *Lists) Agree(ctx context.Context, id int64, byHand bool, author *int64) error {
	run, err := y.Load(ctx, id)
	if err != nil {
		return err
	}
	if run.Pending == nil {
		return invalid.Field("list", "No list waits to be agreed to.")
	}
	return y.Store.Tx(ctx, func(tx *gorm.DB) error {
		if !byHand {
			return y.take(ctx, tx, id, *run.Pending, run.Pattern, author)
		}
		return y.takeAll(ctx, tx, id, *run.Pending, run.Pattern, author, true)
	})
}

// Refuse forgets the list that waits.
func (y *Lists) Refuse(ctx context.Context, id int64) error {
	return y.Store.Tx(ctx, func(tx *gorm.DB) error { return change(tx, id, map[string]any{"pending": nil}) })
}

func (y *Lists) take(ctx context.Context, tx *gorm.DB, id int64, l store.RunList, pattern *orders.Dossier,
	author *int64) error {
	return y.takeAll(ctx, tx, id, l, pattern, author, false)
}

// takeAll makes the rows as a list has them. What was set by hand stays unless
// byHand; rows that are gone are kept aside.
func (y *Lists) takeAll(ctx context.Context, tx *gorm.DB, id int64, l store.RunList, pattern *orders.Dossier,
	author *int64, byHand bool) error {
	run, err := lock(tx, id)
	if err != nil {
		return err
	}
	held, err := rows(tx, id, true)
	if err != nil {
		return err
	}
	if pattern == nil || !slices.Equal(detailsOf(l), pattern.Doc.Pattern.ByRow) {
		// The pattern must know what it leaves to its rows.
		if pattern, err = y.Orders.Edits.DoIn(ctx, tx, *run.PatternID, edit.Leave{Details: detailsOf(l)},
			nil); err != nil {
			return err
		}
	}
	c, read, _ := y.compare(run, held, l)
	byKey := map[string]store.Order{}
	for _, o := range held {
		byKey[o.RunKey] = o
	}
	position := map[string]int{}
	for i, r := range read {
		position[r.Key] = i + 1
	}
	for _, r := range c.New {
		if _, err := y.openRow(ctx, tx, run, r, position[r.Key], pattern.Doc, author); err != nil {
			return rowError(r, err)
		}
	}
	changes := map[string][]list.Change{}
	for _, x := range c.Changes {
		if !x.ByHand || byHand {
			changes[x.Key] = append(changes[x.Key], x)
		}
	}
	for _, r := range read {
		o, ok := byKey[r.Key]
		if !ok {
			continue
		}
		set := map[list.Role]string{}
		for _, x := range changes[r.Key] {
			set[x.Role] = x.To
		}
		if len(set) > 0 {
			if err := y.cells.set(ctx, tx, pattern, o, set, author); err != nil {
				return rowError(r, err)
			}
		}
		if o.RunPosition == position[r.Key] && o.AsideAt == nil && maps.Equal(o.RunListed, r.Values) &&
			maps.Equal(o.RunCells, r.Cells) {
			continue
		}
		err := tx.Model(&store.Order{ID: o.ID}).Select("RunPosition", "RunListed", "RunCells", "AsideAt").
			Updates(store.Order{RunPosition: position[r.Key], RunListed: r.Values, RunCells: r.Cells}).Error
		if err != nil {
			return err
		}
	}
	for _, k := range c.Gone {
		if err := tx.Model(&store.Order{ID: byKey[k].ID}).Update("aside_at", y.Now()).Error; err != nil {
			return err
		}
	}
	if err := change(tx, id, map[string]any{"list": &l, "pending": nil}); err != nil {
		return err
	}
	return y.once(ctx, tx, Sort{id}, id)
}

func rowError(r list.Row, err error) error {
	var inv *invalid.Input
	if errors.As(err, &inv) {
		return invalid.Field(inv.Field, "Row %d of the list (%s): %s Nothing of the list was taken.", r.Line,
			r.Key, inv.Problem)
	}
	return fmt.Errorf("row %d (%s): %w", r.Line, r.Key, err)
}

// detailsOf are the details a list has columns for.
func detailsOf(l store.RunList) (out []string) {
	for _, r := range l.Roles {
		if k, ok := r.Detail(); ok {
			out = append(out, k)
		}
	}
	slices.Sort(out)
	return out
}

// openRow opens the order of a new row.
func (y *Lists) openRow(ctx context.Context, tx *gorm.DB, run store.Run, r list.Row, position int,
	pattern doc.Slideshow, author *int64) (store.Order, error) {
	n := orders.New{
		Head: orders.Head{
			Client:      r.Values[list.Client],
			ClientEmail: r.Values[list.Email],
			Event:       run.Event,
			Due:         run.Due,
		},
		Theme:   pattern.Theme,
		Details: map[string]string{},
	}
	if t, ok := wording.Date(r.Values[list.Due]); ok {
		n.Due = t
	}
	values := map[list.Role]string{}
	for role, v := range r.Values {
		if k, ok := role.Detail(); ok {
			n.Details[k] = v
		} else if kept(role) {
			values[role] = v
		}
	}
	if n.Client == "" {
		n.Client = calledBy(n.Details, r.Key)
	}
	what := store.Order{
		RunID:       &run.ID,
		RunKey:      r.Key,
		RunPosition: position,
		RunListed:   r.Values,
		RunValues:   values,
		RunCells:    r.Cells,
	}
	o, err := y.Orders.Heads.OpenRow(ctx, tx, n, pattern, what, author)
	if p, bad := doc.ParsePace(values[list.Pace]); err == nil && bad == nil {
		_, err = y.Orders.Edits.DoIn(ctx, tx, o.ID, edit.Fit{Mode: doc.AtPace, Pace: p}, author)
	}
	return o, err
}

// kept reports whether a role's value is kept in RunValues.
func kept(r list.Role) bool {
	switch r {
	case list.FolderName, list.Songs, list.Pace, list.Wanted, list.Note:
		return true
	}
	return false
}

// calledBy is the client of a row whose list names none: its names on one
// line, or its key.
func calledBy(details map[string]string, key string) string {
	name := strings.Join(strings.Fields(details["names"]), " ")
	if name == "" {
		name = key
	}
	if len(name) > 200 {
		name = strings.ToValidUTF8(name[:200], "")
	}
	return name
}
