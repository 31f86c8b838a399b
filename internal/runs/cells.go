package runs

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/follow"
	"nelko/internal/core/list"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Cell is a cell of the sheet and what is to stand in it.
type Cell struct {
	OrderID int64     `json:"order"`
	Role    list.Role `json:"role"`
	To      string    `json:"to"`
}

// MaxCells is how many cells can be changed at once.
const MaxCells = 20_000

// Refused is a cell that could not be changed.
type Refused struct {
	Cell
	Key, Why string
}

// Set changes cells of the sheet and keeps what was in them, to be undone in
// one step. Those that cannot be are told, the others are changed.
func (r *Cells) Set(ctx context.Context, id int64, title string, cells []Cell, author *int64) ([]Refused,
	error) {
	if len(cells) == 0 || len(cells) > MaxCells {
		return nil, invalid.Field("cells", "Between one and %d cells can be changed at once.", MaxCells)
	}
	run, err := r.Load(ctx, id)
	if err != nil {
		return nil, err
	}
	step := store.RunStep{RunID: id, AuthorID: author, Title: title}
	refused, err := r.each(ctx, run, cells, author, func(o store.Order, done map[list.Role]string) {
		for role, to := range done {
			was := valueOf(o, role)
			if was != to {
				step.Cells = append(step.Cells, store.RunCell{
					OrderID: o.ID,
					Role:    role,
					Was:     was,
					To:      to,
					WasOwn:  isOwn(o, role),
				})
			}
		}
	})
	if err != nil || len(step.Cells) == 0 {
		return refused, err
	}
	return refused, r.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := remember(tx, step); err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.RunChanged, ID: id})
	})
}

// remember keeps a step, to be undone. What was undone cannot be done again after something else.
func remember(tx *gorm.DB, step store.RunStep) error {
	if err := tx.Where("run_id = ? AND undone", step.RunID).Delete(&store.RunStep{}).Error; err != nil {
		return err
	}
	if step.Cells == nil {
		step.Cells = []store.RunCell{}
	}
	if step.Folders == nil {
		step.Folders = []store.FolderAnswer{}
	}
	return tx.Create(&step).Error
}

// atOnce is how many rows are changed at the same time.
const atOnce = 4

// each sets cells row by row. done is told of each row that was changed, as it
// was, one at a time.
func (r *Cells) each(ctx context.Context, run *Run, cells []Cell, author *int64,
	done func(store.Order, map[list.Role]string)) ([]Refused, error) {
	byOrder := map[int64]map[list.Role]string{}
	for _, c := range cells {
		if byOrder[c.OrderID] == nil {
			byOrder[c.OrderID] = map[list.Role]string{}
		}
		byOrder[c.OrderID][c.Role] = strings.TrimSpace(c.To)
	}
	held, err := rows(r.Store.DB.WithContext(ctx), run.ID, true)
	if err != nil {
		return nil, err
	}
	var refused []Refused
	var g errgroup.Group
	g.SetLimit(atOnce)
	results := make(chan func(), len(byOrder))
	for _, o := range held {
		set := byOrder[o.ID]
		if set == nil {
			continue
		}
		g.Go(func() error {
			// All of a row's cells, or those that can be.
			err := r.setRow(ctx, run.Pattern, o, set, author)
			if err == nil {
				results <- func() { done(o, set) }
				return nil
			}
			if !isInput(err) {
				return err
			}
			good := map[list.Role]string{}
			for _, role := range slices.Sorted(maps.Keys(set)) {
				err := r.setRow(ctx, run.Pattern, o, map[list.Role]string{role: set[role]}, author)
				if err == nil {
					good[role] = set[role]
					continue
				}
				if !isInput(err) {
					return err
				}
				results <- func() {
					refused = append(refused, Refused{Cell{o.ID, role, set[role]}, o.RunKey, inWords(err)})
				}
			}
			results <- func() { done(o, good) }
			return nil
		})
	}
	finished := make(chan error, 1)
	go func() {
		finished <- g.Wait()
		close(results)
	}()
	for f := range results {
		f()
	}
	slices.SortFunc(refused, func(a, b Refused) int { return strings.Compare(a.Key, b.Key) })
	return refused, <-finished
}

func isInput(err error) bool {
	var inv *invalid.Input
	return errors.As(err, &inv) || errors.Is(err, edit.ErrInvalid) || errors.Is(err, edit.ErrGone)
}

func inWords(err error) string {
	var inv *invalid.Input
	if errors.As(err, &inv) {
		return inv.Problem
	}
	return err.Error()
}

func (r *Cells) setRow(ctx context.Context, pattern *orders.Dossier, o store.Order, set map[list.Role]string,
	author *int64) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error { return r.set(ctx, tx, pattern, o, set, author) })
}

