package delivery

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strconv"
	"strings"
	"time"

	netmail "net/mail"

	"github.com/wneessen/go-mail"
)

// SMTP sends mail through a server at an smtp:// or smtps:// URL, which may
// carry a user and password. The way there must be encrypted, unless the server
// is on this machine or the URL says ?tls=optional or ?tls=none.
type SMTP struct {
	URL  string
	From string // address mail comes from
}

// Send implements Mailer.
func (s SMTP) Send(ctx context.Context, l Mail) error {
	u, err := url.Parse(s.URL)
	if err != nil || u.Hostname() == "" {
		return fmt.Errorf("mail server address %q is not of the form smtp://host:port", s.URL)
	}
	policy, err := tlsPolicy(u)
	if err != nil {
		return err
	}
	opts := []mail.Option{mail.WithTimeout(20 * time.Second), mail.WithTLSPolicy(policy)}
	if u.Scheme == "smtps" {
		opts = append(opts, mail.WithSSL())
	}
	if p, err := strconv.Atoi(u.Port()); err == nil {
		opts = append(opts, mail.WithPort(p))
	}
	if u.User != nil {
		password, _ := u.User.Password()
		opts = append(opts, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover),
			mail.WithUsername(u.User.Username()), mail.WithPassword(password))
	}
	m := mail.NewMsg()
	// quoted and encoded as it must be (RFC 5322, 2047)
	from := netmail.Address{Name: l.From, Address: s.From}
	if err := m.From(from.String()); err != nil {
		return fmt.Errorf("sender: %w", err)
	}
	if err := m.To(l.To); err != nil {
		return fmt.Errorf("recipient: %w", err)
	}
	m.Subject(l.Subject)
	m.SetBodyString(mail.TypeTextPlain, l.Body)
	if l.ID != "" {
		m.SetMessageIDWithValue(l.ID + "@" + s.From[strings.LastIndex(s.From, "@")+1:])
	}
	c, err := mail.NewClient(u.Hostname(), opts...)
	if err != nil {
		return err
	}
	if err := hand(ctx, c, m, l.Handing); err != nil {
		var no *mail.SendError
		refused := errors.As(err, &no) && no.ErrorCode() >= 500
		if errors.Is(err, errBusy) || errors.Is(err, errNoAnswer) {
			return err
		}
		// Whom it is for is known where it is shown, and is nothing for a log.
		why := "sending mail: " + strings.ReplaceAll(err.Error(), l.To, "…")
		if policy == mail.TLSMandatory && strings.Contains(why, "STARTTLS") {
			why += "; a server without encryption is used only if NELKO_MAIL says ?tls=optional"
		}
		return &unsentMail{why, refused}
	}
	return nil
}

// errNoAnswer means that a whole mail was handed to a server, which did not say whether it
// took it (RFC 5321, 4.2.5 and 6.1: only its answer to the end of the mail does).
var errNoAnswer = errors.New("the mail server did not answer")

// hand reaches the server and hands it a mail. What goes wrong after it took the mail is
// nothing.
func hand(ctx context.Context, c *mail.Client, m *mail.Msg, handing func() error) error {
	if err := c.DialWithContext(ctx); err != nil {
		return err
	}
	if handing != nil {
		if err := handing(); err != nil {
			return errors.Join(err, c.Close())
		}
	}
	err := c.Send(m)
	if m.IsDelivered() {
		_ = c.Close() // it has the mail, whatever it says to the end
		return nil
	}
	var no *mail.SendError
	if errors.As(err, &no) && no.Reason == mail.ErrSMTPDataClose && no.ErrorCode() == 0 {
		err = errNoAnswer
	}
	return errors.Join(err, c.Close())
}

// tlsPolicy is how far the way to a mail server must be encrypted.
func tlsPolicy(u *url.URL) (mail.TLSPolicy, error) {
	switch said := u.Query().Get("tls"); said {
	case "required":
		return mail.TLSMandatory, nil
	case "optional":
		return mail.TLSOpportunistic, nil
	case "none":
		return mail.NoTLS, nil
	case "":
		if ip := net.ParseIP(u.Hostname()); u.Hostname() == "localhost" || ip != nil && ip.IsLoopback() {
			return mail.TLSOpportunistic, nil
		}
		return mail.TLSMandatory, nil
	default:
		return mail.TLSMandatory,
			fmt.Errorf("the mail server's address says ?tls=%s; it may be required, optional or none", said)
	}
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
