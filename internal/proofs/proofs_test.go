package proofs_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/delivery"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/proofs"
	"nelko/internal/store"
)

var ctx = context.Background()

// draft makes the draft that waits to be made.
func draft(t *testing.T, h *house.House, order int64) store.Render {
	r, err := store.One[store.Render](h.Store.DB.Order("id DESC"), "order_id = ? AND profile = ?", order,
		profile.Proof.Name)
	require.NoError(t, err)
	require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "test", true))
	r, err = store.One[store.Render](h.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	require.Equal(t, store.RenderDone, r.State, r.Error)
	return r
}

func watched(t *testing.T, h *house.House, token string) delivery.Watched {
	w, err := h.Delivery.Links.Open(ctx, token, 0)
	require.NoError(t, err)
	return w
}

// A proof from beginning to end: the draft has the watermark and nobody's film
// is it; remarks know their slide and stay with it; the approval is of exactly
// one revision; what changes afterwards asks again, on the same link, and says
// what is new.
func TestProof(t *testing.T) {
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	next := func() string { return housetest.Load(t, h, id).Next().Text }
	require.NoError(t, h.Proofs.Ask(ctx, id, true))
	assert.Equal(t, "Send a proof", next())
	_, err := h.Making.Renders.BeginAll(ctx, id, making.Wanted{Profiles: []string{""}})
	assert.ErrorIs(t, err, making.ErrNotApproved)

	token, err := h.Proofs.Send(ctx, id, proofs.New{Title: "Your film", Days: 30})
	require.NoError(t, err)
	require.NotEmpty(t, token)
	w := watched(t, h, token)
	assert.Zero(t, w.Render.ID, "it is still being made")
	assert.ErrorContains(t, h.Proofs.Remark(ctx, w, "Zoë", "Now?", 1), "nothing to remark on")
	first := draft(t, h, id)
	assert.Equal(t, "Draft", first.Watermark)
	assert.False(t, first.Main)
	assert.Regexp(t, "^Waiting for the client since ", next())
	_, _, err = h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{Title: "x", Days: 3})
	assert.ErrorContains(t, err, "no finished render", "a draft is not delivered")

	w = watched(t, h, token)
	d := housetest.Load(t, h, id)
	second := d.Plan.Slides[1]
	at := d.Plan.Rate.Seconds(second.Start + second.Length/2)
	require.NoError(t, h.Proofs.Remark(ctx, w, " Zoë ", "Without this one, please.", at))
	for field, err := range map[string]error{
		"text": h.Proofs.Remark(ctx, w, "Zoë", " ", at),
		"name": h.Proofs.Remark(ctx, w, "", "x", at),
		"long": h.Proofs.Remark(ctx, w, "Zoë", strings.Repeat("x", 3000), at),
	} {
		assert.Error(t, err, field)
	}
	assert.Equal(t, "Answer 1 remark", next())
	d = housetest.Load(t, h, id)
	require.Len(t, d.Remarks, 1)
	remark := d.Remarks[0]
	assert.Equal(t, []any{"Zoë", string(second.ID), first.Revision}, []any{remark.Who, remark.Slide,
		remark.Revision})
	assert.InDelta(t, at, remark.Seconds, 0.03)

	// It is put right, answered and ticked off; the client sees what is new.
	housetest.Edit(t, h, id, edit.Caption{Slides: []doc.SlideID{second.ID}, Text: "Take 2"})
	wren, err := h.Accounts.Add(ctx, "wren@studio.example", "Wren", "a long password", store.Owner)
	require.NoError(t, err)
	require.NoError(t, h.Proofs.Answer(ctx, id, remark.ID, wren, "It stays, but longer?"))
	require.NoError(t, h.Proofs.Tick(ctx, id, remark.ID, true))
	assert.ErrorIs(t, h.Proofs.Tick(ctx, id+1, remark.ID, true), store.ErrNotFound, "of another order")
	assert.Equal(t, "Send a new proof", next())
	shown, err := h.Proofs.Show(ctx, watched(t, h, token))
	require.NoError(t, err)
	assert.True(t, shown.Outdated)
	again, err := h.Proofs.Send(ctx, id, proofs.New{Title: "Your film", Days: 30})
	require.NoError(t, err)
	assert.Empty(t, again, "the same link goes on")
	draft(t, h, id)
	w = watched(t, h, token)
	shown, err = h.Proofs.Show(ctx, w)
	require.NoError(t, err)
	assert.False(t, shown.Outdated)
	require.Len(t, shown.New, 1)
	assert.Equal(t, 2, shown.New[0].Number)
	require.Len(t, shown.Remarks, 1)
	assert.Equal(t, 2, shown.Remarks[0].Number)
	assert.Len(t, shown.Remarks[0].Answers, 1)
	assert.NotNil(t, shown.Remarks[0].DoneAt)

	assert.ErrorContains(t, h.Proofs.Approve(ctx, w, first.ID, "Zoë"), "has changed while you were looking")
	assert.ErrorContains(t, h.Proofs.Approve(ctx, w, w.Render.ID, " "), "your name")
	require.NoError(t, h.Proofs.Approve(ctx, w, w.Render.ID, "Zoë Brandt"))
	d = housetest.Load(t, h, id)
	assert.True(t, d.Approved())
	assert.Equal(t, []any{d.Slideshow.Head, w.Render.Film, "Zoë Brandt"}, []any{d.Approval().Revision,
		d.Approval().Film, d.Approval().Name})
	assert.NotContains(t, next(), "proof")
	_, err = h.Making.Renders.BeginAll(ctx, id, making.Wanted{Profiles: []string{""}})
	assert.NoError(t, err)

	// What was approved changes: it asks again; a word renders it all the same.
	housetest.Edit(t, h, id, edit.Caption{Slides: []doc.SlideID{second.ID}, Text: "Take 3"})
	assert.False(t, housetest.Load(t, h, id).Approved())
	_, err = h.Making.Renders.BeginAll(ctx, id, making.Wanted{Profiles: []string{""}})
	assert.ErrorIs(t, err, making.ErrNotApproved)
	_, err = h.Making.Renders.BeginAll(ctx, id, making.Wanted{Profiles: []string{""}, Anyway: true})
	assert.NoError(t, err)

	// The new draft is another film, which nobody approved yet.
	_, err = h.Proofs.Send(ctx, id, proofs.New{Title: "Your film", Days: 30})
	require.NoError(t, err)
	draft(t, h, id)
	shown, err = h.Proofs.Show(ctx, watched(t, h, token))
	require.NoError(t, err)
	assert.Nil(t, shown.Approval)
	assert.False(t, shown.Outdated)
	_, err = h.Orders.Edits.Undo(ctx, id, housetest.Load(t, h, id).Slideshow.Head, nil)
	require.NoError(t, err)
	assert.True(t, housetest.Load(t, h, id).Approved(), "what was approved is back")
}

