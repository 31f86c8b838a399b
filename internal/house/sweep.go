package house

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"nelko/internal/looking"
	"nelko/internal/store"
)

// The sweeper does away with what nobody needs any more: this, and nothing else.
//
//   - orders deleted for longer than the studio keeps them, and old lines of the trail
//   - what came by clients' pages and was refused a day ago
//   - kept segments, soundtracks and loops beyond their room
//   - files of the blob store that nothing refers to
//   - local copies of files of a blob store that is elsewhere, beyond their room
//   - played soundtracks that were not heard for a while
//   - temporary files of processes that are no more
//   - parts of renders that are over
//   - tokens of a Run's links that have expired
//   - sessions and jobs that are over are cleared by their own libraries

// Limits of what the sweeper leaves.
const (
	playedFor   = 7 * 24 * time.Hour // a played soundtrack
	leftoverFor = 24 * time.Hour     // what a killed process left; no render takes that long
	copiesBytes = 20 << 30           // local copies
	partsFor    = 24 * time.Hour     // parts of renders that are over
	blobsAtOnce = 2000               // files looked at in one sweep
)

// leftovers are the beginnings of names of what earlier versions made in the cache itself, and
// left there when they were killed.
var leftovers = []string{"film-", "help-", "draft-", "loop-", "part-", "put-", "get-", "mark-", ".render-",
	"backup-", "disc-", "song-"}

// Of films, so many are read back each time, with a rest after each.
const (
	verifyAtOnce = 20
	verifyRest   = 5 * time.Second
)

// Swept is what one sweep did away with, or would have.
type Swept struct {
	Orders, Refused, Segments, Blobs, Copies, Played, Leftovers, Parts, Tokens int64
	// of blobs, copies, played and leftovers
	Bytes int64
}

// String tells what was swept, for a person.
func (s Swept) String() string {
	return fmt.Sprintf("%d deleted orders, %d files of clients that were refused, %d segments beyond their "+
		"room, %d files nobody refers to, %d local copies, %d played soundtracks, %d leftovers, %d parts "+
		"of renders, %d tokens of expired links; %.1f MB",
		s.Orders, s.Refused, s.Segments, s.Blobs, s.Copies, s.Played, s.Leftovers, s.Parts, s.Tokens,
		float64(s.Bytes)/1e6)
}

// Sweep does away with what nobody needs any more; a dry run only counts it.
// What one kind meets with does not keep the others from being swept.
func (h *House) Sweep(ctx context.Context, dryRun bool) (s Swept, err error) {
	note := func(e error) { err = errors.Join(err, e) }
	var e error
	s.Orders, e = h.Orders.Keeping.Purge(ctx, dryRun)
	note(e)
	s.Refused, e = h.Intake.Pages.ForgetRefused(ctx, dryRun)
	note(e)
	s.Segments, e = h.Making.Kept.Evict(ctx, dryRun)
	note(e)
	s.Tokens, e = h.Delivery.Links.Forget(ctx, dryRun)
	note(e)
	note(h.sweepParts(ctx, dryRun, &s))
	note(h.sweepBlobs(ctx, dryRun, &s))
	note(h.sweepCache(dryRun, &s)) // of this machine
	if err != nil {
		return s, fmt.Errorf("sweeping: %w", err)
	}
	return s, nil
}

func (h *House) sweepParts(ctx context.Context, dryRun bool, s *Swept) error {
	q := h.Store.DB.WithContext(ctx).Where("render_id IN (SELECT id FROM renders WHERE state IN ('done', "+
		"'failed', 'cancelled') AND finished_at < ?)", h.Orders.Now().Add(-partsFor))
	if dryRun {
		return q.Model(&store.RenderPart{}).Count(&s.Parts).Error
	}
	res := q.Delete(&store.RenderPart{})
	s.Parts = res.RowsAffected
	return res.Error
}

// sweepBlobs removes files that nothing refers to, the longest untouched
// first.
func (h *House) sweepBlobs(ctx context.Context, dryRun bool, s *Swept) error {
	free, err := h.Store.FreeBlobs(ctx, blobsAtOnce)
	if err != nil {
		return err
	}
	if !dryRun {
		if err := h.Store.RemoveGoing(ctx, h.Blobs); err != nil {
			return err
		}
	}
	for _, b := range free {
		if !dryRun {
			removed, err := h.Store.RemoveBlob(ctx, h.Blobs, b.SHA256, store.BlobGrace)
			if err != nil {
				return err
			}
			if !removed {
				continue
			}
		}
		s.Blobs++
		s.Bytes += b.Size
	}
	return nil
}

// sweepCache clears the folder of temporary files and local copies.
func (h *House) sweepCache(dryRun bool, s *Swept) error {
	entries, err := os.ReadDir(h.Blobs.Cache())
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	now := h.Orders.Now()
	type localCopy struct {
		path string
		size int64
		used time.Time
	}
	var copies []localCopy
	var held int64
	remove := func(path string, size int64, n *int64) {
		*n++
		s.Bytes += size
		if !dryRun {
			err = errors.Join(err, os.RemoveAll(path))
		}
	}
	for _, e := range entries {
		path := filepath.Join(h.Blobs.Cache(), e.Name())
		info, e2 := e.Info()
		if e2 != nil {
			continue // gone meanwhile
		}
		switch {
		case e.Name() == looking.PlayFolder:
			played, e2 := os.ReadDir(path)
			err = errors.Join(err, e2)
			for _, p := range played {
				if i, e2 := p.Info(); e2 == nil && now.Sub(i.ModTime()) > playedFor {
					remove(filepath.Join(path, p.Name()), treeSize(filepath.Join(path, p.Name())), &s.Played)
				}
			}
		case !e.IsDir() && len(e.Name()) == 64:
			copies = append(copies, localCopy{path, info.Size(), info.ModTime()})
			held += info.Size()
		case isLeftover(e.Name()) && now.Sub(info.ModTime()) > leftoverFor:
			remove(path, treeSize(path), &s.Leftovers)
		}
	}
	err = errors.Join(err, h.Blobs.DeadTemp(func(dir string) bool {
		s.Leftovers++
		s.Bytes += treeSize(dir)
		return !dryRun
	}))
	// The copies used last stay.
	for len(copies) > 0 && held > copiesBytes {
		oldest := 0
		for i := range copies {
			if copies[i].used.Before(copies[oldest].used) {
				oldest = i
			}
		}
		held -= copies[oldest].size
		remove(copies[oldest].path, copies[oldest].size, &s.Copies)
		copies = append(copies[:oldest], copies[oldest+1:]...)
	}
	return err
}

func isLeftover(name string) bool {
	for _, l := range leftovers {
		if strings.HasPrefix(name, l) {
			return true
		}
	}
	return false
}

// treeSize is what a file or folder takes, in bytes, as far as it can be read.
func treeSize(root string) (n int64) {
	_ = filepath.WalkDir(root, func(_ string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			if i, err := d.Info(); err == nil {
				n += i.Size()
			}
		}
		return nil
	})
	return n
}
