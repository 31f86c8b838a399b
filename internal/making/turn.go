package making

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"nelko/internal/queue"
	"nelko/internal/store"
)

// turns begin then, long ago: the queue takes jobs in the order of the times
// they are due at, and no film's turn may lie in the future.
var turns = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// turn orders films that wait: what is due today or overdue first, then by due
// date; within a day, single orders before Runs, and the films of several Runs
// in turns. A day counts an hour and each film of a Run before it a second.
func (k *Renders) turn(tx *gorm.DB, o store.Order) (time.Time, error) {
	due := o.Due
	if now := k.Now(); due.Before(now) {
		due = now
	}
	days := due.UTC().Truncate(24*time.Hour).Sub(turns) / (24 * time.Hour)
	at := turns.Add(days * time.Hour)
	if o.RunID == nil {
		return at, nil
	}
	var before int64
	err := tx.Model(&store.Render{}).Joins("JOIN orders ON orders.id = renders.order_id").
		Where("orders.run_id = ? AND orders.due = ? AND renders.state IN ('waiting', 'running')", *o.RunID,
			o.Due).Count(&before).Error
	return at.Add(time.Duration(min(before, 3000)) * time.Second), err
}

// MoveFirst moves the renders of an order that wait before all others.
func (t *Turns) MoveFirst(ctx context.Context, orderID int64) error {
	return t.onWaiting(ctx, []int64{orderID}, func(tx *gorm.DB, renders []int64) error {
		return queue.Move(tx, Film{}.Kind(), "render_id", renders, &turns)
	})
}

// Hold keeps the renders of orders that wait from being begun, until they are
// let go on.
func (t *Turns) Hold(ctx context.Context, orders []int64) error {
	return t.onWaiting(ctx, orders, func(tx *gorm.DB, renders []int64) error {
		return queue.Hold(tx, Film{}.Kind(), "render_id", renders)
	})
}

// GoOn ends Hold: the renders have the turn they had.
func (t *Turns) GoOn(ctx context.Context, orders []int64) error {
	return t.onWaiting(ctx, orders, func(tx *gorm.DB, renders []int64) error {
		return queue.Move(tx, Film{}.Kind(), "render_id", renders, nil)
	})
}

func (t *Turns) onWaiting(ctx context.Context, orders []int64, do func(*gorm.DB, []int64) error) error {
	return t.Store.Tx(ctx, func(tx *gorm.DB) error {
		var renders []int64
		if err := tx.Model(&store.Render{}).Where("order_id IN ? AND state = 'waiting'", orders).
			Pluck("id", &renders).Error; err != nil || len(renders) == 0 {
			return err
		}
		if err := do(tx, renders); err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.QueueChanged})
	})
}

// Pace is how many frames a second films were made at lately, by all that made
// one, and how many workers there are. Without any film yet it is a guess.
func (t *Turns) Pace(ctx context.Context) (framesPerSecond float64, workers int, err error) {
	var v struct {
		Frames, Seconds float64
		Workers         int
	}
	err = t.Store.DB.WithContext(ctx).
		Raw(`SELECT coalesce(sum(frames_total), 0) frames, coalesce(sum(extract(epoch FROM finished_at - started_at)), 0) seconds,
			(SELECT count(*) FROM workers WHERE ` + queue.Alive + `) workers
		FROM (SELECT * FROM renders WHERE state = 'done' AND frames_total > 0 AND started_at IS NOT NULL ORDER BY id DESC LIMIT 40) r`).Scan(&v).Error
	if err != nil {
		return 0, 0, fmt.Errorf("how fast films are made: %w", err)
	}
	if v.Seconds < 1 {
		return guessedPace, v.Workers, nil
	}
	return v.Frames / v.Seconds, v.Workers, nil
}

// guessedPace is in frames a second, as on a machine with two processors.
const guessedPace = 60

// Next moves a render that waits before all others.
func (t *Turns) Next(ctx context.Context, renderID int64) error {
	return t.Store.Tx(ctx, func(tx *gorm.DB) error {
		r, err := store.One[store.Render](tx, "id = ? AND state = 'waiting'", renderID)
		if err != nil {
			return err
		}
		if err := queue.Move(tx, Film{}.Kind(), "render_id", []int64{r.ID}, &turns); err != nil {
			return err
		}
		return t.changed(ctx, tx, r.OrderID)
	})
}

// Stop is Cancel of a render by its number alone.
func (t *Turns) Stop(ctx context.Context, renderID int64) error {
	r, err := store.One[store.Render](t.Store.DB.WithContext(ctx).Select("order_id"), "id = ?", renderID)
	if err != nil {
		return err
	}
	return t.renders.Cancel(ctx, r.OrderID, renderID)
}
