package making

import (
	"context"
	"fmt"
	"io"
	"os"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/render"
	"nelko/internal/store"
)

// Segments keeps encoded segments, soundtracks and loops in the blob store, by
// the names of all they depend on.
type Segments struct {
	Store *store.Store
	Blobs *store.Blobs
	Now   func() time.Time

	// MaxBytes is how much room they may take; 0 is DefaultSegmentBytes.
	MaxBytes int64
}

var _ render.Cache = (*Segments)(nil)

// Find implements render.Cache. Rows whose file is gone are forgotten. What is
// found counts as used before its file is looked for, so that it is not
// evicted meanwhile.
func (k *Segments) Find(ctx context.Context, keys []string) (map[string]string, error) {
	found := map[string]string{}
	if len(keys) == 0 {
		return found, nil
	}
	var rows []store.Segment
	tx := k.Store.DB.WithContext(ctx)
	if err := tx.Raw("UPDATE segments SET used_at = ? WHERE key IN ? RETURNING *", k.Now(), keys).
		Scan(&rows).Error; err != nil {
		return nil, err
	}
	for _, r := range rows {
		ok, err := k.Blobs.Exists(ctx, r.SHA256)
		if err != nil {
			return nil, err
		}
		if !ok {
			if err := tx.Where("key = ?", r.Key).Delete(&store.Segment{}).Error; err != nil {
				return nil, err
			}
			continue
		}
		if found[r.Key], err = k.Blobs.Path(ctx, r.SHA256); err != nil {
			return nil, err
		}
	}
	return found, nil
}

// Keep implements render.Cache.
func (k *Segments) Keep(ctx context.Context, key, path string) (string, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	var sha string
	// What was encoded while the database is away is not to be encoded again.
	err = store.Patiently(ctx, func() error {
		if _, err := f.Seek(0, io.SeekStart); err != nil {
			return err
		}
		var size int64
		if sha, size, err = k.Blobs.Put(ctx, f); err != nil {
			return err
		}
		return k.row(ctx, store.Segment{Key: key, SHA256: sha, Size: size, UsedAt: k.Now()})
	})
	if err != nil {
		return "", err
	}
	return k.Blobs.Path(ctx, sha)
}

// row notes a segment.
func (k *Segments) row(ctx context.Context, row store.Segment) error {
	return k.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := store.KeepBlob(tx, row.SHA256, row.Size); err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{
			Columns:   []clause.Column{{Name: "key"}},
			DoUpdates: clause.AssignmentColumns([]string{"sha256", "size", "used_at", "compared"}),
		}).
			Create(&row).Error
	})
}

// Compared implements render.Cache.
func (k *Segments) Compared(ctx context.Context, keys []string) (map[string]bool, error) {
	var list []string
	err := store.Patiently(ctx, func() error {
		return k.Store.DB.WithContext(ctx).Model(&store.Segment{}).Where("key IN ? AND compared", keys).
			Pluck("key", &list).Error
	})
	out := make(map[string]bool, len(list))
	for _, key := range list {
		out[key] = true
	}
	return out, err
}

// SetCompared implements render.Cache.
func (k *Segments) SetCompared(ctx context.Context, keys []string) error {
	return store.Patiently(ctx, func() error {
		return k.Store.DB.WithContext(ctx).Model(&store.Segment{}).Where("key IN ? AND NOT compared", keys).
			Update("compared", true).Error
	})
}

// Drop implements render.Cache.
func (k *Segments) Drop(ctx context.Context, key string) error {
	return k.Store.DB.WithContext(ctx).Where("key = ?", key).Delete(&store.Segment{}).Error
}

// DefaultSegmentBytes is the room kept segments may take: about forty hours
// of film.
const DefaultSegmentBytes = 40 << 30

// inUse: segments used this lately may be part of a film that is being made.
const inUse = time.Hour

// Evict forgets the least recently used segments until the rest fits the room
// given to them, and the disk, and tells how many.
func (k *Segments) Evict(ctx context.Context, dryRun bool) (evicted int64, err error) {
	room := k.MaxBytes
	if room == 0 {
		room = DefaultSegmentBytes
	}
	var held int64
	tx := k.Store.DB.WithContext(ctx)
	if err := tx.Model(&store.Segment{}).Select("coalesce(sum(size), 0)").Scan(&held).Error; err != nil {
		return 0, err
	}
	// What can be made again takes no more than half of what there is for it and
	// for what cannot.
	if room = min(room, (held+k.Blobs.Free())/2); held <= room {
		return 0, nil
	}
	var rows []store.Segment
	if err := tx.Where("used_at < ?", k.Now().Add(-inUse)).Order("used_at").Find(&rows).Error; err != nil {
		return 0, err
	}
	for _, r := range rows {
		if held <= room {
			break
		}
		held -= r.Size
		evicted++
		if dryRun {
			continue
		}
		if err := k.drop(ctx, r); err != nil {
			return evicted, fmt.Errorf("making room for segments: %w", err)
		}
	}
	return evicted, nil
}

// drop forgets a segment, unless it was used meanwhile, and removes its file
// unless something else refers to the same one.
func (k *Segments) drop(ctx context.Context, r store.Segment) error {
	res := k.Store.DB.WithContext(ctx).Where("key = ? AND used_at = ?", r.Key, r.UsedAt).
		Delete(&store.Segment{})
	if res.Error != nil || res.RowsAffected == 0 {
		return res.Error
	}
	// One touched a moment ago is swept up later.
	_, err := k.Store.RemoveBlob(ctx, k.Blobs, r.SHA256, inUse)
	return err
}
