// Package delivery is how clients get their films: what is delivered by which
// way, with its history and the proof that it arrived: by links, mailed or
// handed over, and as files in the studio's folder.
package delivery

import (
	"context"
	"errors"
	"strings"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/accounts"
	"nelko/internal/invalid"
	"nelko/internal/queue"
	"nelko/internal/store"
	"nelko/internal/token"
)

// SendLink is the job that mails a link to the client.
type SendLink struct {
	LinkID int64 `json:"link_id"`
}

// Kind implements river.JobArgs.
func (SendLink) Kind() string { return "send_link" }

// outgoing is the queue of mail.
const outgoing = "mail"

// InsertOpts implements river.JobArgsWithInsertOpts.
func (SendLink) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: outgoing, MaxAttempts: queue.Tries(queue.Outside)}
}

// Jobs implements queue.Room.
func (d *Delivery) Jobs(js *queue.Jobs) {
	js.Serve(outgoing, 2)
	d.Files.fileJobs(js)
	queue.Handle(js, queue.Kind[TryMail]{Work: func(ctx context.Context, j queue.Job[TryMail]) error {
		st, err := store.StudioOf(d.Store.DB.WithContext(ctx))
		if err != nil {
			return err
		}
		return d.Mailer.Send(ctx, Mail{
			From:    st.Name,
			To:      j.Args.To,
			Subject: j.Args.Subject,
			Body:    j.Args.Body,
		})
	}})
	queue.Handle(js, queue.Kind[ProofMail]{
		Needs: d.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[ProofMail]) error {
			waits, err := d.Post.SendProof(ctx, j.Args)
			if waits {
				return queue.Later(proofLooks)
			}
			switch {
			case errors.Is(err, errBusy):
				return queue.Later(busyFor)
			case undeliverable(err):
				return d.Post.proofFailed(ctx, j.Args, err.Error())
			case err != nil && j.Last && ctx.Err() == nil:
				return errors.Join(err, d.Post.proofFailed(ctx, j.Args, err.Error()))
			}
			return err
		},
	})
	queue.Handle(js, queue.Kind[SendLink]{
		Needs: d.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[SendLink]) error {
			err := d.Post.Send(ctx, j.Args)
			switch {
			case errors.Is(err, errBusy):
				return queue.Later(busyFor)
			case undeliverable(err):
				return d.Post.forgetToken(ctx, j.Args.LinkID, err.Error())
			case err != nil && j.Last && ctx.Err() == nil:
				return errors.Join(err, d.Post.forgetToken(ctx, j.Args.LinkID, err.Error()))
			}
			return err
		},
		Refuse: func(ctx context.Context, j SendLink, why string) error {
			return d.Post.forgetToken(ctx, j.LinkID, why)
		},
	})
}

// NewLink is what makes a link.
type NewLink struct {
	RenderID     int64   // 0: the order's latest film that is done
	Also         []int64 // renders of more films, of this order or others, which the page offers as cards
	Title        string
	Downloadable bool
	Days         int    // until it expires, 1 to 3650
	Mail         bool   // send it to the client
	Keep         bool   // keep the token, to be listed and printed
	Subject      string // of the mail; empty: the title
	Text         string // of the mail, {link} for the address; empty: the usual one
	Note         string // to the client, on the page
	Password     string // asked for before anything is shown; empty: none
	Devices      int    // that may open it, at most; 0: any number
	Embed        bool   // the studio's sites may show it in their pages
	Poster       string // a stored JPEG of a moment of the film; empty: the render's own
	Proof        bool   // of the latest draft, to be remarked on and approved
}

// maxNote is the longest note to a client, in bytes; minPassword the shortest
// password of a link.
const (
	maxNote     = 2000
	minPassword = 4
)

func noAddress() error {
	return invalid.Field("mail",
		"The order has no e-mail address of the client. Add it above, or send the address yourself.")
}

// MakeLink delivers a finished render by link. The token is part of the
// address; it is returned once and only its hash is kept, and itself until it
// was mailed.
func (h *Links) MakeLink(ctx context.Context, orderID int64, n NewLink) (l store.Link, key string,
	err error) {
	err = h.Store.Tx(ctx, func(tx *gorm.DB) error {
		l, key, err = h.MakeLinkIn(ctx, tx, orderID, n)
		return err
	})
	return l, key, err
}

