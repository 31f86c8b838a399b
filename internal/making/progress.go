package making

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm/clause"

	"nelko/internal/core/wording"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/store"
)

// TimeLeft estimates how long a running render still takes, by the rate
// measured so far; ok is false while there is nothing to go by.
func TimeLeft(r store.Render, now time.Time) (left time.Duration, ok bool) {
	if r.State != store.RenderRunning || r.StartedAt == nil || r.FramesDone < 1 {
		return 0, false
	}
	took := now.Sub(*r.StartedAt)
	return time.Duration(float64(took) / float64(r.FramesDone) * float64(r.FramesTotal-r.FramesDone)), true
}

// Board is what is being made, by whom.
type Board struct {
	// running, then waiting in the order in which they will be begun, then what is over, the newest first
	Renders []store.Render
	Orders  map[int64]store.Order
	Runs    map[int64]string // their names, of the orders that are rows of one
	Why     map[int64]string // why a render that waits does so, in words
	Workers []store.Worker   // at work now
}

// boardLength is how many renders a board shows.
const boardLength = 100

// Board reads the queue of renders.
func (h *room) Board(ctx context.Context) (Board, error) {
	b := Board{Runs: map[int64]string{}, Why: map[int64]string{}}
	tx := h.Store.DB.WithContext(ctx)
	turns, err := queue.Turns(tx, Film{}.Kind(), "render_id")
	if err != nil {
		return b, err
	}
	order := make([]int64, len(turns))
	for i, t := range turns {
		order[i] = t.ID
	}
	err = errors.Join(
		tx.Where("order_id IN (SELECT id FROM orders WHERE deleted_at IS NULL)").
			Clauses(clause.OrderBy{Expression: clause.Expr{
				WithoutParentheses: true,
				Vars:               []any{order},
				SQL: `CASE state WHEN 'running' THEN 0 WHEN 'waiting' THEN 1 ELSE 2 END,
				CASE state WHEN 'waiting' THEN array_position(ARRAY[?]::bigint[], id) END, CASE state WHEN 'waiting' THEN id ELSE -id END`,
			}}).Limit(boardLength).Find(&b.Renders).Error,
		tx.Where(queue.Alive).Order("id").Find(&b.Workers).Error)
	if err != nil {
		return b, err
	}
	ids := make([]int64, len(b.Renders))
	for i, r := range b.Renders {
		ids[i] = r.OrderID
	}
	if b.Orders, err = orders.ByID(tx, ids); err != nil {
		return b, err
	}
	var runs []store.Run
	if err := tx.Select("id", "name").Where("id IN (SELECT run_id FROM orders WHERE id IN ?)",
		append(ids, 0)).Find(&runs).Error; err != nil {
		return b, err
	}
	for _, r := range runs {
		b.Runs[r.ID] = r.Name
	}
	b.explain(turns)
	return b, nil
}

// explain says of each render that waits why it does.
func (b *Board) explain(turns []queue.Turn) {
	before, at, paused := 0, map[int64]int{}, map[int64]bool{}
	for _, t := range turns {
		at[t.ID], paused[t.ID] = before, t.Held
		if !t.Held {
			before++
		}
	}
	for _, r := range b.Renders {
		if r.State != store.RenderWaiting {
			continue
		}
		n, queued := at[r.ID]
		switch {
		case r.Error != "":
			b.Why[r.ID] = r.Error
		case paused[r.ID]:
			b.Why[r.ID] = "its Run is paused"
		case r.LeadID != nil:
			b.Why[r.ID] = "made together with another size of the same film"
		case len(b.Workers) == 0:
			b.Why[r.ID] = "no worker is running"
		case !queued:
			b.Why[r.ID] = "being begun"
		case n == 0:
			b.Why[r.ID] = "next"
		default:
			b.Why[r.ID] = wording.Counted(n, "film") + " before it"
		}
	}
}

// Finished is a render's film, with its order.
func (h *room) Finished(ctx context.Context, renderID int64) (store.Render, store.Order, error) {
	tx := h.Store.DB.WithContext(ctx)
	r, err := store.One[store.Render](tx, "id = ? AND state = 'done'", renderID)
	if err != nil {
		return r, store.Order{}, err
	}
	o, err := store.One[store.Order](tx, "id = ?", r.OrderID)
	return r, o, err
}

// Type is the media type of a render's film.
func Type(r store.Render) string { return setting(r).File.MIME }

// Extension is the ending of a render's file, without a dot.
func Extension(r store.Render) string { return setting(r).File.Extension }
