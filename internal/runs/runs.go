// Package runs is how one list and one set of folders become many films: a Run
// has a pattern, an order that holds what all share, and rows, an order each.
package runs

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/list"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Run is a Run with its pattern.
type Run struct {
	store.Run
	Pattern *orders.Dossier
}

// Load reads a Run and its pattern.
func (h *room) Load(ctx context.Context, id int64) (*Run, error) {
	r, err := store.One[store.Run](h.Store.DB.WithContext(ctx), "id = ?", id)
	if err != nil {
		return nil, fmt.Errorf("Run %d: %w", id, err)
	}
	if r.PatternID == nil {
		return nil, fmt.Errorf("the pattern of Run %d: %w", id, store.ErrNotFound)
	}
	p, err := h.Orders.Load(ctx, *r.PatternID)
	if err != nil {
		return nil, err
	}
	return &Run{r, p}, nil
}

// ByRow are the details that the rows fill themselves: those the list has a
// column for.
func (r *Run) ByRow() []string {
	if r.Pattern.Doc.Pattern == nil {
		return nil
	}
	return r.Pattern.Doc.Pattern.ByRow
}

// RowOf tells which Run an order is of and whether it is the pattern; zero if
// it is of none.
func (h *room) RowOf(ctx context.Context, o store.Order) (run store.Run, pattern bool, err error) {
	if o.RunID == nil {
		return run, false, nil
	}
	run, err = store.One[store.Run](h.Store.DB.WithContext(ctx).Omit("list", "pending"), "id = ?", *o.RunID)
	return run, run.PatternID != nil && *run.PatternID == o.ID, err
}

// RowNames are the rows of a Run, by what they are called.
func (h *room) RowNames(ctx context.Context, id int64) ([]store.Order, error) {
	return rows(h.Store.DB.WithContext(ctx).Select("id", "client", "run_key"), id, false)
}

// Neighbours are the rows before and after a row; 0 where there is none.
func (h *room) Neighbours(ctx context.Context, o store.Order) (before, after int64, err error) {
	err = h.Store.DB.WithContext(ctx).Raw(`SELECT
		coalesce((SELECT id FROM orders WHERE run_id = ? AND run_key <> '' AND aside_at IS NULL AND deleted_at IS NULL AND (run_position, id) < (?, ?) ORDER BY run_position DESC, id DESC LIMIT 1), 0),
		coalesce((SELECT id FROM orders WHERE run_id = ? AND run_key <> '' AND aside_at IS NULL AND deleted_at IS NULL AND (run_position, id) > (?, ?) ORDER BY run_position, id LIMIT 1), 0)`,
		o.RunID, o.RunPosition, o.ID, o.RunID, o.RunPosition, o.ID).Row().Scan(&before, &after)
	return before, after, err
}

// rows reads the rows of a Run in their order; those aside too if asked.
func rows(tx *gorm.DB, run int64, aside bool) (out []store.Order, err error) {
	tx = tx.Where("run_id = ? AND run_key <> '' AND deleted_at IS NULL", run)
	if !aside {
		tx = tx.Where("aside_at IS NULL")
	}
	return out, tx.Order("run_position, id").Find(&out).Error
}

// change sets columns of a Run and tells of it.
func change(tx *gorm.DB, run int64, set map[string]any) error {
	for k, v := range set {
		switch v.(type) {
		case *store.RunList, *store.RunMail, map[list.Role]string, map[string]string:
			// Maps of columns go by no serializer.
			b, err := json.Marshal(v)
			if err != nil {
				return err
			}
			set[k] = string(b)
		}
	}
	if err := tx.Model(&store.Run{}).Where("id = ?", run).Updates(set).Error; err != nil {
		return err
	}
	return store.Tell(tx, store.Event{What: store.RunChanged, ID: run})
}

// lock lets only one at a time change which rows a Run has, and which are
// whose.
func lock(tx *gorm.DB, id int64) (store.Run, error) {
	r, err := store.One[store.Run](tx.Clauses(clause.Locking{Strength: "NO KEY UPDATE"}), "id = ?", id)
	if err != nil {
		return r, fmt.Errorf("Run %d: %w", id, err)
	}
	return r, nil
}

// Archive takes a Run off the day sheet, or brings it back.
func (h *room) Archive(ctx context.Context, id int64, archived bool) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		var at *time.Time
		if archived {
			now := h.Now()
			at = &now
		}
		words := "Brought the Run back"
		if archived {
			words = "Put the Run away"
		}
		if err := store.NoteRun(tx, store.DidOrder, id, words); err != nil {
			return err
		}
		return change(tx, id, map[string]any{"archived_at": at})
	})
}

// hasRole reports whether a list has a column for a role.
func hasRole(l *store.RunList, r list.Role) bool { return l != nil && slices.Contains(l.Roles, r) }
