package house_test

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/delivery"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/shelf"
	"nelko/internal/store"
)

// What is deleted is really gone once the days that the studio set are over: no
// row of any table is about it, no file of it is left, and the trail keeps that
// it was there and who deleted it, in no words of its own (ASVS 8.3.2, 8.3.8).
func TestDeletedIsReallyGone(t *testing.T) {
	ctx := context.Background()
	h := housetest.Open(t)
	gone, stays := housetest.Ready(t, h), housetest.Ready(t, h)
	for _, id := range []int64{gone, stays} {
		housetest.Rendered(t, h, id)
		_, _, err := h.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{Title: "Private words", Days: 30})
		require.NoError(t, err)
	}
	own := housetest.Photo(t, 77)
	housetest.Bring(t, h, gone, map[string][]byte{"own.jpg": own})
	files := func() (n int) {
		require.NoError(t, filepath.WalkDir(h.Blobs.Folders()[0], func(_ string, d os.DirEntry,
			err error) error {
			if err == nil && !d.IsDir() {
				n++
			}
			return err
		}))
		return n
	}
	var shas []string
	require.NoError(t, h.Store.DB.Raw("SELECT sha256 FROM media WHERE order_id = ? AND name = 'own.jpg'",
		gone).Scan(&shas).Error)
	require.Len(t, shas, 1)

	studio, err := h.Shelf.Studio(ctx)
	require.NoError(t, err)
	keep := func(k shelf.Keeping) {
		require.NoError(t, h.Shelf.Change(ctx, shelf.Settings{Name: studio.Name, Keeping: &k}))
	}
	require.NoError(t, h.Orders.Keeping.Delete(ctx, gone))
	later := func(days int) {
		now := time.Now().AddDate(0, 0, days)
		h.Orders.Now = func() time.Time { return now }
	}
	erased := func() bool {
		_, err := h.Sweep(ctx, false)
		require.NoError(t, err)
		_, err = store.One[store.Order](h.Store.DB, "id = ?", gone)
		return err != nil
	}
	keep(shelf.Keeping{})
	later(4000)
	assert.False(t, erased(), "kept for good")
	keep(shelf.Keeping{Deleted: 7})
	later(6)
	assert.False(t, erased())
	later(8)
	before := files()
	require.NoError(t, h.Store.DB.Exec("UPDATE blobs SET touched_at = now() - interval '2 hours'").Error)
	assert.True(t, erased())
	assert.Less(t, files(), before)
	there, err := h.Blobs.Exists(ctx, shas[0])
	require.NoError(t, err)
	assert.False(t, there)

	// Every table that says of which order a row is, whatever tables there will be.
	var tables []string
	require.NoError(t, h.Store.DB.Raw("SELECT table_name FROM information_schema.columns WHERE column_name "+
		"= 'order_id' AND table_schema = 'public'").Scan(&tables).Error)
	require.Greater(t, len(tables), 5)
	for _, table := range tables {
		var n, others int64
		require.NoError(t, h.Store.DB.Table(table).Where("order_id = ?", gone).Count(&n).Error)
		require.NoError(t, h.Store.DB.Table(table).Where("order_id = ?", stays).Count(&others).Error)
		if table != "trail" {
			assert.Zero(t, n, table)
			continue
		}
		assert.NotZero(t, n)
	}
	deeds, err := h.Store.Trail(ctx, store.Asked{OrderID: gone, Most: 100})
	require.NoError(t, err)
	assert.Equal(t, "Erased the order and all that was in it", deeds[0].Words)
	for _, d := range deeds {
		if d.What != store.DidDelete {
			assert.Empty(t, d.Words, d.What)
		}
	}
	d := housetest.Load(t, h, stays)
	assert.Len(t, d.Renders, 1)
	there, err = h.Blobs.Exists(ctx, *d.Renders[0].SHA256)
	require.NoError(t, err)
	assert.True(t, there, "what others have stays")

	// What was put away is deleted after its days, and the trail forgets after its own.
	require.NoError(t, h.Orders.Keeping.Archive(ctx, stays))
	keep(shelf.Keeping{Deleted: 7, Archived: 30, Trail: 100})
	later(200)
	assert.True(t, erased())
	o, err := store.One[store.Order](h.Store.DB, "id = ?", stays)
	require.NoError(t, err)
	assert.NotNil(t, o.DeletedAt)
	later(300)
	erased()
	deeds, err = h.Store.Trail(ctx, store.Asked{Most: 1000})
	require.NoError(t, err)
	assert.Empty(t, deeds, "all are older")
}

// A file of material that is missing or damaged is named with the orders that
// have it, and is whole again once it was sent in again.
func TestLostMaterialIsNamed(t *testing.T) {
	ctx := context.Background()
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	m := housetest.Load(t, h, id).Media[0]
	path, err := h.Blobs.Path(ctx, m.SHA256)
	require.NoError(t, err)
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	verify := func() []string {
		files, lost, err := h.Intake.Material.Verify(ctx, true, 0, 0)
		require.NoError(t, err)
		require.Positive(t, files)
		var out []string
		for _, l := range lost {
			out = append(out, l.Name)
			assert.Equal(t, []int64{id}, l.Orders)
			assert.NotEmpty(t, l.Why)
		}
		return out
	}
	assert.Empty(t, verify())
	for name, harm := range map[string]func() error{
		"damaged": func() error { return os.WriteFile(path, append([]byte{1}, b[1:]...), 0o600) },
		"missing": func() error { return os.Remove(path) },
	} {
		require.NoError(t, harm(), name)
		if name == "missing" {
			_, err := h.Blobs.Path(ctx, m.SHA256)
			require.ErrorIs(t, err, store.ErrGone)
			r, err := h.Making.Renders.Begin(ctx, id, "")
			require.NoError(t, err)
			require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "w", true))
			r, err = store.One[store.Render](h.Store.DB, "id = ?", r.ID)
			require.NoError(t, err)
			assert.Contains(t, r.Error, m.Name)
			assert.Contains(t, r.Error, "missing from the store")
		}
		assert.Equal(t, []string{m.Name}, verify(), name)
		assert.NotEmpty(t, housetest.Load(t, h, id).Media[0].Damage)
		again, err := h.Intake.In.Receive(ctx, id, "again "+name, m.Name, bytes.NewReader(b))
		require.NoError(t, err)
		assert.Contains(t, again.Reason, "is whole again")
		assert.True(t, again.Heals(), "it is told as good news, not as a refusal")
		assert.Empty(t, housetest.Load(t, h, id).Media[0].Damage)
		assert.Empty(t, verify(), "%s, sent in again", name)
	}
	housetest.Rendered(t, h, id)
}
