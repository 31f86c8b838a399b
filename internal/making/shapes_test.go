package making_test

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// A film in two shapes is made in both by one press: each in its own frame, the
// first alone as the order's film. What is framed otherwise in one changes that
// one's frames only.
func TestFilmsInTwoShapes(t *testing.T) {
	s := housetest.Open(t)
	id := housetest.Ready(t, s)
	upright := doc.Frame{W: 180, H: 320}
	housetest.Edit(t, s, id, edit.AddShape{Frame: upright})
	_, err := s.Making.Renders.BeginAll(ctx, id, making.Wanted{
		Profiles: []string{""},
		Shapes:   []doc.Frame{{W: 200, H: 200}},
	})
	require.ErrorContains(t, err, "not made in 1:1")
	for range 2 { // pressed twice
		made, err := s.Making.Renders.BeginAll(ctx, id, making.Wanted{
			Profiles: []string{""},
			Shapes:   []doc.Frame{{}, upright},
		})
		require.NoError(t, err)
		require.Len(t, made, 2)
	}
	var all []store.Render
	require.NoError(t, s.Store.DB.Order("id").Find(&all).Error)
	require.Len(t, all, 2)
	for i, want := range []string{"320,180", "180,320"} {
		all[i] = filmed(t, s, all[i].ID)
		assert.Equal(t, i == 0, all[i].Main)
		path, err := s.Blobs.Path(ctx, *all[i].SHA256)
		require.NoError(t, err)
		size, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v", "-show_entries",
			"stream=width,height", "-of", "csv=p=0", path).Output()
		require.NoError(t, err)
		assert.Equal(t, want, strings.Fields(string(size))[0])
	}
	d := housetest.Load(t, s, id)
	assert.Equal(t, making.FileName(d.Order, all[0]), d.Order.Client+" - "+d.Order.Event+".mp4")
	assert.Equal(t, making.FileName(d.Order, all[1]), d.Order.Client+" - "+d.Order.Event+" - 9x16.mp4")
	assert.Equal(t, all[0].ID, d.Last().ID, "the next step is told of the first shape")

	// An exception: seen in its shape, and by nobody else.
	look := func(of orders.Seen) []byte {
		d, err := s.Orders.See(ctx, of)
		require.NoError(t, err)
		b, err := s.Looking.Frame(ctx, of, d.Slideshow.Head, d.Plan.Slides[1].Start+40, 160)
		require.NoError(t, err)
		return b
	}
	first, there := orders.Seen{Order: id}, orders.Seen{Order: id, Shape: upright}
	wide, tall := look(first), look(there)
	_, err = s.Orders.Edits.EditSeen(ctx, there, d.Slideshow.Head, edit.Shots{
		Media: d.Doc.Slides[1].Media,
		Crop:  &framing.Rect{X: 0.5, Y: 0.5, W: 0.5, H: 0.5},
	}, nil)
	require.NoError(t, err)
	assert.Equal(t, wide, look(first))
	assert.NotEqual(t, tall, look(there))
	now := housetest.Load(t, s, id)
	assert.Contains(t, now.Revision.Title, "in 9:16")
	again, err := s.Making.Renders.BeginAll(ctx, id, making.Wanted{
		Profiles: []string{""},
		Shapes:   []doc.Frame{{}, upright},
	})
	require.NoError(t, err)
	for i, r := range again {
		assert.Equal(t, i == 0, *filmed(t, s, r.ID).SHA256 == *all[i].SHA256, "only the upright film differs")
	}
	// What was made is made again in its shape.
	r, err := s.Making.Renders.Again(ctx, id, all[1].ID)
	require.NoError(t, err)
	assert.Equal(t, *all[1].SHA256, *filmed(t, s, r.ID).SHA256)
}

// filmed makes a film that waits.
func filmed(t *testing.T, s *house.House, render int64) store.Render {
	t.Helper()
	require.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: render}, "w", true))
	r, err := store.One[store.Render](s.Store.DB, "id = ?", render)
	require.NoError(t, err)
	require.Equal(t, store.RenderDone, r.State, r.Error)
	return r
}
