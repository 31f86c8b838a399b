package delivery_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/webdav"

	"nelko/internal/delivery"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/invalid"
	"nelko/internal/shelf"
	"nelko/internal/store"
)

// onWebDAV puts the same film into a folder of a WebDAV server (the reference
// server of golang.org/x/net), whose line breaks once in the middle.
func onWebDAV(t *testing.T, h *house.House, id int64, r store.Render, put func() delivery.File) {
	dir := t.TempDir()
	served := &webdav.Handler{FileSystem: webdav.Dir(dir), LockSystem: webdav.NewMemLS()}
	var cut atomic.Bool
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if name, password, _ := r.BasicAuth(); name != "studio" || password != "quay" {
			w.Header().Set("WWW-Authenticate", `Basic realm="films"`)
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		if r.Method == http.MethodPut && cut.CompareAndSwap(true, false) {
			_, _ = io.CopyN(io.Discard, r.Body, 10_000)
			panic(http.ErrAbortHandler)
		}
		served.ServeHTTP(w, r)
	}))
	defer server.Close()
	folder := strings.Replace(server.URL, "http://", "dav://studio:quay@", 1) + "/films/2026"
	require.NoError(t, delivery.CheckFolder(folder, ""))
	require.NoError(t, h.Shelf.Change(ctx, shelf.Settings{Name: "Our studio", Folder: &folder}))
	cut.Store(true)
	require.NoError(t, h.Delivery.Files.PutFile(ctx, id, r.ID))
	list, err := h.Delivery.Files.Files(ctx, id)
	require.NoError(t, err)
	job := delivery.Put{DeliveryID: list[0].DeliveryID}
	require.Error(t, h.Delivery.Files.Put(ctx, job), "cut")
	entries, err := os.ReadDir(filepath.Join(dir, "films", "2026"))
	require.NoError(t, err)
	assert.NotContains(t, names(entries), list[0].Name, "nothing half-written is under its name")
	require.NoError(t, h.Delivery.Files.Put(ctx, job), "tried again")
	got, err := os.ReadFile(filepath.Join(dir, "films", "2026", list[0].Name))
	require.NoError(t, err)
	assert.EqualValues(t, r.Size, len(got))
	entries, err = os.ReadDir(filepath.Join(dir, "films", "2026"))
	require.NoError(t, err)
	assert.Len(t, entries, 1)
	older := put()
	assert.Contains(t, older.Older, " MB of ", "never over an older file without a word")
	require.NoError(t, h.Delivery.Files.Settle(ctx, id, older.DeliveryID, true))
	require.NoError(t, h.Delivery.Files.Put(ctx, delivery.Put{DeliveryID: older.DeliveryID}))
	wrong := strings.Replace(folder, "quay", "key", 1)
	require.NoError(t, h.Shelf.Change(ctx, shelf.Settings{Name: "Our studio", Folder: &wrong}))
	require.NoError(t, h.Delivery.Files.PutFile(ctx, id, r.ID))
	list, err = h.Delivery.Files.Files(ctx, id)
	require.NoError(t, err)
	err = h.Delivery.Files.Put(ctx, delivery.Put{DeliveryID: list[0].DeliveryID})
	require.Error(t, err)
	assert.NotContains(t, err.Error(), "key@", "no password in what is shown")
	back := "file://" + t.TempDir()
	require.NoError(t, h.Shelf.Change(ctx, shelf.Settings{Name: "Our studio", Folder: &back}))
}

func names(entries []os.DirEntry) (out []string) {
	for _, e := range entries {
		out = append(out, e.Name())
	}
	return out
}

// A film goes into the studio's folder under its name, is read back, and never
// over an older file without a word.
func TestFilmsAsFiles(t *testing.T) {
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	r := housetest.Rendered(t, h, id)
	var inv *invalid.Input
	assert.ErrorAs(t, h.Delivery.Files.PutFile(ctx, id, r.ID), &inv, "the studio has no folder")
	dir := filepath.Join(t.TempDir(), "films")
	folder, names := "file://"+dir, "{client}: {names} {profile}"
	require.NoError(t, delivery.CheckFolder(folder, names))
	require.NoError(t, h.Shelf.Change(ctx, shelf.Settings{
		Name:      "Our studio",
		Folder:    &folder,
		FileNames: &names,
	}))
	put := func() delivery.File {
		require.NoError(t, h.Delivery.Files.PutFile(ctx, id, r.ID))
		list, err := h.Delivery.Files.Files(ctx, id)
		require.NoError(t, err)
		require.NoError(t, h.Delivery.Files.Put(ctx, delivery.Put{DeliveryID: list[0].DeliveryID}))
		list, err = h.Delivery.Files.Files(ctx, id)
		require.NoError(t, err)
		return list[0]
	}
	first := put()
	assert.Equal(t, store.DeliveryDone, first.State)
	assert.Regexp(t, "^written and read back", first.Proof)
	path := filepath.Join(dir, first.Name)
	assert.Equal(t, "The Gannets- The Gannets MP4.mp4", first.Name)
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.EqualValues(t, r.Size, len(got))

	require.NoError(t, os.WriteFile(path, []byte("precious"), 0o644))
	second := put()
	assert.Equal(t, store.DeliveryFailed, second.State)
	assert.Contains(t, second.Older, "0.0 MB of ")
	still, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "precious", string(still))
	require.NoError(t, h.Delivery.Files.Settle(ctx, id, second.DeliveryID, false))
	require.NoError(t, h.Delivery.Files.Put(ctx, delivery.Put{DeliveryID: second.DeliveryID}))
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, entries, 2, "beside it, and nothing half-written")

	third := put()
	require.NoError(t, h.Delivery.Files.Settle(ctx, id, third.DeliveryID, true))
	require.NoError(t, h.Delivery.Files.Put(ctx, delivery.Put{DeliveryID: third.DeliveryID}))
	now, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, got, now, "over it, as was said")

	onWebDAV(t, h, id, r, put)

	// A folder that cannot be written is an error of the moment, tried again.
	require.NoError(t, h.Shelf.Change(ctx, shelf.Settings{Name: "Our studio", Folder: &folder}))
	require.NoError(t, os.RemoveAll(dir))
	require.NoError(t, os.WriteFile(dir, []byte("a file"), 0o644))
	require.NoError(t, h.Delivery.Files.PutFile(ctx, id, r.ID))
	list, err := h.Delivery.Files.Files(ctx, id)
	require.NoError(t, err)
	assert.Error(t, h.Delivery.Files.Put(ctx, delivery.Put{DeliveryID: list[0].DeliveryID}))

	for _, bad := range [][2]string{{"ftp://x", ""}, {"file://", ""}, {folder, "{client"},
		{folder, "{counter}"}} {
		assert.ErrorAs(t, delivery.CheckFolder(bad[0], bad[1]), &inv, bad)
	}
}
