// Package studiotest opens studios for tests and fills them with small made
// material.
package studiotest

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"nelko/internal/demo/paint"
	"nelko/internal/media"
	"nelko/internal/media/vips"
	"nelko/internal/queue"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
	"nelko/internal/studio"
	"nelko/themes"
)

// Open opens an empty studio.
func Open(t testing.TB) *studio.Studio {
	t.Helper()
	require.NoError(t, media.Startup(themes.Fonts()))
	db := storetest.Open(t)
	q, err := queue.NewInserter(db.SQL)
	require.NoError(t, err)
	s := &studio.Studio{Store: db, Blobs: storetest.Blobs(t), Queue: q, Now: time.Now}
	t.Cleanup(s.Close)
	return s
}

// Order opens an order whose details are filled.
func Order(t testing.TB, s *studio.Studio) store.Order {
	t.Helper()
	o, err := s.OpenOrder(context.Background(), studio.NewOrder{
		Client: "The Gannets", ClientEmail: "gannets@saltmere.example", Event: "Regatta", Due: time.Now(),
		Details: map[string]string{"names": "The Gannets", "date": "2026"},
	}, nil)
	require.NoError(t, err)
	return o
}

// Photo is a small JPEG, different for each seed.
func Photo(t testing.TB, seed int) []byte {
	t.Helper()
	require.NoError(t, media.Startup(themes.Fonts()))
	px, err := paint.Paint(paint.Spec{Scene: paint.Pots, W: 300, H: 200, Seed: uint64(seed)})
	require.NoError(t, err)
	b, err := vips.JPEG(px, 80)
	require.NoError(t, err)
	return b
}

// Song is a tone of the given seconds as FLAC.
func Song(t testing.TB, seconds float64) []byte {
	t.Helper()
	path := filepath.Join(t.TempDir(), "song.flac")
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", fmt.Sprintf("sine=330:d=%g", seconds), path).CombinedOutput()
	require.NoError(t, err, string(out))
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	return b
}

// Bring receives files into an order and has them looked at and poured, as
// the queue would.
func Bring(t testing.TB, s *studio.Studio, orderID int64, files map[string][]byte) {
	t.Helper()
	ctx := context.Background()
	for name, b := range files {
		m, err := s.Receive(ctx, orderID, fmt.Sprintf("%d/%s", orderID, name), name, bytes.NewReader(b))
		require.NoError(t, err)
		require.NoError(t, s.DoIngest(ctx, studio.Ingest{MediaID: m.ID}))
	}
	require.NoError(t, s.DoPour(ctx, studio.Pour{OrderID: orderID}))
}
