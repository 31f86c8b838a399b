package making_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/queue"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// A worker that begins after a film did is asked to help, if it draws with the same; one that
// has said why it does not is asked no more.
func TestLateWorkersAreAsked(t *testing.T) {
	s := housetest.Open(t)
	id := housetest.Ready(t, s)
	r, err := s.Making.Renders.Begin(t.Context(), id, "")
	require.NoError(t, err)
	tools := s.Orders.House.Tools.String()
	worker := func(id, tools, note string) {
		require.NoError(t, s.Store.DB.Exec(
			"INSERT INTO workers (id, tools, note, seen_at) VALUES (?, ?, ?, now() + interval '1 hour')", id,
			tools, note).Error)
	}
	worker("first", tools, "")
	require.NoError(t, s.Store.DB.Model(&r).Updates(map[string]any{
		"state":   "running",
		"attempt": 1,
		"worker":  "first",
		"tools":   tools,
	}).Error)
	r, err = store.One[store.Render](s.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	for n := range 5 {
		require.NoError(t, s.Store.DB.Create(&store.RenderPart{
			RenderID: r.ID,
			Attempt:  1,
			Number:   n,
			First:    n,
			Last:     n,
			Frames:   50,
			State:    "waiting",
		}).Error)
	}
	end := s.Making.Attempts.Reporting(t.Context(), r)
	defer end()
	asked := func() int64 {
		n, err := queue.Waiting(t.Context(), s.Store, "help")
		require.NoError(t, err)
		return n
	}
	worker("other tools", "another", "")
	worker("declined", tools, "takes no part in it")
	assert.Never(t, func() bool { return asked() > 0 }, 6*time.Second, 100*time.Millisecond)
	worker("second", tools, "")
	require.Eventually(t, func() bool { return asked() == 1 }, 10*time.Second, 100*time.Millisecond)
	worker("third", tools, "")
	require.Eventually(t, func() bool { return asked() == 2 }, 10*time.Second, 100*time.Millisecond)
}

// An attempt that somebody else has begun anew is over, but not done; that of a film that was
// cancelled is.
func TestASupersededAttemptIsNotDone(t *testing.T) {
	s := housetest.Open(t)
	id := housetest.Ready(t, s)
	for state, want := range map[store.RenderState]error{
		store.RenderRunning:   queue.ErrSuperseded,
		store.RenderCancelled: nil,
	} {
		r, err := s.Making.Renders.Begin(t.Context(), id, "")
		require.NoError(t, err)
		done := make(chan error, 1)
		go func() {
			done <- s.Making.Attempts.Film(context.Background(), making.Film{RenderID: r.ID}, "first", false)
		}()
		require.Eventually(t, func() bool {
			now, err := store.One[store.Render](s.Store.DB, "id = ?", r.ID)
			return err == nil && now.Attempt == 1
		}, 10*time.Second, time.Millisecond)
		require.NoError(t, s.Store.DB.Exec("UPDATE renders SET attempt = 2, state = ? WHERE id = ?", state,
			r.ID).Error)
		assert.ErrorIs(t, <-done, want)
		require.NoError(t, s.Store.DB.Exec("UPDATE renders SET state = 'cancelled' WHERE id = ?", r.ID).Error)
	}
}

// A segment is kept though the database went away when it was made.
func TestSegmentsAreKeptWhenTheDatabaseIsBack(t *testing.T) {
	s, b := storetest.Open(t), storetest.Blobs(t)
	k := &making.Segments{Store: s, Blobs: b, Now: time.Now}
	file := filepath.Join(t.TempDir(), "segment")
	require.NoError(t, os.WriteFile(file, []byte("frames"), 0o600))
	storetest.Refuse(t, s, 3*time.Second)
	_, err := store.One[store.Segment](s.DB, "key = 'key'")
	require.True(t, store.Unreached(err), "%v", err)
	path, err := k.Keep(t.Context(), "key", file)
	require.NoError(t, err)
	assert.FileExists(t, path)
	found, err := k.Find(t.Context(), []string{"key"})
	require.NoError(t, err)
	assert.Equal(t, path, found["key"])
}

// A segment that is found between being listed to go and going stays.
func TestASegmentThatIsFoundMeanwhileStays(t *testing.T) {
	s, b := storetest.Open(t), storetest.Blobs(t)
	now := time.Now().Add(-3 * time.Hour).Truncate(time.Microsecond)
	k := &making.Segments{Store: s, Blobs: b, Now: func() time.Time { return now }}
	file := filepath.Join(t.TempDir(), "segment")
	require.NoError(t, os.WriteFile(file, []byte("frames"), 0o600))
	path, err := k.Keep(t.Context(), "key", file)
	require.NoError(t, err)
	require.NoError(t, s.DB.Exec("UPDATE blobs SET touched_at = now() - interval '1 day'").Error)
	listed, err := store.One[store.Segment](s.DB, "key = 'key'")
	require.NoError(t, err)
	now = now.Add(time.Hour)
	found, err := k.Find(t.Context(), []string{"key"})
	require.NoError(t, err)
	require.Equal(t, path, found["key"])
	require.NoError(t, k.DropAs(t.Context(), listed))
	assert.FileExists(t, path)
	again, err := store.One[store.Segment](s.DB, "key = 'key'")
	require.NoError(t, err)
	require.NoError(t, k.DropAs(t.Context(), again))
	assert.NoFileExists(t, path)
}
