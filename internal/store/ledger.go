package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
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

// TouchBlob notes that someone is about to refer to a file. If it is just being removed that is
// waited for.
func (s *Store) TouchBlob(ctx context.Context, sha string, size int64) error {
	return s.Tx(ctx, func(tx *gorm.DB) error { return KeepBlob(tx, sha, size) })
}

// KeepBlob notes a file, to be referred to in the same transaction.
func KeepBlob(tx *gorm.DB, sha string, size int64) error {
	err := tx.Clauses(clause.OnConflict{
		Columns:   []clause.Column{{Name: "sha256"}},
		DoUpdates: clause.Assignments(map[string]any{"touched_at": gorm.Expr("now()")}),
	}).
		Create(&Blob{SHA256: sha, Size: size, TouchedAt: time.Now()}).Error
	if err != nil {
		return err
	}
	// After the row is there: either the removal sees it, or is over.
	return tx.Exec("SELECT 1 FROM blobs_going WHERE sha256 = ? FOR UPDATE", sha).Error
}

// RemoveBlob removes a file that nothing refers to and that nobody has touched
// for the grace; removed tells whether it did. It is forgotten first, and its content
// removed once that is certain: whatever fails, no file that is known lacks its content.
func (s *Store) RemoveBlob(ctx context.Context, b *Blobs, sha string, grace time.Duration) (removed bool,
	err error) {
	err = s.Tx(ctx, func(tx *gorm.DB) error {
		var may bool
		if err := tx.Raw("SELECT pg_try_advisory_xact_lock_shared(?)", holdingLock).
			Scan(&may).Error; err != nil || !may {
			return err
		}
		// Whoever came to refer to it meanwhile does so by a foreign key, or has
		// touched it.
		res := tx.Exec("DELETE FROM blobs b WHERE sha256 = ? AND "+idle, sha, grace.Seconds())
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		removed = true
		return tx.Exec("INSERT INTO blobs_going (sha256) VALUES (?) ON CONFLICT DO NOTHING", sha).Error
	})
	if errors.Is(err, gorm.ErrForeignKeyViolated) {
		return false, nil
	}
	if err == nil && removed {
		err = s.removeGoing(ctx, b, sha)
	}
	if err != nil {
		return false, fmt.Errorf("removing a file: %w", err)
	}
	return removed, nil
}

// removeGoing removes the content of a file that is known no more. One that has come to be
// known again meanwhile stays.
func (s *Store) removeGoing(ctx context.Context, b *Blobs, sha string) error {
	return s.Tx(ctx, func(tx *gorm.DB) error {
		// Locked until the content is gone: who wants it kept waits in KeepBlob, and stores it anew.
		res := tx.Exec("DELETE FROM blobs_going WHERE sha256 = ?", sha)
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		var known bool
		if err := tx.Raw("SELECT EXISTS (SELECT 1 FROM blobs WHERE sha256 = ?)", sha).
			Scan(&known).Error; err != nil || known {
			return err
		}
		return b.Delete(ctx, sha)
	})
}

// RemoveGoing removes the content of files that are known no more and whose removal was broken
// off.
func (s *Store) RemoveGoing(ctx context.Context, b *Blobs) error {
	var going []string
	if err := s.DB.WithContext(ctx).Table("blobs_going").Order("sha256").
		Pluck("sha256", &going).Error; err != nil {
		return err
	}
	for _, sha := range going {
		if err := s.removeGoing(ctx, b, sha); err != nil {
			return fmt.Errorf("removing a file: %w", err)
		}
	}
	return nil
}

