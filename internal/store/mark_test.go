package store_test

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

func blobsAt(t *testing.T, dir string) *store.Blobs {
	b, err := store.OpenBlobs(t.Context(), "file://"+filepath.Join(dir, "blobs"), filepath.Join(dir, "cache"))
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, b.Close()) })
	return b
}

// A store is known by its mark: a new one gets it, one that has it keeps it, and another
// in its place is not taken for it.
func TestAStoreIsKnownByItsMark(t *testing.T) {
	ctx, s, dir := context.Background(), storetest.Open(t), t.TempDir()
	b := blobsAt(t, dir)
	require.NoError(t, b.Here(ctx), "nobody asked for a mark")
	require.NoError(t, s.Mark(ctx, b))
	require.NoError(t, b.Here(ctx))
	sha, _, err := b.Put(ctx, strings.NewReader("abc"))
	require.NoError(t, err)
	require.NoError(t, s.TouchBlob(ctx, sha, 3))
	mark, err := os.ReadFile(filepath.Join(dir, "blobs", store.MarkName))
	require.NoError(t, err)

	again := blobsAt(t, dir)
	require.NoError(t, s.Mark(ctx, again))
	require.NoError(t, again.Here(ctx))
	second := storetest.Open(t)
	require.NoError(t, second.Mark(ctx, again), "another database adopts the mark that is there")
	require.NoError(t, again.Here(ctx))

	elsewhere := t.TempDir()
	other := blobsAt(t, elsewhere)
	require.NoError(t, s.Mark(ctx, other))
	_, _, err = other.Put(ctx, strings.NewReader("abcd"))
	require.ErrorIs(t, err, store.ErrAway)
	require.NoFileExists(t, filepath.Join(elsewhere, "blobs", store.MarkName),
		"it is not made the store by being there")
	require.NoError(t, os.WriteFile(filepath.Join(elsewhere, "blobs", store.MarkName), []byte("somebody’s"),
		0o600))
	_, err = other.Exists(ctx, sha)
	require.ErrorIs(t, err, store.ErrAway)
	require.NoError(t, os.WriteFile(filepath.Join(elsewhere, "blobs", store.MarkName), mark, 0o600))
	_, err = other.Path(ctx, sha)
	require.ErrorIs(t, err, store.ErrGone, "the store is here, the file is not")

	// A database from before the mark, whose files are away when it is brought up to date.
	require.NoError(t, s.DB.Exec("DELETE FROM blob_store").Error)
	empty := t.TempDir()
	away := blobsAt(t, empty)
	require.NoError(t, s.Mark(ctx, away))
	require.ErrorIs(t, away.Here(ctx), store.ErrAway)
	require.NoFileExists(t, filepath.Join(empty, "blobs", store.MarkName))
	require.NoError(t, os.Remove(filepath.Join(dir, "blobs", store.MarkName)))
	require.NoError(t, s.Mark(ctx, b), "and whose files are here")
	require.NoError(t, b.Here(ctx))
	require.FileExists(t, filepath.Join(dir, "blobs", store.MarkName))
}

// A store that is no folder carries its mark too; mem: stands for S3 here.
func TestAStoreElsewhereIsMarked(t *testing.T) {
	s := storetest.Open(t)
	b, err := store.OpenBlobs(t.Context(), "mem://", t.TempDir())
	require.NoError(t, err)
	require.NoError(t, s.Mark(t.Context(), b))
	require.NoError(t, b.Here(t.Context()))
	other, err := store.OpenBlobs(t.Context(), "mem://", t.TempDir())
	require.NoError(t, err)
	require.NoError(t, s.Mark(t.Context(), other))
	_, _, err = other.Put(t.Context(), strings.NewReader("abc"))
	assert.ErrorIs(t, err, store.ErrAway)
}

// Whatever fails while a file is removed, none that is known lacks its content: what was broken
// off is finished later, unless somebody came to want it meanwhile.
func TestRemovingAFileIsBrokenOff(t *testing.T) {
	ctx, s, b := context.Background(), storetest.Open(t), storetest.Blobs(t)
	require.NoError(t, s.Mark(ctx, b))
	b.Touch = s.TouchBlob
	put := func(text string) string {
		sha, _, err := b.Put(ctx, strings.NewReader(text))
		require.NoError(t, err)
		return sha
	}
	there := func(sha string) bool {
		ok, err := b.Exists(ctx, sha)
		require.NoError(t, err)
		return ok
	}
	unwanted, wanted := put("nobody wants it"), put("somebody does")
	mark := filepath.Join(b.Folders()[0], store.MarkName)
	require.NoError(t, os.Rename(mark, mark+".aside"))
	for _, sha := range []string{unwanted, wanted} {
		_, err := s.RemoveBlob(ctx, b, sha, 0)
		require.ErrorIs(t, err, store.ErrAway)
	}
	require.NoError(t, os.Rename(mark+".aside", mark))
	require.True(t, there(unwanted) && there(wanted))
	assert.Equal(t, wanted, put("somebody does"))
	require.NoError(t, s.RemoveGoing(ctx, b))
	assert.False(t, there(unwanted), "finished")
	assert.True(t, there(wanted))
	n := 0
	require.NoError(t, s.DB.Raw("SELECT count(*) FROM blobs_going").Scan(&n).Error)
	assert.Zero(t, n)
}

