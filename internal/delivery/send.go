package delivery

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"nelko/internal/invalid"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/store"
)

// days is for how many days a link was made.
func days(l store.Link) int { return max(1, int(l.ExpiresAt.Sub(l.CreatedAt).Hours()/24+0.5)) }

// Mail is a message of plain text.
type Mail struct {
	ID                      string // of mailID; empty: it need not be known again
	From, To, Subject, Body string // From is a name, To an address

	// Handing is called once the server is reached and before anything is handed to it;
	// after an error nothing is. Nil: nothing is done.
	Handing func() error
}

// Mailer sends mail.
type Mailer interface {
	Send(ctx context.Context, m Mail) error
}

// Address is where a link with a token leads.
func (h *room) Address(token string) string {
	return strings.TrimRight(h.BaseURL, "/") + "/watch/" + token
}

// Message is what a client is written of a link.
func Message(l store.Link, title, address, studio string) (subject, body string) {
	if subject = l.MailSubject; subject == "" {
		subject = title
	}
	if l.MailText != "" {
		body = strings.ReplaceAll(l.MailText, "{link}", address)
		if !strings.Contains(l.MailText, "{link}") {
			body += "\n\n" + address
		}
		return subject, body + "\n"
	}
	if l.Proof {
		return subject, fmt.Sprintf("The draft of your film is ready to look at.\n\n%s\n%s\n\nStop "+
			"wherever something should be different and write it down there. When all is as you want it, "+
			"approve it on the same page.\nThe link is open until %s.\n\n%s\n", title, address,
			l.ExpiresAt.Format("2 January 2006"), studio)
	}
	return subject, fmt.Sprintf("Your film is ready.\n\n%s\n%s\n\nThe link is open until %s.\n\n%s\n", title,
		address, l.ExpiresAt.Format("2 January 2006"), studio)
}

// TryMail is the job that sends a message that leads nowhere, to see it.
type TryMail struct {
	To      string `json:"to"`
	Subject string `json:"subject"`
	Body    string `json:"body"`
}

// Kind implements river.JobArgs.
func (TryMail) Kind() string { return "try_mail" }

// InsertOpts implements river.JobArgsWithInsertOpts.
func (TryMail) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: outgoing, MaxAttempts: 3}
}

// TryMail sends a message to see how it comes out.
func (p *Post) TryMail(ctx context.Context, to, subject, body string) error {
	return p.Store.Tx(ctx, func(tx *gorm.DB) error {
		return p.Queue.Insert(ctx, tx, TryMail{to, subject, body})
	})
}

// Send mails a link to the client. The token is forgotten once it was sent.
func (p *Post) Send(ctx context.Context, j SendLink) error {
	tx := p.Store.DB.WithContext(ctx)
	l, err := store.One[store.Link](tx, "id = ?", j.LinkID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && (l.MailedAt != nil || l.ClosedAt != nil ||
		l.UnsentToken == "")) {
		return nil
	}
	if err != nil {
		return err
	}
	d, err := store.One[store.Delivery](tx, "id = ?", l.DeliveryID)
	if err != nil {
		return err
	}
	st, err := store.StudioOf(tx)
	if err != nil {
		return err
	}
	subject, body := Message(l, d.Title, p.Address(l.UnsentToken), st.Name)
	if l.MailText == "" {
		o, err := store.One[store.Order](tx, "id = ?", d.OrderID)
		if err != nil {
			return err
		}
		if s, b, own := letter(st, LinkLetter, o, d.Title, l, p.Address(l.UnsentToken)); own {
			subject, body = s, b
		}
	}
	m := Mail{From: st.Name, To: l.MailedTo, Subject: subject, Body: body}
	return p.once(ctx, l, l.UnsentToken, m, func(tx *gorm.DB, at time.Time) error {
		if err := tx.Model(&l).Updates(map[string]any{
			"mailed_at":    at,
			"mail_error":   "",
			"unsent_token": "",
		}).Error; err != nil {
			return err
		}
		if err := tx.Model(&d).Update("state", store.DeliveryDone).Error; err != nil {
			return err
		}
		return p.Orders.Heads.NoteDelivery(ctx, tx, d, "Mailed to "+l.MailedTo)
	})
}

// unsent notes why a link could not be mailed, without the token: a server may
// answer with what it was sent.
func unsent(tx *gorm.DB, l store.Link, token string, err error) error {
	return tx.Model(&l).Update("mail_error", withoutToken(err, token).Error()).Error
}

func withoutToken(err error, token string) error {
	return &unsentMail{strings.ReplaceAll(err.Error(), token, "…"), undeliverable(err)}
}

// forgetToken gives mailing a link up.
func (p *Post) forgetToken(ctx context.Context, linkID int64, why string) error {
	return p.Store.Tx(ctx, func(tx *gorm.DB) error {
		l, err := store.One[store.Link](tx, "id = ?", linkID)
		if errors.Is(err, store.ErrNotFound) || (err == nil && l.MailedAt != nil) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := tx.Model(&l).Updates(map[string]any{
			"unsent_token": "",
			"mail_error":   why,
		}).Error; err != nil {
			return err
		}
		d, err := store.One[store.Delivery](tx, "id = ?", l.DeliveryID)
		if err != nil {
			return err
		}
		if err := tx.Model(&d).Update("state", store.DeliveryFailed).Error; err != nil {
			return err
		}
		said := "Could not be mailed to "
		if why == MayHaveGone {
			said = "May have been mailed to "
		}
		return p.Orders.Heads.NoteDelivery(ctx, tx, d, said+l.MailedTo)
	})
}

// MailLink mails a link that is there already, by the address it has. Only links whose
// address is kept can be.
func (p *Post) MailLink(ctx context.Context, orderID int64, l store.Link, subject, text string) error {
	o, err := store.One[store.Order](p.Store.DB.WithContext(ctx), "id = ?", orderID)
	if err != nil {
		return err
	}
	switch {
	case !l.Open(p.Now()) || l.KeptToken == "":
		return invalid.Field("delivery", "The link is closed. Make a new one on the order.")
	case o.ClientEmail == "":
		return noAddress()
	}
	return p.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = ? AND order_id = ?", l.DeliveryID, orderID)
		if err != nil {
			return err
		}
		if d.State == store.DeliveryRunning && l.UnsentToken != "" {
			return nil // pressed twice: it is about to go
		}
		set := map[string]any{
			"mail_begun_at": nil,
			"mail_job":      0,
			"mailed_to":     o.ClientEmail,
			"mailed_at":     nil,
			"mail_error":    "",
			"unsent_token":  l.KeptToken,
			"mail_subject":  strings.Join(strings.Fields(subject), " "),
			"mail_text":     text,
		}
		if err := errors.Join(tx.Model(&l).Updates(set).Error, tx.Model(&d).
			Update("state", store.DeliveryRunning).Error); err != nil {
			return err
		}
		if err := p.Queue.Insert(ctx, tx, SendLink{l.ID}); err != nil {
			return err
		}
		return p.Orders.Heads.NoteDelivery(ctx, tx, d, "To be mailed to "+o.ClientEmail)
	})
}
