package orders_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/scene"
	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/invalid"
	"nelko/internal/making"
	"nelko/internal/media/pango"
	"nelko/internal/orders"
	"nelko/internal/store"
)

var ctx = context.Background()

func TestOrdersAreChecked(t *testing.T) {
	s := housetest.Open(t)
	good := orders.Head{Client: "A", Event: "B", Due: time.Now()}
	for field, n := range map[string]orders.New{
		"client": {Head: orders.Head{
			Client: "  ",
			Event:  "B",
			Due:    good.Due,
		}}, "event": {Head: orders.Head{
			Client: "A",
			Due:    good.Due,
		}}, "due": {Head: orders.Head{Client: "A", Event: "B"}},
		"client_email": {Head: orders.Head{
			Client:      "A",
			Event:       "B",
			Due:         good.Due,
			ClientEmail: "not an address",
		}}, "theme": {Head: good, Theme: "none"},
	} {
		_, err := s.Orders.Heads.Open(ctx, n, nil)
		var inv *invalid.Input
		require.ErrorAs(t, err, &inv, field)
		assert.Equal(t, field, inv.Field)
	}
	o, err := s.Orders.Heads.Open(ctx, orders.New{Head: good}, nil)
	require.NoError(t, err)
	good.Client = "C"
	require.NoError(t, s.Orders.Heads.Update(ctx, o.ID, good, nil))
	assert.Equal(t, "C", housetest.Load(t, s, o.ID).Order.Client)
	assert.ErrorIs(t, s.Orders.Heads.Update(ctx, 999, good, nil), store.ErrNotFound)
	_, err = s.Orders.Load(ctx, 999)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// The day of an order, by the one next thing it needs.
func TestTheNextStepFollowsFromFacts(t *testing.T) {
	s := housetest.Open(t)
	o, err := s.Orders.Heads.Open(ctx, orders.New{Head: orders.Head{
		Client: "A",
		Event:  "B",
		Due:    time.Now(),
	}}, nil)
	require.NoError(t, err)
	next := func() string {
		text := housetest.Load(t, s, o.ID).Next().Text
		row, err := store.One[store.Order](s.Store.DB, "id = ?", o.ID)
		require.NoError(t, err)
		assert.Equal(t, text, row.StepText, "the day sheet shows what is so")
		return text
	}
	assert.Equal(t, "Missing: Date", next())
	_, err = s.Orders.Edits.Edit(ctx, o.ID, 1, edit.Details{Values: map[string]string{
		"names": "X",
		"date":  "Y",
	}},
		nil)
	require.NoError(t, err)
	assert.Equal(t, "No pictures yet", next())
	m, err := s.Intake.In.Receive(ctx, o.ID, "u1", "a.jpg", bytes.NewReader(housetest.Photo(t, 1)))
	require.NoError(t, err)
	assert.Equal(t, "Reading 1 file", next())
	require.NoError(t, s.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}))
	require.NoError(t, s.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: o.ID}))
	assert.Equal(t, "No music yet", next())
	_, err = s.Making.Renders.Begin(ctx, o.ID, "")
	assert.ErrorContains(t, err, "No music yet")
	housetest.Bring(t, s, o.ID, map[string][]byte{"song.flac": housetest.Song(t, 16)})
	assert.Equal(t, "Ready to render", next(), "there is a fit: it was taken")
	_, err = s.Orders.Edits.Edit(ctx, o.ID, housetest.Load(t, s, o.ID).Slideshow.Head, edit.Fit{
		Mode: doc.AtPace,
		Pace: 2,
	}, nil)
	require.NoError(t, err)
	assert.Contains(t, next(), "longer than")
	_, err = s.Orders.Edits.Edit(ctx, o.ID, housetest.Load(t, s, o.ID).Slideshow.Head, housetest.ToMusic(),
		nil)
	require.NoError(t, err)
	assert.Equal(t, "Ready to render", next())
	r, err := s.Making.Renders.Begin(ctx, o.ID, "")
	require.NoError(t, err)
	again, err := s.Making.Renders.Begin(ctx, o.ID, "")
	require.NoError(t, err)
	assert.Equal(t, r.ID, again.ID, "pressed twice, rendered once")
	assert.Equal(t, "Rendering", next())
	require.NoError(t, s.Making.Renders.Cancel(ctx, o.ID, r.ID))
	require.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "w", true),
		"a cancelled render is not begun")
	assert.Equal(t, "Ready to render", next())
}

