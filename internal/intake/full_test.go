package intake_test

import (
	"bytes"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// On a small disk that is full, a file that comes is not there at all and one
// that is looked at waits; both go well once there is room, and nothing half is
// left anywhere.
func TestNoRoomForWhatComes(t *testing.T) {
	b, small := storetest.SmallDisk(t, "20m")
	h := housetest.On(t, storetest.Open(t), b, house.Settings{})
	o := housetest.Order(t, h)
	m, err := h.Intake.In.Receive(ctx, o.ID, "first", "first.jpg", bytes.NewReader(housetest.Photo(t, 1)))
	require.NoError(t, err)
	files := func() (n int) {
		require.NoError(t, filepath.WalkDir(small, func(_ string, d os.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				n++
			}
			return err
		}))
		return n
	}
	before := files()
	filler := storetest.Fill(t, small)
	assert.Zero(t, store.Free(small))

	song := housetest.Song(t, 4)
	_, err = h.Intake.In.Receive(ctx, o.ID, "second", "second.flac", bytes.NewReader(song))
	require.Error(t, err)
	assert.True(t, store.Full(err), "%v", err)
	err = h.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID})
	assert.True(t, store.Full(err), "%v", err)
	given, err := os.Create(filepath.Join(t.TempDir(), "given"))
	require.NoError(t, err)
	defer given.Close()
	_, err = io.Copy(given, bytes.NewReader(song))
	require.NoError(t, err)
	_, err = given.Seek(0, io.SeekStart)
	require.NoError(t, err)
	_, err = h.Intake.In.Receive(ctx, o.ID, "third", "third.flac", store.Given{File: given})
	assert.True(t, store.Full(err), "of another disk, it must be copied: %v", err)
	d := housetest.Load(t, h, o.ID)
	require.Len(t, d.Media, 1)
	assert.Equal(t, store.Waiting, d.Media[0].State)

	require.NoError(t, os.Remove(filler))
	assert.Equal(t, before, files(), "nothing half is left")
	_, err = given.Seek(0, io.SeekStart)
	require.NoError(t, err)
	_, err = h.Intake.In.Receive(ctx, o.ID, "third", "third.flac", store.Given{File: given})
	require.NoError(t, err)
	require.NoError(t, h.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID}))
	d = housetest.Load(t, h, o.ID)
	assert.Len(t, d.Media, 2)
	assert.Equal(t, store.Ready, d.Media[0].State)
}

// A file that is given away becomes the blob itself, readable by nobody else.
func TestGivenFilesAreNotCopied(t *testing.T) {
	dir := t.TempDir()
	b, err := store.OpenBlobs(ctx, "file://"+filepath.Join(dir, "blobs"), filepath.Join(dir, "cache"))
	require.NoError(t, err)
	defer b.Close()
	for i := range 2 { // and again, when it is there
		path := filepath.Join(dir, "given")
		require.NoError(t, os.WriteFile(path, []byte("what was sent"), 0o644))
		f, err := os.Open(path)
		require.NoError(t, err)
		var one, two unix.Stat_t
		require.NoError(t, unix.Stat(path, &one))
		sha, size, err := b.Put(ctx, store.Given{File: f})
		require.NoError(t, err)
		require.NoError(t, f.Close())
		assert.Equal(t, int64(13), size)
		kept, err := b.Path(ctx, sha)
		require.NoError(t, err)
		require.NoError(t, unix.Stat(kept, &two))
		assert.Equal(t, uint32(0o600), two.Mode&0o777)
		assert.Equal(t, i == 0, one.Ino == two.Ino, "the same file, not a copy")
		require.NoError(t, os.Remove(path))
		got, err := os.ReadFile(kept)
		require.NoError(t, err)
		assert.Equal(t, "what was sent", string(got))
	}
	var n int
	require.NoError(t, filepath.WalkDir(filepath.Join(dir, "blobs"), func(_ string, d os.DirEntry,
		err error) error {
		if err == nil && !d.IsDir() {
			n++
		}
		return err
	}))
	assert.Equal(t, 1, n)
}
