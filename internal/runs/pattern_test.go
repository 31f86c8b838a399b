package runs_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/house/housetest"
	"nelko/internal/makefilm"
	"nelko/internal/runs"
	"nelko/internal/store"
	"nelko/themes"
)

// Films wait by due date, single orders before Runs, Runs in turns; one can be
// moved first; a Run can be paused.
func TestTheOrderOfFilms(t *testing.T) {
	h := housetest.Open(t)
	song, photo := housetest.Song(t, 12), housetest.Photo(t, 1)
	open := func(name string, days int) store.Run {
		tb := table(t, "Key;Crew;Date\n1;A;x\n2;B;x\n")
		r, err := h.Runs.Lists.Open(ctx, runs.New{
			Name:  name,
			Due:   time.Now().AddDate(0, 0, days),
			Table: &tb,
		}, nil)
		require.NoError(t, err)
		_, err = h.Orders.Edits.Do(ctx, *r.PatternID, edit.AnyTime(), nil)
		require.NoError(t, err)
		drop(t, h, r.ID, map[string][]byte{"s.flac": song, "1/a.jpg": photo, "2/a.jpg": photo})
		_, err = h.Runs.Acts.DoAll(ctx, r.ID, runs.Render)
		require.NoError(t, err)
		return r
	}
	late, one, two := open("late", 20), open("one", 5), open("two", 5)
	today := housetest.Ready(t, h)
	_, err := h.Making.Renders.Begin(ctx, today, "")
	require.NoError(t, err)
	order := func() (out []string) {
		require.NoError(t, h.Store.DB.Raw(
			`SELECT coalesce(runs.name || ' ' || orders.run_key, 'today') FROM river_job j JOIN renders r ON r.id = (j.args->>'render_id')::bigint JOIN orders ON orders.id = r.order_id LEFT JOIN runs ON runs.id = orders.run_id
			WHERE j.kind = 'render' AND j.state = 'available' ORDER BY j.priority, j.scheduled_at, j.id`).Scan(&out).Error)
		return out
	}
	assert.Equal(t, []string{"today", "one 1", "two 1", "one 2", "two 2", "late 1", "late 2"}, order())
	s := sheet(t, h, late.ID)
	require.NoError(t, h.Runs.Work.MoveFirst(ctx, late.ID, s.Rows[1].ID))
	assert.Equal(t, "late 2", order()[0])
	assert.ErrorIs(t, h.Runs.Work.MoveFirst(ctx, one.ID, s.Rows[1].ID), store.ErrNotFound)
	require.NoError(t, h.Runs.Work.Pause(ctx, one.ID))
	assert.Equal(t, []string{"late 2", "today", "two 1", "two 2", "late 1"}, order())
	require.NoError(t, h.Runs.Work.GoOn(ctx, one.ID))
	assert.Equal(t, []string{"late 2", "today", "one 1", "two 1", "one 2", "two 2", "late 1"}, order())
	n, err := h.Runs.Work.Cancel(ctx, two.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	assert.Equal(t, "2 films: 2 ready", sheet(t, h, two.ID).Summary())
}

// The pattern as a zip makes the same films without a server: shared pictures
// keep their places, the song is the pattern's.
func TestThePatternAsAZip(t *testing.T) {
	h := housetest.Open(t)
	r := begin(t, h, crews)
	drop(t, h, r.ID, map[string][]byte{
		"all.flac": housetest.Song(t, 13),
		"quay.jpg": housetest.Photo(t, 1),
		"end.jpg":  housetest.Photo(t, 2),
		"01/a.jpg": housetest.Photo(t, 3),
		"01/b.jpg": housetest.Photo(t, 4),
	})
	_, err := h.Orders.Edits.Do(ctx, *r.PatternID, edit.Shape{Frame: doc.Frame{W: 320, H: 180}}, nil)
	require.NoError(t, err)
	_, err = h.Orders.Edits.Do(ctx, *r.PatternID,
		edit.Details{Values: map[string]string{"message": "Well rowed"}},
		nil)
	require.NoError(t, err)
	run, err := h.Runs.Load(ctx, r.ID)
	require.NoError(t, err)
	dir := t.TempDir()
	file, err := os.Create(filepath.Join(dir, "pattern.zip"))
	require.NoError(t, err)
	require.NoError(t, h.Runs.Patterns.PatternZip(ctx, run, file))
	require.NoError(t, file.Close())

	require.NoError(t, os.MkdirAll(filepath.Join(dir, "in", "01"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in", "01", "x.jpg"), housetest.Photo(t, 9), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "crews.csv"),
		[]byte("Key;Crew;Date\n01;The Terns;12/9\n"), 0o600))
	shelf, err := themes.Shipped()
	require.NoError(t, err)
	small := profile.Draft
	small.Longer = 160
	req := makefilm.RunRequest{
		Shelf:    shelf,
		Pattern:  file.Name(),
		List:     filepath.Join(dir, "crews.csv"),
		Folders:  filepath.Join(dir, "in"),
		Out:      filepath.Join(dir, "out"),
		Profiles: []profile.Profile{small},
	}
	s, err := makefilm.Run(ctx, req)
	require.NoError(t, err)
	require.Equal(t, "made", s.Rows[0].State, s.Rows[0].Why)
	assert.InDelta(t, 13, s.Rows[0].Seconds, 0.05, "as long as the pattern's song")
	assert.FileExists(t, filepath.Join(dir, "out", "01 The Terns.mp4"))
	for name, content := range map[string]string{"none.zip": "", "torn.zip": "PK\x03\x04"} {
		req.Pattern = filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(req.Pattern, []byte(content), 0o600))
		_, err = makefilm.Run(ctx, req)
		assert.ErrorContains(t, err, "the pattern")
	}
}
