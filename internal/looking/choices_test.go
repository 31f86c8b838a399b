package looking_test

import (
	"bytes"
	"image"
	"image/jpeg"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/look"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
	"nelko/internal/house/housetest"
	"nelko/internal/looking"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// A choice shows what comes of it: the same picture as when it is made, and as
// the whole film has it; nothing is kept by looking.
func TestChoicesShowWhatComes(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	w := housetest.Load(t, s, order)
	sl := w.Doc.Slides[2]
	slide, media := []doc.SlideID{sl.ID}, sl.Media
	about := s.Looking.Choices.About(w, sl.ID)
	head := w.Slideshow.Head
	plain, fresh, err := s.Looking.Choices.Chosen(ctx, orders.Seen{Order: order}, "plain", about,
		looking.Choice{
			Slide:  sl.ID,
			Longer: 160,
		})
	require.NoError(t, err)
	assert.True(t, fresh)
	for name, c := range map[string]struct {
		op   edit.Op
		kind looking.ChoiceKind
	}{
		"look": {edit.Shots{Media: media, Look: &look.Look{Saturation: -1}}, looking.Middle},
		"motion": {edit.MotionPart{
			Slides: slide,
			Change: func(m *design.Motion) { m.Kind, m.Zoom = design.In, 0.4 },
		}, looking.End},
		"join": {edit.JoinPart{
			Slides: slide,
			Change: func(j *transition.Transition) { j.Kind, j.Direction = "wipe", transition.Left },
		}, looking.IntoNext},
		"backdrop": {edit.Backdrop{
			Slides:   slide,
			Backdrop: &design.Backdrop{Kind: design.Plain},
		}, looking.Middle},
		"moving": {edit.MotionPart{
			Slides: slide,
			Change: func(m *design.Motion) { m.Kind = design.Pan },
		}, looking.Moving},
	} {
		broken := edit.MotionPart{Slides: slide, Change: func(*design.Motion) { panic("broken") }}
		assert.Panics(t, func() {
			_, _, _ = s.Looking.Choices.Chosen(ctx, orders.Seen{Order: order}, "broken", about,
				looking.Choice{
					Slide:  sl.ID,
					Op:     broken,
					Longer: 160,
				})
		}, "and the next choice is not held up by it")
		choice := looking.Choice{Slide: sl.ID, Op: c.op, Kind: c.kind, Longer: 160}
		before, _, err := s.Looking.Choices.Chosen(ctx, orders.Seen{Order: order}, name, about, choice)
		require.NoError(t, err, name)
		require.Equal(t, head, housetest.Load(t, s, order).Slideshow.Head)
		_, err = s.Orders.Edits.Edit(ctx, order, head, c.op, nil)
		require.NoError(t, err, name)
		made := housetest.Load(t, s, order)
		assert.NotEqual(t, about, s.Looking.Choices.About(made, sl.ID), name)
		choice.Op = nil
		after, _, err := s.Looking.Choices.Chosen(ctx, orders.Seen{Order: order}, name+" made",
			s.Looking.Choices.About(made, sl.ID), choice)
		require.NoError(t, err, name)
		assert.True(t, bytes.Equal(before, after), name)
		if name == "look" {
			p := made.Plan.Slides[2]
			lap := made.Plan.Slides[1].Overlap
			at := p.Start + lap + (p.Length-p.Overlap-1-lap)*2/3
			frame, err := s.Looking.Frame(ctx, orders.Seen{Order: order}, made.Slideshow.Head,
				timecode.Frames(at), 160)
			require.NoError(t, err)
			assert.Less(t, difference(t, frame, after), 3.0, "as in the whole film")
			assert.Greater(t, difference(t, plain, after), 6.0)
		}
		if name == "moving" {
			img, err := jpeg.Decode(bytes.NewReader(after))
			require.NoError(t, err)
			assert.Equal(t, image.Pt(160, 90*looking.Steps), img.Bounds().Size())
		}
		_, err = s.Orders.Edits.Undo(ctx, order, made.Slideshow.Head, nil)
		require.NoError(t, err)
		head = housetest.Load(t, s, order).Slideshow.Head
	}
	// A change elsewhere in the film leaves the pictures as they are.
	far := housetest.Load(t, s, order)
	_, err = s.Orders.Edits.Edit(ctx, order, far.Slideshow.Head, edit.Details{Values: map[string]string{}},
		nil)
	require.NoError(t, err)
	housetest.Edit(t, s, order, edit.Backdrop{
		Slides:   []doc.SlideID{far.Doc.Slides[len(far.Doc.Slides)-1].ID},
		Backdrop: &design.Backdrop{Kind: design.Plain},
	})
	now := housetest.Load(t, s, order)
	if len(now.Doc.Slides) > 4 {
		assert.Equal(t, about, s.Looking.Choices.About(now, sl.ID))
	}
	assert.Empty(t, s.Looking.Choices.About(now, "gone"))
	_, _, err = s.Looking.Choices.Chosen(ctx, orders.Seen{Order: order}, "x", about, looking.Choice{
		Slide:  "gone",
		Longer: 160,
	})
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, fresh, err = s.Looking.Choices.Chosen(ctx, orders.Seen{Order: order}, "y", "of another time",
		looking.Choice{
			Slide:  sl.ID,
			Longer: 160,
		})
	require.NoError(t, err)
	assert.False(t, fresh, "an address of another state is not remembered")
}

// difference is the mean difference of two pictures' code values.
func difference(t *testing.T, a, b []byte) float64 {
	x, err := jpeg.Decode(bytes.NewReader(a))
	require.NoError(t, err)
	y, err := jpeg.Decode(bytes.NewReader(b))
	require.NoError(t, err)
	require.Equal(t, x.Bounds(), y.Bounds())
	sum := 0.0
	for j := range x.Bounds().Dy() {
		for i := range x.Bounds().Dx() {
			r1, g1, b1, _ := x.At(i, j).RGBA()
			r2, g2, b2, _ := y.At(i, j).RGBA()
			for _, d := range [][2]uint32{{r1, r2}, {g1, g2}, {b1, b2}} {
				sum += math.Abs(float64(d[0])-float64(d[1])) / 257
			}
		}
	}
	return sum / float64(3*x.Bounds().Dx()*x.Bounds().Dy())
}

// What an opening's pictures depend on is other when the picture it shows goes,
// wherever that stands, and the same when another does.
func TestOpeningsDependOnTheirPicture(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	housetest.Edit(t, s, order, edit.Fit{Mode: doc.AtPace, Pace: 4}) // so that no length depends on what goes
	w := housetest.Load(t, s, order)
	opening := w.Doc.Slides[0]
	shown := scene.PictureOf(w.Doc, w.Theme, w.Library, opening)
	before := s.Looking.Choices.About(w, opening.ID)
	for _, sl := range []doc.Slide{w.Doc.Slides[3], w.Doc.Slides[2]} {
		require.Len(t, sl.Media, 1)
		if sl.Media[0] != shown {
			housetest.Edit(t, s, order, edit.LeaveOut{Media: sl.Media})
			w = housetest.Load(t, s, order)
			assert.Equal(t, before, s.Looking.Choices.About(w, opening.ID))
			break
		}
	}
	housetest.Edit(t, s, order, edit.LeaveOut{Media: []doc.MediaID{shown}})
	w = housetest.Load(t, s, order)
	assert.NotEqual(t, before, s.Looking.Choices.About(w, opening.ID))
}

// What a browser keeps of a picture is named by what stands behind it, not by what this
// process knows: another mark, or other facts of what is shown, is another name, and a
// restart is none.
func TestPicturesAreNamedByWhatStandsBehindThem(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	about := func() string {
		fresh := looking.New(s.Blobs, s.Orders, s.Looking.Kept, s.Looking.Sprites)
		defer fresh.Close()
		d := housetest.Load(t, s, order)
		return fresh.Choices.About(d, d.Doc.Slides[0].ID)
	}
	first := about()
	assert.NotEmpty(t, first)
	assert.Equal(t, first, about(), "a restart")
	require.NoError(t, s.Store.DB.Exec("UPDATE studio SET mark = 'Osprey Quay'").Error)
	marked := about()
	assert.NotEqual(t, first, marked)
	require.NoError(t, s.Store.DB.Exec("UPDATE media SET width = width + 2 WHERE order_id = ?", order).Error)
	assert.NotEqual(t, marked, about())
}
