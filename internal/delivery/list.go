package delivery

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Listed is a delivery as the list of all shows it, with its link or its file.
type Listed struct {
	store.Delivery
	Client, Event string
	Link          *store.Link      `gorm:"-"`
	File          *store.Placement `gorm:"-"`
	Disc          *store.Disc      `gorm:"-"`
	Upload        *store.Upload    `gorm:"-"`
}

// Filter chooses deliveries. The zero value chooses all.
type Filter struct {
	Kind  store.DeliveryKind
	Which Which
	Words string // in client, event or title
}

// Which deliveries are chosen by how far they are.
type Which string

// Which deliveries there are. Open ones are promised and not done; of those not
// seen there is no proof that they arrived.
const (
	All     Which = ""
	Open    Which = "open"
	Failed  Which = "failed"
	NotSeen Which = "unseen"
)

// mostListed is the most deliveries that are listed at once.
const mostListed = 300

// List reads deliveries, the latest first.
func (r *Lists) List(ctx context.Context, f Filter) ([]Listed, error) {
	tx := r.Store.DB.WithContext(ctx)
	q := tx.Table("deliveries d").Select("d.*, o.client, o.event").
		Joins("JOIN orders o ON o.id = d.order_id AND o.deleted_at IS NULL")
	if f.Kind != "" {
		q = q.Where("d.kind = ?", f.Kind)
	}
	switch f.Which {
	case Open:
		q = q.Where("d.state IN ('wanted', 'waiting', 'running', 'failed')")
	case Failed:
		q = q.Where("d.state = 'failed' OR EXISTS (SELECT 1 FROM links l WHERE l.delivery_id = d.id AND " +
			"l.mail_error <> '')")
	case NotSeen:
		q = q.Where("d.state <> 'closed' AND d.proof = ''")
	}
	if w := strings.TrimSpace(f.Words); w != "" {
		q = q.Where("strpos(lower(o.client || ' ' || o.event || ' ' || d.title), lower(?)) > 0", w)
	}
	var out []Listed
	if err := q.Order("d.id DESC").Limit(mostListed).Scan(&out).Error; err != nil {
		return nil, err
	}
	ids := make([]int64, len(out))
	at := map[int64]*Listed{}
	for i := range out {
		ids[i], at[out[i].ID] = out[i].ID, &out[i]
	}
	var links []store.Link
	var files []store.Placement
	var discs []store.Disc
	var uploads []store.Upload
	of := func() *gorm.DB { return tx.Where("delivery_id IN ?", ids) }
	if err := errors.Join(of().Find(&links).Error, of().Find(&files).Error, of().Omit("guide").
		Find(&discs).Error, of().Find(&uploads).Error); err != nil {
		return nil, err
	}
	for i := range discs {
		at[discs[i].DeliveryID].Disc = &discs[i]
	}
	for i := range uploads {
		at[uploads[i].DeliveryID].Upload = &uploads[i]
	}
	for i := range links {
		at[links[i].DeliveryID].Link = &links[i]
	}
	for i := range files {
		at[files[i].DeliveryID].File = &files[i]
	}
	return out, nil
}

// History is a delivery with what became of it, step by step.
type History struct {
	Listed
	Films  []Shown
	Events []store.DeliveryEvent
}

// History reads a delivery's history, the first step first.
func (r *Lists) History(ctx context.Context, id int64) (h History, err error) {
	tx := r.Store.DB.WithContext(ctx)
	if err := tx.Table("deliveries d").Select("d.*, o.client, o.event").
		Joins("JOIN orders o ON o.id = d.order_id").Where("d.id = ?", id).Scan(&h.Listed).Error; err != nil {
		return h, err
	}
	if h.ID == 0 {
		return h, fmt.Errorf("delivery %d: %w", id, store.ErrNotFound)
	}
	if h.Films, err = r.films(tx, id); err != nil && !errors.Is(err, store.ErrNotFound) {
		return h, err
	}
	if l, err := store.One[store.Link](tx, "delivery_id = ?", id); err == nil {
		h.Link = &l
	}
	return h, tx.Where("delivery_id = ?", id).Order("id").Find(&h.Events).Error
}

// GiveUp takes a delivery back that failed and is not wanted any more.
func (r *Lists) GiveUp(ctx context.Context, orderID, deliveryID int64) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = ? AND order_id = ? AND state = 'failed'", deliveryID,
			orderID)
		if err != nil {
			return err
		}
		if err := tx.Model(&d).Update("state", store.DeliveryClosed).Error; err != nil {
			return err
		}
		return r.Orders.Heads.NoteDelivery(ctx, tx, d, "Given up")
	})
}

// Of finds a delivery of an order.
func (h *room) Of(ctx context.Context, orderID, deliveryID int64) (store.Delivery, error) {
	return store.One[store.Delivery](h.Store.DB.WithContext(ctx), "id = ? AND order_id = ?", deliveryID,
		orderID)
}

// SendAgain sends a delivery once more: a link by the address it has or, where that is
// not kept, by a new one, while the old one stays open; a proof by mail; a file into the
// folder.
func (r *Lists) SendAgain(ctx context.Context, orderID, deliveryID int64) error {
	tx := r.Store.DB.WithContext(ctx)
	d, err := r.Of(ctx, orderID, deliveryID)
	if err != nil {
		return err
	}
	switch d.Kind {
	case store.FileDelivery:
		p, err := store.One[store.Placement](tx, "delivery_id = ?", d.ID)
		if err != nil {
			return err
		}
		if d.State == store.DeliveryFailed && p.Older == "" {
			return r.files.Settle(ctx, orderID, d.ID, p.Instead)
		}
		return r.files.PutFile(ctx, orderID, p.RenderID)
	case store.ProofDelivery:
		l, err := store.One[store.Link](tx, "delivery_id = ?", d.ID)
		if err != nil {
			return err
		}
		if !l.Open(r.Now()) {
			return invalid.Field("delivery", "The proof's link is closed. Send a new proof on the order.")
		}
		return r.Store.Tx(ctx, func(tx *gorm.DB) error {
			if err := r.post.TellOfProof(ctx, tx, l.ID); err != nil {
				return err
			}
			return r.Orders.Heads.NoteDelivery(ctx, tx, d, "To be mailed again")
		})
	case store.LinkDelivery:
		l, err := store.One[store.Link](tx, "delivery_id = ?", d.ID)
		if err != nil {
			return err
		}
		films, err := filmsOf(tx, d.ID)
		if errors.Is(err, store.ErrNotFound) {
			return invalid.Field("delivery", "Its film is gone. Make a new link on the order.")
		}
		if err != nil {
			return err
		}
		if l.KeptToken != "" && l.Open(r.Now()) {
			return r.post.MailLink(ctx, orderID, l, l.MailSubject, l.MailText)
		}
		if l.PasswordHash != "" {
			return invalid.Field("delivery",
				"The link has a password, which nobody here knows. Make a new link on the order.")
		}
		again := NewLink{
			RenderID:     films[0],
			Also:         films[1:],
			Title:        d.Title,
			Downloadable: l.Downloadable,
			Days:         days(l),
			Mail:         true,
			Keep:         l.KeptToken != "",
			Subject:      l.MailSubject,
			Text:         l.MailText,
			Note:         l.Note,
			Devices:      l.Devices,
			Embed:        l.Embed,
		}
		if l.Poster != nil {
			again.Poster = *l.Poster
		}
		_, _, err = r.links.MakeLink(ctx, orderID, again)
		return err
	}
	return invalid.Field("delivery", "This cannot be sent again.")
}
