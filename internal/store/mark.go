package store

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"gocloud.dev/gcerrors"
	"golang.org/x/sys/unix"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// MarkName is the name of the file by which a store of files is known: it holds
// the id that the studio's database knows the store by.
const MarkName = "nelko-store"

// ErrAway means that the store of files is not there, or another one in its
// place, as when a mount dropped: nothing is known about any file, and nothing is lost.
var ErrAway = errors.New("the studio’s folder of files is away")

// seenFor is how long a mark that was seen elsewhere than in a folder is not
// asked for again.
const seenFor = 5 * time.Second

// Mark binds a store of files to the database: from now on nothing is read from it
// or written to it unless it carries the mark that the database knows. A new
// studio's store gets its mark here, and one that has a mark already keeps it. Where
// files are known and none of them is there, the store is away, and gets none until
// the program is started once more. A store that is away is no error of Mark: what
// needs it says so.
func (s *Store) Mark(ctx context.Context, b *Blobs) error { return s.mark(ctx, b, false) }

// MarkRestored is Mark of a store into which a backup's files were put: it gets
// the mark that the backup's database knows.
func (s *Store) MarkRestored(ctx context.Context, b *Blobs) error { return s.mark(ctx, b, true) }

// blobStore is what the database knows of the store of files.
type blobStore struct {
	One     bool `gorm:"primaryKey"`
	ID      string
	Written bool // the store was given the mark
}

// TableName implements gorm's Tabler.
func (blobStore) TableName() string { return "blob_store" }

func (s *Store) mark(ctx context.Context, b *Blobs, restored bool) error {
	err := s.Tx(ctx, func(tx *gorm.DB) error {
		row := blobStore{One: true, ID: rand.Text()}
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row).Error; err != nil {
			return err
		}
		// Locked until the mark is written: of two that start together one writes it.
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Take(&row).Error; err != nil {
			return err
		}
		if row.Written && !restored {
			b.mark.Store(&row.ID)
			return nil
		}
		there, err := b.readMark(ctx)
		switch {
		case err != nil && !errors.Is(err, ErrAway):
			return err
		case restored || err != nil:
			if lost, err := b.lost(tx); !restored && (lost || err != nil) {
				b.mark.Store(&row.ID)
				return err
			}
			if err := b.bucket.WriteAll(ctx, MarkName, []byte(row.ID), nil); err != nil {
				return err
			}
		default:
			row.ID = there
		}
		b.mark.Store(&row.ID)
		return tx.Model(&row).Updates(map[string]any{"id": row.ID, "written": true}).Error
	})
	if err != nil {
		return fmt.Errorf("the mark of the store of files: %w", err)
	}
	b.watched.Do(b.watch)
	return nil
}

// lost reports whether the database knows files and none of some that it knows is there.
func (b *Blobs) lost(tx *gorm.DB) (bool, error) {
	var some []string
	if err := tx.Model(&Blob{}).Order("sha256").Limit(32).Pluck("sha256", &some).Error; err != nil {
		return false, err
	}
	for _, sha := range some {
		if there, err := b.bucket.Exists(tx.Statement.Context, key(sha)); there || err != nil {
			return false, err
		}
	}
	return len(some) > 0, nil
}

// readMark reads the mark that the store carries; ErrAway if it carries none.
func (b *Blobs) readMark(ctx context.Context) (string, error) {
	if b.local != "" {
		got, err := os.ReadFile(filepath.Join(b.local, MarkName))
		if err != nil {
			return "", fmt.Errorf("%w (%s): %w", ErrAway, b.local, err)
		}
		return string(got), nil
	}
	got, err := b.bucket.ReadAll(ctx, MarkName)
	if gcerrors.Code(err) == gcerrors.NotFound || err != nil && ctx.Err() == nil {
		err = fmt.Errorf("%w: %w", ErrAway, err)
	}
	return string(got), err
}

// Here is nil if the store carries its mark, else ErrAway. One that was never
// marked is always here.
func (b *Blobs) Here(ctx context.Context) error {
	want := b.mark.Load()
	if want == nil || b.local == "" && time.Since(time.Unix(0, b.seen.Load())) < seenFor {
		return nil
	}
	got, err := b.readMark(ctx)
	if err == nil && got != *want {
		err = fmt.Errorf("%w: what is at %s carries another mark", ErrAway, b.at)
	}
	switch {
	case err == nil:
		b.seen.Store(time.Now().UnixNano())
		mount := mountOf(b.local)
		if before := b.mount.Swap(mount); before != 0 && before != mount {
			b.away.Store(time.Now().UnixNano()) // it was mounted anew
		}
	case errors.Is(err, ErrAway):
		b.away.Store(time.Now().UnixNano())
	}
	return err
}

// HereSince is Here of all the time since a moment: what took a while may have failed for the
// store being away though it is back by now.
func (b *Blobs) HereSince(ctx context.Context, since time.Time) error {
	if err := b.Here(ctx); err != nil {
		return err
	}
	if b.away.Load() >= since.UnixNano() || movedSince(b.local, since) {
		return fmt.Errorf("%w, or was a moment ago", ErrAway)
	}
	return nil
}

// coarse is how far the times that a file system notes may be behind the clock's.
const coarse = 20 * time.Millisecond

// movedSince reports whether a folder was moved since a moment, as it was if it went away and came
// back: that changes its ctime and, other than what comes and goes in it, not its mtime.
func movedSince(folder string, moment time.Time) bool {
	var st unix.Stat_t
	if folder == "" || unix.Stat(folder, &st) != nil || st.Ctim == st.Mtim {
		return false
	}
	return !time.Unix(st.Ctim.Unix()).Before(moment.Add(-coarse))
}

// mountOf is the number of the mount on which a folder lies, which no other mount has before or after;
// 0: not known, as of kernels before 6.8.
func mountOf(folder string) uint64 {
	var st unix.Statx_t
	if folder == "" || unix.Statx(unix.AT_FDCWD, folder, 0, unix.STATX_MNT_ID_UNIQUE, &st) != nil ||
		st.Mask&unix.STATX_MNT_ID_UNIQUE == 0 {
		return 0
	}
	return st.Mnt_id
}

// Blame gives the error of what was begun at that moment its cause, if that is the store being
// away meanwhile. nil stays nil.
func (b *Blobs) Blame(ctx context.Context, begun time.Time, err error) error {
	if err == nil || errors.Is(err, ErrAway) || ctx.Err() != nil {
		return err
	}
	if away := b.HereSince(ctx, begun); away != nil {
		return fmt.Errorf("%w: %w", away, err)
	}
	return err
}

// watchEvery is how often a folder's mark is looked at: an absence that is shorter is not noticed
// unless something is asked for meanwhile.
const watchEvery = 250 * time.Millisecond

// watch keeps looking whether the store is there, until it is closed.
func (b *Blobs) watch() {
	every := watchEvery
	if b.local == "" {
		every = seenFor
	}
	ctx, end := context.WithCancel(context.Background())
	b.unwatch = end
	b.watching.Go(func() {
		tick := time.NewTicker(every)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
				_ = b.Here(ctx) // which remembers when it was away
			}
		}
	})
}
