package edit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/transition"
)

// Settings go from one slide to others by the kinds that are ticked; pictures,
// words, positions and crops stay.
func TestCopySettings(t *testing.T) {
	with, ids := shelf(6)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	from, a, b := d.Slides[1], d.Slides[2].ID, d.Slides[3].ID
	pa := d.Slides[2].Media[0]
	d = must(t, d, Motion{
		Slides: []doc.SlideID{from.ID},
		Motion: &design.Motion{Kind: design.Pan, Zoom: 0.3},
	}, with)
	d = must(t, d, Join{
		Slides: []doc.SlideID{from.ID},
		Join:   &transition.Transition{Kind: "iris", Seconds: 1},
	}, with)
	d = must(t, d, Shots{
		Media: from.Media,
		Look:  &look.Look{Saturation: -1},
		Scale: new(0.8),
		Crop:  &framing.Rect{W: 0.5, H: 0.5},
	}, with)
	d = must(t, d, Caption{Slides: []doc.SlideID{a}, Text: "stays"}, with)
	d = must(t, d, Shots{Media: []doc.MediaID{pa}, Crop: &framing.Rect{X: 0.1, W: 0.9, H: 1}}, with)
	n := must(t, d, CopySettings{
		From:   from.ID,
		Slides: []doc.SlideID{from.ID, a, b},
		Kinds:  []string{"motion", "look"},
	}, with)
	for _, id := range []doc.SlideID{a, b} {
		s := n.Slides[n.Index(id)]
		assert.Equal(t, design.Pan, s.Motion.Kind)
		assert.Nil(t, s.Join, "not ticked")
		assert.Equal(t, -1.0, n.Shot(s.Media[0]).Look.Saturation)
		assert.Zero(t, n.Shot(s.Media[0]).Scale, "not ticked")
	}
	assert.Equal(t, "stays", n.Slides[n.Index(a)].Caption)
	assert.Equal(t, 0.9, n.Shot(pa).Crop.W, "a crop is the picture's own")
	all := must(t, n, CopySettings{From: b, Slides: []doc.SlideID{from.ID}, Kinds: CopyKinds}, with)
	assert.Nil(t, all.Slides[1].Join, "what the theme rules there it rules here")
	assert.Equal(t, 0.5, all.Shot(from.Media[0]).Crop.W)
	_, err := Do(d, CopySettings{From: from.ID, Slides: []doc.SlideID{a}, Kinds: []string{"charm"}}, with)
	assert.ErrorIs(t, err, ErrInvalid)
	_, err = Do(d, CopySettings{From: "gone", Slides: []doc.SlideID{a}}, with)
	assert.ErrorIs(t, err, ErrGone)
}

