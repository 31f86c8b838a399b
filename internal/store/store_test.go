package store_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

func TestMigratingTwiceDoesNothing(t *testing.T) {
	s := storetest.Open(t)
	require.NoError(t, s.Migrate(context.Background(), nil))
	_, err := store.One[store.Order](s.DB, "id = 1")
	assert.ErrorIs(t, err, store.ErrNotFound)
	st, err := store.One[store.Studio](s.DB, "id = 1")
	require.NoError(t, err)
	assert.Equal(t, "Our studio", st.Name)
	_, err = store.RawTx(s.DB)
	assert.Error(t, err)
	require.NoError(t, s.Tx(context.Background(), func(tx *gorm.DB) error {
		_, err := store.RawTx(tx)
		return err
	}))
}

// A program that is older than its database does nothing to it and says so.
func TestADatabaseOfANewerProgram(t *testing.T) {
	s := storetest.Open(t)
	require.NoError(t, s.DB.Exec(
		"INSERT INTO goose_db_version (version_id, is_applied) VALUES (99999, true)").Error)
	err := s.Migrate(context.Background(), nil)
	require.ErrorIs(t, err, store.ErrNewer)
	assert.ErrorContains(t, err, "it is at version 99999, this program knows ")
	require.NoError(t, s.DB.Exec("DELETE FROM goose_db_version WHERE version_id = 99999").Error)
	require.NoError(t, s.Migrate(context.Background(), nil))
}

func TestBadURLs(t *testing.T) {
	_, err := store.Open(context.Background(), "postgres://nobody@127.0.0.1:1/x")
	assert.ErrorContains(t, err, "connecting to the database")
	_, err = store.OpenBlobs(context.Background(), "ftp://x", t.TempDir())
	assert.ErrorContains(t, err, "opening the blob store")
}

// The SHA-256 of "abc" is the example of FIPS 180-2, appendix B.1.
const abc = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"

func TestBlobsAreNamedByContent(t *testing.T) {
	b := storetest.Blobs(t)
	ctx := context.Background()
	for _, put := range []func(context.Context, io.Reader) (string, int64, error){b.Put, b.Put, b.Keep} {
		sha, n, err := put(ctx, strings.NewReader("abc"))
		require.NoError(t, err)
		assert.Equal(t, abc, sha)
		assert.Equal(t, int64(3), n)
	}
	r, err := b.Open(ctx, abc)
	require.NoError(t, err)
	_, err = r.Seek(1, io.SeekStart)
	require.NoError(t, err)
	rest, err := io.ReadAll(r)
	require.NoError(t, err)
	assert.Equal(t, "bc", string(rest))
	require.NoError(t, r.Close())
	path, err := b.Path(ctx, abc)
	require.NoError(t, err)
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "abc", string(got))
	_, err = b.Open(ctx, "short")
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = b.Open(ctx, strings.Repeat("0", 64))
	assert.Error(t, err)
}

// A store that is no folder gives local copies; mem: stands for S3 here.
func TestBlobsElsewhereAreCopiedOnce(t *testing.T) {
	ctx := context.Background()
	cache := t.TempDir()
	b, err := store.OpenBlobs(ctx, "mem://", cache)
	require.NoError(t, err)
	sha, _, err := b.Put(ctx, strings.NewReader("abc"))
	require.NoError(t, err)
	for range 2 {
		path, err := b.Path(ctx, sha)
		require.NoError(t, err)
		got, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, "abc", string(got))
	}
	require.NoError(t, b.Close(), "what is temporary goes with it")
	copies, err := filepath.Glob(filepath.Join(cache, "[0-9a-f]*"))
	require.NoError(t, err)
	assert.Len(t, copies, 1)
}

// An upload that breaks off leaves nothing.
func TestBrokenPutLeavesNothing(t *testing.T) {
	dir := t.TempDir()
	b, err := store.OpenBlobs(context.Background(), "file://"+filepath.Join(dir, "blobs"),
		filepath.Join(dir, "cache"))
	require.NoError(t, err)
	_, _, err = b.Put(context.Background(), io.MultiReader(bytes.NewReader(make([]byte, 1<<20)),
		iotest.ErrReader(errors.New("line cut"))))
	assert.ErrorContains(t, err, "line cut")
	require.NoError(t, b.Close())
	n := 0
	require.NoError(t, filepath.WalkDir(dir, func(_ string, d os.DirEntry, err error) error {
		if !d.IsDir() {
			n++
		}
		return err
	}))
	assert.Zero(t, n)
}

// A file for which there is no room is not there, not even half, whether it is
// copied into the store or becomes the blob itself; half of one that is found
// is put right.
func TestNoHalfFiles(t *testing.T) {
	_, small := storetest.SmallDisk(t, "1m")
	content := bytes.Repeat([]byte("what was sent "), 1<<18)
	for _, cache := range []string{t.TempDir(), filepath.Join(small, "cache")} {
		b, err := store.OpenBlobs(t.Context(), "file://"+filepath.Join(small, "blobs"), cache)
		require.NoError(t, err)
		_, _, err = b.Put(t.Context(), bytes.NewReader(content))
		assert.True(t, store.Full(err), "%v", err)
		there, err := b.Exists(t.Context(), sum(content))
		require.NoError(t, err)
		assert.False(t, there)
		require.NoError(t, b.Close())
	}
	dir := t.TempDir()
	b, err := store.OpenBlobs(t.Context(), "file://"+dir, filepath.Join(dir, "cache"))
	require.NoError(t, err)
	defer b.Close()
	half := filepath.Join(dir, sum(content)[:2], sum(content))
	require.NoError(t, os.MkdirAll(filepath.Dir(half), 0o700))
	require.NoError(t, os.WriteFile(half, content[:100], 0o600))
	_, _, err = b.Put(t.Context(), bytes.NewReader(content))
	require.NoError(t, err)
	got, err := os.ReadFile(half)
	require.NoError(t, err)
	assert.Len(t, got, len(content))
}

func sum(b []byte) string {
	s := sha256.Sum256(b)
	return hex.EncodeToString(s[:])
}
