package making

import (
	"context"
	"time"

	"gorm.io/gorm"

	"nelko/internal/store"
)

// Verified is what one look at delivered files came to.
type Verified struct {
	Files   int64
	Bytes   int64
	Damaged []Damage
}

// Damage is a file that is no longer what it was.
type Damage struct {
	Render store.Render
	Why    string
}

// verifyAgain is how long a file is trusted once it was read back.
const verifyAgain = 30 * 24 * time.Hour

// Verify reads files of finished films back and compares them with their sums,
// those first that were looked at longest ago; all of them, or those not looked
// at for a month and at most so many. Files that are damaged are told and made
// again; those that are known to be are told of until they are whole. rest is how long is waited
// after each, so that nobody notices.
func (c *Checks) Verify(ctx context.Context, all bool, most int, rest time.Duration) (v Verified,
	err error) {
	if err := c.known(ctx, &v); err != nil {
		return v, err
	}
	q := c.Store.DB.WithContext(ctx).Where("state = 'done' AND sha256 IS NOT NULL AND damage = ''")
	if !all {
		q = q.Where("verified_at IS NULL AND finished_at < ? OR verified_at < ?", c.Now().Add(-24*time.Hour),
			c.Now().Add(-verifyAgain)).Limit(most)
	}
	var list []store.Render
	if err := q.Order("verified_at NULLS FIRST, id").Find(&list).Error; err != nil {
		return v, err
	}
	for _, r := range list {
		why, n, err := c.readBack(ctx, r)
		if err != nil {
			return v, err
		}
		v.Files, v.Bytes = v.Files+1, v.Bytes+n
		if why == "" {
			if err := c.Store.DB.WithContext(ctx).Model(&store.Render{}).Where("id = ?", r.ID).
				Update("verified_at", c.Now()).Error; err != nil {
				return v, err
			}
		} else {
			if err := c.mend(ctx, r, why); err != nil {
				return v, err
			}
			v.Damaged = append(v.Damaged, Damage{r, why})
		}
		select {
		case <-ctx.Done():
			return v, context.Cause(ctx)
		case <-time.After(rest):
		}
	}
	return v, nil
}

// againAfter is how long after a try to make a damaged film again the next one comes.
const againAfter = 24 * time.Hour

// known looks at the films that were found damaged before: a file that is whole again, as a backup
// was brought back, is; the others are told of, and made again if that is not being done.
func (c *Checks) known(ctx context.Context, v *Verified) error {
	tx := c.Store.DB.WithContext(ctx)
	var list []store.Render
	if err := tx.Where("state = 'done' AND sha256 IS NOT NULL AND damage <> ''").Order("id").
		Find(&list).Error; err != nil {
		return err
	}
	for _, r := range list {
		why, n, err := c.readBack(ctx, r)
		if err != nil {
			return err
		}
		v.Files, v.Bytes = v.Files+1, v.Bytes+n
		if why == "" {
			if err := tx.Model(&store.Render{}).Where("id = ?", r.ID).Updates(map[string]any{
				"damage":      "",
				"verified_at": c.Now(),
			}).Error; err != nil {
				return err
			}
			continue
		}
		v.Damaged = append(v.Damaged, Damage{r, r.Damage})
		var tries int64
		err = tx.Model(&store.Render{}).
			Where("again_of = ? AND (state IN ('waiting', 'running') OR created_at > ?)", r.ID,
				c.Now().Add(-againAfter)).Count(&tries).Error
		if err == nil && tries == 0 {
			_, err = c.renders.Again(ctx, r.OrderID, r.ID)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// readBack compares a film's files with their sums, and says what is wrong.
func (c *Checks) readBack(ctx context.Context, r store.Render) (why string, n int64, err error) {
	for _, f := range []struct {
		name string
		sha  *string
	}{{"film", r.SHA256}, {"stream", r.Stream}} {
		if f.sha == nil {
			continue
		}
		why, size, err := c.Blobs.Damaged(ctx, *f.sha, "the file of its "+f.name)
		if n += size; err != nil || why != "" {
			return why, n, err
		}
	}
	return "", n, nil
}

// mend tells of a damaged film and has it made again. What is left of its files
// goes, so that the new ones take their places.
func (c *Checks) mend(ctx context.Context, r store.Render, why string) error {
	for _, sha := range []*string{r.SHA256, r.Stream} {
		if sha != nil {
			if err := c.Blobs.Delete(ctx, *sha); err != nil {
				return err
			}
		}
	}
	if err := c.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&store.Render{}).Where("id = ?", r.ID).Update("damage", why).Error; err != nil {
			return err
		}
		return c.changed(ctx, tx, r.OrderID)
	}); err != nil {
		return err
	}
	_, err := c.renders.Again(ctx, r.OrderID, r.ID)
	return err
}

// Latest is the latest finished main film of each of some orders, by order.
func (h *room) Latest(ctx context.Context, of []store.Order) (map[int64]int64, error) {
	out, ids := map[int64]int64{}, make([]int64, len(of))
	for i, o := range of {
		ids[i] = o.ID
	}
	if len(of) == 0 {
		return out, nil
	}
	var rows []store.Render
	err := h.Store.DB.WithContext(ctx).Select("id", "order_id").
		Where("order_id IN ? AND main AND state = 'done'", ids).Order("id").Find(&rows).Error
	for _, r := range rows {
		out[r.OrderID] = r.ID
	}
	return out, err
}
