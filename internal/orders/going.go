package orders

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Archive takes an order off the day sheet; it can be found and opened still.
func (k *Keeping) Archive(ctx context.Context, id int64) error {
	if err := k.noPattern(ctx, id); err != nil {
		return err
	}
	return k.heads.put(ctx, id, map[string]any{"archived_at": k.Now()}, store.DidOrder, "Put the order away")
}

// Delete deletes an order: after the days that the studio set it is really
// gone, and its links are closed at once.
func (k *Keeping) Delete(ctx context.Context, id int64) error {
	if err := k.noPattern(ctx, id); err != nil {
		return err
	}
	return k.heads.put(ctx, id, map[string]any{"deleted_at": k.Now()}, store.DidDelete, "Deleted the order")
}

// Restore brings an archived or deleted order back.
func (k *Keeping) Restore(ctx context.Context, id int64) error {
	err := k.heads.put(ctx, id, map[string]any{
		"archived_at": nil,
		"deleted_at":  nil,
	}, store.DidOrder, "Brought the order back")
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return invalid.Field("key", "Another row of its Run has its key by now; give that one another first.")
	}
	return err
}

// noPattern refuses to put away what the rows of a Run follow.
func (k *Keeping) noPattern(ctx context.Context, id int64) error {
	var n int64
	err := k.Store.DB.WithContext(ctx).Model(&store.Run{}).Where("pattern_id = ?", id).Count(&n).Error
	if err == nil && n > 0 {
		err = invalid.Field("order", "This is the pattern of a Run; put the Run away instead.")
	}
	return err
}

// Purge does away with orders whose time to be restored is over, and tells how
// many. With them go their revisions, media, renders, links and whatever of
// the client's is left; files that other orders share stay, the others are
// swept up. Orders that were put away for as long as the studio keeps them are
// deleted, and lines of the trail that are older are forgotten. The trail keeps
// that an order was there, and who did what to it, but no words about it.
func (k *Keeping) Purge(ctx context.Context, dryRun bool) (n int64, err error) {
	st, err := k.Shelf.Studio(ctx)
	if err != nil {
		return 0, err
	}
	before := func(days int) time.Time { return k.Now().AddDate(0, 0, -days) }
	over := k.Store.DB.WithContext(ctx).Model(&store.Order{}).Where("deleted_at < ?", before(st.KeepDeleted))
	switch {
	case st.KeepDeleted == 0:
	case dryRun:
		return n, over.Count(&n).Error
	default:
		if n, err = k.erase(ctx, before(st.KeepDeleted)); err != nil {
			return n, err
		}
	}
	if dryRun {
		return 0, nil
	}
	if st.KeepArchived > 0 {
		if err := k.putAwayForLong(ctx, before(st.KeepArchived)); err != nil {
			return n, err
		}
	}
	if st.KeepTrail > 0 {
		err = k.Store.DB.WithContext(ctx).Where("at < ?", before(st.KeepTrail)).Delete(&store.Deed{}).Error
	}
	return n, err
}

// erase does away with orders that were deleted before a time.
func (k *Keeping) erase(ctx context.Context, before time.Time) (n int64, err error) {
	err = k.Store.Tx(ctx, func(tx *gorm.DB) error {
		var ids []int64
		if err := tx.Model(&store.Order{}).Where("deleted_at < ?", before).
			Pluck("id", &ids).Error; err != nil || len(ids) == 0 {
			return err
		}
		err := tx.Exec(`DELETE FROM standin_mail WHERE recipient IN (SELECT client_email FROM orders WHERE id IN ?)
			AND recipient NOT IN (SELECT client_email FROM orders WHERE id NOT IN ?)`, ids, ids).Error
		if err != nil {
			return err
		}
		if err := tx.Model(&store.Deed{}).Where("order_id IN ? AND what <> ?", ids, store.DidDelete).
			Update("words", "").Error; err != nil {
			return err
		}
		res := tx.Where("id IN ?", ids).Delete(&store.Order{})
		if n = res.RowsAffected; res.Error != nil {
			return res.Error
		}
		for _, id := range ids {
			if err := store.Note(tx, store.DidDelete, id,
				"Erased the order and all that was in it"); err != nil {
				return err
			}
		}
		return nil
	})
	return n, err
}

// putAwayForLong deletes orders that were put away before a time.
func (k *Keeping) putAwayForLong(ctx context.Context, before time.Time) error {
	var ids []int64
	err := k.Store.DB.WithContext(ctx).Model(&store.Order{}).Where("archived_at < ? AND deleted_at IS NULL "+
		"AND run_id IS NULL AND id NOT IN (SELECT pattern_id FROM runs WHERE pattern_id IS NOT NULL)",
		before).Pluck("id", &ids).Error
	for _, id := range ids {
		if err == nil {
			err = k.heads.put(ctx, id, map[string]any{"deleted_at": k.Now()}, store.DidDelete,
				"Deleted the order, which had been put away for as long as the studio keeps orders")
		}
	}
	return err
}
