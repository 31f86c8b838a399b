package making

import (
	"context"
	"errors"
	"time"

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
	Renders []store.Render // running, waiting, then what is over; the newest first
	Orders  map[int64]store.Order
	Workers []store.Worker // at work now
}

// boardLength is how many renders a board shows.
const boardLength = 100

// Board reads the queue of renders.
func (mk *Making) Board(ctx context.Context) (Board, error) {
	var b Board
	tx := mk.Store.DB.WithContext(ctx)
	err := errors.Join(
		tx.Where("order_id IN (SELECT id FROM orders WHERE deleted_at IS NULL)").
			Order("CASE state WHEN 'running' THEN 0 WHEN 'waiting' THEN 1 ELSE 2 END, id DESC").Limit(boardLength).Find(&b.Renders).Error,
		tx.Where(queue.Alive).Order("id").Find(&b.Workers).Error)
	if err != nil {
		return b, err
	}
	ids := make([]int64, len(b.Renders))
	for i, r := range b.Renders {
		ids[i] = r.OrderID
	}
	b.Orders, err = orders.ByID(tx, ids)
	return b, err
}

// Finished is a render's film, with its order.
func (mk *Making) Finished(ctx context.Context, renderID int64) (store.Render, store.Order, error) {
	tx := mk.Store.DB.WithContext(ctx)
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
