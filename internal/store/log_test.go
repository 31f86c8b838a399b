package store_test

import (
	"bytes"
	"context"
	"log/slog"
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/store/storetest"
)

func TestWhatFailsIsLoggedWithoutItsValues(t *testing.T) {
	var said bytes.Buffer
	usual := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&said, nil)))
	t.Cleanup(func() { slog.SetDefault(usual) })
	s := storetest.Open(t)
	said.Reset()

	assert.Error(t, s.DB.Exec("UPDATE nowhere SET secret = ?", "a hash of a password").Error)
	assert.Contains(t, said.String(), "UPDATE nowhere")
	assert.NotContains(t, said.String(), "a hash of a password")

	said.Reset()
	gone, leave := context.WithCancel(context.Background())
	leave()
	assert.ErrorIs(t, s.DB.WithContext(gone).Exec("SELECT pg_sleep(1)").Error, context.Canceled)
	assert.Empty(t, said.String(), "a browser that went away is no trouble of the database")
}