// MakeLinkIn is MakeLink in a transaction.
func (h *Links) MakeLinkIn(ctx context.Context, tx *gorm.DB, orderID int64, n NewLink) (store.Link,
	string, error) {
	o, err := store.One[store.Order](tx, "id = ?", orderID)
	if err != nil {
		return store.Link{}, "", err
	}
	var r store.Render
	if !n.Proof {
		r, err = store.One[store.Render](tx.Order("id DESC"),
			"state = 'done' AND (id = ? OR (? = 0 AND main AND order_id = ?))", n.RenderID, n.RenderID,
			orderID)
		if err != nil {
			return store.Link{}, "",
				invalid.Field("render", "There is no finished render to deliver. Render the film first.")
		}
	}
	films := []store.Render{r}
	for _, id := range n.Also {
		x, err := store.One[store.Render](tx, "id = ? AND state = 'done'", id)
		if errors.Is(err, store.ErrNotFound) {
			return store.Link{}, "", invalid.Field("also", "One of the other films is not rendered yet.")
		}
		if err != nil {
			return store.Link{}, "", err
		}
		if x.ID != r.ID {
			films = append(films, x)
		}
	}
	n.Title, n.Note = strings.TrimSpace(n.Title), strings.TrimSpace(n.Note)
	switch {
	case n.Title == "" || len(n.Title) > 200:
		return store.Link{}, "", invalid.Field("title", "The link needs a title of at most 200 characters.")
	case n.Days < 1 || n.Days > 3650:
		return store.Link{}, "", invalid.Field("days", "A link can be open for 1 to 3650 days.")
	case n.Mail && o.ClientEmail == "":
		return store.Link{}, "", noAddress()
	case len(n.Note) > maxNote:
		return store.Link{}, "",
			invalid.Field("note", "The note to the client may have at most %d characters.", maxNote)
	case n.Password != "" && len(n.Password) < minPassword || len(n.Password) > 200:
		return store.Link{}, "", invalid.Field("password", "A link's password needs at least %d characters.",
			minPassword)
	case n.Devices < 0 || n.Devices > 1000:
		return store.Link{}, "", invalid.Field("devices", "At most 1 to 1000 devices, or any number.")
	}
	key := token.New()
	l := store.Link{
		TokenHash:    token.Hash(key),
		Downloadable: n.Downloadable,
		ExpiresAt:    h.Now().AddDate(0, 0, n.Days),
		Note:         n.Note,
		Devices:      n.Devices,
		Embed:        n.Embed && !n.Proof && n.Password == "",
		Proof:        n.Proof,
	}
	if n.Poster != "" {
		l.Poster = &n.Poster
	}
	if n.Password != "" {
		if l.PasswordHash, err = accounts.Hash(n.Password); err != nil {
			return store.Link{}, "", err
		}
	}
	d := store.Delivery{OrderID: orderID, Kind: store.LinkDelivery, State: store.DeliveryDone, Title: n.Title}
	if n.Proof {
		d.Kind, films = store.ProofDelivery, nil // it shows the latest draft
	}
	if n.Mail {
		l.MailedTo, l.UnsentToken, d.State = o.ClientEmail, key, store.DeliveryRunning
		l.MailSubject, l.MailText = strings.Join(strings.Fields(n.Subject), " "), n.Text
	}
	if n.Keep || n.Proof {
		l.KeptToken = key // cards, lists and reminders name it again
	}
	err = h.keepLink(ctx, tx, d, films, &l)
	return l, key, err
}

// keepLink writes a delivery by link of films down, and has it mailed if it is to be.
func (h *Links) keepLink(ctx context.Context, tx *gorm.DB, d store.Delivery, films []store.Render,
	l *store.Link) error {
	if err := tx.Create(&d).Error; err != nil {
		return err
	}
	for i, x := range films {
		if err := tx.Create(&store.DeliveryRender{
			DeliveryID: d.ID,
			RenderID:   x.ID,
			Position:   i,
		}).Error; err != nil {
			return err
		}
	}
	l.DeliveryID = d.ID
	if err := tx.Create(l).Error; err != nil {
		return err
	}
	if l.UnsentToken != "" {
		if err := h.Queue.Insert(ctx, tx, SendLink{l.ID}); err != nil {
			return err
		}
	}
	return h.Orders.Heads.NoteDelivery(ctx, tx, d, "Made the link")
}

// Forget does away with the kept tokens of links that have expired, and tells
// of how many.
func (h *Links) Forget(ctx context.Context, dryRun bool) (n int64, err error) {
	q := h.Store.DB.WithContext(ctx).Model(&store.Link{}).Where("kept_token <> '' AND expires_at < ?",
		h.Now())
	if dryRun {
		return n, q.Count(&n).Error
	}
	res := q.Update("kept_token", "")
	return res.RowsAffected, res.Error
}

// Close ends a link before its time.
func (h *Links) Close(ctx context.Context, orderID, linkID int64) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx,
			"order_id = ? AND id = (SELECT delivery_id FROM links WHERE id = ? AND closed_at IS NULL)",
			orderID, linkID)
		if errors.Is(err, store.ErrNotFound) {
			return nil // closed already
		}
		if err != nil {
			return err
		}
		if err := tx.Model(&store.Link{}).Where("id = ?", linkID).Updates(map[string]any{
			"closed_at":    h.Now(),
			"unsent_token": "",
			"kept_token":   "",
		}).Error; err != nil {
			return err
		}
		if err := tx.Model(&d).Update("state", store.DeliveryClosed).Error; err != nil {
			return err
		}
		return h.Orders.Heads.NoteDelivery(ctx, tx, d, "Closed the link")
	})
}
