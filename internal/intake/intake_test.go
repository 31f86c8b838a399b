package intake_test

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

var ctx = context.Background()

func TestReceivingTwiceAndTwins(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	jpg := housetest.Photo(t, 1)
	a, err := s.Intake.In.Receive(ctx, o.ID, "u1", `C:\photos\a.jpg`, bytes.NewReader(jpg))
	require.NoError(t, err)
	assert.Equal(t, "a.jpg", a.Name)
	b, err := s.Intake.In.Receive(ctx, o.ID, "u1", "a.jpg", bytes.NewReader(jpg))
	require.NoError(t, err)
	assert.Equal(t, a.ID, b.ID, "the same upload")
	twin, err := s.Intake.In.Receive(ctx, o.ID, "u2", "copy of a.jpg", bytes.NewReader(jpg))
	require.NoError(t, err)
	assert.Equal(t, store.Refused, twin.State)
	assert.Contains(t, twin.Reason, "the same file as a.jpg")
	require.NoError(t, s.Intake.Material.Dismiss(ctx, o.ID, twin.ID))
	assert.Len(t, housetest.Load(t, s, o.ID).Media, 1)

	bad, err := s.Intake.In.Receive(ctx, o.ID, "u3", "letter.jpg", strings.NewReader("Dear studio"))
	require.NoError(t, err)
	require.NoError(t, s.Intake.Reader.Read(ctx, intake.Read{MediaID: bad.ID}))
	require.NoError(t, s.Intake.Reader.Read(ctx, intake.Read{MediaID: a.ID}))
	require.NoError(t, s.Intake.Reader.Read(ctx, intake.Read{MediaID: a.ID}), "an attempt after a crash")
	require.NoError(t, s.Intake.Reader.Read(ctx, intake.Read{MediaID: 12345}))
	w := housetest.Load(t, s, o.ID)
	assert.Equal(t, store.Ready, w.Media[0].State)
	assert.NotNil(t, w.Media[0].Thumbnail)
	assert.Equal(t, store.Refused, w.Media[1].State)
	assert.Contains(t, w.Media[1].Reason, "not a photo")
	require.NoError(t, s.Intake.Material.Dismiss(ctx, o.ID, a.ID),
		"only what is refused or waits can be dismissed")
	assert.Len(t, housetest.Load(t, s, o.ID).Media, 2)
	_, err = s.Intake.In.Receive(ctx, 999, "u4", "a.jpg", bytes.NewReader(jpg))
	assert.Error(t, err, "no such order")
}

// No file is forgotten when many come at once: a pour while others are still
// being read may be left out, the last one takes all.
func TestPoursTakeEverything(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	var jobs []intake.Read
	for i := range 4 {
		m, err := s.Intake.In.Receive(ctx, o.ID, fmt.Sprint(i), fmt.Sprint(i, ".jpg"),
			bytes.NewReader(housetest.Photo(t, i)))
		require.NoError(t, err)
		jobs = append(jobs, intake.Read{MediaID: m.ID, Song: true})
	}
	bad, err := s.Intake.In.Receive(ctx, o.ID, "bad", "bad.jpg", strings.NewReader("no picture"))
	require.NoError(t, err)
	pours := func() (n int) {
		require.NoError(t, s.Store.DB.Raw("SELECT count(*) FROM river_job WHERE kind = 'pour'").
			Scan(&n).Error)
		return n
	}
	for i, j := range append(jobs, intake.Read{MediaID: bad.ID}) {
		require.NoError(t, s.Intake.Reader.Read(ctx, j))
		assert.Equal(t, i+1, pours(), "each file brings a pour, refused ones too")
		require.NoError(t, s.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: o.ID}))
	}
	w := housetest.Load(t, s, o.ID)
	assert.Len(t, w.Doc.Uses(), 4)
	assert.LessOrEqual(t, w.Slideshow.Head, 3, "in few steps")
	head := w.Slideshow.Head
	require.NoError(t, s.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: o.ID}))
	same, err := s.Orders.Edits.Edit(ctx, o.ID, head, edit.Pour{Media: []doc.MediaID{w.Media[0].DocID()}},
		nil)
	require.NoError(t, err)
	assert.Equal(t, head, same, "an edit that changes nothing makes no revision")
}

// Many files at once wait for one another at most: none runs into a deadlock,
// and in the end the day sheet shows all of them.
func TestManyAtOnce(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	const n = 24
	var photos [n][]byte
	for i := range photos {
		photos[i] = housetest.Photo(t, i)
	}
	var wg sync.WaitGroup
	for i := range n {
		wg.Go(func() {
			m, err := s.Intake.In.Receive(ctx, o.ID, fmt.Sprint("many", i), fmt.Sprintf("%d.jpg", i),
				bytes.NewReader(photos[i]))
			if assert.NoError(t, err) {
				assert.NoError(t, s.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}))
			}
		})
	}
	wg.Wait()
	require.NoError(t, s.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: o.ID}))
	row, err := store.One[store.Order](s.Store.DB, "id = ?", o.ID)
	require.NoError(t, err)
	assert.Equal(t, "No music yet", row.StepText)
	assert.Len(t, row.Strip, 9)
	assert.Len(t, housetest.Load(t, s, o.ID).Doc.Uses(), n)
}

