package store

import (
	"context"
	"fmt"
	"log/slog"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"
)

// Event says what changed. PostgreSQL carries events to every process of the
// studio when the transaction that told of them is over (LISTEN and NOTIFY).
type Event struct {
	What string // "order", "run", "studio", "queue", "shelf"; empty: anything may have changed
	ID   int64  // of an order or a Run
}

// The kinds of event.
const (
	OrderChanged  = "order"
	RunChanged    = "run"    // or a row of it
	StudioChanged = "studio" // name, marks
	QueueChanged  = "queue"  // renders and workers
	ShelfChanged  = "shelf"
)

const channel = "nelko"

// Tell tells of an event once the transaction is over.
func Tell(tx *gorm.DB, e Event) error {
	return tx.Exec("SELECT pg_notify(?, ?)", channel, fmt.Sprintf("%s %d", e.What, e.ID)).Error
}

// Listen calls hear with every event until ctx ends. When the connection was
// lost it tells, once there is a new one, that anything may have changed.
func (s *Store) Listen(ctx context.Context, hear func(Event)) {
	for ctx.Err() == nil {
		if err := s.listen(ctx, hear); err != nil && ctx.Err() == nil {
			slog.Warn("not told of changes", "error", err)
			select {
			case <-ctx.Done():
			case <-time.After(time.Second):
			}
		}
	}
}

func (s *Store) listen(ctx context.Context, hear func(Event)) error {
	c, err := s.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	// The connection listens for good: it does not go back to the pool.
	conn := c.Hijack()
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "LISTEN "+channel); err != nil {
		return err
	}
	hear(Event{})
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		what, id, _ := strings.Cut(n.Payload, " ")
		e := Event{What: what}
		if e.ID, err = strconv.ParseInt(id, 10, 64); err != nil {
			e = Event{} // from another version of the program
		}
		hear(e)
	}
}
