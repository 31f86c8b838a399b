package delivery_test

import (
	"bufio"
	"context"
	"fmt"
	"net"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/delivery"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/store"
)

// silent is a mail server that takes mails and says no more from a word of the dialogue on.
type silent struct {
	at string

	mu    sync.Mutex
	mails []string // as they came, wholly
}

func (s *silent) got() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]string(nil), s.mails...)
}

// hangUpAt is a server that closes the connection in place of answering a word: "DATA" to
// that, "." to the end of a mail, "QUIT" or "RSET" after it took the mail.
func hangUpAt(t *testing.T, word string) *silent {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	s := &silent{at: l.Addr().String()}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			s.talk(c, word)
			_ = c.Close()
		}
	}()
	return s
}

func (s *silent) talk(c net.Conn, word string) {
	fmt.Fprint(c, "220 hello\r\n")
	in := bufio.NewScanner(c)
	for in.Scan() {
		said, _, _ := strings.Cut(strings.ToUpper(in.Text()), " ")
		if said == word {
			return
		}
		switch said {
		case "DATA":
			fmt.Fprint(c, "354 go on\r\n")
			var mail strings.Builder
			for in.Scan() && in.Text() != "." {
				mail.WriteString(in.Text() + "\n")
			}
			s.mu.Lock()
			s.mails = append(s.mails, mail.String())
			s.mu.Unlock()
			if word == "." {
				return
			}
			fmt.Fprint(c, "250 taken\r\n")
		default:
			fmt.Fprint(c, "250 fine\r\n")
		}
	}
}

// linkToMail makes a link of a house with a film that is about to be mailed.
func linkToMail(t *testing.T, h *house.House, id int64, mailer delivery.Mailer) store.Link {
	h.Delivery.Mailer = mailer
	l, _, err := h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{
		Title: "Regatta",
		Days:  30,
		Mail:  true,
		Keep:  true,
	})
	require.NoError(t, err)
	return l
}

// A mail goes once, and what became of it is said.
func TestMailGoesOnce(t *testing.T) {
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	housetest.Rendered(t, h, id)
	t.Run("whether it went", func(t *testing.T) { whetherItWent(t, h, id) })
	t.Run("stopped", func(t *testing.T) { stoppedMeanwhile(t, h, id) })
	t.Run("two jobs", func(t *testing.T) { twoJobs(t, h, id) })
}

func (s *silent) mailer() delivery.Mailer {
	return delivery.SMTP{URL: "smtp://" + s.at + "?tls=none", From: "films@studio.example"}
}

// RFC 5321, 6.1: a server that answered the end of a mail has it, whatever comes after; one
// that answered nothing may have it. Before the end of the mail it has nothing.
func whetherItWent(t *testing.T, h *house.House, id int64) {
	for word, want := range map[string]string{
		"RSET": "gone",
		"QUIT": "gone",
		".":    "unknown",
		"DATA": "not gone",
	} {
		t.Run(word, func(t *testing.T) {
			s := hangUpAt(t, word)
			l := linkToMail(t, h, id, s.mailer())
			err := h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: l.ID})
			now, e := store.One[store.Link](h.Store.DB, "id = ?", l.ID)
			require.NoError(t, e)
			switch want {
			case "gone":
				require.NoError(t, err)
				assert.NotNil(t, now.MailedAt)
				assert.Nil(t, now.MailBegunAt)
			case "unknown":
				require.ErrorContains(t, err, delivery.MayHaveGone)
				assert.Nil(t, now.MailedAt)
				assert.Equal(t, delivery.MayHaveGone, now.MailError)
				// It is not sent again by itself, but when somebody says so.
				require.Error(t, h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: l.ID}))
				require.Len(t, s.got(), 1)
				assert.Contains(t, s.got()[0], fmt.Sprintf("Message-ID: <nelko.%d.%d.", l.ID,
					now.MailBegunAt.Unix()), "known before it went")
			case "not gone":
				require.Error(t, err)
				assert.Nil(t, now.MailBegunAt, "it may be sent again")
				assert.NotEmpty(t, now.UnsentToken)
				assert.Empty(t, s.got())
			}
		})
	}
}

