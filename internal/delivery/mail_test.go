package delivery_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/delivery"
	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// Mail goes out by SMTP and arrives as written: subject and body in any
// script, long lines and leading dots unharmed.
func TestMailArrivesAsWritten(t *testing.T) {
	box := &standin.Mailbox{Store: storetest.Open(t)}
	require.NoError(t, box.Start())
	defer box.Stop()
	m := delivery.SMTP{URL: box.URL(), From: "films@studio.example"}
	body := "Zoë, your film is ready — 海.\n.a line with a dot\nhttp://films.example/watch/abcdefghijklmnopqrstuvwxyz0123456789abcdefghijklmnopqrstuvwxyz0123456789=\n"
	require.NoError(t, m.Send(context.Background(), "Osprey Quay Pictures", "zoe@saltmere.example", "Zoës Film — 海", body))
	got, err := store.One[store.StandinMail](box.Store.DB, "recipient = ?", "zoe@saltmere.example")
	require.NoError(t, err)
	assert.Equal(t, "Zoës Film — 海", got.Subject)
	assert.Equal(t, "films@studio.example", got.Sender)
	assert.Contains(t, got.Body, "watch/abcdefghijklmnopqrstuvwxyz0123456789abcdefghijklmnopqrstuvwxyz0123456789=")
	assert.Contains(t, got.Body, "\n.a line with a dot")
	assert.Contains(t, got.Body, "Zoë, your film is ready — 海.")
}

func TestMailErrorsSayWhy(t *testing.T) {
	ctx := context.Background()
	assert.ErrorContains(t, delivery.SMTP{URL: "nowhere", From: "a@b.example"}.Send(ctx, "x", "c@d.example", "s", "b"), "not of the form smtp://host:port")
	assert.ErrorContains(t, delivery.SMTP{URL: "smtp://127.0.0.1:1", From: "a@b.example"}.Send(ctx, "x", "c@d.example", "s", "b"), "sending mail to c@d.example")
	assert.ErrorContains(t, delivery.SMTP{URL: "smtp://127.0.0.1:1", From: "a@b.example"}.Send(ctx, "x", "not an address", "s", "b"), "recipient")
}
