package intake

import (
	"context"
	"time"

	"nelko/internal/store"
)

// Lost is a file of the studio's material that is no longer what it was.
type Lost struct {
	Name   string
	Why    string
	Orders []int64 // that have it
}

// verifyAgain is how long a file is trusted once it was read back.
const verifyAgain = 30 * 24 * time.Hour

// Verify reads files of material back and compares them with their sums, those
// first that were looked at longest ago: all of them, or those not looked at for
// a month and at most so many. What is damaged is put out of the way, so that
// the file takes its place when it is sent in again, and is said of it where it
// is shown. rest is how long is waited after each.
func (r *Material) Verify(ctx context.Context, all bool, most int, rest time.Duration) (files int,
	lost []Lost,
	err error) {
	tx := r.Store.DB.WithContext(ctx)
	q := tx.Model(&store.Media{}).Where("state = 'ready' AND damage = ''")
	if !all {
		q = q.Where("coalesce(verified_at, created_at) < ?", r.Now().Add(-verifyAgain)).Limit(most)
	}
	var list []struct{ SHA256, Name string }
	if err := q.Select("sha256, min(name) AS name").Group("sha256").
		Order("min(coalesce(verified_at, created_at))").Scan(&list).Error; err != nil {
		return 0, nil, err
	}
	for _, f := range list {
		why, _, err := r.Blobs.Damaged(ctx, f.SHA256, f.Name)
		if err != nil {
			return files, lost, err
		}
		files++
		set := map[string]any{"verified_at": r.Now(), "damage": why}
		if why != "" {
			if err := r.Blobs.Delete(ctx, f.SHA256); err != nil {
				return files, lost, err
			}
			l := Lost{Name: f.Name, Why: why}
			if err := tx.Model(&store.Media{}).Where("sha256 = ? AND order_id IS NOT NULL", f.SHA256).
				Distinct().Order("order_id").Pluck("order_id", &l.Orders).Error; err != nil {
				return files, lost, err
			}
			lost = append(lost, l)
		}
		if err := tx.Model(&store.Media{}).Where("sha256 = ?", f.SHA256).Updates(set).Error; err != nil {
			return files, lost, err
		}
		select {
		case <-ctx.Done():
			return files, lost, context.Cause(ctx)
		case <-time.After(rest):
		}
	}
	return files, lost, nil
}
