package app

import (
	"archive/tar"
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/render"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// elsewhere is a machine of its own: an empty database and an empty folder.
func elsewhere(t *testing.T) Settings {
	_, databaseURL := storetest.Empty(t)
	return settingsFor(t, databaseURL)
}

func settingsFor(t *testing.T, databaseURL string) Settings {
	dir := t.TempDir()
	return Settings{DatabaseURL: databaseURL, Var: dir, Blobs: "file://" + filepath.Join(dir, "blobs")}
}

// A studio that is being worked in is backed up and restored elsewhere: the
// film that was rendered is there as it was, and another one can be rendered.
// A file that is damaged, cut short or no backup at all is refused, and so is
// a database that holds something.
func TestBackupAndRestore(t *testing.T) {
	ctx := context.Background()
	_, databaseURL := storetest.OpenURL(t)
	a, err := Open(ctx, settingsFor(t, databaseURL))
	require.NoError(t, err)
	defer a.Close()
	id := housetest.Ready(t, a.House)
	film := housetest.Rendered(t, a.House, id)

	// Meanwhile an operator edits, and the sweeper sweeps.
	busy, stop := context.WithCancel(ctx)
	var work sync.WaitGroup
	work.Go(func() {
		for busy.Err() == nil {
			d, err := a.House.Orders.Load(ctx, id)
			if !assert.NoError(t, err) {
				return
			}
			_, err = a.House.Orders.Edits.Edit(ctx, id, d.Slideshow.Head, edit.Shift{
				Slides: []doc.SlideID{d.Doc.Slides[1].ID},
				By:     1,
			}, nil)
			assert.NoError(t, err)
			_, err = a.House.Sweep(ctx, false)
			assert.NoError(t, err)
		}
	})
	out := filepath.Join(t.TempDir(), "studio.tar")
	n, err := a.Backup(ctx, out)
	stop()
	work.Wait()
	require.NoError(t, err)
	_, err = a.Backup(ctx, out)
	assert.ErrorContains(t, err, "is there already")

	// The standard tools read it too.
	dir := t.TempDir()
	require.NoError(t, exec.Command("tar", "-xf", out, "-C", dir).Run())
	sums := exec.Command("sha256sum", "--check", "--strict", "--quiet", "SHA256SUMS")
	sums.Dir = dir
	told, err := sums.CombinedOutput()
	require.NoError(t, err, string(told))

	s := elsewhere(t)
	restored, err := Restore(ctx, s, out)
	require.NoError(t, err)
	assert.Equal(t, n, restored)
	_, err = Restore(ctx, s, out)
	assert.ErrorIs(t, err, ErrNotEmpty)
	b, err := Open(ctx, s)
	require.NoError(t, err)
	defer b.Close()
	again, err := store.One[store.Render](b.House.Store.DB, "id = ?", film.ID)
	require.NoError(t, err)
	path, err := b.House.Blobs.Path(ctx, *again.SHA256)
	require.NoError(t, err)
	laid, err := b.House.Orders.FilmOf(ctx, again)
	require.NoError(t, err)
	_, err = render.Verify(ctx, path, laid)
	require.NoError(t, err, "the film is as it was planned")
	more := housetest.Rendered(t, b.House, id)
	assert.NotEqual(t, film.ID, more.ID)

	whole, err := os.ReadFile(out)
	require.NoError(t, err)
	sub := func(name string) string {
		return strings.Replace(name, backupBlobs, backupBlobs+"sub/", 1)
	}
	moved := changed(t, whole, sub)
	hurt := bytes.Clone(whole)
	at := bytes.LastIndex(hurt, []byte("blobs/")) // in the sums; the file itself is before
	hurt[at/2] ^= 1
	notOne := &bytes.Buffer{}
	w := tar.NewWriter(notOne)
	require.NoError(t, w.WriteHeader(&tar.Header{Name: "../../outside", Size: 1}))
	_, err = w.Write([]byte("x"))
	require.NoError(t, errors.Join(err, w.Close()))
	for name, data := range map[string][]byte{
		"another name":   moved,
		"damaged":        hurt,
		"cut short":      whole[:len(whole)-6000],
		"something else": notOne.Bytes(),
		"empty":          nil,
		"a photo":        housetest.Photo(t, 1),
	} {
		file := filepath.Join(t.TempDir(), "bad.tar")
		require.NoError(t, os.WriteFile(file, data, 0o600))
		other := elsewhere(t)
		_, err := Restore(ctx, other, file)
		assert.ErrorIs(t, err, ErrBackup, name)
		db, err := store.Open(ctx, other.DatabaseURL)
		require.NoError(t, err)
		empty, err := db.Empty(ctx)
		assert.NoError(t, err)
		assert.True(t, empty, "%s: nothing was restored", name)
		db.Close()
	}
}

// changed is a backup some of whose files have other names, which its sums know; a file
// without a name is left out.
func changed(t *testing.T, backup []byte, name func(string) string) []byte {
	var out, sums bytes.Buffer
	from, to := tar.NewReader(bytes.NewReader(backup)), tar.NewWriter(&out)
	put := func(h *tar.Header, data []byte) {
		h.Size = int64(len(data))
		require.NoError(t, to.WriteHeader(h))
		_, err := to.Write(data)
		require.NoError(t, err)
	}
	for {
		h, err := from.Next()
		require.NoError(t, err)
		data, err := io.ReadAll(from)
		require.NoError(t, err)
		if h.Name == backupSums {
			put(h, sums.Bytes())
			require.NoError(t, to.Close())
			return out.Bytes()
		}
		if h.Name = name(h.Name); h.Name != "" {
			put(h, data)
			fmt.Fprintf(&sums, "%x  %s\n", sha256.Sum256(data), h.Name)
		}
	}
}

// A backup that lacks files its database refers to is restored, and it is said which.
func TestRestoreTellsWhatIsLacking(t *testing.T) {
	ctx := context.Background()
	_, databaseURL := storetest.OpenURL(t)
	a, err := Open(ctx, settingsFor(t, databaseURL))
	require.NoError(t, err)
	defer a.Close()
	m := housetest.Load(t, a.House, housetest.Ready(t, a.House)).Media[0]
	out := filepath.Join(t.TempDir(), "studio.tar")
	n, err := a.Backup(ctx, out)
	require.NoError(t, err)
	whole, err := os.ReadFile(out)
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "lacking.tar")
	require.NoError(t, os.WriteFile(file, changed(t, whole, func(name string) string {
		return strings.TrimSuffix(name, backupBlobs+m.SHA256)
	}), 0o600))
	s := elsewhere(t)
	restored, err := Restore(ctx, s, file)
	require.ErrorIs(t, err, ErrLacks)
	assert.ErrorContains(t, err, m.SHA256)
	assert.Equal(t, n-1, restored)
	b, err := Open(ctx, s)
	require.NoError(t, err)
	defer b.Close()
	_, err = b.House.Blobs.Path(ctx, m.SHA256)
	assert.ErrorIs(t, err, store.ErrGone)
}