// partOf is the part of a row's film that a role sets; empty: none.
func partOf(r list.Role) string {
	if k, ok := r.Detail(); ok {
		return follow.Detail(k)
	}
	return map[list.Role]string{list.Songs: follow.Soundtrack, list.Pace: follow.Fit}[r]
}

// isOwn reports whether a row has a value by itself.
func isOwn(o store.Order, r list.Role) bool {
	p := partOf(r)
	return p == "" || slices.Contains(o.Own, p)
}

// set gives a row values. An empty one of what the pattern has too is the
// pattern's again.
func (r *Cells) set(ctx context.Context, tx *gorm.DB, pattern *orders.Dossier, o store.Order,
	set map[list.Role]string, author *int64) error {
	details := map[string]string{}
	var back []string
	values := maps.Clone(o.RunValues)
	if values == nil {
		values = map[list.Role]string{}
	}
	head := orders.Head{Client: o.Client, ClientEmail: o.ClientEmail, Event: o.Event, Due: o.Due}
	was := head
	var ops []edit.Op
	for _, role := range slices.Sorted(maps.Keys(set)) {
		v := set[role]
		k, isDetail := role.Detail()
		switch {
		case isDetail && v == "" && !slices.Contains(pattern.Doc.Pattern.ByRow, k):
			back = append(back, follow.Detail(k))
		case isDetail:
			details[k] = v
			// A client who was called by the names is so still.
			if k == "names" && o.Client == calledBy(o.Details, o.RunKey) && set[list.Client] == "" {
				head.Client = calledBy(map[string]string{"names": v}, o.RunKey)
			}
		case role == list.Key:
			if v == "" {
				return invalid.Field("key", "A row needs a key.")
			}
			if err := rename(tx, o, v); err != nil {
				return err
			}
		case role == list.Client && v == "":
			head.Client = calledBy(o.Details, o.RunKey)
		case role == list.Client:
			head.Client = v
		case role == list.Email:
			head.ClientEmail = v
		case role == list.Due:
			t, ok := wording.Date(v)
			if !ok {
				return invalid.Field("due", "%q is no date with a year.", v)
			}
			head.Due = t
		case kept(role):
			values[role] = v
			if v == "" {
				delete(values, role)
			}
			op, part, err := r.playing(tx, o, role, v)
			if err != nil {
				return err
			}
			if op != nil {
				ops = append(ops, op)
			}
			if part != "" {
				back = append(back, part)
			}
		default:
			return invalid.Field("cells", "The column %q cannot be typed in.", role)
		}
	}
	if len(details) > 0 {
		ops = append(ops, edit.Details{Values: details})
	}
	if len(back) > 0 {
		ops = append(ops, edit.AsPattern{Pattern: pattern.Doc, Parts: back})
	}
	for _, op := range ops {
		if _, err := r.Orders.Edits.DoIn(ctx, tx, o.ID, op, author); err != nil {
			return err
		}
	}
	if !maps.Equal(values, o.RunValues) {
		if err := tx.Model(&store.Order{ID: o.ID}).Select("RunValues").
			Updates(store.Order{RunValues: values}).Error; err != nil {
			return err
		}
	}
	if head != was {
		return r.Orders.Heads.UpdateIn(ctx, tx, o.ID, head)
	}
	return nil
}

// rename gives a row another key. The Run is locked, so that no other takes it
// at the same time.
func rename(tx *gorm.DB, o store.Order, key string) error {
	if _, err := lock(tx, *o.RunID); err != nil {
		return err
	}
	var others int64
	if err := tx.Model(&store.Order{}).Where("run_id = ? AND run_key = ? AND id <> ?", *o.RunID, key, o.ID).
		Count(&others).Error; err != nil {
		return err
	}
	if others > 0 {
		return invalid.Field("key", "Another row has the key %q.", key)
	}
	return tx.Model(&store.Order{ID: o.ID}).Update("run_key", key).Error
}

// playing is the edit by which a row's pace or songs are what a cell says, or
// the part that is the pattern's again.
func (r *Cells) playing(tx *gorm.DB, o store.Order, role list.Role, v string) (op edit.Op, part string,
	err error) {
	switch {
	case role == list.Pace && v == "":
		return nil, follow.Fit, nil
	case role == list.Pace:
		p, err := doc.ParsePace(v)
		if err != nil {
			return nil, "", invalid.Field("pace", "%v.", err)
		}
		return edit.Fit{Mode: doc.AtPace, Pace: p}, "", nil
	case role == list.Songs && v == "":
		return nil, follow.Soundtrack, nil
	case role == list.Songs:
		songs, missing, err := songsNamed(tx, o, v)
		if err != nil || missing != "" {
			return nil, "", err // it may come yet; the sheet says so
		}
		return edit.Songs{Songs: songs}, "", nil
	}
	return nil, "", nil
}

