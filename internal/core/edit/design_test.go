package edit

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/cast"
	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/transition"
	"nelko/themes/themestest"
)

// byHand draws an edit of what an operator sets by hand.
func byHand(t *rapid.T, d doc.Slideshow) Op {
	var some []doc.SlideID
	var media []doc.MediaID
	for _, s := range d.Slides {
		if len(s.Media) > 0 && rapid.IntRange(0, 3).Draw(t, "pick") == 0 {
			some, media = append(some, s.ID), append(media, s.Media...)
		}
	}
	switch rapid.IntRange(0, 9).Draw(t, "edit") {
	case 0:
		return Caption{some, rapid.StringN(0, 40, 200).Draw(t, "caption")}
	case 1:
		return Motion{some, &design.Motion{Kind: design.Pan, Zoom: 0.1}}
	case 2:
		return Backdrop{some, &design.Backdrop{Kind: design.Texture, Texture: "linen", Contrast: 0.5}}
	case 3:
		return Join{some, &transition.Transition{Kind: "iris", Seconds: 0.5}}
	case 4:
		return Shots{Media: media, Focal: &framing.Point{X: 0.2, Y: 0.7}}
	case 5:
		return Shots{Media: media, Look: &look.Look{Saturation: -1}}
	case 6:
		return Time{Slides: some, Linger: 2}
	case 7:
		return AddCard{Words: doc.Words{Kind: "title", Main: "Noon"}}
	case 8:
		return Split{some}
	}
	return Shots{Media: media, Turn: rapid.IntRange(-3, 3).Draw(t, "turn")}
}

// Theme A → B → A gives the document back, whatever was set by hand before;
// and under B everything set by hand is still there.
func TestChangingThemesKeepsWhatIsSetByHand(t *testing.T) {
	all, err := themestest.Shelf(t).All(), error(nil)
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		with, ids := shelf(rapid.IntRange(1, 20).Draw(t, "photos"))
		d := must(t, doc.New("tideline", 7), Pour{ids}, with)
		for range rapid.IntRange(0, 8).Draw(t, "edits") {
			n, err := Do(d, byHand(t, d), with)
			if err == nil {
				d = n
			} else {
				assert.ErrorIs(t, err, ErrInvalid)
			}
		}
		b := rapid.SampledFrom(all).Draw(t, "theme")
		under := must(t, d, SetTheme{b.ID, b.Content, b.Name}, with)
		back := must(t, under, SetTheme{"tideline", "", "Tideline"}, with)
		assert.Equal(t, d, back)
		under.Theme, under.ThemeVersion = d.Theme, d.ThemeVersion
		assert.Equal(t, d, under, "nothing but the theme's name differs")
	})
}

// Recast with another seed leaves slides set by hand where they are, loses
// and doubles nothing, and the same seed gives the same film.
func TestRecastKeepsSlidesSetByHand(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		with, ids := shelf(rapid.IntRange(3, 24).Draw(t, "photos"))
		d := must(t, doc.New("tideline", 7), Pour{ids}, with)
		for range rapid.IntRange(0, 4).Draw(t, "edits") {
			if n, err := Do(d, byHand(t, d), with); err == nil {
				d = n
			}
		}
		seed := rapid.Uint64().Draw(t, "seed")
		r := must(t, d, Recast{seed}, with)
		assert.ElementsMatch(t, shown(d), shown(r))
		for _, s := range d.Slides {
			if s.ByHand() {
				i := r.Index(s.ID)
				require.GreaterOrEqual(t, i, 0)
				assert.Equal(t, s, r.Slides[i])
			}
		}
		layouts := func(d doc.Slideshow) (out []string) {
			for _, s := range d.Slides {
				l, _ := cast.Caster{Theme: with.Theme, Aspect: d.Aspect}.Layout(s, with.Library, d.Seed)
				out = append(out, fmt.Sprint(s.Kind, s.Media, l.ID))
			}
			return out
		}
		assert.Equal(t, layouts(r), layouts(must(t, d, Recast{seed}, with)))
		assert.Equal(t, layouts(r), layouts(must(t, r, Recast{seed}, with)),
			"recast again with the same seed")
	})
}

func TestGroupAndSplit(t *testing.T) {
	with, ids := shelf(6)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	d = must(t, d, Split{slideIDs(d)}, with)
	for _, s := range d.Slides {
		assert.LessOrEqual(t, len(s.Media), 1)
	}
	three := slideIDs(d)[1:4]
	g := must(t, d, Group{[]doc.SlideID{three[2], three[0], three[1]}}, with)
	assert.Equal(t, shown(d), shown(g), "the order of pictures stays")
	assert.Len(t, g.Slides[g.Index(three[0])].Media, 3)
	back := must(t, g, Split{[]doc.SlideID{three[0]}}, with)
	assert.Equal(t, shown(d), shown(back))
	_, err := Do(d, Group{slideIDs(d)}, with)
	assert.ErrorIs(t, err, ErrInvalid, "opening and closing cannot be put together with pictures")
	_, err = Do(d, Group{three[:1]}, with)
	assert.ErrorIs(t, err, ErrInvalid)
	_, err = Do(d, Group{[]doc.SlideID{"no"}}, with)
	assert.ErrorIs(t, err, ErrGone)
}

