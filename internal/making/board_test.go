package making_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/store"
)

// The board shows films in the order in which they will be begun, and says of each why it
// waits; one can be moved to the front, or cancelled, by its number.
func TestTheBoardIsInTurn(t *testing.T) {
	s := housetest.Open(t)
	first, second := housetest.Ready(t, s), housetest.Ready(t, s)
	require.NoError(t, s.Store.DB.Exec("UPDATE orders SET due = ? WHERE id = ?", time.Now().AddDate(0, 0, 9),
		first).Error)
	require.NoError(t, s.Store.DB.Exec("UPDATE orders SET due = ? WHERE id = ?", time.Now().AddDate(0, 0, 2),
		second).Error)
	late, err := s.Making.Renders.Begin(ctx, first, "MP4")
	require.NoError(t, err)
	soon, err := s.Making.Renders.Begin(ctx, second, "MP4")
	require.NoError(t, err)
	board := func() (b making.Board, ids []int64) {
		b, err := s.Making.Board(ctx)
		require.NoError(t, err)
		for _, r := range b.Renders {
			if r.State == store.RenderWaiting {
				ids = append(ids, r.ID)
			}
		}
		return b, ids
	}
	b, ids := board()
	assert.Equal(t, []int64{soon.ID, late.ID}, ids, "by due date")
	assert.Equal(t, "no worker is running", b.Why[soon.ID])
	require.NoError(t, s.Store.DB.Exec(
		"INSERT INTO workers (id, seen_at) VALUES ('w', now() + interval '1 hour')").Error)
	b, _ = board()
	assert.Equal(t, []string{"next", "1 film before it"}, []string{b.Why[soon.ID], b.Why[late.ID]})
	require.NoError(t, s.Making.Turns.Next(ctx, late.ID))
	b, ids = board()
	assert.Equal(t, []int64{late.ID, soon.ID}, ids)
	assert.Equal(t, "next", b.Why[late.ID])
	require.NoError(t, s.Making.Turns.Hold(ctx, []int64{first}))
	b, _ = board()
	assert.Equal(t, []string{"next", "its Run is paused"}, []string{b.Why[soon.ID], b.Why[late.ID]})
	require.NoError(t, s.Making.Turns.Stop(ctx, soon.ID))
	_, ids = board()
	assert.Equal(t, []int64{late.ID}, ids)
	assert.ErrorIs(t, s.Making.Turns.Next(ctx, soon.ID), store.ErrNotFound)
}
