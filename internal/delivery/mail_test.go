package delivery_test

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/delivery"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/queue"
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
	body := "Zoë, your film is ready — 海.\n.a line with a " +
		"dot\nhttp://films.example/watch/abcdefghijklmnopqrstuvwxyz0123456789abcdefghijklmnopqrstuvwxyz0123456789=\n"
	require.NoError(t, m.Send(context.Background(), delivery.Mail{
		From:    "Osprey Quay Pictures",
		To:      "zoe@saltmere.example",
		Subject: "Zoës Film — 海",
		Body:    body,
	}))
	got, err := store.One[store.StandinMail](box.Store.DB, "recipient = ?", "zoe@saltmere.example")
	require.NoError(t, err)
	assert.Equal(t, "Zoës Film — 海", got.Subject)
	assert.Equal(t, "films@studio.example", got.Sender)
	assert.Contains(t, got.Body,
		"watch/abcdefghijklmnopqrstuvwxyz0123456789abcdefghijklmnopqrstuvwxyz0123456789=")
	assert.Contains(t, got.Body, "\n.a line with a dot")
	assert.Contains(t, got.Body, "Zoë, your film is ready — 海.")
}

func TestMailErrorsSayWhy(t *testing.T) {
	ctx := context.Background()
	assert.ErrorContains(t, delivery.SMTP{
		URL:  "nowhere",
		From: "a@b.example",
	}.Send(ctx, delivery.Mail{
		From:    "x",
		To:      "c@d.example",
		Subject: "s",
		Body:    "b",
	}), "not of the form smtp://host:port")
	assert.ErrorContains(t, delivery.SMTP{
		URL:  "smtp://127.0.0.1:1",
		From: "a@b.example",
	}.Send(ctx, delivery.Mail{From: "x", To: "c@d.example", Subject: "s", Body: "b"}), "sending mail")
	assert.ErrorContains(t, delivery.SMTP{
		URL:  "smtp://127.0.0.1:1",
		From: "a@b.example",
	}.Send(ctx, delivery.Mail{From: "x", To: "not an address", Subject: "s", Body: "b"}), "recipient")
}

// away is a mail server that is away for some tries, as for an hour, and then
// takes all.
type away struct {
	tries int
	err   error
	sent  []string
}

func (a *away) Send(_ context.Context, m delivery.Mail) error {
	if a.tries--; a.tries >= 0 {
		return a.err
	}
	a.sent = append(a.sent, m.To+": "+m.Body)
	return nil
}

// Mail waits for a server that is away for an hour, its fate told meanwhile; to
// an address that does not exist it is given up at once.
func TestMailServerAway(t *testing.T) {
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	housetest.Rendered(t, h, id)
	mailer := &away{tries: 60, err: errors.New("connection refused")}
	h.Delivery.Mailer = mailer
	l, token, err := h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{
		Title: "Regatta",
		Days:  30,
		Mail:  true,
	})
	require.NoError(t, err)
	tries := 0
	for err = h.Delivery.Post.Send(ctx,
		delivery.SendLink{LinkID: l.ID}); err != nil; err = h.Delivery.Post.Send(ctx,
		delivery.SendLink{LinkID: l.ID}) {
		tries++
		now, err := store.One[store.Link](h.Store.DB, "id = ?", l.ID)
		require.NoError(t, err)
		assert.Equal(t, "connection refused", now.MailError)
		assert.NotEmpty(t, now.UnsentToken, "kept, to be tried again")
	}
	assert.Equal(t, 60, tries)
	assert.GreaterOrEqual(t, delivery.SendLink{}.InsertOpts().MaxAttempts, 60+6,
		"a try a minute, after the first quick ones: longer than an hour")
	require.Len(t, mailer.sent, 1)
	assert.Contains(t, mailer.sent[0], token)
	now, err := store.One[store.Link](h.Store.DB, "id = ?", l.ID)
	require.NoError(t, err)
	assert.Empty(t, now.MailError)
	assert.Empty(t, now.UnsentToken)
	assert.NotNil(t, now.MailedAt)
}

// mailedTo is a house whose stand-in mailbox is about to be sent a link to a
// client.
func mailedTo(t *testing.T, client string) (*house.House, *standin.Mailbox, store.Link) {
	h := housetest.Open(t)
	box := &standin.Mailbox{Store: h.Store}
	require.NoError(t, box.Start())
	t.Cleanup(box.Stop)
	h.Delivery.Mailer = delivery.SMTP{URL: box.URL(), From: "films@studio.example"}
	id := housetest.Ready(t, h)
	housetest.Rendered(t, h, id)
	require.NoError(t, h.Store.DB.Exec("UPDATE orders SET client_email = ? WHERE id = ?", client, id).Error)
	l, _, err := h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{Title: "Regatta", Days: 30, Mail: true})
	require.NoError(t, err)
	w, err := queue.Start(ctx, h.Store, "", h.Delivery)
	require.NoError(t, err)
	t.Cleanup(func() { w.Stop(time.Second) })
	return h, box, l
}

