package intake

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/invalid"
	"nelko/internal/media"
	"nelko/internal/store"
	"nelko/internal/token"
)

// ErrClosed means that a client's page takes nothing any more.
var ErrClosed = errors.New("this page is closed")

// The bounds of a client's page.
const (
	mostFiles = 2000
	mostGB    = 100
	mostDays  = 365
	// mostWords is the most that a client may write into one detail, in bytes.
	mostWords = 2000
)

// Limits are what may come by a client's page, and for how long.
type Limits struct{ Files, GB, Days int }

// UsualLimits are those of a page nobody set any for.
var UsualLimits = Limits{Files: 200, GB: 5, Days: 30}

// OpenPage opens a page on which an order's client brings material in. A page
// of before is closed.
func (h *Pages) OpenPage(ctx context.Context, orderID int64, l Limits) (store.ClientPage, error) {
	p := store.ClientPage{
		OrderID:   orderID,
		Files:     l.Files,
		Bytes:     int64(l.GB) << 30,
		ExpiresAt: h.Now().AddDate(0, 0, l.Days),
		CreatedAt: h.Now(),
		Details:   map[string]string{},
	}
	switch {
	case l.Files < 1 || l.Files > mostFiles:
		return p, invalid.Field("files", "A client’s page takes 1 to %d files.", mostFiles)
	case l.GB < 1 || l.GB > mostGB:
		return p, invalid.Field("gb", "A client’s page takes 1 to %d GB.", mostGB)
	case l.Days < 1 || l.Days > mostDays:
		return p, invalid.Field("days", "A client’s page is open for 1 to %d days.", mostDays)
	}
	p.Token = token.New()
	p.TokenHash = token.Hash(p.Token)
	return p, h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := closePages(tx, orderID, h.Now()); err != nil {
			return err
		}
		if err := tx.Create(&p).Error; err != nil {
			return err
		}
		if err := store.Note(tx, store.DidLink, orderID, "Opened a page for the client"); err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: orderID})
	})
}

func closePages(tx *gorm.DB, orderID int64, now time.Time) error {
	return tx.Model(&store.ClientPage{}).Where("order_id = ? AND closed_at IS NULL", orderID).
		Update("closed_at", now).Error
}

// ClosePage closes an order's page. What came by it stays.
func (h *Pages) ClosePage(ctx context.Context, orderID int64) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := closePages(tx, orderID, h.Now()); err != nil {
			return err
		}
		if err := store.Note(tx, store.DidLink, orderID, "Closed the client's page"); err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: orderID})
	})
}

// PageOf is an order's page that is open or of which something waits; nil if
// there is none.
func (h *Pages) PageOf(ctx context.Context, orderID int64) (*store.ClientPage, error) {
	p, err := store.One[store.ClientPage](h.Store.DB.WithContext(ctx).Order("id DESC"),
		"order_id = ? AND (said_at IS NOT NULL OR (closed_at IS NULL AND expires_at > ?))", orderID, h.Now())
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	return &p, err
}

// Page is what a client sees of an order.
type Page struct {
	store.ClientPage
	Brought []store.Media // by this page, newest first
}

// Page is the page with a token. One that is closed is ErrClosed, with the
// page; an unknown one store.ErrNotFound.
func (h *Pages) Page(ctx context.Context, key string) (p Page, err error) {
	db := h.Store.DB.WithContext(ctx)
	if p.ClientPage, err = store.One[store.ClientPage](db, "token_hash = ?", token.Hash(key)); err != nil {
		return p, err
	}
	_, err = store.One[store.Order](db.Select("id"), "id = ? AND deleted_at IS NULL", p.OrderID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && !p.Open(h.Now())) {
		return p, ErrClosed
	}
	if err != nil {
		return p, err
	}
	err = db.Omit("waveform").Where("client_page_id = ?", p.ID).Order("id DESC").Find(&p.Brought).Error
	return p, err
}

// Load is so many files of so many bytes together.
type Load struct{ Files, Bytes int64 }

// had is what has come by a page, what was refused too as long as it is kept.
func had(tx *gorm.DB, page int64) (n Load, err error) {
	err = tx.Model(&store.Media{}).Where("client_page_id = ?", page).
		Select("count(*) AS files, coalesce(sum(size), 0) AS bytes").Scan(&n).Error
	return n, err
}

// refusedFor is how long what came by a client's page and was refused is kept; mostRefused how
// much of it, with what is on its way, all pages together may hold, in bytes.
const (
	refusedFor  = 24 * time.Hour
	mostRefused = 100 << 30
)

