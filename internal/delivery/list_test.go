package delivery_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/delivery"
	"nelko/internal/house/housetest"
	"nelko/internal/invalid"
	"nelko/internal/shelf"
	"nelko/internal/store"
)

// The list of deliveries knows each kind, what is promised and not done, what
// failed and of what there is no proof; one key sends each again.
func TestListAndSendAgain(t *testing.T) {
	h := housetest.Open(t)
	mail := &letters{}
	h.Delivery.Mailer = mail
	id := housetest.Ready(t, h)
	require.NoError(t, h.Store.DB.Model(&store.Order{}).Where("id = ?", id).Update("client_email",
		"zoe@client.example").Error)
	r := housetest.Rendered(t, h, id)
	l, token, err := h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{
		Title:        "Your film",
		Days:         9,
		Mail:         true,
		Note:         "Enjoy",
		Downloadable: true,
	})
	require.NoError(t, err)
	folder := "file://" + t.TempDir()
	require.NoError(t, h.Shelf.Change(ctx, shelf.Settings{Name: "Our studio", Folder: &folder}))
	require.NoError(t, h.Delivery.Files.PutFile(ctx, id, r.ID))
	small := r // as if another size of it were made
	small.ID, small.Main, small.Profile = 0, false, "Phone 360"
	require.NoError(t, h.Store.DB.Select("*").Omit("id").Create(&small).Error)
	which := func(f delivery.Filter) (titles []string) {
		list, err := h.Delivery.Lists.List(ctx, f)
		require.NoError(t, err)
		for _, d := range list {
			assert.Equal(t, "The Gannets", d.Client)
			assert.Equal(t, d.Kind == store.LinkDelivery, d.Link != nil)
			assert.Equal(t, d.Kind == store.FileDelivery, d.File != nil)
			titles = append(titles, d.Title)
		}
		return titles
	}
	const file = "The Gannets - Regatta (MP4).mp4"
	assert.Equal(t, []string{file, "Your film"}, which(delivery.Filter{}))
	assert.Equal(t, []string{"Your film"}, which(delivery.Filter{Kind: store.LinkDelivery}))
	assert.Equal(t, []string{file, "Your film"}, which(delivery.Filter{Which: delivery.Open}),
		"neither is done")
	assert.Equal(t, []string{"Your film"}, which(delivery.Filter{Words: "YOUR f"}))
	assert.Empty(t, which(delivery.Filter{Words: "100%"}))
	require.NoError(t, h.Delivery.Files.Put(ctx, delivery.Put{DeliveryID: l.DeliveryID + 1}))
	require.NoError(t, h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: l.ID}))
	assert.Empty(t, which(delivery.Filter{Which: delivery.Open}))
	assert.Equal(t, []string{"Your film"}, which(delivery.Filter{Which: delivery.NotSeen}),
		"the file was read back")
	w, err := h.Delivery.Links.Open(ctx, token, 0)
	require.NoError(t, err)
	require.NoError(t, h.Delivery.Links.CountView(ctx, w))
	assert.Empty(t, which(delivery.Filter{Which: delivery.NotSeen}))

	// Again: a new address like the old one, which stays open.
	require.NoError(t, h.Delivery.Lists.SendAgain(ctx, id, l.DeliveryID))
	var again store.Link
	require.NoError(t, h.Store.DB.Order("id DESC").First(&again).Error)
	assert.NotEqual(t, l.ID, again.ID)
	assert.Equal(t, []any{"Enjoy", true, "zoe@client.example"}, []any{again.Note, again.Downloadable,
		again.MailedTo})
	assert.WithinDuration(t, l.ExpiresAt, again.ExpiresAt, 36*time.Hour)
	_, err = h.Delivery.Links.Open(ctx, token, 0)
	assert.NoError(t, err)
	mail.fail = errors.New("421 later")
	assert.Error(t, h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: again.ID}))
	assert.Equal(t, []string{"Your film"}, which(delivery.Filter{Which: delivery.Failed}))
	require.NoError(t, h.Delivery.Lists.SendAgain(ctx, id, l.DeliveryID+1))
	assert.Len(t, which(delivery.Filter{Kind: store.FileDelivery}), 2)

	// What became of it, step by step.
	h1, err := h.Delivery.Lists.History(ctx, l.DeliveryID)
	require.NoError(t, err)
	var steps []string
	for _, e := range h1.Events {
		steps = append(steps, e.Text)
	}
	assert.Equal(t, []string{"Made the link", "Mailed to zoe@client.example"}, steps)
	assert.Equal(t, []any{"The Gannets", r.ID, r.Tools}, []any{h1.Client, h1.Films[0].Render.ID,
		h1.Films[0].Render.Tools})
	_, err = h.Delivery.Lists.History(ctx, 999)
	assert.ErrorIs(t, err, store.ErrNotFound)
	assert.ErrorIs(t, h.Delivery.Lists.GiveUp(ctx, id, l.DeliveryID), store.ErrNotFound, "it did not fail")

	// One of several films is sent again with all of them.
	both, _, err := h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{
		Title: "Both",
		Days:  9,
		Also:  []int64{small.ID, r.ID},
	})
	require.NoError(t, err)
	require.NoError(t, h.Delivery.Lists.SendAgain(ctx, id, both.DeliveryID))
	var sent []int64
	require.NoError(t, h.Store.DB.Raw("SELECT render_id FROM delivery_renders WHERE delivery_id = (SELECT "+
		"max(id) FROM deliveries) ORDER BY position").Scan(&sent).Error)
	assert.Equal(t, []int64{r.ID, small.ID}, sent, "each once, in their order")

	locked, _, err := h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{
		Title:    "x",
		Days:     9,
		Password: "lantern",
	})
	require.NoError(t, err)
	var inv *invalid.Input
	assert.ErrorAs(t, h.Delivery.Lists.SendAgain(ctx, id, locked.DeliveryID), &inv,
		"nobody knows the password")
	assert.ErrorIs(t, h.Delivery.Lists.SendAgain(ctx, id+1, l.DeliveryID), store.ErrNotFound)
}

