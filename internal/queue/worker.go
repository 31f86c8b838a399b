package queue

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"
)

type pgxTx = pgx.Tx

// worker makes a River worker of a function. Jobs have no time limit of their
// own: a film takes as long as it takes.
type worker[T river.JobArgs] struct {
	river.WorkerDefaults[T]
	work func(context.Context, *river.Job[T]) error
}

func (w *worker[T]) Work(ctx context.Context, j *river.Job[T]) error { return w.work(ctx, j) }
func (w *worker[T]) Timeout(*river.Job[T]) time.Duration             { return -1 }

func add[T river.JobArgs](set *river.Workers, work func(context.Context, *river.Job[T]) error) {
	river.AddWorker(set, &worker[T]{work: work})
}

// retry waits 1, 2, 4 … seconds, at most a minute.
type retry struct{}

func (retry) NextRetry(job *rivertype.JobRow) time.Time {
	return time.Now().Add(min(time.Minute, time.Second<<min(6, len(job.Errors))))
}
