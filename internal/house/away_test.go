package house_test

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/queue"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// mounted is a store of files that can go and come back as a mount does: while it
// is away there is an empty folder in its place.
type mounted struct {
	*store.Blobs
	at, aside string
}

func mount(t *testing.T) mounted {
	dir := t.TempDir()
	m := mounted{at: filepath.Join(dir, "blobs"), aside: filepath.Join(dir, "aside")}
	b, err := store.OpenBlobs(t.Context(), "file://"+m.at, filepath.Join(dir, "cache"))
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, b.Close()) })
	m.Blobs = b
	return m
}

func (m mounted) drop(t *testing.T) {
	require.NoError(t, os.Rename(m.at, m.aside))
	require.NoError(t, os.Mkdir(m.at, 0o700))
}

// back brings it back, and fails the test if anything was written in its place.
func (m mounted) back(t *testing.T) {
	require.NoError(t, os.Remove(m.at), "nothing was written below the mount's place")
	require.NoError(t, os.Rename(m.aside, m.at))
}

// While the folder of files is away nothing is taken for missing or damaged, nothing is
// written in its place, and what was to be done is done once it is back.
func TestTheStoreAwayIsNotTheMaterialMissing(t *testing.T) {
	m, s := mount(t), storetest.Open(t)
	h := housetest.On(t, s, m.Blobs, house.Settings{})
	id := housetest.Ready(t, h)
	whole := housetest.Rendered(t, h, id)
	housetest.Caption(t, h, id, "Another")
	r, err := h.Making.Renders.Begin(t.Context(), id, "")
	require.NoError(t, err)

	m.drop(t)
	_, err = h.Intake.In.Receive(t.Context(), id, "late", "late.jpg", bytes.NewReader(housetest.Photo(t, 77)))
	require.ErrorIs(t, err, store.ErrAway)
	require.ErrorIs(t, h.Making.Attempts.Film(t.Context(), making.Film{RenderID: r.ID}, "w", true),
		store.ErrAway)
	now, err := store.One[store.Render](s.DB, "id = ?", r.ID)
	require.NoError(t, err)
	assert.Equal(t, store.RenderWaiting, now.State, "though it was the last try")
	assert.Equal(t, store.ErrAway.Error(), now.Error)
	_, err = h.Making.Checks.Verify(t.Context(), true, 0, 0)
	require.ErrorIs(t, err, store.ErrAway)
	_, _, err = h.Intake.Material.Verify(t.Context(), true, 0, 0)
	require.ErrorIs(t, err, store.ErrAway)
	_, err = h.Blobs.Path(t.Context(), *whole.SHA256)
	require.ErrorIs(t, err, store.ErrAway)
	require.ErrorIs(t, h.Blobs.Delete(t.Context(), *whole.SHA256), store.ErrAway)
	require.NoError(t, s.DB.Exec("DELETE FROM theme_versions WHERE theme = 'pennant'").Error)
	_, err = housetest.On(t, s, m.Blobs, house.Settings{}).Orders.Load(t.Context(), id)
	require.NoError(t, err, "a program that starts meanwhile, with a theme that is new, opens what needs "+
		"no files")

	m.back(t)
	for _, d := range housetest.Load(t, h, id).Media {
		assert.Empty(t, d.Damage)
	}
	require.NoError(t, h.Making.Attempts.Film(t.Context(), making.Film{RenderID: r.ID}, "w", false))
	now, err = store.One[store.Render](s.DB, "id = ?", r.ID)
	require.NoError(t, err)
	assert.Equal(t, store.RenderDone, now.State)
	assert.Empty(t, now.Error)
}

// A file that comes in before the folder of files goes is read when it is back, whatever
// its job tried meanwhile.
func TestAFileIsReadOnceTheStoreIsBack(t *testing.T) {
	m, s := mount(t), storetest.Open(t)
	h := housetest.On(t, s, m.Blobs, house.Settings{})
	o := housetest.Order(t, h)
	f, err := h.Intake.In.Receive(t.Context(), o.ID, "u", "u.jpg", bytes.NewReader(housetest.Photo(t, 1)))
	require.NoError(t, err)
	m.drop(t)
	w, err := queue.Start(context.Background(), s, "", h.Intake)
	require.NoError(t, err)
	defer w.Stop(5 * time.Second)
	var tries int64
	require.Eventually(t, func() bool { // it was begun and put off
		return s.DB.Raw("SELECT count(*) FROM river_job WHERE kind = 'ingest' AND "+
			"(metadata->>'snoozes')::int > 0").Scan(&tries).Error == nil && tries > 0
	}, 20*time.Second, 50*time.Millisecond)
	now, err := store.One[store.Media](s.DB, "id = ?", f.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Waiting, now.State)
	m.back(t)
	require.Eventually(t, func() bool {
		now, err := store.One[store.Media](s.DB, "id = ?", f.ID)
		return err == nil && now.State == store.Ready
	}, 20*time.Second, 50*time.Millisecond)
}
