// Package housetest opens studios for tests and fills them with small made
// material.
package housetest

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

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/demo/paint"
	"nelko/internal/house"
	"nelko/internal/intake"
	"nelko/internal/making"
	"nelko/internal/media"
	"nelko/internal/media/vips"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// Open opens an empty studio.
func Open(t testing.TB) *house.House {
	t.Helper()
	return On(t, storetest.Open(t), storetest.Blobs(t), house.Settings{})
}

// On opens the rooms on a store.
func On(t testing.TB, s *store.Store, b *store.Blobs, set house.Settings) *house.House {
	t.Helper()
	h, err := house.Open(context.Background(), s, b, set)
	require.NoError(t, err)
	t.Cleanup(h.Close)
	return h
}

// Order opens an order whose details are filled.
func Order(t testing.TB, h *house.House) store.Order {
	t.Helper()
	o, err := h.Orders.Heads.Open(context.Background(), orders.New{
		Head: orders.Head{
			Client:      "The Gannets",
			ClientEmail: "gannets@saltmere.example",
			Event:       "Regatta",
			Due:         time.Now(),
		},
		Details: map[string]string{"names": "The Gannets", "date": "2026"},
	}, nil)
	require.NoError(t, err)
	return o
}

// Load reads an order.
func Load(t testing.TB, h *house.House, id int64) *orders.Dossier {
	t.Helper()
	d, err := h.Orders.Load(context.Background(), id)
	require.NoError(t, err)
	return d
}

// Edit edits an order's slideshow as it stands.
func Edit(t testing.TB, h *house.House, id int64, op edit.Op) {
	t.Helper()
	_, err := h.Orders.Edits.Edit(context.Background(), id, Load(t, h, id).Slideshow.Head, op, nil)
	require.NoError(t, err)
}

// Three are three small photos.
func Three(t testing.TB) map[string][]byte {
	return map[string][]byte{"a.jpg": Photo(t, 1), "b.jpg": Photo(t, 2), "c.jpg": Photo(t, 3)}
}

// ToMusic fits to the music, however short or long that makes pictures: songs of tests
// are short.
func ToMusic() edit.Op {
	return edit.Several{
		Called: "Fitted, however short",
		Ops:    []edit.Op{edit.AnyTime(), edit.Fit{Mode: doc.ToMusic}},
	}
}

// Ready is an order that could be rendered, at a small size: three photos
// fitted to 15 s, however short that makes them.
func Ready(t testing.TB, h *house.House) int64 {
	t.Helper()
	o := Order(t, h)
	Bring(t, h, o.ID, Three(t))
	Bring(t, h, o.ID, map[string][]byte{"song.flac": Song(t, 15)})
	Edit(t, h, o.ID, ToMusic())
	Edit(t, h, o.ID, edit.Shape{Frame: doc.Frame{W: 320, H: 180}})
	return o.ID
}

// Rendered renders an order as it stands.
func Rendered(t testing.TB, h *house.House, id int64) store.Render {
	t.Helper()
	r, err := h.Making.Renders.Begin(context.Background(), id, "")
	require.NoError(t, err)
	require.NoError(t, h.Making.Attempts.Film(context.Background(), making.Film{RenderID: r.ID}, "w", true))
	r, err = store.One[store.Render](h.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	require.Equal(t, store.RenderDone, r.State, r.Error)
	return r
}

// Photo is a small JPEG, different for each seed.
func Photo(t testing.TB, seed int) []byte {
	t.Helper()
	require.NoError(t, media.Startup())
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
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", fmt.Sprintf("sine=330:d=%g",
		seconds), path).CombinedOutput()
	require.NoError(t, err, string(out))
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	return b
}

// Bring receives files into an order and has them looked at and poured, as
// the queue would.
func Bring(t testing.TB, h *house.House, orderID int64, files map[string][]byte) {
	t.Helper()
	ctx := context.Background()
	for name, b := range files {
		m, err := h.Intake.In.Receive(ctx, orderID, fmt.Sprintf("%d/%s", orderID, name), name,
			bytes.NewReader(b))
		require.NoError(t, err)
		require.NoError(t, h.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}))
		m, err = store.One[store.Media](h.Store.DB, "id = ?", m.ID)
		require.NoError(t, err)
		require.Equal(t, store.Ready, m.State, "%s is not ready: %s", name, m.Reason)
	}
	require.NoError(t, h.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: orderID}))
}

// Caption captions an order's first picture.
func Caption(t testing.TB, h *house.House, id int64, text string) {
	t.Helper()
	for _, s := range Load(t, h, id).Doc.Slides {
		if s.Kind == doc.Pictures {
			Edit(t, h, id, edit.Caption{Slides: []doc.SlideID{s.ID}, Text: text})
			return
		}
	}
	t.Fatal("there is no picture to caption")
}
