package studio

import (
	"context"
	"errors"
	"fmt"
	"os"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/render"
	"nelko/internal/store"
)

// segmentCache keeps encoded segments in the blob store.
type segmentCache struct{ s *Studio }

var _ render.Cache = (*segmentCache)(nil)

// Find implements render.Cache. Rows whose file is gone are forgotten.
func (c *segmentCache) Find(ctx context.Context, keys []string) (map[string]string, error) {
	var rows []store.Segment
	tx := c.s.Store.DB.WithContext(ctx)
	if err := tx.Where("key IN ?", keys).Find(&rows).Error; err != nil {
		return nil, err
	}
	found := map[string]string{}
	var there []string
	for _, r := range rows {
		ok, err := c.s.Blobs.Exists(ctx, r.SHA256)
		if err != nil {
			return nil, err
		}
		if !ok {
			if err := tx.Where("key = ?", r.Key).Delete(&store.Segment{}).Error; err != nil {
				return nil, err
			}
			continue
		}
		if found[r.Key], err = c.s.Blobs.Path(ctx, r.SHA256); err != nil {
			return nil, err
		}
		there = append(there, r.Key)
	}
	if len(there) == 0 {
		return found, nil
	}
	return found, tx.Model(&store.Segment{}).Where("key IN ?", there).Update("used_at", c.s.Now()).Error
}

// Keep implements render.Cache.
func (c *segmentCache) Keep(ctx context.Context, key, path string) (string, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	sha, size, err := c.s.Blobs.Put(ctx, f)
	if err != nil {
		return "", err
	}
	err = c.s.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := keepBlob(tx, sha, size); err != nil {
			return err
		}
		row := store.Segment{Key: key, SHA256: sha, Size: size, UsedAt: c.s.Now()}
		return tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "key"}}, DoUpdates: clause.AssignmentColumns([]string{"sha256", "size", "used_at"})}).
			Create(&row).Error
	})
	if err != nil {
		return "", err
	}
	return c.s.Blobs.Path(ctx, sha)
}

// DefaultSegmentBytes is the room kept segments may take: about forty hours
// of film.
const DefaultSegmentBytes = 40 << 30

// inUse: segments used this lately may be part of a film that is being made.
const inUse = time.Hour

// evictSegments forgets the least recently used segments until the rest fits
// the room given to them.
func (s *Studio) evictSegments(ctx context.Context) error {
	room := s.MaxSegmentBytes
	if room == 0 {
		room = DefaultSegmentBytes
	}
	var held int64
	tx := s.Store.DB.WithContext(ctx)
	if err := tx.Model(&store.Segment{}).Select("coalesce(sum(size), 0)").Scan(&held).Error; err != nil || held <= room {
		return err
	}
	var rows []store.Segment
	if err := tx.Where("used_at < ?", s.Now().Add(-inUse)).Order("used_at").Find(&rows).Error; err != nil {
		return err
	}
	for _, r := range rows {
		if held <= room {
			break
		}
		held -= r.Size
		if err := s.dropSegment(ctx, r); err != nil {
			return fmt.Errorf("making room for segments: %w", err)
		}
	}
	return nil
}

// dropSegment forgets a segment and removes its file, unless something else
// holds the same file or it was used meanwhile.
func (s *Studio) dropSegment(ctx context.Context, r store.Segment) error {
	gone := false
	err := s.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Where("key = ? AND used_at = ?", r.Key, r.UsedAt).Delete(&store.Segment{})
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		for _, table := range []string{"segments", "media", "renders"} {
			var n int64
			if err := tx.Table(table).Where("sha256 = ?", r.SHA256).Count(&n).Error; err != nil || n > 0 {
				return err
			}
		}
		gone = true
		return tx.Where("sha256 = ?", r.SHA256).Delete(&store.Blob{}).Error
	})
	if err != nil || !gone {
		if errors.Is(err, gorm.ErrForeignKeyViolated) {
			return nil // a thumbnail or poster happens to be the same file
		}
		return err
	}
	return s.Blobs.Delete(ctx, r.SHA256)
}
