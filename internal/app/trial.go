package app

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"sync"

	_ "github.com/jackc/pgx/v5/stdlib" // the driver that makes databases

	"nelko/internal/house"
	"nelko/internal/store"
	"nelko/internal/web"
)

// Trial opens a studio on a database and in a folder of its own beside those
// of the settings, hands it with its pages to do, and does away with it.
func Trial(ctx context.Context, do func(*house.House, http.Handler) error) (err error) {
	s, err := ReadSettings()
	if err != nil {
		return err
	}
	slog.SetLogLoggerLevel(slog.LevelWarn)
	slog.SetDefault(slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn})))
	admin, err := sql.Open("pgx", s.DatabaseURL)
	if err != nil {
		return err
	}
	defer admin.Close()
	b := make([]byte, 6)
	rand.Read(b) // never fails, by its documentation
	name := "nelko_trial_" + hex.EncodeToString(b)
	if _, err := admin.ExecContext(ctx, "CREATE DATABASE "+name); err != nil {
		return fmt.Errorf("making a database to try: %w", err)
	}
	defer func() { err = errors.Join(err, store.Drop(context.WithoutCancel(ctx), admin, name)) }()
	u, err := url.Parse(s.DatabaseURL)
	if err != nil {
		return err
	}
	u.Path = "/" + name
	dir, err := os.MkdirTemp("", "nelko-trial-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	s.DatabaseURL, s.Var, s.Blobs = u.String(), dir, "file://"+filepath.ToSlash(filepath.Join(dir, "blobs"))
	a, err := Open(ctx, s)
	if err != nil {
		return err
	}
	defer a.Close()
	pages, err := web.New(web.Config{
		House:     a.House,
		BaseURL:   s.BaseURL,
		UploadDir: filepath.Join(dir, "uploads"),
	})
	if err != nil {
		return err
	}
	defer pages.Close()
	var running sync.WaitGroup
	defer running.Wait()
	ctx, end := context.WithCancel(ctx)
	defer end()
	a.attend(ctx, &running, pages.Hear)
	return do(a.House, pages)
}
