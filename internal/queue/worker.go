package queue

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promauto"
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

func (w *worker[T]) Work(ctx context.Context, j *river.Job[T]) error {
	start := time.Now()
	err := w.work(ctx, j)
	jobs.WithLabelValues(j.Kind, outcome(err)).Observe(time.Since(start).Seconds())
	slog.Info("job", "job", j.ID, "kind", j.Kind, "attempt", j.Attempt, "ms", time.Since(start).Milliseconds(), "outcome", outcome(err))
	return err
}

func (w *worker[T]) Timeout(*river.Job[T]) time.Duration { return -1 }

var jobs = promauto.NewHistogramVec(prometheus.HistogramOpts{
	Name: "nelko_job_seconds", Help: "Time a background job took, by kind and outcome.",
	Buckets: []float64{.05, .2, 1, 5, 20, 60, 300, 1200},
}, []string{"kind", "outcome"})

func outcome(err error) string {
	var later *river.JobSnoozeError
	switch {
	case err == nil:
		return "done"
	case errors.As(err, &later):
		return "put off"
	}
	return "failed"
}

func add[T river.JobArgs](set *river.Workers, work func(context.Context, *river.Job[T]) error) {
	river.AddWorker(set, &worker[T]{work: work})
}

// retry waits 1, 2, 4 … seconds, at most a minute.
type retry struct{}

func (retry) NextRetry(job *rivertype.JobRow) time.Time {
	return time.Now().Add(min(time.Minute, time.Second<<min(6, len(job.Errors))))
}