func TestEditsConflictAndUndo(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	housetest.Bring(t, s, o.ID, housetest.Three(t))
	mara, err := s.Accounts.Add(ctx, "mara@studio.example", "Mara", "a long password", store.Operator)
	require.NoError(t, err)
	w := housetest.Load(t, s, o.ID)
	base := w.Slideshow.Head
	first := w.Doc.Slides[1].ID

	wren, err := s.Accounts.Add(ctx, "wren@studio.example", "Wren", "a long password", store.Operator)
	require.NoError(t, err)
	h1, err := s.Orders.Edits.Edit(ctx, o.ID, base, edit.Time{
		Slides: []doc.SlideID{first},
		Linger: 2,
	}, &mara.ID)
	require.NoError(t, err)

	// Someone who still looks at the old revision is told who did what.
	_, err = s.Orders.Edits.Edit(ctx, o.ID, base, edit.Remove{Slides: []doc.SlideID{first}}, &wren.ID)
	var c *orders.Conflict
	require.ErrorAs(t, err, &c)
	assert.Equal(t, "Mara", c.By)
	assert.Contains(t, c.Error(), "Mara changed this slideshow meanwhile (set linger 2 on 1 slide)")
	assert.Equal(t, h1, housetest.Load(t, s, o.ID).Slideshow.Head, "nothing was overwritten")

	// The program's own pour in between is no conflict.
	housetest.Bring(t, s, o.ID, map[string][]byte{"d.jpg": housetest.Photo(t, 4)})
	assert.Greater(t, housetest.Load(t, s, o.ID).Slideshow.Head, h1)
	h2, err := s.Orders.Edits.Edit(ctx, o.ID, h1, edit.Time{Slides: []doc.SlideID{first}, Pin: 3}, &mara.ID)
	require.NoError(t, err)

	// Undo and redo walk the revisions; a new edit after an undo ends redo.
	u1, err := s.Orders.Edits.Undo(ctx, o.ID, h2, &mara.ID)
	require.NoError(t, err)
	assert.Zero(t, housetest.Load(t, s, o.ID).Doc.Slides[1].Pinned)
	assert.True(t, housetest.Load(t, s, o.ID).CanRedo)
	r1, err := s.Orders.Edits.Redo(ctx, o.ID, u1, &mara.ID)
	require.NoError(t, err)
	assert.Equal(t, h2, r1)
	_, err = s.Orders.Edits.Redo(ctx, o.ID, r1, &mara.ID)
	assert.ErrorContains(t, err, "nothing to redo")
	_, err = s.Orders.Edits.Undo(ctx, o.ID, r1, &mara.ID)
	require.NoError(t, err)
	h3, err := s.Orders.Edits.Edit(ctx, o.ID, u1, edit.Recast{Seed: 5}, &mara.ID)
	require.NoError(t, err)
	assert.False(t, housetest.Load(t, s, o.ID).CanRedo)

	// An undo that someone else does not know of is a conflict too.
	_, err = s.Orders.Edits.Undo(ctx, o.ID, h3, &mara.ID)
	require.NoError(t, err)
	_, err = s.Orders.Edits.Edit(ctx, o.ID, h3, edit.Recast{Seed: 6}, &mara.ID)
	require.ErrorAs(t, err, &c)

	// To the beginning and no further.
	for range 10 {
		w = housetest.Load(t, s, o.ID)
		if _, err = s.Orders.Edits.Undo(ctx, o.ID, w.Slideshow.Head, &mara.ID); err != nil {
			break
		}
	}
	assert.ErrorContains(t, err, "nothing to undo")
	assert.Empty(t, housetest.Load(t, s, o.ID).Doc.Slides)
}

// Several people at once: exactly one edit of the same revision succeeds. One
// person's quick presses all count, however late each hears of the one before.
func TestConcurrentEdits(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	const n = 6
	at := func(who func(i int) int64, pace float64) (ok int) {
		base := housetest.Load(t, s, o.ID).Slideshow.Head
		errs := make(chan error, n)
		for i := range n {
			author := who(i)
			go func() {
				_, err := s.Orders.Edits.Edit(ctx, o.ID, base, edit.Fit{
					Mode: doc.AtPace,
					Pace: pace + float64(i),
				}, &author)
				errs <- err
			}()
		}
		for range n {
			var c *orders.Conflict
			if err := <-errs; err == nil {
				ok++
			} else {
				assert.True(t, errors.As(err, &c), "%v", err)
			}
		}
		return ok
	}
	var users []int64
	for i := range n {
		u, err := s.Accounts.Add(ctx, fmt.Sprintf("u%d@studio.example", i), "U", "a long password",
			store.Operator)
		require.NoError(t, err)
		users = append(users, u.ID)
	}
	assert.Equal(t, 1, at(func(i int) int64 { return users[i] }, 5))
	assert.Equal(t, 2, housetest.Load(t, s, o.ID).Slideshow.Head)
	assert.Equal(t, n, at(func(int) int64 { return users[0] }, 20))
	assert.Equal(t, 2+n, housetest.Load(t, s, o.ID).Slideshow.Head)
}

// Words typed nearly on the edge of the title-safe area are put right on it,
// measured as they are set: with the title's own height.
func TestWordsSnapAsTheyAreSet(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	_, err := s.Orders.Edits.Edit(ctx, order, housetest.Load(t, s, order).Slideshow.Head,
		edit.AddCard{Words: doc.Words{
			Kind: "title",
			Main: "Half-time",
		}}, nil)
	require.NoError(t, err)
	w := housetest.Load(t, s, order)
	card := w.Doc.Slides[len(w.Doc.Slides)-2].ID
	set := func(at framing.Point) framing.Rect {
		w := housetest.Load(t, s, order)
		_, err := s.Orders.Edits.Edit(ctx, order, w.Slideshow.Head, edit.Words{
			Slide: card,
			Words: doc.Words{Kind: "title", Main: "Half-time", At: &at},
			Snap:  true,
		}, nil)
		require.NoError(t, err)
		w = housetest.Load(t, s, order)
		for _, sl := range scene.Build(w.Doc, w.Theme, w.Plan, w.Library, pango.Words,
			scene.Options{}).Slides {
			if sl.ID == card {
				return sl.Words
			}
		}
		return framing.Rect{}
	}
	box := set(framing.Point{X: 0.3, Y: 0.3})
	require.Positive(t, box.H)
	box = set(framing.Point{X: 0.05 + box.W/2 + 0.008, Y: 0.95 - box.H/2 - 0.008})
	assert.InDelta(t, 0.05, box.X, 1e-6)
	assert.InDelta(t, 0.95, box.Y+box.H, 1e-6)
}
