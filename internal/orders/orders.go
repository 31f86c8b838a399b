// Package orders is clients' commissions: their head and details, their
// slideshows with every edit ever made, what each needs next, and the day
// sheet. Everything else in the application is about an order; this room says
// what it is now.
package orders

import (
	"context"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/theme"
	"nelko/internal/invalid"
	"nelko/internal/shelf"
	"nelko/internal/store"
)

// Queue inserts jobs in a transaction.
type Queue interface {
	Insert(ctx context.Context, tx *gorm.DB, j river.JobArgs) error
}

// revision names a revision.
type revision struct {
	slideshow int64
	number    int
}

// rememberParsed is how many documents are remembered; one of 300 slides takes
// about 100 kB.
const rememberParsed = 256

// Head is what an order is about.
type Head struct {
	Client, ClientEmail, Event string
	Due                        time.Time
}

func (h *Head) check() error {
	h.Client, h.Event, h.ClientEmail = strings.TrimSpace(h.Client), strings.TrimSpace(h.Event),
		strings.TrimSpace(h.ClientEmail)
	switch {
	case h.Client == "":
		return invalid.Field("client", "Who is the order for? The client's name is missing.")
	case len(h.Client) > 200 || len(h.Event) > 200:
		return invalid.Field("client", "Client and event may have at most 200 characters.")
	case h.Event == "":
		return invalid.Field("event", "The event is missing.")
	case h.Due.IsZero():
		return invalid.Field("due", "The due date is missing.")
	}
	if h.ClientEmail != "" {
		if a, err := mail.ParseAddress(h.ClientEmail); err != nil || a.Address != h.ClientEmail {
			return invalid.Field("client_email", "%q is not an e-mail address.", h.ClientEmail)
		}
	}
	return nil
}

// Check reports what is wrong with a head.
func (h Head) Check() error { return h.check() }

// New is what opens an order.
type New struct {
	Head
	Theme   string // by ID; empty: the usual one
	Details map[string]string
}

// usualSeed is the seed of new slideshows: what is shown decides how it is
// cast, not which order it is.
const usualSeed = 1

// Open opens an order with an empty slideshow.
func (r *Heads) Open(ctx context.Context, n New, author *int64) (row store.Order, err error) {
	err = r.Store.Tx(ctx, func(tx *gorm.DB) error {
		row, err = r.openIn(ctx, tx, n, author, store.Order{}, nil)
		return err
	})
	return row, err
}

// openIn opens an order in a transaction. what tells what it is in a Run; first
// is done to its slideshow at once.
func (r *Heads) openIn(ctx context.Context, tx *gorm.DB, n New, author *int64, what store.Order,
	first edit.Op) (store.Order, error) {
	if err := n.check(); err != nil {
		return store.Order{}, err
	}
	if n.Theme == "" {
		n.Theme = shelf.DefaultTheme
	}
	t, err := r.Shelf.Themes.Get(n.Theme)
	if err != nil {
		return store.Order{}, invalid.Field("theme", "%v", err)
	}
	d := doc.New(t.ID, usualSeed)
	d.ThemeVersion, d.Fit.PaceSeconds = t.Content, t.Pace.Seconds
	for k, v := range n.Details {
		if v = strings.TrimSpace(v); v != "" {
			d.Details[k] = v
		}
	}
	for _, x := range t.Details {
		if err := x.Check(d.Details[x.Key]); err != nil {
			return store.Order{}, invalid.Field("detail-"+x.Key, "%v.", err)
		}
		if x.Type == theme.OfNames && d.Details[x.Key] == "" && what.RunID == nil && first == nil {
			d.Details[x.Key] = n.Client // typed once
		}
	}
	if err := d.Validate(); err != nil {
		return store.Order{}, invalid.Field("details", "%v", err)
	}
	if first != nil {
		if d, err = edit.Do(d, first, edit.Context{Theme: t}); err != nil {
			return store.Order{}, err
		}
	}
	row := what
	row.Client, row.ClientEmail, row.Event, row.Due, row.Details = n.Client, n.ClientEmail, n.Event, n.Due,
		d.Details
	if err := r.create(tx, &row, d, "Opened the order", author); err != nil {
		return row, err
	}
	if row.RunID == nil {
		if err := store.Note(tx, store.DidOrder, row.ID, "Opened the order"); err != nil {
			return row, err
		}
	}
	return row, r.days.Changed(ctx, tx, row.ID)
}

