package making_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nelko/internal/core/profile"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/store"
)

// A film for something else to be made of is made once in just its profile: at
// another bit rate, of another revision or with other details it is another one.
func TestFilmsForSomethingElse(t *testing.T) {
	s := housetest.Open(t)
	id := housetest.Ready(t, s)
	film := func(kbps int) (r store.Render) {
		d := housetest.Load(t, s, id)
		p := profile.DVDPALWide
		p.Video.Kbps = kbps
		require.NoError(t, s.Store.Tx(ctx, func(tx *gorm.DB) (err error) {
			r, err = s.Making.Renders.For(ctx, tx, d, p)
			return err
		}))
		return r
	}
	first := film(8000)
	assert.False(t, first.Main, "it is not the order's film")
	assert.Equal(t, store.RenderWaiting, first.State)
	assert.Equal(t, first.ID, film(8000).ID, "being made already")
	assert.NotEqual(t, first.ID, film(6000).ID)
	require.NoError(t, s.Making.Renders.Cancel(ctx, id, first.ID))
	again := film(8000)
	assert.NotEqual(t, first.ID, again.ID, "what was cancelled is none")
	housetest.Caption(t, s, id, "At sea")
	assert.NotEqual(t, again.ID, film(8000).ID, "the film has changed")

	// What was cancelled can be taken up again; what is being made cannot.
	require.NoError(t, s.Making.Renders.Retry(ctx, first))
	got, err := store.One[store.Render](s.Store.DB, "id = ?", first.ID)
	require.NoError(t, err)
	assert.Equal(t, store.RenderWaiting, got.State)
	assert.Nil(t, got.FinishedAt)
	var jobs int64
	count := func() int64 {
		require.NoError(t, s.Store.DB.Raw(
			"SELECT count(*) FROM river_job WHERE kind = 'render' AND (args->>'render_id')::bigint = ?",
			first.ID).Scan(&jobs).Error)
		return jobs
	}
	before := count()
	require.NoError(t, s.Making.Renders.Retry(ctx, first))
	assert.Equal(t, before, count(), "queued once")

	// The latest main film of each order, and of none that has none.
	done := housetest.Rendered(t, s, id)
	other := housetest.Order(t, s)
	latest, err := s.Making.Latest(ctx, []store.Order{{ID: id}, other})
	require.NoError(t, err)
	assert.Equal(t, map[int64]int64{id: done.ID}, latest)
	none, err := s.Making.Latest(ctx, nil)
	require.NoError(t, err)
	assert.Empty(t, none)
}

// Whether an order's film may be rendered: not with what stops it, not without
// an approval it asks for, but with the operator's word.
func TestWhatMayBeRendered(t *testing.T) {
	s := housetest.Open(t)
	assert.Error(t, making.May(housetest.Load(t, s, housetest.Order(t, s).ID), true), "no pictures")
	id := housetest.Ready(t, s)
	assert.NoError(t, making.May(housetest.Load(t, s, id), false))
	require.NoError(t, s.Proofs.Ask(ctx, id, true))
	assert.ErrorIs(t, making.May(housetest.Load(t, s, id), false), making.ErrNotApproved)
	assert.NoError(t, making.May(housetest.Load(t, s, id), true))
}

// A stored file that is not what it was, or gone, is told in words.
func TestDamagedFiles(t *testing.T) {
	s := housetest.Open(t)
	why, n, err := s.Blobs.Damaged(ctx, "0000000000000000000000000000000000000000000000000000000000000000",
		"the image")
	require.NoError(t, err)
	assert.Equal(t, []any{"the image is gone", int64(0)}, []any{why, n})
}
