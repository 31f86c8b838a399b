package making_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/proofs"
	"nelko/internal/store"
)

// A film is made of the order as it is when it is begun; a client's draft, and what a client
// approved, is made as it was.
func TestFilmsAreMadeOfTheOrderAsItIs(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	change := func(text string) int {
		w := housetest.Load(t, s, order)
		n, err := s.Orders.Edits.Edit(ctx, order, w.Slideshow.Head, edit.Caption{
			Slides: []doc.SlideID{w.Doc.Slides[1].ID},
			Text:   text,
		}, nil)
		require.NoError(t, err)
		return n
	}
	made := func(r store.Render) store.Render { return rendered(t, s, r.ID) }

	film, err := s.Making.Renders.Begin(ctx, order, "")
	require.NoError(t, err)
	_, err = s.Proofs.Send(ctx, order, proofs.New{Title: "Yours", Days: 9})
	require.NoError(t, err)
	draft, err := store.One[store.Render](s.Store.DB.Order("id DESC"), "order_id = ? AND profile = 'Proof'",
		order)
	require.NoError(t, err)
	head := change("Typed while it waited")
	got := made(film)
	assert.Equal(t, []int{head, film.Revision}, []int{got.Revision, got.Queued})
	assert.Equal(t, draft.Revision, made(draft).Revision, "the client was told of that one")
	sees := housetest.Load(t, s, order)
	assert.Equal(t, head, sees.Last().Revision)

	// What the client approved is made, whatever was changed after it was queued.
	require.NoError(t, s.Store.DB.Exec("UPDATE orders SET asks_approval = true WHERE id = ?", order).Error)
	require.NoError(t, s.Store.DB.Exec("DELETE FROM segments").Error)
	approved, err := s.Making.Renders.BeginAll(ctx, order, making.Wanted{
		Profiles: []string{"Web 720"},
		Anyway:   true,
	})
	require.NoError(t, err)
	change("After the approval")
	assert.Equal(t, approved[0].Revision, made(approved[0]).Revision)

	// One that is being made of what has changed since can be begun anew.
	require.NoError(t, s.Store.DB.Exec("UPDATE orders SET asks_approval = false WHERE id = ?", order).Error)
	old, err := s.Making.Renders.Begin(ctx, order, "Phone 360")
	require.NoError(t, err)
	require.NoError(t, s.Making.Renders.Anew(ctx, order, old.ID))
	again, err := store.One[store.Render](s.Store.DB.Order("id DESC"),
		"order_id = ? AND profile = 'Phone 360'", order)
	require.NoError(t, err)
	assert.NotEqual(t, old.ID, again.ID)
	assert.Equal(t, store.RenderWaiting, again.State)
}

func rendered(t *testing.T, s *house.House, id int64) store.Render {
	require.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: id}, "test", true))
	r, err := store.One[store.Render](s.Store.DB, "id = ?", id)
	require.NoError(t, err)
	require.Equal(t, store.RenderDone, r.State, r.Error)
	return r
}
