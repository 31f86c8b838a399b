package app

import (
	"archive/zip"
	"bytes"
	"context"
	"io/fs"
	"nelko/themes"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/store/storetest"
)

func TestSettings(t *testing.T) {
	t.Setenv("NELKO_DATABASE_URL", "")
	_, err := ReadSettings()
	assert.NoError(t, err, "an empty address is reported when it is opened")
	t.Setenv("NELKO_DATABASE_URL", "postgres://x")
	t.Setenv("NELKO_VAR", "some/where")
	s, err := ReadSettings()
	require.NoError(t, err)
	assert.True(t, filepath.IsAbs(s.Var))
	assert.Equal(t, "file://"+s.Var+"/blobs", s.Blobs)
	assert.Equal(t, "http://127.0.0.1:8080", s.BaseURL)
	t.Setenv("NELKO_LOG", "shout")
	_, err = ReadSettings()
	assert.ErrorContains(t, err, "NELKO_LOG")
}

// The application starts, answers, says which address is taken, and stops.
func TestServe(t *testing.T) {
	_, url := storetest.OpenURL(t)
	t.Setenv("NELKO_DATABASE_URL", url)
	t.Setenv("NELKO_VAR", t.TempDir())
	t.Setenv("NELKO_ADDR", "127.0.0.1:0")
	s, err := ReadSettings()
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	a, err := Open(ctx, s)
	require.NoError(t, err)
	defer a.Close()
	assert.ErrorContains(t, a.Work(ctx), "NELKO_MAIL")
	ready, done := make(chan string), make(chan error, 1)
	go func() { done <- a.Serve(ctx, func(url string) { ready <- url }) }()
	var at string
	select {
	case at = <-ready:
	case err := <-done:
		require.NoError(t, err)
	case <-time.After(30 * time.Second):
		t.Fatal("not ready")
	}
	res, err := http.Get(at + "/healthz")
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, http.StatusOK, res.StatusCode)

	taken, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer taken.Close()
	other := *a
	other.Settings.Addr = taken.Addr().String()
	err = other.Serve(ctx, func(string) {})
	assert.ErrorContains(t, err, "cannot listen on "+other.Settings.Addr)
	assert.ErrorContains(t, err, "NELKO_ADDR")

	cancel()
	select {
	case err := <-done:
		assert.NoError(t, err)
	case <-time.After(30 * time.Second):
		t.Fatal("did not stop")
	}
}

// A studio's own themes come from a folder of zips; a broken one is named in
// the log and stops nothing.
func TestOwnThemesFolder(t *testing.T) {
	dir := t.TempDir()
	out := filepath.Join(dir, "harbourmaster.zip")
	f, err := os.Create(out)
	require.NoError(t, err)
	z := zip.NewWriter(f)
	b, err := fs.ReadFile(themes.Fonts(), "tideline/theme.json")
	require.NoError(t, err)
	w, err := z.Create("theme.json")
	require.NoError(t, err)
	_, err = w.Write(bytes.Replace(b, []byte(`"id": "tideline"`), []byte(`"id": "harbourmaster"`), 1))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	require.NoError(t, f.Close())
	require.NoError(t, os.WriteFile(filepath.Join(dir, "torn.zip"), []byte("PK"), 0o644))
	added, refused := themes.AddDir(dir)
	assert.Equal(t, []string{"harbourmaster"}, added)
	require.Len(t, refused, 1)
	assert.ErrorContains(t, refused[0], "torn.zip")
	th, err := themes.Get("harbourmaster")
	require.NoError(t, err)
	assert.Equal(t, "Tideline", th.Name)
	_, refused = themes.AddDir(filepath.Join(dir, "nowhere"))
	assert.NotEmpty(t, refused)
}
