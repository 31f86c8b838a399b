package house_test

import (
	"bytes"
	"context"
	"maps"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/delivery"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/looking"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// A studio of some years: none of what an operator or a client does at one
// order reads a whole table, so it does not slow down as the studio grows. The
// statistics PostgreSQL keeps of its tables tell. (The day sheet counts all open
// orders, a render the room of all kept segments, and the sweeper compares
// whole tables; they are not asked here.)
func TestNothingReadsAWholeTable(t *testing.T) {
	ctx := context.Background()
	s, url := storetest.OpenURL(t)
	// The statistics of a connection are told when it is closed.
	filling, err := store.Open(ctx, url)
	require.NoError(t, err)
	for _, fill := range []string{
		`INSERT INTO orders (client, event, due, step_kind) SELECT 'Client ' || i, 'Event', '2026-01-01'::date + i % 900, 'done' FROM generate_series(1, 4000) i`,
		`INSERT INTO slideshows (order_id, head) SELECT id, 25 FROM orders`,
		`INSERT INTO revisions (slideshow_id, number, parent, title, packed) SELECT s.id, n, n - 1, 'Edit', '\x01' FROM slideshows s, generate_series(1, 25) n`,
		`INSERT INTO blobs (sha256, size) SELECT lpad(i::text, 64, '0'), 1 FROM generate_series(1, 40000) i`,
		`INSERT INTO media (order_id, upload_id, name, sha256, size, state) SELECT 1 + i % 4000, 'u' || i, 'f', lpad(i::text, 64, '0'), 1, 'ready' FROM generate_series(1, 40000) i`,
		`INSERT INTO renders (order_id, slideshow_id, revision, profile, state) SELECT order_id, id, 25, 'film', 'done' FROM slideshows`,
		`INSERT INTO segments (key, sha256, size, used_at) SELECT 'k' || i, lpad(i::text, 64, '0'), 1, now() FROM generate_series(1, 40000) i`,
		`INSERT INTO deliveries (order_id, kind, state) SELECT order_id, 'link', 'done' FROM slideshows`,
		`INSERT INTO delivery_renders (delivery_id, render_id) SELECT d.id, r.id FROM deliveries d JOIN renders r USING (order_id)`,
		`INSERT INTO links (delivery_id, token_hash, downloadable, expires_at) SELECT id, sha256(id::text::bytea), true, now() FROM deliveries`,
		`INSERT INTO delivery_events (delivery_id, text) SELECT id, 'Made the link' FROM deliveries`,
		`ANALYZE`,
	} {
		require.NoError(t, filling.DB.Exec(fill).Error, fill)
	}
	filling.Close()
	grow := []string{"delivery_events", "delivery_renders", "deliveries", "links", "media", "orders",
		"renders", "revisions", "slideshows", "blobs"}
	look := func() map[string]int64 {
		var rows []struct {
			Relname    string
			SeqTupRead int64
		}
		require.NoError(t, s.DB.Raw("SELECT relname, seq_tup_read FROM pg_stat_user_tables").
			Scan(&rows).Error)
		out := map[string]int64{}
		for _, r := range rows {
			if slices.Contains(grow, r.Relname) {
				out[r.Relname] = r.SeqTupRead
			}
		}
		return out
	}
	read := func() map[string]int64 {
		var now map[string]int64
		require.Eventually(t, func() bool {
			last := now
			now = look()
			return maps.Equal(last, now)
		}, 20*time.Second, 500*time.Millisecond)
		return now
	}
	before := read()
	require.Len(t, before, len(grow))

	work, err := store.Open(ctx, url)
	require.NoError(t, err)
	blobs := storetest.Blobs(t)
	require.NoError(t, work.MarkRestored(ctx, blobs))
	h := housetest.On(t, work, blobs, house.Settings{})
	id := housetest.Ready(t, h)
	d := housetest.Load(t, h, id)
	_, err = h.Orders.Edits.Edit(ctx, id, d.Slideshow.Head, edit.Shift{
		Slides: []doc.SlideID{d.Doc.Slides[1].ID},
		By:     1,
	}, nil)
	require.NoError(t, err)
	head, err := h.Orders.Edits.Undo(ctx, id, d.Slideshow.Head+1, nil)
	require.NoError(t, err)
	_, err = h.Orders.Edits.Redo(ctx, id, head, nil)
	require.NoError(t, err)
	_, err = h.Orders.LoadAt(ctx, id, 2)
	require.NoError(t, err)
	require.NoError(t, h.Orders.Heads.Update(ctx, id, orders.Head{
		Client:      "A",
		ClientEmail: "a@saltmere.example",
		Event:       "B",
		Due:         d.Order.Due,
	}, nil))
	_, err = h.Looking.Frame(ctx, orders.Seen{Order: id}, 2, 30, 320)
	require.NoError(t, err)
	r := housetest.Rendered(t, h, id)
	l, token, err := h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{
		RenderID: r.ID,
		Title:    "Your film",
		Days:     3,
	})
	require.NoError(t, err)
	w, err := h.Delivery.Links.Open(ctx, token, 0)
	require.NoError(t, err)
	require.NoError(t, h.Delivery.Links.CountView(ctx, w))
	require.NoError(t, h.Delivery.Links.Close(ctx, id, l.ID))
	_, err = h.Intake.Material.Thumbnail(ctx, d.Media[0].ID)
	require.NoError(t, err)
	sha, _, err := h.Blobs.Put(ctx, bytes.NewReader([]byte("of nobody")))
	require.NoError(t, err)
	_, err = work.RemoveBlob(ctx, h.Blobs, sha, 0)
	require.NoError(t, err)
	require.NoError(t, h.Orders.Keeping.Archive(ctx, id))
	require.NoError(t, h.Orders.Keeping.Delete(ctx, id))
	h.Close()
	work.Close()

	after := read()
	for table, n := range after {
		whole := int64(4000)
		if table == "orders" {
			whole *= 2 // starting, the program looks for orders of before
		}
		assert.Less(t, n-before[table], whole, "rows of %s read in passing", table)
	}
}

// A frame that was looked at costs at most two statements, and one that the
// page asks for by its revision is the same one.
func TestFramesCostLittle(t *testing.T) {
	ctx := context.Background()
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	head := housetest.Load(t, h, id).Slideshow.Head
	ask := func() {
		_, err := h.Looking.Frame(ctx, orders.Seen{Order: id}, head, 30, 320)
		require.NoError(t, err)
	}
	ask()
	storetest.Queries(t, h.Store, 2, ask)
	fresh := looking.New(h.Blobs, h.Orders, h.Looking.Kept, h.Looking.Sprites)
	assert.Greater(t, storetest.Queries(t, h.Store, 99, func() {
		_, err := fresh.Frame(ctx, orders.Seen{Order: id}, head, 30, 320)
		require.NoError(t, err)
	}), int64(2), "the first time it is laid out")
}
