package queue

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"gorm.io/gorm"

	"nelko/internal/store"
)

// Workers runs the jobs of rooms in this process.
type Workers struct {
	store  *store.Store
	id     string
	tools  string
	client *river.Client[pgx.Tx]
	stop   context.CancelFunc
	beats  chan struct{}

	witness string // the file for its last words; empty: none
}

// ID names this process in the queue.
func (w *Workers) ID() string { return w.id }

// Start begins to work on the rooms' jobs. They go on until Stop. tools names
// what this process draws and encodes with.
func Start(ctx context.Context, s *store.Store, tools string, rooms ...Room) (*Workers, error) {
	host, err := os.Hostname()
	if err != nil {
		host = "here"
	}
	w := &Workers{
		store: s,
		tools: tools,
		id:    fmt.Sprintf("%s-%d-%d", host, os.Getpid(), time.Now().UnixMilli()),
	}
	js := &Jobs{set: river.NewWorkers(), queues: map[string]river.QueueConfig{}, worker: w.id}
	for _, r := range rooms {
		r.Jobs(js)
	}
	w.client, err = river.NewClient(riverpgxv5.New(s.Pool), &river.Config{
		ID:           w.id,
		Logger:       quiet,
		Workers:      js.set,
		JobTimeout:   -1,
		Queues:       js.queues,
		RetryPolicy:  retry{},
		PeriodicJobs: js.clock,
	})
	if err != nil {
		return nil, fmt.Errorf("workers: %w", err)
	}
	w.witness = lastWords()
	if err := w.beat(ctx); err != nil {
		return nil, fmt.Errorf("workers: %w", err)
	}
	if err := w.client.Start(context.WithoutCancel(ctx)); err != nil {
		return nil, fmt.Errorf("workers: %w", err)
	}
	var beating context.Context
	beating, w.stop = context.WithCancel(context.WithoutCancel(ctx))
	w.beats = make(chan struct{})
	go w.watch(beating)
	return w, nil
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
	forgetWords(w.witness)
	// What could not be put off in time goes back; nobody died on it. That the time is over must
	// not keep it from being said: who finds it unsaid blames the job.
	ctx, cancel = context.WithTimeout(context.Background(), sayWithin)
	defer cancel()
	err := w.store.Tx(ctx, func(tx *gorm.DB) error {
		if err := giveBack(tx, "metadata", lastBy+" = ?", w.id); err != nil {
			return err
		}
		return tx.Exec("DELETE FROM workers WHERE id = ?", w.id).Error
	})
	if err != nil {
		slog.Warn("worker not signed off", "error", err)
	}
}

// sayWithin is how long a worker that ends may take to say so.
const sayWithin = 5 * time.Second

// A worker is taken for dead when it has not been seen for this long.
const (
	beatEvery = 2 * time.Second
	deadAfter = 15 * time.Second
)

// lastBy is the worker that took a job last.
const lastBy = "attempted_by[array_upper(attempted_by, 1)]"

// Alive is the SQL condition that a row of workers is of one that lives.
var Alive = fmt.Sprintf("seen_at >= now() - interval '%d seconds'", int(deadAfter.Seconds()))

func (w *Workers) beat(ctx context.Context) error {
	_, err := w.store.SQL.ExecContext(ctx,
		"INSERT INTO workers (id, tools, boot, witness, oom_kills) VALUES ($1, $2, $3, $4, $5) ON CONFLICT "+
			"(id) DO UPDATE SET seen_at = now()", w.id, w.tools, boot(), w.witness, oomKills())
	return err
}

// watch signs this worker in and looks for dead ones until ctx ends.
func (w *Workers) watch(ctx context.Context) {
	defer close(w.beats)
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	// Who could not reach the database was not seen there, and so may others: once it is back
	// they are given the time to be.
	var blind time.Time
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := w.beat(ctx); err != nil && ctx.Err() == nil {
				slog.Warn("worker cannot reach the database", "error", err)
				blind = time.Now()
				continue
			}
			if time.Since(blind) < deadAfter {
				continue
			}
			if err := Rescue(ctx, w.store); err != nil && ctx.Err() == nil {
				slog.Warn("looking for dead workers", "error", err)
			}
		}
	}
}

// giveBack gives running jobs back to the queue, each under a new number: whoever worked on it
// and is not dead after all can end the old one only, not the one that another has begun. whose
// says which, metadata what theirs are from now on; args are of whose first.
func giveBack(tx *gorm.DB, metadata, whose string, args ...any) error {
	return tx.Exec(`WITH job AS (DELETE FROM river_job WHERE id IN (
			SELECT id FROM river_job WHERE state = 'running' AND `+whose+` FOR UPDATE) RETURNING *)
		INSERT INTO river_job (args, attempt, attempted_at, attempted_by, created_at, errors, kind, max_attempts, metadata,
			priority, queue, state, scheduled_at, tags, unique_key, unique_states)
		SELECT args, attempt, attempted_at, attempted_by, created_at, errors, kind, greatest(max_attempts, attempt + 1), `+metadata+`,
			priority, queue, 'available', now(), tags, unique_key, unique_states FROM job`, args...).Error
}

// Rescue gives the running jobs of dead workers back to the queue, and notes
// the death and how much the job is to blame for it (see blameKnown). River's own
// rescuer goes by a job's age, which cannot tell a long render from a dead one,
// so this looks at the workers instead.
func Rescue(ctx context.Context, s *store.Store) error {
	return s.Tx(ctx, func(tx *gorm.DB) error {
		var dead []struct {
			ID, Boot, Witness string
			OOMKills          int64 `gorm:"column:oom_kills"`
		}
		if err := tx.Raw("DELETE FROM workers WHERE NOT " + Alive +
			" RETURNING id, boot, witness, oom_kills").Scan(&dead).Error; err != nil {
			return err
		}
		back := func(blame int, whose string, args ...any) error {
			return giveBack(tx, `coalesce(metadata, '{}') || jsonb_build_object('nelko_deaths', coalesce((metadata->>'nelko_deaths')::int, 0) + 1,
				'nelko_blame', coalesce((metadata->>'nelko_blame')::int, 0) + ?)`, whose, append(args, blame)...)
		}
		for _, w := range dead {
			n := blameUnknown
			if endedByItself(w.Boot, w.Witness, w.OOMKills) {
				n = blameKnown
			}
			if err := back(n, lastBy+" = ?", w.ID); err != nil {
				return err
			}
		}
		return back(blameUnknown, lastBy+" NOT IN (SELECT id FROM workers WHERE "+Alive+")")
	})
}