// A slide shown again is one more slide with the same picture; a replaced
// picture takes over all but what could be seen in the old one. No medium is
// lost by either.
func TestAgainAndReplace(t *testing.T) {
	with, ids := shelf(5)
	d := must(t, doc.New("tideline", 7), Pour{ids[:4]}, with)
	s := d.Slides[2]
	d = must(t, d, Caption{Slides: []doc.SlideID{s.ID}, Text: "Twice"}, with)
	n := must(t, d, Again{[]doc.SlideID{s.ID}}, with)
	require.Len(t, n.Slides, len(d.Slides)+1)
	assert.Equal(t, s.Media, n.Slides[3].Media)
	assert.Equal(t, "Twice", n.Slides[3].Caption)
	assert.NotEqual(t, s.ID, n.Slides[3].ID)
	_, err := Do(d, Again{[]doc.SlideID{d.Slides[0].ID}}, with)
	assert.ErrorIs(t, err, ErrInvalid)

	d = must(t, d, Shots{Media: s.Media[:1], Look: &look.Look{Fade: 0.4}, Turn: 1}, with)
	n = must(t, d, Replace{s.ID, s.Media[0], ids[4]}, with)
	assert.Equal(t, ids[4], n.Slides[2].Media[0])
	assert.Equal(t, "Twice", n.Slides[2].Caption)
	assert.Equal(t, doc.Shot{Look: &look.Look{Fade: 0.4}}, n.Shot(ids[4]))
	assert.Contains(t, n.LeftOut, s.Media[0])
	twice := must(t, must(t, d, Again{[]doc.SlideID{s.ID}}, with), Replace{s.ID, s.Media[0], ids[4]}, with)
	assert.NotContains(t, twice.LeftOut, s.Media[0], "it is still shown elsewhere")
	_, err = Do(d, Replace{s.ID, ids[4], ids[3]}, with)
	assert.ErrorIs(t, err, ErrGone)

	// What was put in place by hand stays there if it is to; the rest is put in
	// order around it.
	moved := must(t, d, Move{Slides: []doc.SlideID{d.Slides[4].ID}, Before: d.Slides[1].ID}, with)
	stays := moved.Slides[1].ID
	kept := must(t, moved, Sort{By: "reverse", Keep: true}, with)
	assert.Equal(t, stays, kept.Slides[1].ID)
	assert.Equal(t, moved.Slides[2].ID, kept.Slides[len(kept.Slides)-2].ID)
	assert.NotEqual(t, stays, must(t, moved, Sort{By: "reverse"}, with).Slides[1].ID)
	back := must(t, must(t, d, Sort{By: "reverse"}, with), Sort{By: "reverse"}, with)
	assert.Equal(t, shown(d), shown(back))
}

// What is left out goes from every slide that shows it and from the
// soundtrack; slides with other pictures keep those, and it can come back.
func TestLeaveOut(t *testing.T) {
	with, ids := shelf(6)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	d = must(t, d, Group{[]doc.SlideID{d.Slides[1].ID, d.Slides[2].ID}}, with)
	d = must(t, d, Again{[]doc.SlideID{d.Slides[1].ID}}, with)
	gone := d.Slides[1].Media[0]
	alone := d.Slides[3].Media[0]
	n := must(t, d, LeaveOut{Media: []doc.MediaID{gone, alone}}, with)
	assert.Len(t, n.Slides, len(d.Slides)-1)
	for _, s := range n.Slides {
		assert.NotContains(t, s.Media, gone)
	}
	assert.Len(t, n.Slides[2].Media, len(d.Slides[2].Media)-1)
	assert.ElementsMatch(t, []doc.MediaID{gone, alone}, n.LeftOut)
	back := must(t, n, Restore{[]doc.MediaID{gone}}, with)
	assert.True(t, back.Uses()[gone])
	// What is done away with is not remembered as left out: should it come again, it is new.
	away := must(t, n, LeaveOut{Media: []doc.MediaID{gone}, Gone: true}, with)
	assert.Equal(t, []doc.MediaID{alone}, away.LeftOut)
	assert.NotContains(t, must(t, d, LeaveOut{Media: []doc.MediaID{gone}, Gone: true}, with).LeftOut, gone)
	_, err := Do(d, LeaveOut{Media: []doc.MediaID{"none"}}, with)
	assert.ErrorIs(t, err, ErrGone)
}

func TestCaptionNames(t *testing.T) {
	with, ids := shelf(3)
	m := with.Library[ids[0]]
	m.Name = "Quay_at  noon.v2.JPG"
	with.Library[ids[0]] = m
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	var shows doc.SlideID
	for _, s := range d.Slides {
		if len(s.Media) == 1 && s.Media[0] == ids[0] {
			shows = s.ID
		}
	}
	n := must(t, d, CaptionNames{[]doc.SlideID{shows}}, with)
	assert.Equal(t, "Quay at noon.v2", n.Slides[n.Index(shows)].Caption)
	_, err := Do(d, CaptionNames{[]doc.SlideID{d.Slides[0].ID}}, with)
	assert.ErrorIs(t, err, ErrInvalid)
}