// stopped is a mailer whose program is stopped as soon as the server has the mail: before
// the answer is there, it ends for good.
type stopped struct {
	stop  context.CancelFunc
	dies  bool
	mails []delivery.Mail
}

func (s *stopped) Send(_ context.Context, m delivery.Mail) error {
	if err := m.Handing(); err != nil {
		return err
	}
	s.mails = append(s.mails, m)
	s.stop()
	if s.dies {
		panic("killed")
	}
	return nil
}

// A mail that went is marked though the program is stopped meanwhile; where it was killed, it
// is not sent again, and what came back of it is the answer.
func stoppedMeanwhile(t *testing.T, h *house.House, id int64) {
	s := &stopped{}
	l := linkToMail(t, h, id, s)
	running, stop := context.WithCancel(ctx)
	s.stop = stop
	require.NoError(t, h.Delivery.Post.Send(running, delivery.SendLink{LinkID: l.ID}))
	require.NoError(t, h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: l.ID}))
	require.Len(t, s.mails, 1)

	s.dies = true
	of, err := store.One[store.Delivery](h.Store.DB, "id = ?", l.DeliveryID)
	require.NoError(t, err)
	l, err = store.One[store.Link](h.Store.DB, "id = ?", l.ID)
	require.NoError(t, err)
	require.NoError(t, h.Delivery.Post.MailLink(ctx, of.OrderID, l, "", ""))
	assert.Panics(t, func() { _ = h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: l.ID}) })
	s.dies = false
	require.ErrorContains(t, h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: l.ID}), delivery.MayHaveGone)
	other := store.As(ctx, &store.Actor{Job: 4711})
	require.Error(t, h.Delivery.Post.Send(other, delivery.SendLink{LinkID: l.ID}),
		"nor by another job meanwhile")
	require.Len(t, s.mails, 2)

	// as the job does, which is given up
	require.NoError(t, h.Store.DB.Model(&l).Update("mail_error", delivery.MayHaveGone).Error)
	done, err := h.Delivery.Post.MailCameBack(ctx, delivery.Returned{ID: s.mails[1].ID, Why: "moved away"})
	require.NoError(t, err)
	assert.True(t, done)
	now, err := store.One[store.Link](h.Store.DB, "id = ?", l.ID)
	require.NoError(t, err)
	assert.Contains(t, now.MailError, "moved away")
	assert.NotNil(t, now.MailedAt)
}

// Two jobs that tell of one link at once hand one mail over.
func twoJobs(t *testing.T, h *house.House, id int64) {
	s := &slowly{}
	l := linkToMail(t, h, id, s)
	var both sync.WaitGroup
	for job := range 2 {
		both.Go(func() {
			as := store.As(ctx, &store.Actor{Job: int64(job + 1)})
			_ = h.Delivery.Post.Send(as, delivery.SendLink{LinkID: l.ID}) // one of them is put off
		})
	}
	both.Wait()
	assert.Equal(t, 1, s.sent)
}

// slowly takes its time between being reached and having the mail.
type slowly struct {
	mu   sync.Mutex
	sent int
}

func (s *slowly) Send(_ context.Context, m delivery.Mail) error {
	time.Sleep(200 * time.Millisecond) // both have looked whether it was sent
	if err := m.Handing(); err != nil {
		return err
	}
	time.Sleep(200 * time.Millisecond)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.sent++
	return nil
}

// Of devices that open a link at once, so many are let in as may be.
func TestDevicesAtOnce(t *testing.T) {
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	housetest.Rendered(t, h, id)
	_, key, err := h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{Title: "Regatta", Days: 30,
		Devices: 2})
	require.NoError(t, err)
	w, err := h.Delivery.Links.Open(ctx, key, 0)
	require.NoError(t, err)
	var all sync.WaitGroup
	var in atomic.Int64
	for n := range 12 {
		all.Go(func() {
			err := h.Delivery.Links.Admit(ctx, w, fmt.Sprint("device ", n))
			if err == nil {
				in.Add(1)
			} else {
				assert.ErrorIs(t, err, delivery.ErrDevices)
			}
		})
	}
	all.Wait()
	assert.EqualValues(t, 2, in.Load())
}