// ForgetRefused does away with what came by clients' pages and was refused a day ago, and tells
// how many files that were.
func (h *Pages) ForgetRefused(ctx context.Context, dryRun bool) (n int64, err error) {
	old := func(tx *gorm.DB) *gorm.DB {
		return tx.Model(&store.Media{}).
			Where("client_page_id IS NOT NULL AND state = 'refused' AND created_at < ?",
				h.Now().Add(-refusedFor))
	}
	if dryRun {
		return n, old(h.Store.DB.WithContext(ctx)).Count(&n).Error
	}
	var of []int64
	if err := old(h.Store.DB.WithContext(ctx)).Where("order_id IS NOT NULL").Distinct().Pluck("order_id",
		&of).Error; err != nil {
		return 0, err
	}
	for _, id := range of {
		err := h.Store.Tx(ctx, func(tx *gorm.DB) error {
			res := old(tx).Where("order_id = ?", id).Delete(&store.Media{})
			if res.Error != nil || res.RowsAffected == 0 {
				return res.Error
			}
			n += res.RowsAffected
			if err := store.Note(tx, store.DidDelete, id,
				"Removed what came by the client’s page and was refused a day ago"); err != nil {
				return err
			}
			return h.Orders.Days.Changed(ctx, tx, id)
		})
		if err != nil {
			return n, err
		}
	}
	return n, nil
}

// tooMuch says why a client's page does not take one more file; empty: it
// does. The page's row is locked, so that files that come together count one
// after another.
func (h *room) tooMuch(tx *gorm.DB, m *store.Media) (string, error) {
	p, err := store.One[store.ClientPage](tx.Clauses(clause.Locking{Strength: "UPDATE"}), "id = ?",
		*m.ClientPageID)
	if err != nil {
		return "", err
	}
	n, err := had(tx, p.ID)
	switch {
	case err != nil:
		return "", err
	case n.Files >= int64(p.Files):
		return fmt.Sprintf("%d files have come by this page, as many as it takes", n.Files), nil
	case n.Bytes+m.Size > p.Bytes:
		return fmt.Sprintf("with it more than %d GB would have come by this page", p.Bytes>>30), nil
	}
	return "", nil
}

// ReceiveByPage is Receive of what a client brings in by the page with a token.
func (h *Pages) ReceiveByPage(ctx context.Context, key, uploadID, name string, r io.Reader) (store.Media,
	error) {
	p, err := store.One[store.ClientPage](h.Store.DB.WithContext(ctx), "token_hash = ?", token.Hash(key))
	if err != nil {
		return store.Media{}, err
	}
	return h.receive(ctx, store.Media{
		OrderID:      &p.OrderID,
		UploadID:     uploadID,
		Name:         media.Base(name),
		ClientPageID: &p.ID,
	}, r)
}

// MayReceiveByPage tells whether the page with a token takes a file of so many
// bytes, where so much is on its way by it, and by all pages, already.
func (h *Pages) MayReceiveByPage(ctx context.Context, key string, size int64, coming, all Load) error {
	p, err := h.Page(ctx, key)
	switch {
	case errors.Is(err, ErrClosed), errors.Is(err, store.ErrNotFound):
		return invalid.Field("order", "This page is closed.")
	case err != nil:
		return err
	}
	db := h.Store.DB.WithContext(ctx)
	n, err := had(db, p.ID)
	if err != nil {
		return err
	}
	if n.Files+coming.Files >= int64(p.Files) || n.Bytes+coming.Bytes+size > p.Bytes {
		return invalid.Field("order",
			"This page takes at most %d files and %d GB; what was not taken counts for a day.", p.Files,
			p.Bytes>>30)
	}
	var refused int64
	err = db.Model(&store.Media{}).Where("client_page_id IS NOT NULL AND state = 'refused'").
		Select("coalesce(sum(size), 0)").Scan(&refused).Error
	if err != nil {
		return err
	}
	if refused+all.Bytes+size > mostRefused {
		return invalid.Field("order",
			"More is on its way to the studio than it takes at once. Try again tomorrow.")
	}
	return nil
}

// FillIn keeps what a client filled in, until it is accepted. Only details that
// the order's theme asks for are kept.
func (h *Pages) FillIn(ctx context.Context, key string, details map[string]string) error {
	p, err := h.Page(ctx, key)
	if err != nil {
		return err
	}
	d, err := h.Orders.Load(ctx, p.OrderID)
	if err != nil {
		return err
	}
	said := map[string]string{}
	for _, asked := range d.Theme.Details {
		v, has := details[asked.Key]
		if v = strings.TrimSpace(v); !has || v == d.Doc.Details[asked.Key] {
			continue
		}
		if len(v) > mostWords {
			return invalid.Field("detail-"+asked.Key, "%s is longer than can be kept.", asked.Label)
		}
		said[asked.Key] = v
	}
	now := h.Now()
	p.Details, p.SaidAt = said, &now
	if len(said) == 0 {
		p.SaidAt = nil
	}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Select("details", "said_at").Save(&p.ClientPage).Error; err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: p.OrderID})
	})
}