func TestMailToNobodyIsGivenUp(t *testing.T) {
	h, _, l := mailedTo(t, "nobody@saltmere.example")
	require.Eventually(t, func() bool {
		d, err := store.One[store.Delivery](h.Store.DB, "id = ?", l.DeliveryID)
		return err == nil && d.State == store.DeliveryFailed
	}, 10*time.Second, 50*time.Millisecond)
	now, err := store.One[store.Link](h.Store.DB, "id = ?", l.ID)
	require.NoError(t, err)
	assert.Contains(t, now.MailError, "there is nobody of that name here")
	assert.Empty(t, now.UnsentToken)
}

// Whatever a studio is called, its name arrives whole in one header and adds no
// other (RFC 5322, 3.2.4; RFC 2047).
func TestAnyStudioNameMakesAHeader(t *testing.T) {
	box := &standin.Mailbox{Store: storetest.Open(t)}
	require.NoError(t, box.Start())
	defer box.Stop()
	m := delivery.SMTP{URL: box.URL(), From: "films@studio.example"}
	for i, name := range []string{`The "Quay" Studio`, `Back\slash`, "Zoë & Söhne — 海", "a, b; <c@d.example>",
		"One\r\nBcc: thief@example.com", ""} {
		to := fmt.Sprintf("zoe%d@saltmere.example", i)
		require.NoError(t, m.Send(ctx, delivery.Mail{
			From:    name,
			To:      to,
			Subject: "Film",
			Body:    "Here it is",
		}), "%q", name)
		got, err := store.One[store.StandinMail](box.Store.DB, "recipient = ?", to)
		require.NoError(t, err)
		assert.Equal(t, "films@studio.example", got.Sender)
		assert.Equal(t, "Here it is", strings.TrimSpace(got.Body))
	}
	var others int64
	require.NoError(t, box.Store.DB.Model(&store.StandinMail{}).Where("recipient LIKE 'thief%'").
		Count(&others).Error)
	assert.Zero(t, others)
}

// A server elsewhere is used by an encrypted way only, unless its address says
// otherwise (ASVS 9.2.1), and what it says names nobody in a log.
func TestMailIsEncrypted(t *testing.T) {
	plain := func(t *testing.T) string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { l.Close() })
		go func() {
			for {
				c, err := l.Accept()
				if err != nil {
					return
				}
				go func() {
					defer c.Close()
					fmt.Fprint(c, "220 mail.example ESMTP\r\n")
					sc := bufio.NewScanner(c)
					for sc.Scan() {
						switch line := strings.ToUpper(sc.Text()); {
						case strings.HasPrefix(line, "EHLO"):
							fmt.Fprint(c, "250 mail.example\r\n") // no STARTTLS
						case strings.HasPrefix(line, "RCPT"):
							fmt.Fprint(c, "550 no such user zoe@saltmere.example\r\n")
						default:
							fmt.Fprint(c, "250 ok\r\n")
						}
					}
				}()
			}
		}()
		return l.Addr().String()
	}
	at := plain(t)
	err := delivery.SMTP{
		URL:  "smtp://" + at + "?tls=required",
		From: "a@b.example",
	}.Send(ctx, delivery.Mail{From: "x", To: "zoe@saltmere.example", Subject: "s", Body: "b"})
	assert.ErrorContains(t, err, "STARTTLS")
	assert.ErrorContains(t, err, "?tls=optional")
	err = delivery.SMTP{
		URL:  "smtp://" + at,
		From: "a@b.example",
	}.Send(ctx, delivery.Mail{From: "x", To: "zoe@saltmere.example", Subject: "s", Body: "b"})
	assert.ErrorContains(t, err, "no such user")
	assert.NotContains(t, err.Error(), "zoe@")
	assert.ErrorContains(t, delivery.SMTP{
		URL:  "smtp://" + at + "?tls=perhaps",
		From: "a@b.example",
	}.Send(ctx, delivery.Mail{From: "x", To: "zoe@saltmere.example", Subject: "s", Body: "b"}), "tls=perhaps")
	for url, required := range map[string]bool{
		"smtp://mail.example":              true,
		"smtp://mail.example?tls=optional": false,
		"smtp://localhost":                 false,
		"smtp://127.0.0.1:25":              false,
		"smtp://[::1]:25":                  false,
		"smtp://192.0.2.1":                 true,
	} {
		assert.Equal(t, required, delivery.Encrypts(url), url)
	}
}