// create writes an order with a slideshow.
func (r *Heads) create(tx *gorm.DB, row *store.Order, d doc.Slideshow, title string, author *int64) error {
	if err := tx.Create(row).Error; err != nil {
		return err
	}
	show := store.Slideshow{OrderID: row.ID, Head: 1}
	if err := tx.Create(&show).Error; err != nil {
		return err
	}
	return r.edits.addRevision(tx, store.Revision{
		SlideshowID: show.ID,
		Number:      1,
		Title:       title,
		AuthorID:    author,
	}, nil, d)
}

// Update changes an order's head.
func (r *Heads) Update(ctx context.Context, id int64, h Head, author *int64) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error { return r.update(ctx, tx, id, h, author) })
}

// UpdateWanted is Update and Want, both or neither.
func (r *Heads) UpdateWanted(ctx context.Context, id int64, h Head, kinds []store.DeliveryKind,
	author *int64) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := r.update(ctx, tx, id, h, author); err != nil {
			return err
		}
		return r.wantIn(ctx, tx, id, kinds)
	})
}

func (r *Heads) update(ctx context.Context, tx *gorm.DB, id int64, h Head, author *int64) error {
	before, err := store.One[store.Order](tx, "id = ?", id)
	if err != nil {
		return fmt.Errorf("order %d: %w", id, err)
	}
	if err := r.UpdateIn(ctx, tx, id, h); err != nil {
		return err
	}
	return r.record(tx, id, headChange(before, h), author)
}

// headChange says in words what is changed of an order's head.
func headChange(before store.Order, h Head) string {
	var parts []string
	for _, f := range []struct{ name, was, is string }{
		{"client", before.Client, h.Client}, {"e-mail", before.ClientEmail, h.ClientEmail},
		{"event", before.Event, h.Event},
		{"due date", before.Due.Format("2 January 2006"), h.Due.Format("2 January 2006")},
	} {
		if f.was != f.is {
			parts = append(parts, fmt.Sprintf("%s from “%s” to “%s”", f.name, f.was, f.is))
		}
	}
	if len(parts) == 0 {
		return ""
	}
	return "Changed the " + strings.Join(parts, ", the ")
}

// record writes a step of an order's history beside its film; none without a
// title.
func (r *Heads) record(tx *gorm.DB, id int64, title string, author *int64) error {
	if title == "" {
		return nil
	}
	return errors.Join(tx.Create(&store.OrderStep{
		OrderID: id,
		Title:   title,
		UserID:  author,
		At:      r.Now(),
	}).Error, store.Note(tx, store.DidOrder, id, title))
}

// UpdateIn is Update in a transaction.
func (r *Heads) UpdateIn(ctx context.Context, tx *gorm.DB, id int64, h Head) error {
	if err := h.check(); err != nil {
		return err
	}
	return r.changeIn(ctx, tx, id, map[string]any{
		"client":       h.Client,
		"client_email": h.ClientEmail,
		"event":        h.Event,
		"due":          h.Due,
	})
}

// put sets columns of an order, and notes it.
func (r *Heads) put(ctx context.Context, id int64, set map[string]any, what, words string) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error { return r.putIn(ctx, tx, id, set, what, words) })
}

func (r *Heads) putIn(ctx context.Context, tx *gorm.DB, id int64, set map[string]any, what,
	words string) error {
	if err := r.changeIn(ctx, tx, id, set); err != nil {
		return err
	}
	return store.Note(tx, what, id, words)
}

func (r *Heads) changeIn(ctx context.Context, tx *gorm.DB, id int64, set map[string]any) error {
	res := tx.Model(&store.Order{}).Where("id = ?", id).Updates(set)
	if res.Error != nil {
		return res.Error
	}
	if res.RowsAffected == 0 {
		return fmt.Errorf("order %d: %w", id, store.ErrNotFound)
	}
	return r.days.Changed(ctx, tx, id)
}

// ByID reads orders, of all that there are among those.
func ByID(tx *gorm.DB, ids []int64) (map[int64]store.Order, error) {
	var rows []store.Order
	if err := tx.Where("id IN ?", ids).Find(&rows).Error; err != nil {
		return nil, err
	}
	byID := map[int64]store.Order{}
	for _, o := range rows {
		byID[o.ID] = o
	}
	return byID, nil
}