// Files that are stored while others remove them are never lost: each that was stored last is
// there.
func TestStoringAndRemovingAtOnce(t *testing.T) {
	ctx, s, b := context.Background(), storetest.Open(t), storetest.Blobs(t)
	// What refers to files here, in place of the studio's tables.
	require.NoError(t, s.DB.Exec("CREATE TABLE wants (sha256 text PRIMARY KEY REFERENCES blobs)").Error)
	b.Touch = func(ctx context.Context, sha string, size int64) error {
		return s.Tx(ctx, func(tx *gorm.DB) error {
			if err := store.KeepBlob(tx, sha, size); err != nil {
				return err
			}
			return tx.Exec("INSERT INTO wants (sha256) VALUES (?)", sha).Error
		})
	}
	const text = "the same again"
	sha, err := store.SumOf(strings.NewReader(text))
	require.NoError(t, err)
	stop := make(chan struct{})
	var sweepers sync.WaitGroup
	var removals atomic.Int64
	for range 3 {
		sweepers.Go(func() {
			for {
				select {
				case <-stop:
					return
				default:
				}
				removed, err := s.RemoveBlob(ctx, b, sha, 0)
				assert.NoError(t, err)
				if removed {
					removals.Add(1)
				}
			}
		})
	}
	for range 150 {
		_, _, err := b.Put(ctx, strings.NewReader(text))
		require.NoError(t, err)
		ok, err := b.Exists(ctx, sha)
		require.NoError(t, err)
		require.True(t, ok, "it is referred to, and there")
		require.NoError(t, s.DB.Exec("DELETE FROM wants").Error)
	}
	close(stop)
	sweepers.Wait()
	assert.Greater(t, removals.Load(), int64(20))
}

// What took a while may have failed for files that were away meanwhile, though they are back by
// the time it is asked why.
func TestWhatTookAWhileIsBlamedOnFilesThatWereAway(t *testing.T) {
	ctx, s, b := context.Background(), storetest.Open(t), storetest.Blobs(t)
	require.NoError(t, s.Mark(ctx, b))
	failed := errors.New("no picture")
	before := time.Now()
	assert.Equal(t, failed, b.Blame(ctx, before, failed), "they were there")
	dir := b.Folders()[0]
	require.NoError(t, os.Rename(dir, dir+".away"))
	time.Sleep(4 * store.WatchEvery)
	require.NoError(t, os.Rename(dir+".away", dir))
	require.NoError(t, b.Here(ctx))
	back := time.Now()
	assert.ErrorIs(t, b.Blame(ctx, before, failed), store.ErrAway)
	assert.ErrorIs(t, b.Blame(ctx, before, failed), failed)
	assert.NoError(t, b.Blame(ctx, before, nil))
	assert.Eventually(t, func() bool {
		return b.Blame(ctx, time.Now(), failed) == failed
	}, time.Second, 10*time.Millisecond)
	assert.Equal(t, failed, b.Blame(ctx, back.Add(store.WatchEvery), failed), "begun once they were back")
}

// However short files were away, and though nobody looked meanwhile, what failed while they were is
// blamed on it; what comes in meanwhile is not.
func TestAnAbsenceNobodySawIsKnown(t *testing.T) {
	ctx, s, b := context.Background(), storetest.Open(t), storetest.Blobs(t)
	require.NoError(t, s.Mark(ctx, b))
	failed := errors.New("no picture")
	dir := b.Folders()[0]
	for range 20 {
		begun := time.Now()
		_, _, err := b.Put(ctx, strings.NewReader(begun.String()))
		require.NoError(t, err)
		require.Equal(t, failed, b.Blame(ctx, begun, failed), "a file came in")
		require.NoError(t, os.Rename(dir, dir+".away"))
		require.NoError(t, os.Rename(dir+".away", dir))
		require.ErrorIs(t, b.Blame(ctx, begun, failed), store.ErrAway)
		time.Sleep(30 * time.Millisecond) // longer than a file system's clock may be behind
	}
}

// A folder that dropped and was mounted anew was away, though nobody looked meanwhile.
func TestAMountThatCameBackWasAway(t *testing.T) {
	ctx, s := context.Background(), storetest.Open(t)
	disk, at := t.TempDir(), t.TempDir()
	mount := func() error { return exec.Command("mount", "--bind", disk, at).Run() }
	if err := mount(); err != nil {
		t.Skip("nothing can be mounted here:", err)
	}
	if store.MountOf(at) == 0 {
		t.Skip("this kernel does not number mounts for good")
	}
	t.Cleanup(func() { _ = exec.Command("umount", at).Run() }) // it may be gone
	b, err := store.OpenBlobs(ctx, "file://"+at, t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, b.Close()) })
	require.NoError(t, s.Mark(ctx, b))
	require.NoError(t, b.Here(ctx))
	failed, begun := errors.New("no picture"), time.Now()
	require.Equal(t, failed, b.Blame(ctx, begun, failed))
	require.NoError(t, exec.Command("umount", at).Run())
	require.NoError(t, mount())
	require.NoError(t, b.Here(ctx))
	assert.ErrorIs(t, b.Blame(ctx, begun, failed), store.ErrAway)
}