func slideIDs(d doc.Slideshow) (out []doc.SlideID) {
	for _, s := range d.Slides {
		out = append(out, s.ID)
	}
	return out
}

func TestBadDesignsAreRefused(t *testing.T) {
	with, ids := shelf(4)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	pic := d.Slides[1].ID
	for _, op := range []Op{
		Layout{[]doc.SlideID{pic}, "nonsense"}, Layout{[]doc.SlideID{pic}, "six"},
		Caption{[]doc.SlideID{d.Slides[0].ID}, "x"},
		Motion{[]doc.SlideID{pic}, &design.Motion{Kind: "bounce"}},
		Join{nil, &transition.Transition{Kind: "melt"}},
		Shots{
			Media: []doc.MediaID{"p0"},
			Trim:  &doc.Trim{From: 1, To: 2},
		}, Shots{Media: []doc.MediaID{"p0"}, Focal: &framing.Point{X: 3}},
		Words{
			Slide: pic,
			Words: doc.Words{Kind: "title"},
		}, AddCard{Words: doc.Words{Kind: "sonnet"}}, Sort{By: "mood"}, Shape{doc.Frame{W: 7, H: 7}},
		SetTheme{},
	} {
		n, err := Do(d, op, with)
		assert.ErrorIs(t, err, ErrInvalid, "%T", op)
		assert.Equal(t, d, n, "%T changes nothing", op)
	}
	for _, op := range []Op{Caption{[]doc.SlideID{"no"}, "x"}, Shots{Media: []doc.MediaID{"no"}},
		Decorate{Index: 3}, AddCard{
			Words:  doc.Words{Kind: "title"},
			Before: "no",
		}} {
		_, err := Do(d, op, with)
		assert.ErrorIs(t, err, ErrGone, "%T", op)
	}
}

// Turning twice by hand is half a turn, and what lay in the picture as it was
// is forgotten; putting it back as received forgets everything.
func TestShots(t *testing.T) {
	with, ids := shelf(3)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	p := []doc.MediaID{"p0"}
	d = must(t, d, Shots{Media: p, Focal: &framing.Point{X: 0.1, Y: 0.1}}, with)
	d = must(t, d, Shots{Media: p, Turn: 1}, with)
	assert.Nil(t, d.Shot("p0").Focal)
	d = must(t, d, Shots{Media: p, Turn: 1}, with)
	assert.Equal(t, 2, d.Shot("p0").Turn)
	w, h := d.Size(with.Library["p0"])
	assert.Equal(t, [2]float64{3000, 2000}, [2]float64{w, h})
	d = must(t, d, Shots{Media: p, Turn: -1}, with)
	w, h = d.Size(with.Library["p0"])
	assert.Equal(t, [2]float64{2000, 3000}, [2]float64{w, h})
	d = must(t, d, Shots{Media: p, Anew: true}, with)
	assert.Empty(t, d.Shots)
}

// Decor goes on, changes and comes off.
func TestDecorate(t *testing.T) {
	with, ids := shelf(3)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	snow := doc.Laid{
		From:  d.Slides[0].ID,
		To:    d.Slides[1].ID,
		Decor: design.Decor{Kind: design.Drift, Particles: "snow", Density: 1, Opacity: 1},
	}
	on := must(t, d, Decorate{Index: -1, Laid: &snow}, with)
	require.Len(t, on.Decor, 1)
	leaves := snow
	leaves.Particles = "leaves"
	on = must(t, on, Decorate{Laid: &leaves}, with)
	assert.Equal(t, design.Particles("leaves"), on.Decor[0].Particles)
	off := must(t, on, Decorate{}, with)
	assert.Empty(t, off.Decor)
}

