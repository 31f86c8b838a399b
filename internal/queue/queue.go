// Package queue runs the studio's background jobs with River on the same
// PostgreSQL: inserts happen in the transaction that makes a job necessary,
// and a job whose worker died goes back to the queue.
package queue

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"time"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"nelko/internal/studio"
)

// Inserter puts jobs into the queue.
type Inserter struct{ client *river.Client[*sql.Tx] }

var _ studio.Queue = (*Inserter)(nil)

// NewInserter makes an inserter on a database.
func NewInserter(db *sql.DB) (*Inserter, error) {
	c, err := river.NewClient(riverdatabasesql.New(db), &river.Config{Logger: quiet})
	if err != nil {
		return nil, fmt.Errorf("queue: %w", err)
	}
	return &Inserter{c}, nil
}

// The queues: films, everything that is over quickly, and the demo's painter.
const (
	films   = "films"
	quick   = "quick"
	painter = "painter"
	helping = "help"
)

// quiet passes on what River warns of, not its regular counts.
var quiet = slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))

// Insert implements studio.Queue.
func (i *Inserter) Insert(ctx context.Context, tx *sql.Tx, j studio.Job) error {
	o := &river.InsertOpts{Queue: quick, MaxAttempts: 8}
	switch j.(type) {
	case studio.Render:
		o.Queue, o.MaxAttempts = films, 5
	case studio.Help:
		o.Queue, o.MaxAttempts = helping, 3
	case studio.Demo:
		o.Queue, o.MaxAttempts = painter, 3
	case studio.Pour:
		// Files come in bunches; a pour a moment later takes several.
		o.ScheduledAt = time.Now().Add(700 * time.Millisecond)
	}
	args, ok := j.(river.JobArgs)
	if !ok {
		return fmt.Errorf("queue: %T is not a job", j)
	}
	if _, err := i.client.InsertTx(ctx, tx, args, o); err != nil {
		return fmt.Errorf("queueing %s: %w", j.Kind(), err)
	}
	return nil
}

// Workers runs jobs of a studio in this process.
type Workers struct {
	Studio  *studio.Studio
	Mailer  studio.Mailer
	BaseURL string
	Demo    func(ctx context.Context, j studio.Demo) error
	Films   int // films rendered at the same time, at least 1

	id     string
	client *river.Client[pgxTx]
	stop   context.CancelFunc
	beats  chan struct{}
}

// ID names this process in the queue.
func (w *Workers) ID() string { return w.id }

// Start begins to work. Jobs go on until Stop.
func (w *Workers) Start(ctx context.Context) error {
	host, err := os.Hostname()
	if err != nil {
		host = "here"
	}
	w.id = fmt.Sprintf("%s-%d-%d", host, os.Getpid(), time.Now().Unix())
	set := river.NewWorkers()
	add(set, func(ctx context.Context, j *river.Job[studio.Ingest]) error { return w.Studio.DoIngest(ctx, j.Args) })
	add(set, func(ctx context.Context, j *river.Job[studio.Pour]) error {
		err := w.Studio.DoPour(ctx, j.Args)
		var c *studio.Conflict
		if errors.As(err, &c) {
			return river.JobSnooze(time.Second)
		}
		return err
	})
	add(set, func(ctx context.Context, j *river.Job[studio.Render]) error {
		err := w.Studio.DoRender(ctx, j.Args, w.id, j.Attempt >= j.MaxAttempts)
		if ctx.Err() != nil {
			return river.JobSnooze(time.Second) // stopped on purpose: not a failed try
		}
		return err
	})
	add(set, func(ctx context.Context, j *river.Job[studio.Help]) error {
		own, err := w.Studio.DoHelp(ctx, j.Args, w.id)
		if own || ctx.Err() != nil {
			return river.JobSnooze(2 * time.Second) // for another worker
		}
		return err
	})
	add(set, func(ctx context.Context, j *river.Job[studio.SendLink]) error {
		return w.Studio.DoSendLink(ctx, j.Args, w.Mailer, w.BaseURL)
	})
	add(set, func(ctx context.Context, j *river.Job[studio.Demo]) error {
		if w.Demo == nil {
			return river.JobSnooze(time.Minute) // another worker has the painter
		}
		return w.Demo(ctx, j.Args)
	})
	w.client, err = river.NewClient(riverpgxv5.New(w.Studio.Store.Pool), &river.Config{
		ID: w.id, Logger: quiet, Workers: set, JobTimeout: -1,
		Queues: map[string]river.QueueConfig{films: {MaxWorkers: max(1, w.Films)}, quick: {MaxWorkers: 2}, painter: {MaxWorkers: 1}, helping: {MaxWorkers: 1}},
		// A shutdown must not count as a failed try for long.
		RetryPolicy: retry{},
	})
	if err != nil {
		return fmt.Errorf("workers: %w", err)
	}
	if err := w.beat(ctx); err != nil {
		return fmt.Errorf("workers: %w", err)
	}
	if err := w.client.Start(context.WithoutCancel(ctx)); err != nil {
		return fmt.Errorf("workers: %w", err)
	}
	var beating context.Context
	beating, w.stop = context.WithCancel(context.WithoutCancel(ctx))
	w.beats = make(chan struct{})
	go w.watch(beating)
	return nil
}

// Stop ends work within the given time: running jobs are interrupted and go
// back to the queue.
func (w *Workers) Stop(within time.Duration) {
	ctx, cancel := context.WithTimeout(context.Background(), within)
	defer cancel()
	if err := w.client.StopAndCancel(ctx); err != nil {
		slog.Warn("workers did not stop in time", "error", err)
	}
	w.stop()
	<-w.beats
	if _, err := w.Studio.Store.SQL.ExecContext(ctx, "DELETE FROM workers WHERE id = $1", w.id); err != nil {
		slog.Warn("worker not signed off", "error", err)
	}
	w.rescue(ctx)
}

// A worker is taken for dead when it has not been seen for this long.
const (
	beatEvery = 2 * time.Second
	deadAfter = 15 * time.Second
)

func (w *Workers) beat(ctx context.Context) error {
	_, err := w.Studio.Store.SQL.ExecContext(ctx,
		"INSERT INTO workers (id) VALUES ($1) ON CONFLICT (id) DO UPDATE SET seen_at = now()", w.id)
	return err
}

// watch signs this worker in and looks for dead ones until ctx ends.
func (w *Workers) watch(ctx context.Context) {
	defer close(w.beats)
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := w.beat(ctx); err != nil && ctx.Err() == nil {
				slog.Warn("worker cannot reach the database", "error", err)
				continue
			}
			w.rescue(ctx)
		}
	}
}

// rescue gives the running jobs of dead workers back to the queue. River's
// own rescuer goes by a job's age, which cannot tell a long render from a
// dead one, so this looks at the workers instead.
func (w *Workers) rescue(ctx context.Context) {
	_, err := w.Studio.Store.SQL.ExecContext(ctx, fmt.Sprintf(`
		WITH gone AS (DELETE FROM workers WHERE seen_at < now() - interval '%d seconds')
		UPDATE river_job SET state = 'available', scheduled_at = now(), max_attempts = greatest(max_attempts, attempt + 1)
		WHERE state = 'running' AND attempted_by[array_upper(attempted_by, 1)] NOT IN
			(SELECT id FROM workers WHERE seen_at >= now() - interval '%d seconds')`,
		int(deadAfter.Seconds()), int(deadAfter.Seconds())))
	if err != nil && ctx.Err() == nil {
		slog.Warn("looking for dead workers", "error", err)
	}
}
