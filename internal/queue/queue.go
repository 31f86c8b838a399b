// Package queue runs background jobs with River on the studio's PostgreSQL.
// A job is inserted in the transaction that makes it necessary; it says its
// own kind, queue and options by river.JobArgsWithInsertOpts, so that a new
// one touches only the room it belongs to. A job whose worker died goes back
// to the queue; one on which workers died twice by a fault, or ten times for reasons
// nobody knows, is refused by name.
package queue

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"os"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"gorm.io/gorm"

	"nelko/internal/store"
)

// Inserter puts jobs into the queue.
type Inserter struct{ client *river.Client[*sql.Tx] }

// NewInserter makes an inserter on a database.
func NewInserter(db *sql.DB) (*Inserter, error) {
	c, err := river.NewClient(riverdatabasesql.New(db), &river.Config{Logger: quiet})
	if err != nil {
		return nil, fmt.Errorf("queue: %w", err)
	}
	return &Inserter{c}, nil
}

// quiet passes on what River warns of, not its regular counts.
var quiet = slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))

// Insert queues a job within a transaction, by the job's own options.
func (i *Inserter) Insert(ctx context.Context, tx *gorm.DB, j river.JobArgs) error {
	raw, err := store.RawTx(tx)
	if err != nil {
		return err
	}
	if _, err := i.client.InsertTx(ctx, raw, j, nil); err != nil {
		return fmt.Errorf("queueing %s: %w", j.Kind(), err)
	}
	return nil
}

// Waiting counts the jobs of a kind that are not over.
func Waiting(ctx context.Context, s *store.Store, kind string) (n int64, err error) {
	err = s.DB.WithContext(ctx).Table("river_job").
		Where("kind = ? AND state NOT IN ('completed', 'cancelled', 'discarded')", kind).Count(&n).Error
	return n, err
}
