package making

import (
	"context"
	"maps"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/store"
)

// present has a film that waited, and those that are drawn with it, made of the order as it is
// now, not as it was when it was queued, and notes since when it waited. Drafts that a client
// was told of, films that are made again, films of discs, and what a client approved stay
// what they were.
func (h *room) present(ctx context.Context, tx *gorm.DB, r *store.Render) error {
	if r.Attempt > 1 || r.AgainOf != nil || r.LeadID != nil || r.Profile == profile.Proof.Name {
		return nil
	}
	var pressed int64
	if err := tx.Raw("SELECT count(*) FROM delivery_renders dr JOIN discs d ON d.delivery_id = "+
		"dr.delivery_id WHERE dr.render_id = ?", r.ID).Scan(&pressed).Error; err != nil || pressed > 0 {
		return err
	}
	s, err := store.One[store.Slideshow](tx, "id = ?", r.SlideshowID)
	if err != nil {
		return err
	}
	o, err := store.One[store.Order](tx, "id = ?", r.OrderID)
	if err != nil {
		return err
	}
	if s.Head == r.Revision && maps.Equal(o.Details, r.Details) {
		return nil
	}
	if o.AsksApproval {
		var approved int64
		if err := tx.Model(&store.Approval{}).Where("order_id = ? AND revision = ?", o.ID, s.Head).
			Count(&approved).Error; err != nil || approved == 0 {
			return err
		}
	}
	if ok, err := h.madeIn(ctx, tx, r, s.Head); err != nil || !ok {
		return err
	}
	now := store.Render{Revision: s.Head, Queued: r.Revision, Details: o.Details}
	if err := tx.Model(&store.Render{}).Where("id = ? OR lead_id = ? AND state = 'waiting'", r.ID, r.ID).
		Select("revision", "queued", "details").Updates(&now).Error; err != nil {
		return err
	}
	r.Queued, r.Revision, r.Details = now.Queued, now.Revision, now.Details
	return nil
}

// madeIn reports whether the film of a revision is made in a render's shape.
func (h *room) madeIn(ctx context.Context, tx *gorm.DB, r *store.Render, revision int) (bool, error) {
	if r.Shape == "" {
		return true, nil
	}
	d, err := h.Orders.LoadAt(ctx, r.OrderID, revision)
	if err != nil {
		return false, err
	}
	f, err := doc.ParseFrame(r.Shape)
	return err == nil && d.In(f).Shape == f, nil
}

// Anew begins a film anew of the order as it is now, in place of one that is being made.
func (k *Renders) Anew(ctx context.Context, orderID, renderID int64) error {
	r, err := store.One[store.Render](k.Store.DB.WithContext(ctx), "id = ? AND order_id = ?", renderID,
		orderID)
	if err != nil {
		return err
	}
	if err := k.Cancel(ctx, orderID, renderID); err != nil {
		return err
	}
	shape, _ := doc.ParseFrame(r.Shape) // what is none is the first
	_, err = k.BeginAll(ctx, orderID, Wanted{
		Profiles: []string{r.Profile},
		Shapes:   []doc.Frame{shape},
		Anyway:   true,
	})
	return err
}