type letters struct {
	sent []string
	fail error
}

func (l *letters) Send(_ context.Context, m delivery.Mail) error {
	if l.fail == nil {
		l.sent = append(l.sent, m.To+"|"+m.Subject+"|"+m.Body)
	}
	return l.fail
}

// Clients who do not answer are reminded before the order is due, each time
// once, and nobody who answered.
func TestReminders(t *testing.T) {
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	mail := &letters{}
	h.Delivery.Mailer = mail
	now := time.Date(2026, 9, 1, 10, 0, 0, 0, time.UTC)
	h.Proofs.Now = func() time.Time { return now }
	h.Delivery.Now = h.Proofs.Now
	require.NoError(t, h.Store.DB.Model(&store.Order{}).Where("id = ?", id).Updates(map[string]any{
		"due":          time.Date(2026, 9, 11, 0, 0, 0, 0, time.UTC),
		"client_email": "zoe@client.example",
	}).Error)
	token, err := h.Proofs.Send(ctx, id, proofs.New{Title: "Your film", Days: 30, Mail: true})
	require.NoError(t, err)
	var link int64
	require.NoError(t, h.Store.DB.Raw("SELECT id FROM links WHERE proof").Scan(&link).Error)
	waits, err := h.Delivery.Post.SendProof(ctx, delivery.ProofMail{LinkID: link})
	require.NoError(t, err)
	assert.True(t, waits, "no mail before there is something to look at")
	draft(t, h, id)
	waits, err = h.Delivery.Post.SendProof(ctx, delivery.ProofMail{LinkID: link})
	require.NoError(t, err)
	assert.False(t, waits)
	require.Len(t, mail.sent, 1)
	assert.Contains(t, mail.sent[0], "zoe@client.example|Your film|The draft of your film is ready")
	assert.Contains(t, mail.sent[0], "/watch/"+token)

	remind := func(day int) int64 {
		now = time.Date(2026, 9, day, 10, 0, 0, 0, time.UTC)
		n, err := h.Proofs.Remind(ctx, false)
		require.NoError(t, err)
		return n
	}
	assert.Zero(t, remind(2), "nine days before")
	n, err := func() (int64, error) {
		now = time.Date(2026, 9, 6, 10, 0, 0, 0, time.UTC)
		return h.Proofs.Remind(ctx, true)
	}()
	require.NoError(t, err)
	assert.EqualValues(t, 1, n, "only looked at")
	assert.EqualValues(t, 1, remind(6), "five days before")
	assert.Zero(t, remind(6), "once")
	assert.Zero(t, remind(8))
	assert.EqualValues(t, 1, remind(9), "two days before")
	days := 2
	_, err = h.Delivery.Post.SendProof(ctx, delivery.ProofMail{LinkID: link, Days: &days})
	require.NoError(t, err)
	assert.Contains(t, mail.sent[1], "is to be finished in 2 days")
	mail.fail = errors.New("550 no such " + token)
	_, err = h.Delivery.Post.SendProof(ctx, delivery.ProofMail{LinkID: link, Days: &days})
	assert.ErrorContains(t, err, "550 no such …",
		"what a server answers with the token in it does not show it")
	w := watched(t, h, token)
	require.NoError(t, h.Proofs.Approve(ctx, w, w.Render.ID, "Zoë"))
	assert.Zero(t, remind(10), "approved")
}

// A draft that a client was asked to look at and that was cancelled is made anew; who has one
// to look at is left alone.
func TestDraftsHeal(t *testing.T) {
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	_, err := h.Proofs.Send(ctx, id, proofs.New{Title: "Your film", Days: 30})
	require.NoError(t, err)
	heal := func(want int) {
		n, err := h.Proofs.Heal(ctx)
		require.NoError(t, err)
		assert.Equal(t, want, n)
	}
	heal(0) // it is on its way
	r, err := store.One[store.Render](h.Store.DB.Order("id DESC"), "order_id = ? AND profile = ?", id,
		profile.Proof.Name)
	require.NoError(t, err)
	require.NoError(t, h.Making.Renders.Cancel(ctx, id, r.ID))
	heal(1)
	heal(0)
	again := draft(t, h, id)
	assert.NotEqual(t, r.ID, again.ID)
	heal(0)
}
