package orders_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/house/housetest"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// The history tells who did what; any step is gone back to, what came after
// stays in it, and two are compared in words.
func TestHistory(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	u, err := s.Accounts.Add(ctx, "ada@studio.example", "Ada", "a long password", store.Operator)
	require.NoError(t, err)
	w := housetest.Load(t, s, order)
	first, slide := w.Slideshow.Head, w.Doc.Slides[1].ID
	_, err = s.Orders.Edit(ctx, order, first, edit.Caption{Slides: []doc.SlideID{slide}, Text: "At noon"}, &u.ID)
	require.NoError(t, err)
	second := housetest.Load(t, s, order).Slideshow.Head
	_, err = s.Orders.Edit(ctx, order, second, edit.Again{Slides: []doc.SlideID{slide}}, &u.ID)
	require.NoError(t, err)
	third := housetest.Load(t, s, order).Slideshow.Head

	past, err := s.Orders.History(ctx, order)
	require.NoError(t, err)
	assert.Equal(t, []any{third, "Showed 1 slide again", "Ada", true, false}, []any{past[0].Number, past[0].Title, past[0].Author, past[0].Here, past[0].Undone})
	assert.Empty(t, past[len(past)-1].Author, "the program itself began it")
	says, err := s.Orders.Differs(ctx, order, first, third)
	require.NoError(t, err)
	assert.Equal(t, "1 slide changed (2); 1 slide new (3)", says)
	says, err = s.Orders.Differs(ctx, order, third, second)
	require.NoError(t, err)
	assert.Equal(t, "1 slide gone", says)

	_, err = s.Orders.GoTo(ctx, order, third, first, &u.ID)
	require.NoError(t, err)
	assert.Empty(t, housetest.Load(t, s, order).Doc.Slides[1].Caption)
	past, err = s.Orders.History(ctx, order)
	require.NoError(t, err)
	assert.True(t, past[0].Undone && past[1].Undone && past[2].Here)
	_, err = s.Orders.Edit(ctx, order, first, edit.Caption{Slides: []doc.SlideID{slide}, Text: "At one"}, &u.ID)
	require.NoError(t, err)
	_, err = s.Orders.GoTo(ctx, order, housetest.Load(t, s, order).Slideshow.Head, third, &u.ID)
	require.NoError(t, err, "also to what was undone and went on otherwise")
	assert.Equal(t, "At noon", housetest.Load(t, s, order).Doc.Slides[1].Caption)

	_, err = s.Orders.GoTo(ctx, order, third, 99, &u.ID)
	assert.ErrorIs(t, err, store.ErrNotFound)
	other, err := s.Accounts.Add(ctx, "bo@studio.example", "Bo", "a long password", store.Operator)
	require.NoError(t, err)
	_, err = s.Orders.Edit(ctx, order, third, edit.Caption{Slides: []doc.SlideID{slide}, Text: "By Bo"}, &other.ID)
	require.NoError(t, err)
	var conflict *orders.Conflict
	_, err = s.Orders.GoTo(ctx, order, third, first, &u.ID)
	assert.ErrorAs(t, err, &conflict, "what somebody else did meanwhile is not passed over silently")
}
