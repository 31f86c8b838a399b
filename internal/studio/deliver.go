package studio

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"nelko/internal/store"
)

// NewLink is what makes a link.
type NewLink struct {
	RenderID     int64
	Title        string
	Downloadable bool
	Days         int  // until it expires, 1 to 3650
	Mail         bool // send it to the client
}

// MakeLink delivers a finished render by link. The token is part of the
// address; it is returned once and only its hash is kept.
func (s *Studio) MakeLink(ctx context.Context, orderID int64, n NewLink) (store.Link, string, error) {
	o, err := store.One[store.Order](s.Store.DB.WithContext(ctx), "id = ?", orderID)
	if err != nil {
		return store.Link{}, "", err
	}
	r, err := store.One[store.Render](s.Store.DB.WithContext(ctx), "id = ? AND order_id = ?", n.RenderID, orderID)
	if err != nil || r.State != store.RenderDone {
		return store.Link{}, "", &Invalid{"render", "There is no finished render to deliver. Render the film first."}
	}
	n.Title = strings.TrimSpace(n.Title)
	switch {
	case n.Title == "" || len(n.Title) > 200:
		return store.Link{}, "", &Invalid{"title", "The link needs a title of at most 200 characters."}
	case n.Days < 1 || n.Days > 3650:
		return store.Link{}, "", &Invalid{"days", "A link can be open for 1 to 3650 days."}
	case n.Mail && o.ClientEmail == "":
		return store.Link{}, "", &Invalid{"mail", "The order has no e-mail address of the client. Add it above, or send the address yourself."}
	}
	token := NewToken()
	l := store.Link{
		OrderID: orderID, RenderID: r.ID, TokenHash: hashToken(token), Title: n.Title, Downloadable: n.Downloadable,
		ExpiresAt: s.Now().AddDate(0, 0, n.Days),
	}
	err = s.Store.Tx(ctx, func(tx *gorm.DB) error {
		if n.Mail {
			l.MailedTo = o.ClientEmail
		}
		if err := tx.Create(&l).Error; err != nil {
			return err
		}
		if !n.Mail {
			return nil
		}
		return s.enqueue(ctx, tx, SendLink{l.ID, token})
	})
	return l, token, err
}

// NewToken is 192 random bits in URL-safe letters.
func NewToken() string {
	b := make([]byte, 24)
	rand.Read(b) // never fails, by its documentation
	return base64.RawURLEncoding.EncodeToString(b)
}

func hashToken(token string) []byte {
	h := sha256.Sum256([]byte(token))
	return h[:]
}

// ErrClosed means that a link has expired or was closed.
var ErrClosed = errors.New("this link is no longer open")

// Watched is what a client with a link may see.
type Watched struct {
	Link   store.Link
	Order  store.Order
	Render store.Render
	Studio store.Studio
}

// OpenLink finds the film behind a token.
func (s *Studio) OpenLink(ctx context.Context, token string) (Watched, error) {
	tx := s.Store.DB.WithContext(ctx)
	var w Watched
	var err error
	if w.Link, err = store.One[store.Link](tx, "token_hash = ?", hashToken(token)); err != nil {
		return w, err
	}
	if w.Studio, err = store.One[store.Studio](tx, "id = 1"); err != nil {
		return w, err
	}
	if !w.Link.Open(s.Now()) {
		return w, ErrClosed
	}
	if w.Order, err = store.One[store.Order](tx, "id = ?", w.Link.OrderID); err != nil {
		return w, err
	}
	w.Render, err = store.One[store.Render](tx, "id = ?", w.Link.RenderID)
	return w, err
}

// CountView notes that a link's film was opened.
func (s *Studio) CountView(ctx context.Context, linkID int64) error {
	return s.Store.DB.WithContext(ctx).Model(&store.Link{}).Where("id = ?", linkID).
		Updates(map[string]any{"views": gorm.Expr("views + 1"), "last_view": s.Now()}).Error
}

// CloseLink ends a link before its time.
func (s *Studio) CloseLink(ctx context.Context, orderID, linkID int64) error {
	return s.Store.DB.WithContext(ctx).Model(&store.Link{}).Where("id = ? AND order_id = ? AND closed_at IS NULL", linkID, orderID).
		Update("closed_at", s.Now()).Error
}

// Mailer sends a message of plain text.
type Mailer interface {
	Send(ctx context.Context, fromName, to, subject, body string) error
}

// DoSendLink mails a link to the client. baseURL is the studio's address.
func (s *Studio) DoSendLink(ctx context.Context, j SendLink, m Mailer, baseURL string) error {
	tx := s.Store.DB.WithContext(ctx)
	l, err := store.One[store.Link](tx, "id = ?", j.LinkID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && (l.MailedAt != nil || l.ClosedAt != nil)) {
		return nil
	}
	if err != nil {
		return err
	}
	st, err := store.One[store.Studio](tx, "id = 1")
	if err != nil {
		return err
	}
	body := fmt.Sprintf("Your film is ready.\n\n%s\n%s/watch/%s\n\nThe link is open until %s.\n\n%s\n",
		l.Title, strings.TrimRight(baseURL, "/"), j.Token, l.ExpiresAt.Format("2 January 2006"), st.Name)
	if err := m.Send(ctx, st.Name, l.MailedTo, l.Title, body); err != nil {
		e := tx.Model(&l).Update("mail_error", err.Error()).Error
		return errors.Join(err, e)
	}
	now := time.Now()
	return tx.Model(&l).Updates(map[string]any{"mailed_at": now, "mail_error": ""}).Error
}
