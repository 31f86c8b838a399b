package doc

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nelko/internal/core/look"
)

func film(ids ...SlideID) Slideshow {
	d := New("tideline", 1)
	for _, id := range ids {
		d.Slides = append(d.Slides, Slide{
			ID:     id,
			Kind:   Pictures,
			Media:  []MediaID{MediaID("m" + id)},
			Linger: 1,
		})
	}
	return d
}

// What differs is found where it is, and nothing else.
func TestDiffer(t *testing.T) {
	before := film("a", "b", "c", "d")
	for name, x := range map[string]struct {
		change func(*Slideshow)
		want   Differences
	}{
		"nothing": {func(*Slideshow) {}, Differences{}},
		"a caption": {func(d *Slideshow) {
			d.Slides[1].Caption = "Home"
		}, Differences{Slides: []SlideID{"b"}}},
		"a picture's": {func(d *Slideshow) {
			d.Shots = map[MediaID]Shot{"mc": {Turn: 1}}
		}, Differences{Slides: []SlideID{"c"}}},
		"one more": {func(d *Slideshow) {
			d.Slides = append(d.Slides, Slide{ID: "e", Linger: 1})
		}, Differences{Slides: []SlideID{"e"}}},
		"one less": {func(d *Slideshow) {
			d.Slides = append(d.Slides[:1:1], d.Slides[2:]...)
		}, Differences{Gone: 1}},
		"moved": {func(d *Slideshow) {
			d.Slides[0], d.Slides[3] = d.Slides[3], d.Slides[0]
		}, Differences{Moved: true}},
		"how it was put": {func(d *Slideshow) { d.Slides[2].Placed = true }, Differences{}},
		"the theme":      {func(d *Slideshow) { d.Theme = "ledger" }, Differences{Whole: []string{"theme"}}},
		"words": {func(d *Slideshow) {
			d.Details["names"] = "x"
		}, Differences{Whole: []string{"words"}}},
		"the song": {func(d *Slideshow) {
			d.Soundtrack.LUFS = -18
		}, Differences{Whole: []string{"soundtrack"}}},
		"the fit": {func(d *Slideshow) {
			d.Fit.PaceSeconds = 9
		}, Differences{Whole: []string{"lengths"}}},
		"the look": {func(d *Slideshow) {
			d.Look = &look.Look{Light: 0.5}
		}, Differences{Whole: []string{"look"}}},
	} {
		after := before.Clone()
		x.change(&after)
		got := Differ(before, after)
		assert.Equal(t, x.want, got, name)
		assert.Equal(t, name == "nothing" || name == "how it was put", got.None(), name)
	}
}

// A film differs from itself in nothing, and what is new one way is gone the
// other.
func TestDifferBothWays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		pick := rapid.SliceOfDistinct(rapid.SampledFrom([]SlideID{"a", "b", "c", "d", "e", "f", "g"}),
			func(s SlideID) SlideID {
				return s
			})
		x, y := film(pick.Draw(t, "x")...), film(pick.Draw(t, "y")...)
		assert.True(t, Differ(x, x.Clone()).None())
		there, back := Differ(x, y), Differ(y, x)
		assert.Equal(t, len(there.Slides), back.Gone)
		assert.Equal(t, there.Gone, len(back.Slides))
		assert.Equal(t, there.Moved, back.Moved)
	})
}
