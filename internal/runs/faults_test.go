package runs_test

import (
	"context"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/queue"
	"nelko/internal/render"
	"nelko/internal/runs"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// ready is a Run of so many rows that can be rendered, at a small size.
func ready(t *testing.T, h *house.House, rows int) store.Run {
	csv := "Key;Crew;Date\n"
	files := map[string][]byte{"song.flac": housetest.Song(t, 13), "quay.jpg": housetest.Photo(t, 500)}
	for i := range rows {
		csv += fmt.Sprintf("%02d;Crew %d;12/9\n", i+1, i+1)
		files[fmt.Sprintf("%02d/a.jpg", i+1)] = housetest.Photo(t, i)
	}
	r := begin(t, h, csv)
	_, err := h.Orders.Edits.Do(ctx, *r.PatternID, edit.Shape{Frame: doc.Frame{W: 320, H: 180}}, nil)
	require.NoError(t, err)
	drop(t, h, r.ID, files)
	return r
}

func renders(t *testing.T, h *house.House) (out []store.Render) {
	require.NoError(t, h.Store.DB.Order("id").Find(&out).Error)
	return out
}

// A disk that becomes full in the middle of a Run: what was made is whole, the
// rest waits, says why, and is made once there is room.
func TestADiskThatIsFull(t *testing.T) {
	b, small := storetest.SmallDisk(t, "48m")
	h := housetest.On(t, storetest.Open(t), b, house.Settings{})
	r := ready(t, h, 3)
	_, err := h.Runs.Acts.DoAll(ctx, r.ID, runs.Render)
	require.NoError(t, err)
	all := renders(t, h)
	require.Len(t, all, 3)
	require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: all[0].ID}, "w", false))

	filler := storetest.Fill(t, small)
	for _, rd := range all[1:] {
		for range 2 { // also on a last try
			assert.ErrorIs(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: rd.ID}, "w", true),
				render.ErrFull)
		}
	}
	s := sheet(t, h, r.ID)
	assert.Equal(t, []string{"MP4", "waits: the disk is full", "waits: the disk is full"},
		[]string{s.Rows[0].FilmText(time.Now()), s.Rows[1].FilmText(time.Now()),
			s.Rows[2].FilmText(time.Now())})
	whole, err := b.Exists(ctx, *s.Rows[0].Render.SHA256)
	require.NoError(t, err)
	assert.True(t, whole)

	require.NoError(t, os.Remove(filler))
	for _, rd := range all[1:] {
		require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: rd.ID}, "w", true))
	}
	assert.Equal(t, "3 films: 3 rendered; 3 to look at", sheet(t, h, r.ID).Summary())
}

// While films are made the list is corrected and the pattern changed: what is
// being made is of the revision it was begun with and says so, and only what
// differs is made again.
func TestAListAndAPatternThatChangeMeanwhile(t *testing.T) {
	h := housetest.Open(t)
	r := ready(t, h, 3)
	_, err := h.Runs.Acts.DoAll(ctx, r.ID, runs.Render)
	require.NoError(t, err)
	all := renders(t, h)
	require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: all[0].ID}, "w", true))
	require.NoError(t, h.Runs.Lists.Bring(ctx, r.ID,
		table(t, "Key;Crew;Date\n01;Crew 1;12/9\n02;Crew Two;12/9\n"),
		nil))
	require.NoError(t, h.Runs.Lists.Agree(ctx, r.ID, false, nil))
	_, err = h.Orders.Edits.Do(ctx, *r.PatternID,
		edit.Details{Values: map[string]string{"message": "Well rowed"}},
		nil)
	require.NoError(t, err)
	for _, rd := range all[1:] {
		require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: rd.ID}, "w", true))
	}
	s := sheet(t, h, r.ID)
	require.Len(t, s.Rows, 2)
	assert.Equal(t, 1, s.Aside, "the third film is made and kept aside")
	assert.Equal(t, runs.Rendered, s.Rows[0].Stage)
	assert.NotContains(t, s.Rows[1].FilmText(time.Now()), "changed since",
		"what changed while it waited is in it")
	done, err := store.One[store.Render](h.Store.DB, "id = ?", all[1].ID)
	require.NoError(t, err)
	assert.Equal(t, "Crew Two", done.Details["names"], "as it is, not as it was queued")

	require.NoError(t, h.Runs.Patterns.Give(ctx, r.ID))
	again, err := h.Runs.Acts.DoAll(ctx, r.ID, runs.Render)
	require.NoError(t, err)
	assert.Equal(t, 2, again.Begun)
	for _, rd := range renders(t, h)[3:] {
		require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: rd.ID}, "w", true))
		n, err := store.One[store.Render](h.Store.DB, "id = ?", rd.ID)
		require.NoError(t, err)
		assert.Positive(t, n.FramesKept)
		assert.Less(t, n.FramesTotal, n.FramesKept+n.FramesTotal)
	}
	assert.Equal(t, "2 films: 2 rendered; 2 to look at; 1 kept aside", sheet(t, h, r.ID).Summary())
}

// Workers that are stopped in the middle of a Run lose nothing: others make
// what is left, and every film is made once.
func TestAWorkerThatIsStopped(t *testing.T) {
	h := housetest.Open(t)
	r := ready(t, h, 4)
	work := func() *queue.Workers {
		w, err := queue.Start(context.Background(), h.Store, h.Orders.House.Tools.String(), h.Making)
		require.NoError(t, err)
		return w
	}
	w := work()
	_, err := h.Runs.Acts.DoAll(ctx, r.ID, runs.Render)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		for _, rd := range renders(t, h) {
			if rd.State == store.RenderRunning && rd.FramesDone > 0 {
				return true
			}
		}
		return false
	}, time.Minute, 20*time.Millisecond)
	w.Stop(10 * time.Millisecond)
	w = work()
	defer w.Stop(time.Second)
	require.Eventually(t, func() bool {
		return strings.HasPrefix(sheet(t, h, r.ID).Summary(), "4 films: 4 rendered")
	}, 2*time.Minute, 200*time.Millisecond)
	assert.Len(t, renders(t, h), 4)
}
