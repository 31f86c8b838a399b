package intake

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"gorm.io/gorm"

	"nelko/internal/core/edit"
	"nelko/internal/core/theme"
	"nelko/internal/store"
)

// hold marks a medium that is held back: where the order says so, and what a
// client brings in.
func (h *room) hold(tx *gorm.DB, m *store.Media) error {
	if m.ClientPageID != nil {
		m.Held = true
		return nil
	}
	if m.OrderID == nil {
		return nil
	}
	return tx.Model(&store.Order{}).Where("id = ?", *m.OrderID).Select("holds").Scan(&m.Held).Error
}

// HoldBack has what comes into an order from now on held back until it is
// accepted, or no more. What is held already stays so.
func (h *Held) HoldBack(ctx context.Context, orderID int64, holds bool) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Order{}).Where("id = ?", orderID).Update("holds", holds)
		if res.Error == nil && res.RowsAffected == 0 {
			return fmt.Errorf("order %d: %w", orderID, store.ErrNotFound)
		}
		if res.Error != nil {
			return res.Error
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: orderID})
	})
}

// Accept lets what an order holds back into its film, the details that its
// client filled in as well, or only the media named. It gives how many media.
func (h *Held) Accept(ctx context.Context, orderID int64, author *int64, only ...int64) (n int,
	err error) {
	err = h.Store.Tx(ctx, func(tx *gorm.DB) error {
		which := tx.Model(&store.Media{}).Where("order_id = ? AND held AND state <> 'refused'", orderID)
		if len(only) > 0 {
			which = which.Where("id IN ?", only)
		}
		res := which.Update("held", false)
		if n = int(res.RowsAffected); res.Error != nil {
			return res.Error
		}
		if len(only) == 0 {
			if err := h.acceptDetails(ctx, tx, orderID, author); err != nil {
				return err
			}
		}
		if err := h.Queue.Insert(ctx, tx, Pour{orderID}); err != nil {
			return err
		}
		return h.Orders.Days.Changed(ctx, tx, orderID)
	})
	return n, err
}

// acceptDetails sets what the client filled in.
func (h *Held) acceptDetails(ctx context.Context, tx *gorm.DB, orderID int64, author *int64) error {
	var pages []store.ClientPage
	if err := tx.Where("order_id = ? AND said_at IS NOT NULL", orderID).Order("said_at").
		Find(&pages).Error; err != nil || len(pages) == 0 {
		return err
	}
	said := map[string]string{}
	for i := range pages {
		maps.Copy(said, pages[i].Details)
	}
	if err := tx.Model(&store.ClientPage{}).Where("order_id = ?", orderID).Updates(map[string]any{
		"said_at": nil,
		"details": "{}",
	}).Error; err != nil {
		return err
	}
	// Another theme may have been taken since, which asks for other details.
	d, err := h.Orders.LoadIn(ctx, tx, orderID)
	if err != nil {
		return err
	}
	maps.DeleteFunc(said, func(k, _ string) bool {
		return !slices.ContainsFunc(d.Theme.Details, func(x theme.Detail) bool { return x.Key == k })
	})
	_, err = h.Orders.Edits.DoIn(ctx, tx, orderID, edit.Details{Values: said}, author)
	return err
}