// What is set for the whole film holds for slides without exceptions, and
// comes off again.
func TestWholeFilm(t *testing.T) {
	with, ids := shelf(3)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	style := design.Caption{
		Type:   design.Type{Size: 0.05},
		Anchor: "upper",
		Width:  0.5,
		At:     &framing.Point{X: 0.5, Y: 0.2},
	}
	on := must(t, d, CaptionStyle{Style: &style}, with)
	on = must(t, on, CaptionStyle{
		Slides: []doc.SlideID{on.Slides[1].ID},
		Style:  &design.Caption{Type: design.Type{Size: 0.08}, Anchor: "lower", Width: 1},
	}, with)
	on = must(t, on, Look{&look.Look{Saturation: -1}}, with)
	assert.Equal(t, "upper", on.CaptionStyle.Anchor)
	assert.True(t, on.Slides[1].ByHand(), "an exception is set by hand")
	assert.False(t, on.Slides[2].ByHand())
	b, err := on.Marshal()
	require.NoError(t, err)
	back, err := doc.Parse(b)
	require.NoError(t, err)
	assert.Equal(t, on, back)
	off := must(t, on, CaptionStyle{}, with)
	off = must(t, off, CaptionStyle{Slides: []doc.SlideID{off.Slides[1].ID}}, with)
	off = must(t, off, Look{}, with)
	assert.Equal(t, d, off)
	for _, bad := range []design.Caption{{
		Type:   design.Type{Size: 0.05},
		Anchor: "upper",
		Width:  5,
	}, {
		Type:   design.Type{Size: 3},
		Anchor: "upper",
		Width:  1,
	}, {Type: design.Type{Size: 0.05}, Anchor: "sky", Width: 1},
		{
			Type:   design.Type{Size: 0.05},
			Anchor: "upper",
			Width:  1,
			At:     &framing.Point{X: 1.2},
		}, {Type: design.Type{Size: 0.05}, Anchor: "upper", Width: 1, Enter: "jump"}} {
		_, err := Do(d, CaptionStyle{Style: &bad}, with)
		assert.ErrorIs(t, err, ErrInvalid, "%+v", bad)
	}
}

// Framings drawn on the whole picture become framings of its crop.
func TestFramingByHand(t *testing.T) {
	with, ids := shelf(3)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	i := slices.IndexFunc(d.Slides, func(s doc.Slide) bool {
		return s.Kind == doc.Pictures && len(s.Media) == 1
	})
	require.GreaterOrEqual(t, i, 0)
	s := d.Slides[i]
	crop := framing.Rect{X: 0.5, Y: 0, W: 0.5, H: 1}
	d = must(t, d, Shots{Media: s.Media, Crop: &crop}, with)
	got := must(t, d, Framing{
		Slides: []doc.SlideID{s.ID},
		From:   framing.Rect{X: 0.6, Y: 0.2, W: 0.2, H: 0.2},
		To:     framing.Rect{X: 0.25, Y: 0, W: 0.75, H: 1},
	}, with).Slides[i].Motion
	assert.Equal(t, design.ByHand, got.Kind)
	for _, v := range []struct {
		want, got framing.Rect
	}{{framing.Rect{X: 0.2, Y: 0.2, W: 0.4, H: 0.2}, got.From}, {framing.Rect{W: 1, H: 1}, got.To}} {
		assert.InDeltaSlice(t, []float64{v.want.X, v.want.Y, v.want.W, v.want.H}, []float64{v.got.X, v.got.Y,
			v.got.W, v.got.H}, 1e-9)
	}
	_, err := Do(d, Framing{
		Slides: []doc.SlideID{s.ID},
		From:   framing.Rect{W: 0.4, H: 1},
		To:     framing.Rect{W: 1, H: 1},
	}, with)
	assert.ErrorIs(t, err, ErrInvalid, "a framing outside the crop")
	_, err = Do(d, Framing{Slides: []doc.SlideID{d.Slides[0].ID}}, with)
	assert.ErrorIs(t, err, ErrInvalid, "the opening has no picture of its own to frame")
}

// A picture laid over slides: its path snaps, its range is put in order, and
// only a photo of the order will do.
func TestPictureLaidOver(t *testing.T) {
	with, ids := shelf(3)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	pic := design.Decor{
		Kind:    design.Sprite,
		Media:   "p0",
		Size:    0.3,
		Opacity: 1,
		Path:    []design.Waypoint{{X: 0.51, Y: 0.5}, {At: 1, X: 0.84, Y: 0.3, Size: 0.5}},
	}
	last := len(d.Slides) - 1
	on := must(t, d, Decorate{
		Index: -1,
		Laid:  &doc.Laid{From: d.Slides[last].ID, To: d.Slides[1].ID, Decor: pic},
		Snap:  true,
	}, with)
	laid := on.Decor[0]
	assert.Equal(t, [2]doc.SlideID{d.Slides[1].ID, d.Slides[last].ID}, [2]doc.SlideID{laid.From, laid.To})
	assert.Equal(t, 0.5, laid.Path[0].X)
	// Half as large at its end: 0.15 wide, its right side on the action-safe edge is 0.89, on the
	// title-safe edge 0.875.
	assert.Equal(t, 0.84, laid.Path[1].X, "too far from any")
	assert.Equal(t, 0.51, pic.Path[0].X, "what was given is not changed")
	for _, m := range []string{"song", "gone"} {
		pic.Media = m
		_, err := Do(d, Decorate{
			Index: -1,
			Laid:  &doc.Laid{From: d.Slides[1].ID, To: d.Slides[1].ID, Decor: pic},
		}, with)
		assert.ErrorIs(t, err, ErrInvalid, m)
	}
}
