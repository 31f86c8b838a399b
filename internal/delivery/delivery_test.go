package delivery_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/delivery"
	"nelko/internal/house/housetest"
	"nelko/internal/invalid"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/store"
)

var ctx = context.Background()

type letters struct {
	bodies []string
	fail   error
}

func (l *letters) Send(_ context.Context, m delivery.Mail) error {
	if l.fail == nil {
		l.bodies = append(l.bodies, m.Body)
	}
	return l.fail
}

func TestRenderDeliverAndOpen(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	housetest.Bring(t, s, o.ID, housetest.Three(t))
	housetest.Bring(t, s, o.ID, map[string][]byte{"song.flac": housetest.Song(t, 13.5)})
	_, err := s.Orders.Edits.Edit(ctx, o.ID, housetest.Load(t, s, o.ID).Slideshow.Head, housetest.ToMusic(),
		nil)
	require.NoError(t, err)
	_, _, err = s.Delivery.Links.MakeLink(ctx, o.ID, delivery.NewLink{Title: "x", Days: 3})
	assert.ErrorContains(t, err, "Render the film first")

	// small, so that the test is quick
	housetest.Edit(t, s, o.ID, edit.Shape{Frame: doc.Frame{W: 320, H: 180}})
	w := housetest.Load(t, s, o.ID)
	jpg, err := s.Looking.Frame(ctx, orders.Seen{Order: w.Order.ID}, w.Slideshow.Head, 75, 160)
	require.NoError(t, err)
	assert.Equal(t, []byte{0xff, 0xd8}, jpg[:2])
	_, err = s.Looking.Frame(ctx, orders.Seen{Order: w.Order.ID}, w.Slideshow.Head, 1<<40, 160)
	require.NoError(t, err, "a frame past the end is the last")

	r, err := s.Making.Renders.Begin(ctx, o.ID, "")
	require.NoError(t, err)
	require.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "worker-1", false))
	w = housetest.Load(t, s, o.ID)
	done := w.Renders[0]
	require.Equal(t, store.RenderDone, done.State, done.Error)
	assert.Equal(t, int64(405), done.FramesDone)
	assert.InDelta(t, 13.5, done.Seconds, 0.034)
	assert.Equal(t, "Rendered; send the link", w.Next().Text)

	for field, n := range map[string]delivery.NewLink{
		"title": {
			RenderID: r.ID,
			Days:     3,
		}, "days": {RenderID: r.ID, Title: "x"}, "render": {RenderID: 99, Title: "x", Days: 3},
	} {
		_, _, err := s.Delivery.Links.MakeLink(ctx, o.ID, n)
		var inv *invalid.Input
		require.ErrorAs(t, err, &inv)
		assert.Equal(t, field, inv.Field)
	}
	l, token, err := s.Delivery.Links.MakeLink(ctx, o.ID, delivery.NewLink{
		RenderID:     r.ID,
		Title:        "Your film",
		Days:         3,
		Downloadable: true,
		Mail:         true,
	})
	require.NoError(t, err)
	assert.Equal(t, "Mailing the link", housetest.Load(t, s, o.ID).Next().Text,
		"not delivered before the mail is out")
	var stored string
	require.NoError(t, s.Store.DB.Raw("SELECT string_agg(args::text, ' ') FROM river_job").
		Scan(&stored).Error)
	assert.NotContains(t, stored, token, "no job holds the token")

	got, err := s.Delivery.Links.Open(ctx, token, 0)
	require.NoError(t, err)
	assert.Equal(t, done.ID, got.Render.ID)
	_, err = s.Delivery.Links.Open(ctx, token[:len(token)-1]+"!", 0)
	assert.ErrorIs(t, err, store.ErrNotFound)
	require.NoError(t, s.Delivery.Links.CountView(ctx, got))
	assert.Equal(t, int64(1), housetest.Load(t, s, o.ID).Links[0].Views)

	box := &letters{fail: errors.New("server away, it was told " + token)}
	s.Delivery.Mailer, s.Delivery.BaseURL = box, "https://films.example/"
	assert.Error(t, s.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: l.ID}))
	assert.Equal(t, "server away, it was told …", housetest.Load(t, s, o.ID).Links[0].MailError)
	box.fail = nil
	for range 2 { // an attempt after a crash sends nothing twice
		require.NoError(t, s.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: l.ID}))
	}
	require.Len(t, box.bodies, 1)
	assert.Contains(t, box.bodies[0], "https://films.example/watch/"+token)
	require.NoError(t, s.Store.DB.Raw("SELECT row_to_json(links)::text FROM links").Scan(&stored).Error)
	assert.NotContains(t, stored, token, "once it was sent only a hash of the token is kept")
	var history []string
	require.NoError(t, s.Store.DB.Model(&store.DeliveryEvent{}).Order("id").Pluck("text", &history).Error)
	assert.Equal(t, []string{"Made the link", "Mailed to gannets@saltmere.example"}, history)
	assert.NotNil(t, housetest.Load(t, s, o.ID).Links[0].MailedAt)

	now := s.Delivery.Now
	s.Delivery.Now = func() time.Time { return time.Now().AddDate(0, 0, 4) }
	_, err = s.Delivery.Links.Open(ctx, token, 0)
	assert.ErrorIs(t, err, delivery.ErrClosed, "expired")
	s.Delivery.Now = now
	require.NoError(t, s.Orders.Keeping.Delete(ctx, o.ID))
	_, err = s.Delivery.Links.Open(ctx, token, 0)
	assert.ErrorIs(t, err, delivery.ErrClosed, "the order was deleted")
	require.NoError(t, s.Orders.Keeping.Restore(ctx, o.ID))
	_, err = s.Delivery.Links.Open(ctx, token, 0)
	require.NoError(t, err)
	require.NoError(t, s.Delivery.Links.Close(ctx, o.ID, l.ID))
	_, err = s.Delivery.Links.Open(ctx, token, 0)
	assert.ErrorIs(t, err, delivery.ErrClosed)

	_, err = s.Orders.Edits.Edit(ctx, o.ID, w.Slideshow.Head, edit.Recast{Seed: 9}, nil)
	require.NoError(t, err)
	assert.Equal(t, "Changed since it was rendered; render again", housetest.Load(t, s, o.ID).Next().Text)
}

// A film that was made anew in its profile is one download, the new one.
func TestOneDownloadAProfile(t *testing.T) {
	film := func(id int64, profile string) store.Render { return store.Render{ID: id, Profile: profile} }
	ids := func(w delivery.Watched) (out []int64) {
		for _, r := range w.Files() {
			out = append(out, r.ID)
		}
		return out
	}
	assert.Equal(t, []int64{7, 4}, ids(delivery.Watched{
		Render: film(3, "MP4"),
		Sizes:  []store.Render{film(7, "MP4"), film(4, "Phone 360")},
	}), "repaired")
	assert.Equal(t, []int64{3, 4}, ids(delivery.Watched{
		Render: film(3, "MP4"),
		Sizes:  []store.Render{film(3, "MP4"), film(4, "Phone 360")},
	}))
	assert.Equal(t, []int64{3, 4}, ids(delivery.Watched{
		Render: film(3, "Edit ProRes"),
		Sizes:  []store.Render{film(4, "Phone 360")},
	}), "one that is not streamed")
}