// Copy opens another order with the same material, theme, details and
// slideshow, for the same client. What was rendered and delivered stays with
// the first.
func (r *Heads) Copy(ctx context.Context, id int64, author *int64) (store.Order, error) {
	d, err := r.Load(ctx, id)
	if err != nil {
		return store.Order{}, err
	}
	// A copy stands by itself, also of a row of a Run.
	row := store.Order{
		Client:      d.Order.Client,
		ClientEmail: d.Order.ClientEmail,
		Event:       d.Order.Event,
		Due:         d.Order.Due,
		Details:     d.Order.Details,
	}
	film := Alone(d.Doc)
	ids := make([]int64, len(d.Media))
	for i, m := range d.Media {
		ids[i] = m.ID
	}
	err = r.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := r.create(tx, &row, film, fmt.Sprintf("Copied from order %d", id), author); err != nil {
			return err
		}
		// The files themselves are shared.
		err := tx.Exec(`INSERT INTO media (order_id, upload_id, name, sha256, size, state, reason, kind, width, height, captured, samples, lufs, peak_db, waveform, thumbnail, proxy, seen, original, stars, held)
			SELECT ?, 'copy-' || ?::bigint || '-' || id, name, sha256, size, state, reason, kind, width, height, captured, samples, lufs, peak_db, waveform, thumbnail, proxy, seen, original, stars, held
			FROM media WHERE id = ANY (?) AND state = 'ready' ORDER BY id`, row.ID, row.ID, store.Numbers(ids)).Error
		if err != nil {
			return err
		}
		return r.days.Changed(ctx, tx, row.ID)
	})
	return row, err
}

// OpenFilm opens an order with a film that is made already, of a zip say. Media
// it shows may come later.
func (r *Heads) OpenFilm(ctx context.Context, h Head, wants []store.DeliveryKind, d doc.Slideshow,
	title string, author *int64) (row store.Order, err error) {
	if err := h.check(); err != nil {
		return row, err
	}
	row = store.Order{
		Client:      h.Client,
		ClientEmail: h.ClientEmail,
		Event:       h.Event,
		Due:         h.Due,
		Details:     d.Details,
	}
	for _, w := range Ways {
		if slices.Contains(wants, w.Kind) {
			row.Wants = append(row.Wants, w.Kind)
		}
	}
	err = r.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := r.create(tx, &row, Alone(d), title, author); err != nil {
			return err
		}
		return r.days.Changed(ctx, tx, row.ID)
	})
	return row, err
}

// Alone is a film that neither is a pattern nor follows one.
func Alone(d doc.Slideshow) doc.Slideshow {
	d = d.Clone()
	d.Pattern, d.Follows = nil, nil
	for i := range d.Slides {
		d.Slides[i].Row, d.Slides[i].CommonAt = false, nil
	}
	return d
}

// OpenPattern opens the order that all rows of a Run will follow. keys are the
// details that the rows fill themselves.
func (r *Heads) OpenPattern(ctx context.Context, tx *gorm.DB, n New, keys []string,
	author *int64) (store.Order, error) {
	return r.openIn(ctx, tx, n, author, store.Order{}, edit.NewPattern{Details: keys})
}

// OpenRow opens an order as a row of a Run, as its pattern has it. what names
// the row's own: its Run, key and place there.
func (r *Heads) OpenRow(ctx context.Context, tx *gorm.DB, n New, pattern doc.Slideshow, what store.Order,
	author *int64) (store.Order, error) {
	return r.openIn(ctx, tx, n, author, what, edit.Follow{Pattern: pattern})
}

// NewerTheme is the newest version of the order's theme if the slideshow has an
// earlier one, else nil.
func (h *room) NewerTheme(d *Dossier) *theme.Theme {
	return h.Shelf.Newer(d.Doc.Theme, d.Doc.ThemeVersion)
}

// MarkMeant marks doubts about an order's film as meant, or points them out again.
// The keys are the checks'.
func (r *Heads) MarkMeant(ctx context.Context, orderID int64, keys []string, meant bool, by *int64) error {
	if len(keys) == 0 || slices.ContainsFunc(keys, func(k string) bool { return k == "" || len(k) > 400 }) {
		return &invalid.Input{Field: "key", Problem: "This cannot be marked as meant."}
	}
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		var err error
		if meant {
			rows := make([]store.Meant, len(keys))
			for i, k := range keys {
				rows[i] = store.Meant{OrderID: orderID, Key: k, UserID: by, At: r.Now()}
			}
			err = tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&rows).Error
		} else {
			err = tx.Where("order_id = ? AND key IN ?", orderID, keys).Delete(&store.Meant{}).Error
		}
		if err != nil {
			return err
		}
		return r.days.Changed(ctx, tx, orderID)
	})
}
