package edit

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/wording"
)

// An edit of a mixed choice is for what it can be for, says of how many, and
// refuses where that is nothing.
func TestEditsOfAMixedChoice(t *testing.T) {
	with, ids := shelf(5)
	d := must(t, must(t, doc.New("tideline", 7), Pour{ids}, with), AddCard{Words: doc.Words{
		Kind: "title",
		Main: "Noon",
	}}, with)
	var all, cards, pictures []doc.SlideID
	for _, s := range d.Slides {
		all = append(all, s.ID)
		if len(s.Media) > 0 {
			pictures = append(pictures, s.ID)
		} else {
			cards = append(cards, s.ID)
		}
	}
	size := func(l *design.Lettering) { l.Size = 2 }
	for _, x := range []struct {
		op    Op
		fits  []doc.SlideID
		never Op // the same for none it can be for
	}{
		{Caption{all, "Home"}, pictures, Caption{cards, "Home"}},
		{CaptionNames{all}, pictures, CaptionNames{cards}},
		{Lettering{all, size}, cards, Lettering{pictures, size}},
		{Motion{all, &design.Motion{Kind: design.Still}}, pictures, nil},
	} {
		narrow := Narrow(x.op, d, with)
		assert.Contains(t, narrow.Title(), wording.Counted(len(x.fits), "slide"))
		n := must(t, d, x.op, with)
		for i, s := range n.Slides {
			assert.Equal(t, assert.ObjectsAreEqual(d.Slides[i], s), !slices.Contains(x.fits, s.ID), "%s: %s",
				narrow.Title(), s.ID)
		}
		if x.never != nil {
			_, err := Do(d, x.never, with)
			require.ErrorIs(t, err, ErrInvalid)
		}
	}
	_, err := Do(d, Caption{append([]doc.SlideID{"s99"}, pictures...), "Home"}, with)
	require.ErrorIs(t, err, ErrGone, "what is gone is not passed over")
}
