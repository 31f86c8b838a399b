package house_test

import (
	"context"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/profile"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
	"nelko/themes/themestest"
)

// A studio's database as the program wrote it before documents named media by
// content: two orders of the demo with all their revisions, both rendered, and
// two links of which one was still to be mailed.
const before = "testdata/studio-3.sql"

// Nothing is lost when a studio's database is brought up to date: every
// revision can be read, the films are as long as those that were rendered, and
// links open as they did. Tokens do not stay in jobs.
func TestAnEarlierDatabaseIsMigrated(t *testing.T) {
	ctx := context.Background()
	s, _ := storetest.Empty(t)
	dump, err := os.ReadFile(before)
	require.NoError(t, err)
	conn, err := s.Pool.Acquire(ctx)
	require.NoError(t, err)
	_, err = conn.Conn().PgConn().Exec(ctx, string(dump)).ReadAll()
	conn.Release()
	require.NoError(t, err)
	shipped := themestest.Shelf(t)
	require.NoError(t, s.Migrate(ctx, func(id string) string { return themestest.Get(t, id).Content }))

	blobs := storetest.Blobs(t)
	require.NoError(t, s.MarkRestored(ctx, blobs)) // the dump came without its files
	h := housetest.On(t, s, blobs, house.Settings{})
	details := map[int64]string{1: "The Gannets", 5: "Leavers 2026"}
	for id, revisions := range map[int64]int{1: 10, 5: 9} {
		for n := 1; n <= revisions; n++ {
			d, err := h.Orders.LoadAt(ctx, id, n)
			require.NoError(t, err, "order %d, revision %d", id, n)
			assert.NotNil(t, d.Theme)
			for _, s := range d.Doc.Slides {
				for _, m := range s.Media {
					assert.Contains(t, d.Library, m, "order %d, revision %d", id, n)
				}
			}
			_, err = h.Orders.Film(d, profile.Film, "")
			assert.NoError(t, err)
		}
		d := housetest.Load(t, h, id)
		assert.Equal(t, revisions, d.Slideshow.Head)
		assert.Equal(t, details[id], d.Doc.Details["names"])
		on, err := shipped.Get(d.Doc.Theme)
		require.NoError(t, err)
		assert.Equal(t, on.Content, d.Doc.ThemeVersion)
		// Undo goes back through revisions of before.
		_, err = h.Orders.Edits.Undo(ctx, id, d.Slideshow.Head, nil)
		assert.NoError(t, err)
	}
	var renders []store.Render
	require.NoError(t, s.DB.Order("id").Find(&renders).Error)
	require.Len(t, renders, 2)
	for _, r := range renders {
		laid, err := h.Orders.FilmOf(ctx, r)
		require.NoError(t, err)
		assert.InDelta(t, r.Seconds, laid.Plan.Rate.Seconds(laid.Plan.Frames), 1e-6,
			"as long as it was rendered")
	}

	var links []store.Link
	require.NoError(t, s.DB.Order("id").Find(&links).Error)
	require.Len(t, links, 2)
	assert.Empty(t, links[0].UnsentToken, "it was mailed")
	assert.Equal(t, "waiting-to-be-mailed", links[1].UnsentToken)
	for _, l := range links {
		var of int64
		require.NoError(t, s.DB.Raw("SELECT render_id FROM delivery_renders WHERE delivery_id = ?",
			l.DeliveryID).Scan(&of).Error)
		assert.EqualValues(t, 1, of)
	}
	var jobs []struct{ Kind, Queue, Args string }
	require.NoError(t, s.DB.Raw(
		"SELECT kind, queue, args::text args FROM river_job WHERE state = 'available' ORDER BY kind").
		Scan(&jobs).Error)
	require.Len(t, jobs, 2)
	assert.Equal(t, "reading", jobs[0].Queue)
	assert.Equal(t, "mail", jobs[1].Queue)
	var told int64
	require.NoError(t, s.DB.Raw("SELECT count(*) FROM river_job WHERE args ? 'token'").Scan(&told).Error)
	assert.Zero(t, told)
}
