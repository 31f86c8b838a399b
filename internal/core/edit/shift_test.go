package edit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
)

// Slides move by so many places and stop at the ends: a title that opens and
// an end card that closes stay where they are. Slides that lie apart come
// together where the first of them goes.
func TestShift(t *testing.T) {
	film := func(order string) doc.Slideshow {
		d := doc.Slideshow{}
		for _, c := range strings.Split(order, "") {
			kind := doc.Pictures
			switch c {
			case "T":
				kind = doc.Opening
			case "E":
				kind = doc.Closing
			}
			d.Slides = append(d.Slides, doc.Slide{ID: doc.SlideID(c), Kind: kind})
		}
		return d
	}
	for _, c := range []struct {
		of, move string
		by       int
		want     string
	}{
		{"TabcdE", "b", 1, "TacbdE"},
		{"TabcdE", "b", -1, "TbacdE"},
		{"TabcdE", "a", -1, "TabcdE"},
		{"TabcdE", "a", -9, "TabcdE"},
		{"TabcdE", "a", 9, "TbcdaE"},
		{"TabcdE", "d", 1, "TabcdE"},
		{"TabcdE", "b", 0, "TabcdE"},
		{"abcd", "d", -3, "dabc"},
		{"abcd", "a", 3, "bcda"},
		{"TabcdeE", "bc", 1, "TadbceE"},
		{"TabcdeE", "bd", 1, "TacbdeE"},
		{"TabcdeE", "bd", -1, "TbdaceE"},
	} {
		var ids []doc.SlideID
		for _, s := range strings.Split(c.move, "") {
			ids = append(ids, doc.SlideID(s))
		}
		got, err := Shift{Slides: ids, By: c.by}.Apply(film(c.of), Context{})
		require.NoError(t, err)
		var order strings.Builder
		for _, s := range got.Slides {
			order.WriteString(string(s.ID))
		}
		assert.Equal(t, c.want, order.String(), "%s, %s by %d", c.of, c.move, c.by)
	}
	_, err := Shift{Slides: []doc.SlideID{"x"}, By: 1}.Apply(film("ab"), Context{})
	assert.ErrorIs(t, err, ErrGone)
}