// A camera's clock is put right for its pictures alone; those without a time
// stay without one, and nothing happens for a camera nobody used.
func TestAWrongClock(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	housetest.Bring(t, s, o.ID, housetest.Three(t))
	set := func(name, camera string, at *time.Time) {
		require.NoError(t, s.Store.DB.Model(&store.Media{}).Where("name = ?", name).Select("Captured",
			"Seen").Updates(store.Media{
			Captured: at,
			Seen:     &store.Seen{Camera: camera},
		}).Error)
	}
	noon := time.Date(2026, 9, 12, 12, 0, 0, 0, time.UTC)
	set("a.jpg", "One", &noon)
	set("b.jpg", "Two", &noon)
	set("c.jpg", "Two", nil)
	n, err := s.Intake.Material.Shift(ctx, o.ID, "Two", -90*time.Minute)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	at := map[string]*time.Time{}
	for _, m := range housetest.Load(t, s, o.ID).Media {
		at[m.Name] = m.Captured
	}
	assert.True(t, at["a.jpg"].Equal(noon))
	assert.True(t, at["b.jpg"].Equal(noon.Add(-90*time.Minute)))
	assert.Nil(t, at["c.jpg"])
	for _, bad := range []struct {
		camera string
		by     time.Duration
	}{{"Three", time.Hour}, {"Two", 0}, {"Two", 500 * 24 * time.Hour}} {
		_, err := s.Intake.Material.Shift(ctx, o.ID, bad.camera, bad.by)
		var inv *invalid.Input
		assert.ErrorAs(t, err, &inv)
	}
}

// A picture that is not in the film is erased for good; steps of the history that
// showed it are told from others.
func TestErasingAPicture(t *testing.T) {
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	d := housetest.Load(t, h, id)
	m := d.Media[slices.IndexFunc(d.Media, func(m store.Media) bool { return m.Kind == doc.PhotoMedia })]
	var input *invalid.Input
	require.ErrorAs(t, h.Intake.Material.Erase(ctx, id, m.ID), &input, "it is in the film")
	shown := d.Slideshow.Head
	i := slices.IndexFunc(d.Doc.Slides, func(s doc.Slide) bool { return slices.Contains(s.Media, m.DocID()) })
	housetest.Edit(t, h, id, edit.Remove{Slides: []doc.SlideID{d.Doc.Slides[i].ID}})
	without := housetest.Load(t, h, id)
	require.False(t, without.Doc.Uses()[m.DocID()])
	other := housetest.Order(t, h)
	require.ErrorIs(t, h.Intake.Material.Erase(ctx, other.ID, m.ID), store.ErrNotFound)
	require.NoError(t, h.Intake.Material.Erase(ctx, id, m.ID))
	after := housetest.Load(t, h, id)
	assert.Len(t, after.Media, len(d.Media)-1)
	_, err := h.Orders.Edits.Undo(ctx, id, after.Slideshow.Head, nil)
	require.ErrorAs(t, err, &input)
	assert.Contains(t, input.Problem, "erased")
	_, err = h.Orders.Edits.GoTo(ctx, id, after.Slideshow.Head, shown, nil)
	require.ErrorAs(t, err, &input)
	assert.Equal(t, without.Slideshow.Head, housetest.Load(t, h, id).Slideshow.Head, "nothing moved")
	housetest.Edit(t, h, id, edit.Recast{})
	_, err = h.Orders.Edits.Undo(ctx, id, housetest.Load(t, h, id).Slideshow.Head, nil)
	require.NoError(t, err, "what never showed it is gone back to as ever")
	free, err := h.Store.FreeBlobs(ctx, 100)
	require.NoError(t, err)
	assert.False(t, slices.ContainsFunc(free, func(b store.Blob) bool {
		return b.SHA256 == m.SHA256
	}), "its grace is not over")
	require.NoError(t, h.Store.DB.Exec("UPDATE blobs SET touched_at = now() - interval '2 hours'").Error)
	_, err = h.Sweep(ctx, false)
	require.NoError(t, err)
	there, err := h.Blobs.Exists(ctx, m.SHA256)
	require.NoError(t, err)
	assert.False(t, there)
	deeds, err := h.Store.Trail(ctx, store.Asked{OrderID: id, What: store.DidDelete, Most: 9})
	require.NoError(t, err)
	assert.Len(t, deeds, 1)
}
