package delivery

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/core/profile"
	"nelko/internal/core/wording"
	"nelko/internal/queue"
	"nelko/internal/store"
)

// ProofMail is the job that tells a client of a draft, once it is made, or
// reminds of it.
type ProofMail struct {
	LinkID int64 `json:"link_id"`
	Days   *int  `json:"days,omitempty"` // until the order is due: a reminder; nil: a draft is ready
}

// Kind implements river.JobArgs.
func (ProofMail) Kind() string { return "proof_mail" }

// InsertOpts implements river.JobArgsWithInsertOpts.
func (ProofMail) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: outgoing, MaxAttempts: queue.Tries(queue.Outside)}
}

// proofLooks is how long is waited between looks whether a draft is made.
const proofLooks = 5 * time.Second

// TellOfProof mails the client of a proof's link once its draft is made.
func (p *Post) TellOfProof(ctx context.Context, tx *gorm.DB, linkID int64) error {
	return p.Queue.Insert(ctx, tx, ProofMail{LinkID: linkID})
}

// Remind mails a reminder of a proof, so many days before the order is due.
func (p *Post) Remind(ctx context.Context, tx *gorm.DB, linkID int64, days int) error {
	return p.Queue.Insert(ctx, tx, ProofMail{LinkID: linkID, Days: &days})
}

// SendProof mails of a draft or reminds of it; waits says that the draft is
// still being made.
func (p *Post) SendProof(ctx context.Context, j ProofMail) (waits bool, err error) {
	tx := p.Store.DB.WithContext(ctx)
	l, err := store.One[store.Link](tx, "id = ?", j.LinkID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && (!l.Open(p.Now()) || l.KeptToken == "")) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	d, err := store.One[store.Delivery](tx, "id = ?", l.DeliveryID)
	if err != nil {
		return false, err
	}
	o, err := store.One[store.Order](tx, "id = ?", d.OrderID)
	if err != nil {
		return false, err
	}
	draft, err := store.One[store.Render](tx.Order("id DESC"), "order_id = ? AND profile = ?", d.OrderID,
		profile.Proof.Name)
	if errors.Is(err, store.ErrNotFound) || (err == nil && (draft.State == store.RenderFailed ||
		draft.State == store.RenderCancelled)) || o.ClientEmail == "" {
		return false, nil // there is nothing to look at
	}
	if err != nil {
		return false, err
	}
	if draft.State != store.RenderDone {
		return true, nil
	}
	st, err := store.StudioOf(tx)
	if err != nil {
		return false, err
	}
	subject, body := Message(l, d.Title, p.Address(l.KeptToken), st.Name)
	said, what := "Mailed the draft to "+o.ClientEmail, ProofLetter
	if j.Days != nil {
		in := "today"
		if *j.Days > 0 {
			in = "in " + wording.Counted(*j.Days, "day")
		}
		subject = "Please look at your film: " + d.Title
		body = fmt.Sprintf("Your film is to be finished %s, and we would like to hear from you before. "+
			"Look at the draft here, and approve it or write what should be different:\n\n%s\n\n%s\n", in,
			p.Address(l.KeptToken), st.Name)
		said, what = "Reminded "+o.ClientEmail, ReminderLetter
	}
	if s, b, own := letter(st, what, o, d.Title, l, p.Address(l.KeptToken)); own {
		subject, body = s, b
	}
	m := Mail{From: st.Name, To: o.ClientEmail, Subject: subject, Body: body}
	return false, p.once(ctx, l, l.KeptToken, m, func(tx *gorm.DB, at time.Time) error {
		if err := tx.Model(&l).Updates(map[string]any{
			"mailed_at":  at,
			"mailed_to":  o.ClientEmail,
			"mail_error": "",
		}).Error; err != nil {
			return err
		}
		return p.Orders.Heads.NoteDelivery(ctx, tx, d, said)
	})
}

// proofFailed notes that a proof could not be mailed.
func (p *Post) proofFailed(ctx context.Context, j ProofMail, why string) error {
	return p.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = (SELECT delivery_id FROM links WHERE id = ?)", j.LinkID)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		said := "Could not be mailed: "
		if why == MayHaveGone {
			said = "May have been mailed: "
		}
		return p.Orders.Heads.NoteDelivery(ctx, tx, d, said+why)
	})
}
