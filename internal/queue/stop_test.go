package queue_test

import (
	"context"
	"sync/atomic"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nelko/internal/queue"
	"nelko/internal/store/storetest"
)

// deaf is a job that does not hear that its worker is being stopped.
type deaf struct{}

func (deaf) Kind() string                 { return "deaf" }
func (deaf) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "deaf"} }

// clocked is a job that is done on the clock.
type clocked struct{}

func (clocked) Kind() string { return "clocked" }
func (clocked) InsertOpts() river.InsertOpts {
	return river.InsertOpts{
		Queue:      "clocked",
		UniqueOpts: river.UniqueOpts{ByArgs: true, ByState: queue.NotOver},
	}
}

type room struct {
	begun chan struct{}
	end   chan struct{}
	ticks atomic.Int64
}

func (r *room) Jobs(js *queue.Jobs) {
	js.Serve("deaf", 1)
	queue.Handle(js, queue.Kind[deaf]{Work: func(context.Context, queue.Job[deaf]) error {
		close(r.begun)
		<-r.end
		return nil
	}})
	js.Serve("clocked", 2)
	js.Every(time.Hour, func() river.JobArgs { return clocked{} })
	queue.Handle(js, queue.Kind[clocked]{Work: func(context.Context, queue.Job[clocked]) error {
		r.ticks.Add(1)
		return nil
	}})
}

// A worker that is stopped gives its jobs back though they do not end in time, and says that it
// is no more: nobody is blamed for it.
func TestAWorkerThatIsStoppedGivesItsJobsBack(t *testing.T) {
	s := storetest.Open(t)
	in, err := queue.NewInserter(s.SQL)
	require.NoError(t, err)
	require.NoError(t, s.Tx(ctx, func(tx *gorm.DB) error { return in.Insert(ctx, tx, deaf{}) }))
	r := &room{begun: make(chan struct{}), end: make(chan struct{})}
	w, err := queue.Start(ctx, s, "", r)
	require.NoError(t, err)
	<-r.begun
	w.Stop(50 * time.Millisecond)
	defer close(r.end)
	var state string
	require.NoError(t, s.DB.Raw("SELECT state FROM river_job WHERE kind = 'deaf'").Scan(&state).Error)
	assert.Equal(t, "available", state)
	n, err := queue.Waiting(ctx, s, "deaf")
	require.NoError(t, err)
	assert.EqualValues(t, 1, n)
	require.NoError(t, s.DB.Raw("SELECT count(*) FROM workers").Scan(&n).Error)
	assert.Zero(t, n, "it is signed off")
	require.NoError(t, queue.Rescue(ctx, s))
	require.NoError(t, s.DB.Raw("SELECT count(*) FROM river_job WHERE metadata->>'nelko_deaths' IS NOT NULL").
		Scan(&n).Error)
	assert.Zero(t, n)
}

// A worker that was taken for dead and is not cannot end what another has begun since.
func TestWhoWasTakenForDeadEndsNothing(t *testing.T) {
	s := storetest.Open(t)
	in, err := queue.NewInserter(s.SQL)
	require.NoError(t, err)
	require.NoError(t, s.Tx(ctx, func(tx *gorm.DB) error { return in.Insert(ctx, tx, deaf{}) }))
	begin := func() (*room, *queue.Workers) {
		r := &room{begun: make(chan struct{}), end: make(chan struct{})}
		w, err := queue.Start(ctx, s, "", r)
		require.NoError(t, err)
		<-r.begun
		return r, w
	}
	first, w1 := begin()
	defer w1.Stop(time.Second)
	require.NoError(t, s.DB.Exec(
		"UPDATE river_job SET attempted_by = ARRAY['unseen'] WHERE kind = 'deaf'").Error)
	require.NoError(t, queue.Rescue(ctx, s))
	second, w2 := begin()
	defer w2.Stop(time.Second)
	close(first.end)
	time.Sleep(time.Second) // what is done is told River a moment later
	var state string
	require.NoError(t, s.DB.Raw("SELECT state FROM river_job WHERE kind = 'deaf'").Scan(&state).Error)
	assert.Equal(t, "running", state)
	close(second.end)
	require.Eventually(t, func() bool {
		n, err := queue.Waiting(ctx, s, "deaf")
		return err == nil && n == 0
	}, 5*time.Second, 50*time.Millisecond)
}

// What is done on the clock is done when workers begin to, and once, however many they are.
func TestTheClockIsOneForAll(t *testing.T) {
	s := storetest.Open(t)
	rooms := []*room{{}, {}, {}}
	for _, r := range rooms {
		w, err := queue.Start(ctx, s, "", r)
		require.NoError(t, err)
		defer w.Stop(time.Second)
	}
	ticks := func() (n int64) {
		for _, r := range rooms {
			n += r.ticks.Load()
		}
		return n
	}
	require.Eventually(t, func() bool { return ticks() > 0 }, 20*time.Second, 50*time.Millisecond)
	assert.Never(t, func() bool { return ticks() > 1 }, 2*time.Second, 100*time.Millisecond)
}
