// Package standin holds simulated outside services that ship with the
// program, so that everything can be tried without any account.
package standin

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"mime"
	"net"
	netmail "net/mail"
	"strings"
	"time"

	"mime/quotedprintable"

	"github.com/emersion/go-smtp"

	"nelko/internal/store"
)

// Mailbox is an SMTP server that keeps every message it is given and delivers
// none. Mail to nobody@… it refuses, mail to moved@… comes back.
type Mailbox struct {
	Store   *store.Store
	Returns *Returns // once it was started
	// Silent, if it is set, is asked of each mail once it is kept: one of which it says true is
	// not answered, as by a server that hangs.
	Silent func() bool
	server *smtp.Server
	addr   string
}

// Start listens on a free port of the loopback interface.
func (m *Mailbox) Start() error {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return fmt.Errorf("stand-in mailbox: %w", err)
	}
	if m.Returns, err = startReturns(); err != nil {
		return errors.Join(err, l.Close())
	}
	m.addr = l.Addr().String()
	m.server = smtp.NewServer(smtp.BackendFunc(func(c *smtp.Conn) (smtp.Session, error) {
		return &mailSession{box: m, conn: c}, nil
	}))
	m.server.Domain = "localhost"
	m.server.MaxMessageBytes = 1 << 20
	m.server.ReadTimeout, m.server.WriteTimeout = 30*time.Second, 30*time.Second
	go func() {
		if err := m.server.Serve(l); err != nil && !errors.Is(err, smtp.ErrServerClosed) {
			slog.Error("stand-in mailbox", "error", err)
		}
	}()
	return nil
}

// URL is where to send mail to.
func (m *Mailbox) URL() string { return "smtp://" + m.addr }

// Stop ends the servers.
func (m *Mailbox) Stop() {
	m.server.Close()
	m.Returns.server.Close()
}

type mailSession struct {
	box      *Mailbox
	conn     *smtp.Conn
	from, to string
}

func (s *mailSession) Reset()        { s.from, s.to = "", "" }
func (s *mailSession) Logout() error { return nil }

func (s *mailSession) Mail(from string, _ *smtp.MailOptions) error {
	s.from = from
	return nil
}

// nobody is an address that nobody has: mail to it is refused.
const nobody = "nobody@"

func (s *mailSession) Rcpt(to string, _ *smtp.RcptOptions) error {
	if strings.HasPrefix(to, nobody) {
		return &smtp.SMTPError{
			Code:         550,
			EnhancedCode: smtp.EnhancedCode{5, 1, 1},
			Message:      "there is nobody of that name here",
		}
	}
	s.to = strings.TrimPrefix(s.to+", "+to, ", ")
	return nil
}

func (s *mailSession) Data(r io.Reader) error {
	msg, err := netmail.ReadMessage(r)
	if err != nil {
		return fmt.Errorf("message: %w", err)
	}
	body := io.Reader(msg.Body)
	if strings.EqualFold(msg.Header.Get("Content-Transfer-Encoding"), "quoted-printable") {
		body = quotedprintable.NewReader(body)
	}
	text, err := io.ReadAll(body)
	if err != nil {
		return fmt.Errorf("message: %w", err)
	}
	subject, err := new(mime.WordDecoder).DecodeHeader(msg.Header.Get("Subject"))
	if err != nil {
		subject = msg.Header.Get("Subject")
	}
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	if err := s.box.Store.DB.WithContext(ctx).Create(&store.StandinMail{
		ReceivedAt: time.Now(), Sender: s.from, Recipient: s.to, Subject: subject, Body: string(text),
	}).Error; err != nil {
		return err
	}
	if s.box.Silent != nil && s.box.Silent() {
		return s.conn.Close()
	}
	if !strings.HasPrefix(s.to, moved) {
		return nil
	}
	return s.box.Returns.Put(returns(s.to, msg.Header.Get("Message-Id")))
}

// shownMails is how many messages are shown at most.
const shownMails = 50

// Mails lists the latest messages in the mailbox.
func Mails(ctx context.Context, s *store.Store) (mails []store.StandinMail, err error) {
	return mails, s.DB.WithContext(ctx).Order("id DESC").Limit(shownMails).Find(&mails).Error
}
