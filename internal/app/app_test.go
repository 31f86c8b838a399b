package app

import (
	"context"
	"net"
	"net/http"
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