// songsNamed finds the songs a cell names, apart by semicolons or line breaks,
// among the row's own and the Run's, by file name. missing is the first that is
// not there.
func songsNamed(tx *gorm.DB, o store.Order, names string) (songs []doc.MediaID, missing string, err error) {
	var all []store.Media
	err = tx.Omit("waveform").Where("(order_id = ? OR run_id = ?) AND kind = 'song' AND state = 'ready'",
		o.ID, *o.RunID).Order("id").Find(&all).Error
	if err != nil {
		return nil, "", err
	}
	for _, name := range strings.FieldsFunc(names, func(r rune) bool { return r == ';' || r == '\n' }) {
		i := slices.IndexFunc(all, func(m store.Media) bool { return sameSong(m.Name, name) })
		if i < 0 {
			return nil, strings.TrimSpace(name), nil
		}
		if id := all[i].DocID(); !slices.Contains(songs, id) {
			songs = append(songs, id)
		}
	}
	return songs, "", nil
}

// sameSong compares a file's name with what a list calls it, with or without
// its ending.
func sameSong(file, name string) bool {
	stem := file
	if i := strings.LastIndexByte(file, '.'); i > 0 {
		stem = file[:i]
	}
	n := list.Fold(name)
	return n != "" && (n == list.Fold(file) || n == list.Fold(stem))
}

// Undo takes the last step back, Redo the last that was taken back again.
func (r *Cells) Undo(ctx context.Context, id int64, author *int64) (string, error) {
	return r.step(ctx, id, false, author)
}

// Redo does again what was undone last.
func (r *Cells) Redo(ctx context.Context, id int64, author *int64) (string, error) {
	return r.step(ctx, id, true, author)
}

func (r *Cells) step(ctx context.Context, id int64, again bool, author *int64) (string, error) {
	run, err := r.Load(ctx, id)
	if err != nil {
		return "", err
	}
	order := "id DESC"
	if again {
		order = "id"
	}
	st, err := store.One[store.RunStep](r.Store.DB.WithContext(ctx).Order(order),
		"run_id = ? AND undone = ?", id, again)
	if errors.Is(err, store.ErrNotFound) {
		if again {
			return "", invalid.Field("redo", "There is nothing to redo.")
		}
		return "", invalid.Field("undo", "There is nothing to undo.")
	}
	if err != nil {
		return "", err
	}
	cells := make([]Cell, len(st.Cells))
	for i, c := range st.Cells {
		to := c.To
		if !again {
			if to = c.Was; !c.WasOwn && partOf(c.Role) != "" &&
				!slices.Contains(run.ByRow(), detailKey(c.Role)) {
				to = "" // as the pattern has it
			}
		}
		cells[i] = Cell{c.OrderID, c.Role, to}
	}
	refused, err := r.each(ctx, run, cells, author, func(store.Order, map[list.Role]string) {})
	if err != nil {
		return "", err
	}
	err = r.Store.Tx(ctx, func(tx *gorm.DB) error {
		// Of two who press at the same time, one does it.
		res := tx.Model(&store.RunStep{}).Where("id = ? AND undone = ?", st.ID, again).
			Update("undone", !again)
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		switch {
		case len(st.Folders) == 0:
		case again:
			if err := r.folders.belong(ctx, tx, id, st.Folders); err != nil {
				return err
			}
		default:
			if err := r.folders.takeBack(ctx, tx, id, st.Folders, author); err != nil {
				return err
			}
		}
		return store.Tell(tx, store.Event{What: store.RunChanged, ID: id})
	})
	said := "Undone: " + st.Title
	if again {
		said = "Done again: " + st.Title
	}
	if len(refused) > 0 {
		said += fmt.Sprintf("; %d cells could not be set back (%s: %s)", len(refused), refused[0].Key,
			refused[0].Why)
	}
	return said, err
}

func detailKey(r list.Role) string {
	k, _ := r.Detail()
	return k
}

// GiveBack gives parts of a row back to the pattern.
func (r *Cells) GiveBack(ctx context.Context, o store.Order, parts []string, author *int64) error {
	run, pattern, err := r.RowOf(ctx, o)
	if err != nil || pattern || run.PatternID == nil {
		return errors.Join(err, invalid.Field("parts", "This order follows no pattern."))
	}
	p, err := r.Orders.Load(ctx, *run.PatternID)
	if err != nil {
		return err
	}
	_, err = r.Orders.Edits.Do(ctx, o.ID, edit.AsPattern{Pattern: p.Doc, Parts: parts}, author)
	return err
}
