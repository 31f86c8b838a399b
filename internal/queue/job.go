package queue

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promauto"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"nelko/internal/store"
)

// Job is one job being worked on.
type Job[T river.JobArgs] struct {
	Args   T
	Worker string // the process that works on it
	Last   bool   // it will not be tried again
}

// Later puts a job off: it is no failure and costs no try.
func Later(d time.Duration) error { return river.JobSnooze(d) }

// ErrSuperseded is what Work returns when somebody else does meanwhile what the job was for: it
// is not done, but over.
var ErrSuperseded = errors.New("somebody else does it meanwhile")

// Kind is how the jobs of one type are worked on.
type Kind[T river.JobArgs] struct {
	Work func(context.Context, Job[T]) error
	// Needs says what is missing without which the job cannot be done and which
	// comes back by itself, as a mount: the job is put off then, which is no failure
	// and costs no try. Nil: nothing.
	Needs func(context.Context) error
	// Refuse is told once of a job that cannot be done, and why: workers died on
	// it. It marks what the job was for as failed. Nil where
	// nobody waits for the job.
	Refuse func(ctx context.Context, args T, why string) error
}

// Room is a part of the application with jobs of its own.
type Room interface {
	// Jobs tells how its kinds of job are worked on, by Handle.
	Jobs(*Jobs)
}

// Jobs collects kinds of job and the queues they need.
type Jobs struct {
	set    *river.Workers
	queues map[string]river.QueueConfig
	clock  []*river.PeriodicJob
	worker string
}

// NotOver are the states of jobs that wait or run.
var NotOver = []rivertype.JobState{rivertype.JobStateAvailable, rivertype.JobStatePending,
	rivertype.JobStateRetryable, rivertype.JobStateRunning, rivertype.JobStateScheduled}

// Every has a job done on the clock by one of all processes that work: when they begin to,
// and then every so long.
func (js *Jobs) Every(d time.Duration, args func() river.JobArgs) {
	js.clock = append(js.clock, river.NewPeriodicJob(river.PeriodicInterval(d),
		func() (river.JobArgs, *river.InsertOpts) {
			return args(), nil
		}, &river.PeriodicJobOpts{RunOnStart: true}))
}

// Serve has so many jobs of a queue worked on at the same time.
func (js *Jobs) Serve(queue string, atOnce int) {
	js.queues[queue] = river.QueueConfig{MaxWorkers: max(1, atOnce)}
}

// Handle adds a kind of job.
func Handle[T river.JobArgs](js *Jobs, k Kind[T]) {
	river.AddWorker(js.set, &worker[T]{kind: k, id: &js.worker})
}

// worker makes a River worker of a kind. Jobs have no time limit of their
// own: a film takes as long as it takes.
type worker[T river.JobArgs] struct {
	river.WorkerDefaults[T]
	kind Kind[T]
	id   *string
}

// A worker that ended by itself, by a fault in it or for want of memory, was
// ended by what it worked on, twice is enough; one that was killed, or of which
// nobody knows, more likely by somebody: whatever it worked on is to blame for
// only a part of it.
const (
	blameKnown   = 5
	blameUnknown = 1
	deadly       = 2 * blameKnown
)

// Work implements river.Worker.
func (w *worker[T]) Work(ctx context.Context, j *river.Job[T]) error {
	if deaths, blame := deaths(j.Metadata); blame >= deadly {
		return w.refuse(ctx, j, deaths)
	}
	ctx = store.As(ctx, &store.Actor{Job: j.ID})
	start := time.Now()
	err := w.missing(ctx)
	if err == nil {
		err = w.kind.Work(ctx, Job[T]{Args: j.Args, Worker: *w.id, Last: j.Attempt >= j.MaxAttempts})
		// What went away meanwhile is why it failed.
		if err != nil && w.missing(ctx) != nil {
			err = Later(missingFor)
		}
	} else {
		err = Later(missingFor)
	}
	if err != nil && ctx.Err() != nil {
		err = Later(time.Second) // stopped on purpose: not a failed try
	}
	jobs.WithLabelValues(j.Kind, outcome(err)).Observe(time.Since(start).Seconds())
	slog.InfoContext(ctx, "job", "kind", j.Kind, "attempt", j.Attempt, "ms", time.Since(start).Milliseconds(),
		"outcome", outcome(err))
	if errors.Is(err, ErrSuperseded) {
		return river.JobCancel(err)
	}
	return err
}

// missingFor is how long a job is put off for what is missing.
const missingFor = 5 * time.Second

// missing says what the job needs that is not there.
func (w *worker[T]) missing(ctx context.Context) error {
	if w.kind.Needs == nil || ctx.Err() != nil {
		return nil
	}
	return w.kind.Needs(ctx)
}

func (w *worker[T]) refuse(ctx context.Context, j *river.Job[T], n int) error {
	why := fmt.Sprintf("the program ended %d times while it was being worked on", n)
	jobs.WithLabelValues(j.Kind, "refused").Observe(0)
	slog.ErrorContext(ctx, "job refused", "job", j.ID, "kind", j.Kind, "why", why)
	if w.kind.Refuse != nil {
		if err := w.kind.Refuse(ctx, j.Args, why); err != nil {
			return err
		}
	}
	return river.JobCancel(errors.New(why))
}

// Timeout implements river.Worker.
func (w *worker[T]) Timeout(*river.Job[T]) time.Duration { return -1 }

// deaths is how many workers died on a job, and how much it is to blame, which
// Rescue counts.
func deaths(metadata []byte) (deaths, blame int) {
	var m struct {
		Deaths int `json:"nelko_deaths"`
		Blame  int `json:"nelko_blame"`
	}
	if len(metadata) == 0 || json.Unmarshal(metadata, &m) != nil {
		return 0, 0 // River's own data is of no concern here
	}
	return m.Deaths, m.Blame
}

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
	case errors.Is(err, ErrSuperseded):
		return "superseded"
	}
	return "failed"
}

// retry waits 1, 2, 4 … seconds, at most a minute.
type retry struct{}

func (retry) NextRetry(job *rivertype.JobRow) time.Time {
	return time.Now().Add(pause(len(job.Errors)))
}

// pause is how long is waited after so many failures.
func pause(failures int) time.Duration { return min(time.Minute, time.Second<<min(6, failures)) }

// Tries is how often a job is tried that is to be tried for so long, as one that
// needs a service outside which may be away.
func Tries(d time.Duration) int {
	n := 1
	for sum := time.Duration(0); sum < d; n++ {
		sum += pause(n - 1)
	}
	return n
}

// Outside is how long a job is tried that needs a service outside.
const Outside = 4 * time.Hour
