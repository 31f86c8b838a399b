package delivery

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"strconv"
	"time"

	"github.com/wneessen/go-mail"
)

// SMTP sends mail through a server at an smtp:// or smtps:// URL, which may
// carry a user and password.
type SMTP struct {
	URL  string
	From string // address mail comes from
}

// Send sends a message of plain text.
func (s SMTP) Send(ctx context.Context, fromName, to, subject, body string) error {
	u, err := url.Parse(s.URL)
	if err != nil || u.Hostname() == "" {
		return fmt.Errorf("mail server address %q is not of the form smtp://host:port", s.URL)
	}
	opts := []mail.Option{mail.WithTimeout(20 * time.Second), mail.WithTLSPolicy(mail.TLSOpportunistic)}
	if u.Scheme == "smtps" {
		opts = append(opts, mail.WithSSL())
	}
	if p, err := strconv.Atoi(u.Port()); err == nil {
		opts = append(opts, mail.WithPort(p))
	}
	if u.User != nil {
		password, _ := u.User.Password()
		opts = append(opts, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(u.User.Username()), mail.WithPassword(password))
	}
	m := mail.NewMsg()
	if err := m.FromFormat(fromName, s.From); err != nil {
		return fmt.Errorf("sender: %w", err)
	}
	if err := m.To(to); err != nil {
		return fmt.Errorf("recipient: %w", err)
	}
	m.Subject(subject)
	m.SetBodyString(mail.TypeTextPlain, body)
	c, err := mail.NewClient(u.Hostname(), opts...)
	if err != nil {
		return err
	}
	if err := c.DialAndSendWithContext(ctx, m); err != nil {
		err = fmt.Errorf("sending mail to %s: %w", to, err)
		var no *mail.SendError
		if errors.As(err, &no) && no.ErrorCode() >= 500 {
			return &unsentMail{err.Error(), true}
		}
		return err
	}
	return nil
}

// unsentMail is why a mail was not sent. What a server refuses for good (a reply
// of 500 and more, RFC 5321, 4.2.1) is not tried again.
type unsentMail struct {
	why     string
	forGood bool
}

func (e *unsentMail) Error() string { return e.why }

func undeliverable(err error) bool {
	var e *unsentMail
	return errors.As(err, &e) && e.forGood
}
