package pressing

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"nelko/internal/store"
)

// Find finds a disc and its delivery.
func (h *room) Find(ctx context.Context, id int64) (x store.Disc, d store.Delivery, err error) {
	tx := h.Store.DB.WithContext(ctx)
	if x, err = store.One[store.Disc](tx, "delivery_id = ?", id); err != nil {
		return x, d, err
	}
	d, err = store.One[store.Delivery](tx, "id = ?", id)
	return x, d, err
}

// films are the renders of a disc, in its order.
func (h *room) films(ctx context.Context, x store.Disc) ([]store.Render, error) {
	out := make([]store.Render, len(x.Setting.Titles))
	for i, t := range x.Setting.Titles {
		r, err := store.One[store.Render](h.Store.DB.WithContext(ctx), "id = ?", t.RenderID)
		if err != nil {
			return nil, fmt.Errorf("the film of %s: %w", t.Name, err)
		}
		if r.Damage != "" {
			// Made again it may differ, but it is the film.
			if again, err := store.One[store.Render](h.Store.DB.WithContext(ctx).Order("id DESC"),
				"again_of = ? AND state = 'done'", r.ID); err == nil {
				r = again
			}
		}
		out[i] = r
	}
	return out, nil
}

// Made is a disc as it is listed.
type Made struct {
	store.Disc
	Delivery store.Delivery
	Frames   [2]int64 // of its films: made, and all
	Burns    []store.Burn
}

// Copies counts the copies that were burned and read back.
func (m Made) Copies() (n int) {
	for _, b := range m.Burns {
		if b.State == store.BurnDone {
			n++
		}
	}
	return n
}

// Percent is how much of its films is made.
func (m Made) Percent() int { return int(100 * m.Frames[0] / max(1, m.Frames[1])) }

// Describe says what it is.
func (m Made) Describe() string { return describe(m.Setting) }

// Films counts the films on it.
func (m Made) Films() int { return len(m.Setting.Titles) / max(1, len(m.Setting.Profiles)) }

// List lists an order's discs, newest first.
func (h *room) List(ctx context.Context, orderID int64) ([]Made, error) {
	return h.list(ctx, "order_id = ?", orderID)
}

func (h *room) list(ctx context.Context, where string, args ...any) (out []Made, err error) {
	tx := h.Store.DB.WithContext(ctx)
	var ds []store.Delivery
	if err := tx.Where("kind = ?", store.DiscDelivery).Where(where, args...).Order("id DESC").Limit(300).
		Find(&ds).Error; err != nil || len(ds) == 0 {
		return nil, err
	}
	ids := make([]int64, len(ds))
	for i, d := range ds {
		ids[i] = d.ID
	}
	var rows []store.Disc
	var burns []store.Burn
	var frames []struct{ DeliveryID, Made, Total int64 }
	if err := errors.Join(tx.Where("delivery_id IN ?", ids).Find(&rows).Error, tx.Where("delivery_id IN ?",
		ids).Order("id").Find(&burns).Error,
		tx.Raw(`SELECT dr.delivery_id, coalesce(sum(r.frames_done), 0)::bigint AS made, coalesce(sum(r.frames_total), 0)::bigint AS total
			FROM delivery_renders dr JOIN renders r ON r.id = dr.render_id WHERE dr.delivery_id IN ? GROUP BY 1`, ids).Scan(&frames).Error); err != nil {
		return nil, err
	}
	for _, d := range ds {
		m := Made{Delivery: d}
		if i := slices.IndexFunc(rows, func(x store.Disc) bool { return x.DeliveryID == d.ID }); i >= 0 {
			m.Disc = rows[i]
		}
		for _, b := range burns {
			if b.DeliveryID == d.ID {
				m.Burns = append(m.Burns, b)
			}
		}
		for _, f := range frames {
			if f.DeliveryID == d.ID {
				m.Frames = [2]int64{f.Made, f.Total}
			}
		}
		out = append(out, m)
	}
	return out, nil
}

// Siblings are other orders of the same client, whose films may be on the same
// disc.
func (h *room) Siblings(ctx context.Context, o store.Order) (out []store.Order, err error) {
	if o.RunID != nil {
		return nil, nil
	}
	return out, h.Store.DB.WithContext(ctx).
		Where("id <> ? AND client = ? AND deleted_at IS NULL AND run_id IS NULL", o.ID, o.Client).
		Order("due, id").Limit(30).Find(&out).Error
}
