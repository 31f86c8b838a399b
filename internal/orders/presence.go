package orders

import (
	"context"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/store"
)

// presentFor is how long somebody counts as being at an order after the last
// sign of life.
const presentFor = 70 * time.Second

// Other is somebody else who has an order open.
type Other struct {
	Name  string
	Slide doc.SlideID // looked at; empty if unknown
}

// Arrive says that a user has an order open, and has the others told if that is
// new. It is said again every so often.
func (p *Presence) Arrive(ctx context.Context, orderID, userID int64) error {
	return p.present(ctx, orderID, userID,
		`INSERT INTO presence (order_id, user_id, at) SELECT id, ?, ? FROM orders WHERE id = ?
		ON CONFLICT (order_id, user_id) DO UPDATE SET at = excluded.at
		RETURNING (xmax = 0)::int`, userID, p.Now(), orderID)
}

// Leave says that a user has closed an order.
func (p *Presence) Leave(ctx context.Context, orderID, userID int64) error {
	return p.present(ctx, orderID, userID,
		"DELETE FROM presence WHERE user_id = ? AND order_id = ? RETURNING 1", userID, orderID)
}

// LooksAt says which slide a user looks at.
func (p *Presence) LooksAt(ctx context.Context, orderID, userID int64, slide doc.SlideID) error {
	return p.present(ctx, orderID, userID,
		"UPDATE presence SET slide = ? WHERE user_id = ? AND order_id = ? AND slide <> ? RETURNING 1", slide,
		userID, orderID, slide)
}

// present does what changes a presence; if it gives 1 the order's pages are
// told, where somebody else has one open.
func (p *Presence) present(ctx context.Context, orderID, userID int64, statement string, args ...any) error {
	return p.Store.Tx(ctx, func(tx *gorm.DB) error {
		var changed int
		if err := tx.Raw(statement, args...).Scan(&changed).Error; err != nil || changed == 0 {
			return err
		}
		others, err := p.others(tx, orderID, userID)
		if err != nil || len(others) == 0 {
			return err
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: orderID})
	})
}

// Tell has the pages of an order look again.
func (p *Presence) Tell(ctx context.Context, orderID int64) error {
	return store.Tell(p.Store.DB.WithContext(ctx), store.Event{What: store.OrderChanged, ID: orderID})
}

// Others are those who have an order open beside a user, by name.
func (p *Presence) Others(ctx context.Context, orderID, userID int64) ([]Other, error) {
	return p.others(p.Store.DB.WithContext(ctx), orderID, userID)
}

func (p *Presence) others(tx *gorm.DB, orderID, userID int64) (out []Other, err error) {
	err = tx.Table("presence p").Select("u.name, p.slide").Joins("JOIN users u ON u.id = p.user_id").
		Where("p.order_id = ? AND p.user_id <> ? AND p.at > ?", orderID, userID, p.Now().Add(-presentFor)).
		Order("u.name").Scan(&out).Error
	return out, err
}