// Letters in the studio's own words: fields become the order's values; a field
// there is not, or no place for the address, is told before anything is sent.
func TestLetters(t *testing.T) {
	h := housetest.Open(t)
	mail := &letters{}
	h.Delivery.Mailer = mail
	id := housetest.Ready(t, h)
	require.NoError(t, h.Store.DB.Model(&store.Order{}).Where("id = ?", id).Update("client_email",
		"zoe@client.example").Error)
	housetest.Rendered(t, h, id)
	own := store.RunMail{
		Subject: "{names}: your film",
		Text:    "Dear {client}, here is {title}: {link}, until {until}. {studio}",
	}
	keys := h.Shelf.DetailKeys()
	require.NoError(t, delivery.CheckLetter(own, keys))
	for why, l := range map[string]store.RunMail{
		"no subject":    {Text: "{link}"},
		"no address":    {Subject: "x", Text: "y"},
		"no such field": {Subject: "{nobody}", Text: "{link}"},
		"a brace":       {Subject: "{names", Text: "{link}"},
	} {
		var inv *invalid.Input
		assert.ErrorAs(t, delivery.CheckLetter(l, keys), &inv, why)
	}
	assert.NoError(t, delivery.CheckLetter(store.RunMail{}, keys), "none")
	require.NoError(t, h.Shelf.Change(ctx, shelf.Settings{
		Name:  "Our studio",
		Mails: map[string]store.RunMail{delivery.LinkLetter: own},
	}))
	l, token, err := h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{
		Title: "The {film}",
		Days:  9,
		Mail:  true,
	})
	require.NoError(t, err)
	require.NoError(t, h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: l.ID}))
	require.Len(t, mail.bodies, 1)
	assert.Equal(t, "Dear The Gannets, here is The {film}: "+h.Delivery.Address(token)+", until "+
		l.ExpiresAt.Format("2 January 2006")+". Our studio\n", mail.bodies[0])
	require.NoError(t, h.Shelf.Change(ctx, shelf.Settings{Name: "Our studio"}))
	st, err := h.Shelf.Studio(ctx)
	require.NoError(t, err)
	assert.Equal(t, own, st.Mails[delivery.LinkLetter], "other settings leave it")
}
