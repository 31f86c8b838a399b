package orders_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

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
	_, err = s.Orders.Edits.Edit(ctx, order, first, edit.Caption{
		Slides: []doc.SlideID{slide},
		Text:   "At noon",
	}, &u.ID)
	require.NoError(t, err)
	second := housetest.Load(t, s, order).Slideshow.Head
	_, err = s.Orders.Edits.Edit(ctx, order, second, edit.Again{Slides: []doc.SlideID{slide}}, &u.ID)
	require.NoError(t, err)
	third := housetest.Load(t, s, order).Slideshow.Head

	past, err := s.Orders.Edits.History(ctx, order)
	require.NoError(t, err)
	assert.Equal(t, []any{third, "Showed 1 slide again", "Ada", true, false},
		[]any{past[0].Number, past[0].Title, past[0].Author, past[0].Here, past[0].Undone})
	assert.Empty(t, past[len(past)-1].Author, "the program itself began it")
	says, err := s.Orders.Edits.Differs(ctx, order, first, third)
	require.NoError(t, err)
	assert.Equal(t, "1 slide changed (2); 1 slide new (3)", says)
	says, err = s.Orders.Edits.Differs(ctx, order, third, second)
	require.NoError(t, err)
	assert.Equal(t, "1 slide gone", says)

	_, err = s.Orders.Edits.GoTo(ctx, order, third, first, &u.ID)
	require.NoError(t, err)
	assert.Empty(t, housetest.Load(t, s, order).Doc.Slides[1].Caption)
	past, err = s.Orders.Edits.History(ctx, order)
	require.NoError(t, err)
	assert.True(t, past[0].Undone && past[1].Undone && past[2].Here)
	_, err = s.Orders.Edits.Edit(ctx, order, first, edit.Caption{
		Slides: []doc.SlideID{slide},
		Text:   "At one",
	}, &u.ID)
	require.NoError(t, err)
	_, err = s.Orders.Edits.GoTo(ctx, order, housetest.Load(t, s, order).Slideshow.Head, third, &u.ID)
	require.NoError(t, err, "also to what was undone and went on otherwise")
	assert.Equal(t, "At noon", housetest.Load(t, s, order).Doc.Slides[1].Caption)

	_, err = s.Orders.Edits.GoTo(ctx, order, third, 99, &u.ID)
	assert.ErrorIs(t, err, store.ErrNotFound)
	other, err := s.Accounts.Add(ctx, "bo@studio.example", "Bo", "a long password", store.Operator)
	require.NoError(t, err)
	_, err = s.Orders.Edits.Edit(ctx, order, third, edit.Caption{
		Slides: []doc.SlideID{slide},
		Text:   "By Bo",
	}, &other.ID)
	require.NoError(t, err)
	var conflict *orders.Conflict
	_, err = s.Orders.Edits.GoTo(ctx, order, third, first, &u.ID)
	assert.ErrorAs(t, err, &conflict, "what somebody else did meanwhile is not passed over silently")
}

// What is changed of an order beside its film is in its history, with who did
// it; moves say where to.
func TestHistoryOfTheHead(t *testing.T) {
	s := housetest.Open(t)
	id := housetest.Ready(t, s)
	u, err := s.Accounts.Add(ctx, "mara@studio.example", "Mara", "a long password", store.Operator)
	require.NoError(t, err)
	d := housetest.Load(t, s, id)
	head := orders.Head{
		Client:      "Bo",
		ClientEmail: d.Order.ClientEmail,
		Event:       d.Order.Event,
		Due:         d.Order.Due.AddDate(0, 0, 1),
	}
	require.NoError(t, s.Orders.Heads.Update(ctx, id, head, &u.ID))
	require.NoError(t, s.Orders.Heads.Update(ctx, id, head, &u.ID), "nothing changed: no step")
	housetest.Edit(t, s, id, edit.Move{Slides: []doc.SlideID{d.Doc.Slides[3].ID}, Before: d.Doc.Slides[1].ID})
	past, err := s.Orders.Edits.History(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "Moved 1 slide before slide 2", past[0].Title)
	assert.True(t, past[1].Beside)
	assert.Equal(t, "Mara", past[1].Author)
	assert.Contains(t, past[1].Title, fmt.Sprintf("Changed the client from “%s” to “Bo”, the due date from",
		d.Order.Client))
	assert.False(t, past[2].Beside)
}

// Those who have an order open see each other, and at which slide; who has
// gone, or gives no sign of life, is not there.
func TestPresence(t *testing.T) {
	s := housetest.Open(t)
	id := housetest.Ready(t, s)
	var who []int64
	for _, name := range []string{"Mara", "Bo"} {
		u, err := s.Accounts.Add(ctx, strings.ToLower(name)+"@studio.example", name, "a long password",
			store.Operator)
		require.NoError(t, err)
		who = append(who, u.ID)
	}
	others := func() []orders.Other {
		list, err := s.Orders.Presence.Others(ctx, id, who[0])
		require.NoError(t, err)
		return list
	}
	for _, u := range who {
		require.NoError(t, s.Orders.Presence.Arrive(ctx, id, u))
		require.NoError(t, s.Orders.Presence.Arrive(ctx, id, u), "a sign of life")
	}
	require.NoError(t, s.Orders.Presence.LooksAt(ctx, id, who[1], "s3"))
	assert.Equal(t, []orders.Other{{Name: "Bo", Slide: "s3"}}, others())
	now := s.Orders.Now
	s.Orders.Now = func() time.Time { return now().Add(2 * time.Minute) }
	assert.Empty(t, others(), "no sign of life")
	s.Orders.Now = now
	require.NoError(t, s.Orders.Presence.Leave(ctx, id, who[1]))
	assert.Empty(t, others())
	require.NoError(t, s.Orders.Presence.Arrive(ctx, 999, who[0]), "an order that is gone is nobody's")
}
