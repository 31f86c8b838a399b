package edit

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/look"
	"nelko/internal/core/transition"
	"nelko/themes/themestest"
)

// An edit made for slides that are gone is refused, and never becomes one of the
// whole film.
func TestEditsOfGoneSlidesAreRefused(t *testing.T) {
	th, err := themestest.Shelf(t).Get("tideline")
	require.NoError(t, err)
	lib := doc.Library{}
	var ids []doc.MediaID
	for i := range 5 {
		id := doc.MediaID(fmt.Sprint("p", i))
		lib[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, W: 300, H: 200, Captured: time.Unix(int64(i), 0)}
		ids = append(ids, id)
	}
	with := Context{Theme: th, Library: lib}
	d, err := Do(doc.New("tideline", 1), Pour{Media: ids}, with)
	require.NoError(t, err)
	gone := []doc.SlideID{"gone"}
	for _, op := range []Op{
		Motion{
			Slides: gone,
			Motion: &design.Motion{Kind: "still"},
		}, MotionPart{Slides: gone}, Join{
			Slides: gone,
			Join:   &transition.Transition{Kind: "cut"},
		}, JoinPart{Slides: gone},
		CaptionStyle{
			Slides: gone,
			Style:  &design.Caption{},
		}, CaptionPart{Slides: gone}, Caption{
			Slides: gone,
			Text:   "x",
		}, CaptionNames{Slides: gone}, CaptionDescriptions{Slides: gone},
		BackdropPart{Slides: gone}, Backdrop{Slides: gone}, Layout{
			Slides: gone,
			Layout: "full",
		}, Time{Slides: gone, Linger: 2}, Time{Slides: gone, Unpin: true}, Lettering{Slides: gone},
		InManner{
			Manner: Manners[0],
			Slides: gone,
		}, Remove{Slides: gone}, Move{Slides: gone}, Shift{
			Slides: gone,
			By:     1,
		}, Group{Slides: gone}, Split{Slides: gone}, Spread{Slides: gone}, Again{Slides: gone},
		Chapter{
			Slides: gone,
			Text:   "x",
		}, CopySettings{
			From:   d.Slides[1].ID,
			Slides: gone,
			Kinds:  []string{"motion"},
		}, GiveSettings{Slides: gone}, Pause{Before: "gone"}, Picture{Slides: gone},
		LookPart{
			Media:  []doc.MediaID{"gone"},
			Change: func(l *look.Look) { l.Light = 1 },
		}, Shots{Media: []doc.MediaID{"gone"}},
	} {
		n, err := Do(d, Narrow(op, d, with), with)
		if assert.Error(t, err, "%T", op) {
			assert.ErrorIs(t, err, ErrGone, "%T: %v", op, err)
		}
		assert.Equal(t, d, n, "%T", op)
	}
}

// Slides keep their names when more comes in and when they are cast anew: one that shows
// what it showed is the one it was.
func TestSlidesKeepTheirNames(t *testing.T) {
	th, err := themestest.Shelf(t).Get("tideline")
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		lib := doc.Library{}
		var ids []doc.MediaID
		for i := range rapid.IntRange(4, 20).Draw(t, "pictures") {
			id := doc.MediaID(fmt.Sprint("p", i))
			w := rapid.SampledFrom([]int{300, 200}).Draw(t, "w")
			lib[id] = doc.Media{
				ID:       id,
				Kind:     doc.PhotoMedia,
				W:        w,
				H:        500 - w,
				Captured: time.Unix(int64(rapid.IntRange(0, 1000).Draw(t, "at")), 0),
			}
			ids = append(ids, id)
		}
		with := Context{Theme: th, Library: lib}
		first := rapid.IntRange(1, len(ids)-1).Draw(t, "first")
		d, err := Do(doc.New("tideline", 1), Pour{Media: ids[:first]}, with)
		require.NoError(t, err)
		var op Op = Pour{Media: ids[first:]}
		if rapid.Bool().Draw(t, "recast") {
			op = Recast{Seed: rapid.Uint64Range(1, 99).Draw(t, "seed")}
		}
		n, err := Do(d, op, with)
		require.NoError(t, err)
		shows := map[string]doc.SlideID{}
		for _, s := range d.Slides {
			if len(s.Media) > 0 {
				shows[fmt.Sprint(s.Media)] = s.ID
			}
		}
		known := map[doc.SlideID]int{}
		for _, s := range n.Slides {
			known[s.ID]++
			require.Equal(t, 1, known[s.ID], "one name, one slide")
			if id, same := shows[fmt.Sprint(s.Media)]; same {
				require.Equal(t, id, s.ID, "the slide of %v", s.Media)
			}
			if d.Index(s.ID) < 0 {
				require.Greater(t, number36(s.ID), d.LastSlide, "a new slide has a new name")
			}
		}
		// Every slide of before that shows something of what it showed is there as long as
		// some slide shows most of it.
		for _, s := range d.Slides {
			if len(s.Media) == 1 && n.Index(s.ID) >= 0 {
				require.Contains(t, n.Slides[n.Index(s.ID)].Media, s.Media[0])
			}
		}
	})
}

func number36(id doc.SlideID) (n int) {
	_, _ = fmt.Sscanf(string(id), "s%d", &n)
	return n
}