// free is the condition that nothing refers to a blob b, MadeAgain aside.
const free = `NOT EXISTS (SELECT 1 FROM media WHERE sha256 = b.sha256) AND NOT EXISTS (SELECT 1 FROM media WHERE thumbnail = b.sha256) AND NOT EXISTS (SELECT 1 FROM media WHERE proxy = b.sha256)
	AND NOT EXISTS (SELECT 1 FROM media WHERE original = b.sha256)
	AND NOT EXISTS (SELECT 1 FROM renders WHERE sha256 = b.sha256) AND NOT EXISTS (SELECT 1 FROM renders WHERE poster = b.sha256)
	AND NOT EXISTS (SELECT 1 FROM renders WHERE mark_picture->>'sha256' = b.sha256 AND state IN ('waiting', 'running'))
	AND NOT EXISTS (SELECT 1 FROM renders WHERE stream = b.sha256) AND NOT EXISTS (SELECT 1 FROM links WHERE poster = b.sha256)
	AND NOT EXISTS (SELECT 1 FROM theme_versions WHERE archive = b.sha256)
	AND NOT EXISTS (SELECT 1 FROM discs WHERE image = b.sha256)
	AND NOT EXISTS (SELECT 1 FROM run_files WHERE sha256 = b.sha256)
	AND NOT EXISTS (SELECT 1 FROM studio WHERE mark_picture->>'sha256' = b.sha256)`

// idle is the condition that nothing at all refers to a blob b and that nobody
// has touched it for so many seconds.
const idle = free + " AND NOT EXISTS (SELECT 1 FROM segments WHERE sha256 = b.sha256) AND touched_at <= " +
	"now() - make_interval(secs => ?)"

// FreeBlobs lists files that nothing refers to and nobody has touched for the
// grace, the longest untouched first, at most so many.
func (s *Store) FreeBlobs(ctx context.Context, most int) (out []Blob, err error) {
	err = s.DB.WithContext(ctx).Raw("SELECT * FROM blobs b WHERE "+idle+" ORDER BY touched_at LIMIT ?",
		BlobGrace.Seconds(), most).Scan(&out).Error
	return out, err
}

// MadeAgain are the tables whose rows a backup leaves out, as they can be made
// again: kept segments, and the parts of renders under way.
var MadeAgain = []string{"segments", "render_parts"}

// holdingLock is the advisory lock under which no file is removed.
const holdingLock = 0x6e656c6b6f

// Holding gives a snapshot of the database, for pg_dump, and the files that it
// refers to, MadeAgain aside. Until f returns, no file is removed.
func (s *Store) Holding(ctx context.Context, f func(snapshot string, blobs []Blob) error) error {
	return s.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		// The lock is of the transaction, so that it goes with it; but the
		// snapshot must be younger than the lock, and is of the first statement
		// that looks at rows.
		if err := tx.Exec("SELECT pg_advisory_xact_lock(?)", holdingLock).Error; err != nil {
			return err
		}
		return s.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
			var snapshot string
			if err := tx.Raw("SELECT pg_export_snapshot()").Scan(&snapshot).Error; err != nil {
				return err
			}
			var blobs []Blob
			if err := tx.Raw("SELECT * FROM blobs b WHERE NOT (" + free + ") ORDER BY sha256").
				Scan(&blobs).Error; err != nil {
				return err
			}
			return f(snapshot, blobs)
		}, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	})
}

// Empty tells whether the database has no tables at all.
func (s *Store) Empty(ctx context.Context) (bool, error) {
	var n int64
	err := s.DB.WithContext(ctx).Raw("SELECT count(*) FROM pg_tables WHERE schemaname = 'public'").
		Scan(&n).Error
	return n == 0, err
}

// ForgetBlobsBut forgets the files that are not among those and that nothing
// refers to, as after a restore.
func (s *Store) ForgetBlobsBut(ctx context.Context, shas []string) error {
	return s.DB.WithContext(ctx).Exec("DELETE FROM blobs b WHERE NOT (sha256 = ANY (?::text[])) AND "+free,
		"{"+strings.Join(shas, ",")+"}").Error
}

// BlobsBut are the files that the database refers to and that are not among those.
func (s *Store) BlobsBut(ctx context.Context, shas []string) (out []string, err error) {
	err = s.DB.WithContext(ctx).
		Raw("SELECT sha256 FROM blobs b WHERE NOT (sha256 = ANY (?::text[])) AND NOT ("+free+
			") ORDER BY sha256", "{"+strings.Join(shas, ",")+"}").Scan(&out).Error
	return out, err
}
