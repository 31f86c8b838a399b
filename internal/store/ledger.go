package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Blobs that nothing refers to are removed some time after they were last
// touched. Touching and removing lock the same row, so that a file is never
// removed between someone's finding it there and referring to it.

// BlobGrace is how long after it was last touched a file stays that nothing
// refers to.
const BlobGrace = time.Hour

// TouchBlob notes that someone is about to refer to a file.
func (s *Store) TouchBlob(ctx context.Context, sha string, size int64) error {
	return KeepBlob(s.DB.WithContext(ctx), sha, size)
}

// KeepBlob notes a file, to be referred to in the same transaction.
func KeepBlob(tx *gorm.DB, sha string, size int64) error {
	return tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "sha256"}}, DoUpdates: clause.Assignments(map[string]any{"touched_at": gorm.Expr("now()")})}).
		Create(&Blob{SHA256: sha, Size: size, TouchedAt: time.Now()}).Error
}

// RemoveBlob removes a file that nothing refers to and that nobody has touched
// for the grace; removed tells whether it did.
func (s *Store) RemoveBlob(ctx context.Context, b *Blobs, sha string, grace time.Duration) (removed bool, err error) {
	err = s.Tx(ctx, func(tx *gorm.DB) error {
		// A row that something refers to cannot be deleted: every reference is
		// a foreign key, or looked for here.
		res := tx.Exec(`DELETE FROM blobs WHERE sha256 = ? AND touched_at <= now() - make_interval(secs => ?)
			AND NOT EXISTS (SELECT 1 FROM segments WHERE sha256 = ?) AND NOT EXISTS (SELECT 1 FROM studio WHERE mark_picture->>'sha256' = ?)
			AND NOT EXISTS (SELECT 1 FROM renders WHERE mark_picture->>'sha256' = ? AND state IN ('waiting', 'running'))`,
			sha, grace.Seconds(), sha, sha, sha)
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		removed = true
		return b.Delete(ctx, sha)
	})
	if errors.Is(err, gorm.ErrForeignKeyViolated) {
		return false, nil
	}
	if err != nil {
		return false, fmt.Errorf("removing a file: %w", err)
	}
	return removed, nil
}
