package store

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Temporary files of a process that is no more go whole; those of one that lives stay, however
// old they are, and go when it ends.
func TestTemporaryFilesOfTheDeadGo(t *testing.T) {
	dir := t.TempDir()
	open := func() *Blobs {
		b, err := OpenBlobs(t.Context(), "file://"+filepath.Join(dir, "blobs"), filepath.Join(dir, "cache"))
		require.NoError(t, err)
		return b
	}
	lives, killed := open(), open()
	kept, err := lives.TempDir("film-*")
	require.NoError(t, err)
	left, err := killed.TempFile("order-*.zip")
	require.NoError(t, err)
	require.NoError(t, left.Close())
	require.NotEqual(t, filepath.Dir(kept), filepath.Dir(left.Name()))
	sweep := func(do bool) (told []string) {
		require.NoError(t, lives.DeadTemp(func(dir string) bool { told = append(told, dir); return do }))
		return told
	}
	assert.Empty(t, sweep(true), "both live")
	require.NoError(t, killed.temp.lock.Close()) // as the kernel does when a process dies
	assert.Equal(t, []string{filepath.Dir(left.Name())}, sweep(false))
	assert.FileExists(t, left.Name(), "it was only counted")
	assert.Len(t, sweep(true), 1)
	assert.NoFileExists(t, left.Name())
	assert.DirExists(t, kept)
	assert.Empty(t, sweep(true))

	again, err := lives.TempFile("put-*")
	require.NoError(t, err)
	require.NoError(t, again.Close())
	require.NoError(t, lives.Close())
	assert.NoFileExists(t, again.Name())
	files, err := os.ReadDir(filepath.Join(dir, "cache", tempFolder))
	require.NoError(t, err)
	assert.Empty(t, files)
}
