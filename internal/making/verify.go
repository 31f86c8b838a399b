package making

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"nelko/internal/invalid"
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

// Again queues a film to be made again from what it was made of: its revision,
// the theme's version that names, its details, profile and marks. Where the
// tools are the same it becomes the same film, byte for byte; where they are
// not the new render says so.
func (k *Renders) Again(ctx context.Context, orderID, renderID int64) (store.Render, error) {
	tx := k.Store.DB.WithContext(ctx)
	of, err := store.One[store.Render](tx, "id = ? AND order_id = ?", renderID, orderID)
	if err != nil {
		return of, err
	}
	if of.State != store.RenderDone {
		return of, invalid.Field("render", "Only what was made once can be made again.")
	}
	if running, err := store.One[store.Render](tx, "again_of = ? AND state IN ('waiting', 'running')",
		of.ID); err == nil {
		return running, nil // pressed twice
	}
	o, err := store.One[store.Order](tx, "id = ?", orderID)
	if err != nil {
		return of, err
	}
	r := store.Render{
		OrderID:     of.OrderID,
		SlideshowID: of.SlideshowID,
		Revision:    of.Revision,
		Shape:       of.Shape,
		Profile:     of.Profile,
		Setting:     of.Setting,
		Details:     of.Details,
		Mark:        of.Mark,
		MarkPicture: of.MarkPicture,
		Watermark:   of.Watermark,
		State:       store.RenderWaiting,
		FramesTotal: of.FramesTotal,
		AgainOf:     &of.ID,
	}
	return r, k.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := k.insert(ctx, tx, o, &r); err != nil {
			return err
		}
		return k.changed(ctx, tx, orderID)
	})
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

// Retry queues a film that failed or was cancelled once more.
func (k *Renders) Retry(ctx context.Context, r store.Render) error {
	return k.Store.Tx(ctx, func(tx *gorm.DB) error {
		o, err := store.One[store.Order](tx, "id = ?", r.OrderID)
		if err != nil {
			return err
		}
		res := tx.Model(&store.Render{}).Where("id = ? AND state IN ('failed', 'cancelled')", r.ID).
			Updates(map[string]any{
				"state":       store.RenderWaiting,
				"error":       "",
				"finished_at": nil,
			})
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		if err := k.enqueue(ctx, tx, o, r.ID); err != nil {
			return err
		}
		return k.changed(ctx, tx, r.OrderID)
	})
}

// compared ends making a film again: if it became the same its damage is
// mended, and what differs is said if it did not. The files of a damaged film are gone: what was
// made again takes their place whatever it became, with a word, so that its links go on.
func (a *Attempts) compared(tx *gorm.DB, r store.Render, sha string) error {
	if r.AgainOf == nil {
		return nil
	}
	of, err := store.One[store.Render](tx, "id = ?", *r.AgainOf)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	differs := ""
	switch {
	case of.SHA256 != nil && *of.SHA256 == sha:
		whole := map[string]any{"damage": "", "verified_at": a.Now()}
		// Other films of the same files are whole with it.
		others := tx.Model(&store.Render{}).
			Where("sha256 = ? AND (stream IS NULL OR stream = ?) AND damage <> ''", sha, r.Stream)
		if err := others.Updates(whole).Error; err != nil {
			return err
		}
		whole["stream"], whole["stream_list"] = r.Stream, r.StreamList
		return tx.Model(&of).Updates(whole).Error
	case of.Tools != r.Tools:
		differs = fmt.Sprintf("it was made with %s, now with %s", of.Tools, r.Tools)
	case of.Film != r.Film:
		differs = "its frames are drawn otherwise by this version of the program"
	default:
		differs = "its frames are the same, the file is not"
	}
	if of.Damage != "" {
		err := tx.Model(&of).Updates(map[string]any{
			"damage":      "",
			"verified_at": r.VerifiedAt,
			"doubt":       r.Doubt,
			"sha256":      r.SHA256,
			"poster":      r.Poster,
			"size":        r.Size,
			"seconds":     r.Seconds,
			"stream":      r.Stream,
			"stream_list": r.StreamList,
			"tools":       r.Tools,
			"film":        r.Film,
			"differs": fmt.Sprintf("its file was damaged (%s) and was replaced by one made anew: %s",
				of.Damage, differs),
		}).Error
		if err != nil {
			return err
		}
	}
	return tx.Model(&store.Render{}).Where("id = ?", r.ID).Update("differs", differs).Error
}