// The sweeper takes what is old and nobody's, and nothing else; a dry run
// tells the same and takes nothing.
func TestSweep(t *testing.T) {
	ctx := context.Background()
	h := housetest.Open(t)
	kept := housetest.Ready(t, h)
	gone := housetest.Ready(t, h)
	housetest.Bring(t, h, gone, map[string][]byte{"own.jpg": housetest.Photo(t, 9)})
	film := housetest.Rendered(t, h, kept)
	require.NoError(t, h.Orders.Keeping.Delete(ctx, gone))

	cache := h.Blobs.Cache()
	long := time.Now().Add(-40 * 24 * time.Hour)
	old := func(path string) {
		require.NoError(t, os.MkdirAll(path, 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(path, "x"), make([]byte, 1000), 0o600))
		require.NoError(t, os.Chtimes(path, long, long))
	}
	old(filepath.Join(cache, "film-123"))
	old(filepath.Join(cache, "play", "abc"))
	old(filepath.Join(cache, "somebody's"))
	require.NoError(t, os.Mkdir(filepath.Join(cache, "film-now"), 0o755))
	_, _, err := h.Blobs.Put(ctx, bytes.NewReader([]byte("nobody's file")))
	require.NoError(t, err)

	var parts int64
	require.NoError(t, h.Store.DB.Model(&store.RenderPart{}).Count(&parts).Error)

	s, err := h.Sweep(ctx, true)
	require.NoError(t, err)
	assert.Zero(t, s.Orders, "it can be restored still")
	assert.Zero(t, s.Blobs, "touched a moment ago")

	require.NoError(t, h.Store.DB.Exec("UPDATE orders SET deleted_at = ? WHERE id = ?", long, gone).Error)
	require.NoError(t, h.Store.DB.Exec("UPDATE renders SET finished_at = ?", long).Error)
	require.NoError(t, h.Store.DB.Exec("UPDATE blobs SET touched_at = ?", long).Error)
	dry, err := h.Sweep(ctx, true)
	require.NoError(t, err)
	assert.EqualValues(t, 1, dry.Orders)
	assert.EqualValues(t, 1, dry.Leftovers)
	assert.EqualValues(t, 1, dry.Played)
	assert.Equal(t, parts, dry.Parts)
	assert.Positive(t, parts)
	assert.EqualValues(t, 1, dry.Blobs, "the order's own go with it")
	assert.DirExists(t, filepath.Join(cache, "film-123"))
	_, err = h.Orders.Load(ctx, gone)
	assert.NoError(t, err)

	wet, err := h.Sweep(ctx, false)
	require.NoError(t, err)
	assert.Equal(t, dry.Orders, wet.Orders)
	assert.Greater(t, wet.Blobs, dry.Blobs)
	assert.NoDirExists(t, filepath.Join(cache, "film-123"))
	assert.NoDirExists(t, filepath.Join(cache, "play", "abc"))
	assert.DirExists(t, filepath.Join(cache, "film-now"))
	assert.DirExists(t, filepath.Join(cache, "somebody's"), "not on the list")
	_, err = h.Orders.Load(ctx, gone)
	assert.ErrorIs(t, err, store.ErrNotFound)
	nothing, err := h.Sweep(ctx, false)
	require.NoError(t, err)
	assert.Zero(t, nothing)

	// The one that was kept has all it had: its film is served and made anew.
	r, err := h.Blobs.Open(ctx, *film.SHA256)
	require.NoError(t, err)
	_, err = io.Copy(io.Discard, r)
	require.NoError(t, errors.Join(err, r.Close()))
	housetest.Edit(t, h, kept, edit.Shift{
		Slides: []doc.SlideID{housetest.Load(t, h, kept).Doc.Slides[1].ID},
		By:     1,
	})
	housetest.Rendered(t, h, kept)
	require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: film.ID}, "w", true),
		"it is done: nothing to do")
}
