package edit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/look"
	"nelko/internal/core/transition"
)

// What is touched is written to all that is chosen; what they differ in stays
// as each has it, and what is not chosen is left alone.
func TestPartsLeaveTheRest(t *testing.T) {
	with, ids := shelf(5)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	a, b, other := d.Slides[1], d.Slides[2], d.Slides[3]
	both := []doc.SlideID{a.ID, b.ID}
	slide := func(id doc.SlideID) doc.Slide { return d.Slides[d.Index(id)] }

	d = must(t, d, Motion{
		Slides: []doc.SlideID{a.ID},
		Motion: &design.Motion{Kind: design.Pan, Zoom: 0.3, Ease: "linear"},
	}, with)
	d = must(t, d, MotionPart{Slides: both, Change: func(m *design.Motion) { m.Zoom = 0.2 }}, with)
	assert.Equal(t, design.Motion{Kind: design.Pan, Zoom: 0.2, Ease: "linear"}, *slide(a.ID).Motion)
	assert.Equal(t, 0.2, slide(b.ID).Motion.Zoom)
	assert.Equal(t, with.Theme.Motion.Ease, slide(b.ID).Motion.Ease, "begins with what holds there")
	assert.Nil(t, slide(other.ID).Motion)
	d = must(t, d, Motion{Slides: []doc.SlideID{a.ID}, Motion: &design.Motion{Kind: design.Still}}, with)
	d = must(t, d, MotionPart{Slides: both, Change: func(m *design.Motion) { m.Kind = design.In }}, with)
	assert.Positive(t, slide(a.ID).Motion.Zoom, "a motion that was still gets a zoom to move by")

	pa, pb := a.Media[0], b.Media[0]
	d = must(t, d, Shots{Media: []doc.MediaID{pa}, Look: &look.Look{Light: 0.4, Grain: 0.2}}, with)
	d = must(t, d, LookPart{
		Media:  []doc.MediaID{pa, pb},
		Change: func(l *look.Look) { l.Saturation = -0.5 },
	}, with)
	assert.Equal(t, look.Look{Light: 0.4, Grain: 0.2, Saturation: -0.5}, *d.Shot(pa).Look)
	want := with.Theme.Look
	want.Saturation = -0.5
	assert.Equal(t, want, *d.Shot(pb).Look)
	d = must(t, d, LookPart{Change: func(l *look.Look) { l.Fade = 0.3 }}, with)
	assert.Equal(t, 0.3, d.Look.Fade)
	assert.Equal(t, 0.2, d.Shot(pa).Look.Grain)
	d = must(t, d, Shots{Media: []doc.MediaID{pa}, AsFilm: true}, with)
	assert.Nil(t, d.Shot(pa).Look)

	style := with.Theme.Caption
	style.Size = 0.08
	d = must(t, d, CaptionStyle{Slides: []doc.SlideID{a.ID}, Style: &style}, with)
	d = must(t, d, CaptionPart{Slides: both, Change: func(c *design.Caption) { c.Anchor = "upper" }}, with)
	assert.Equal(t, 0.08, slide(a.ID).CaptionStyle.Size)
	assert.Equal(t, with.Theme.Caption.Size, slide(b.ID).CaptionStyle.Size)
	assert.Equal(t, "upper", slide(b.ID).CaptionStyle.Anchor)

	_, err := Do(d, BackdropPart{Slides: both, Change: func(b *design.Backdrop) { b.Moves = true }}, with)
	assert.ErrorContains(t, err, "choose a backdrop first")
	d = must(t, d, Backdrop{
		Slides:   []doc.SlideID{a.ID},
		Backdrop: &design.Backdrop{Kind: design.Plain},
	}, with)
	d = must(t, d, BackdropPart{Slides: both, Change: func(b *design.Backdrop) { b.Moves = true }}, with)
	assert.True(t, slide(a.ID).Backdrop.Moves)
	assert.Nil(t, slide(b.ID).Backdrop, "the theme's own is not touched")

	_, err = Do(d, LookPart{Media: []doc.MediaID{pa}, Change: func(l *look.Look) { l.Light = 3 }}, with)
	assert.ErrorIs(t, err, ErrInvalid)
}

// A length for all transitions leaves each the kind it has; a kind for all is
// one transition for all.
func TestPartsOfAllTransitions(t *testing.T) {
	with, ids := shelf(5)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	d = must(t, d, Join{
		Slides: []doc.SlideID{d.Slides[2].ID},
		Join:   &transition.Transition{Kind: "wipe", Direction: transition.Up, Seconds: 1},
	}, with)
	short := must(t, d, JoinPart{Change: func(j *transition.Transition) { j.Seconds = 0.3 }}, with)
	for i, s := range short.Slides[:len(short.Slides)-1] {
		require.NotNil(t, s.Join)
		assert.Equal(t, 0.3, s.Join.Seconds)
		if i == 2 {
			assert.Equal(t, transition.Up, s.Join.Direction)
			assert.Equal(t, transition.Kind("wipe"), s.Join.Kind)
		} else {
			assert.Equal(t, with.Theme.JoinOf(i, d.Seed).Kind, s.Join.Kind)
		}
	}
	all := must(t, short, JoinPart{
		All:    true,
		Change: func(j *transition.Transition) { j.Kind = "iris" },
	}, with)
	assert.Equal(t, transition.Kind("iris"), all.Join.Kind)
	for _, s := range all.Slides {
		assert.Nil(t, s.Join)
	}
	cut := must(t, all, JoinPart{
		Slides: []doc.SlideID{d.Slides[1].ID},
		Change: func(j *transition.Transition) { j.Kind = "cut" },
	}, with)
	assert.Zero(t, cut.Slides[1].Join.Seconds)
	back := must(t, cut, JoinPart{
		Slides: []doc.SlideID{d.Slides[1].ID},
		Change: func(j *transition.Transition) { j.Kind = "dissolve" },
	}, with)
	assert.Positive(t, back.Slides[1].Join.Seconds, "a transition that was a cut gets a length")
}

// A length is typed in seconds, frames or timecode.
func TestPinnedAsTyped(t *testing.T) {
	with, ids := shelf(2)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	id := []doc.SlideID{d.Slides[1].ID}
	for typed, want := range map[string]float64{
		"4.5":        4.5,
		"4,5":        4.5,
		"2 s":        2,
		"1:02.5":     62.5,
		"108f":       3.6,
		"0:00:04:12": 4.4,
	} {
		assert.InDelta(t, want, must(t, d, Time{
			Slides: id,
			Typed:  typed,
		}, with).Slides[1].Pinned, 1e-9, typed)
	}
	for _, typed := range []string{"a while", "-3", "0", "1:75", "10.5f", "0:00:04:42", "1e3", "::"} {
		_, err := Do(d, Time{Slides: id, Typed: typed}, with)
		assert.ErrorIs(t, err, ErrInvalid, typed)
	}
}
