package cast

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/themes/themestest"
)

func TestNamesOrderAsPeopleCount(t *testing.T) {
	names := []string{"IMG_10.jpg", "img_2.jpg", "IMG_1.jpg", "a 007.jpg", "a 7b.jpg", "z.jpg", "2.jpg",
		"10.jpg"}
	slices.SortFunc(names, CompareNames)
	assert.Equal(t, []string{"2.jpg", "10.jpg", "a 007.jpg", "a 7b.jpg", "IMG_1.jpg", "img_2.jpg",
		"IMG_10.jpg", "z.jpg"}, names)
}

func TestOrderByCaptureTimeThenName(t *testing.T) {
	at := func(m int) time.Time { return time.Date(2026, 9, 12, 10, m, 0, 0, time.UTC) }
	media := []doc.Media{
		{ID: "d", Name: "scan10.jpg"}, {ID: "c", Name: "scan9.jpg"},
		{
			ID:       "b",
			Name:     "x.jpg",
			Captured: at(5),
		}, {ID: "a", Name: "y.jpg", Captured: at(1)}, {ID: "a2", Name: "b.jpg", Captured: at(5)},
	}
	Order(media)
	var ids []string
	for _, m := range media {
		ids = append(ids, string(m.ID))
	}
	assert.Equal(t, []string{"a", "a2", "b", "c", "d"}, ids)
}

// Whatever comes in: no picture is left out, none is shown twice, no slide
// holds more than six, look-alikes never share one, nor do pictures of
// different moments; and the same seed gives the same slides.
func TestCastingRules(t *testing.T) {
	all, err := themestest.Shelf(t).All(), error(nil)
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		th := rapid.SampledFrom(all).Draw(t, "theme")
		var media []doc.Media
		at := time.Date(2026, 9, 12, 10, 0, 0, 0, time.UTC)
		for i := range rapid.IntRange(0, 60).Draw(t, "n") {
			m := doc.Media{
				ID:    doc.MediaID(fmt.Sprint(i)),
				Kind:  doc.PhotoMedia,
				W:     3000,
				H:     2000,
				Print: rapid.SampledFrom([]uint64{0, 1, 3, 0xffff0000ffff}).Draw(t, "print"),
			}
			switch rapid.IntRange(0, 5).Draw(t, "what") {
			case 0:
				m.Kind = doc.ClipMedia
			case 1, 2:
				m.W, m.H = 2000, 3000
			}
			at = at.Add(time.Duration(rapid.IntRange(1, 2000).Draw(t, "apart")) * time.Second)
			m.Captured = at
			media = append(media, m)
		}
		seed := rapid.Uint64().Draw(t, "seed")
		c := Caster{Theme: th}
		slides := c.Slides(media, seed)
		assert.Equal(t, slides, c.Slides(media, seed))
		lib := doc.Library{}
		for _, m := range media {
			lib[m.ID] = m
		}
		var shown []doc.MediaID
		for _, s := range slides {
			require.NotEmpty(t, s.Media)
			require.LessOrEqual(t, len(s.Media), 6)
			for i, id := range s.Media {
				shown = append(shown, id)
				for _, o := range s.Media[:i] {
					assert.False(t, Alike(lib[id], lib[o]), "look-alikes share a slide")
					assert.Equal(t, Shape(lib[id].Aspect()), Shape(lib[o].Aspect()))
				}
			}
		}
		require.Len(t, shown, len(media))
		for i, m := range media {
			assert.Equal(t, m.ID, shown[i], "in the order given")
		}
	})
}

// Spreading puts k clips into n stills so that runs of stills differ by at
// most one, and keeps everything.
func TestSpread(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n, k := rapid.IntRange(0, 40).Draw(t, "stills"), rapid.IntRange(0, 12).Draw(t, "clips")
		var in []doc.Slide
		for i := range k {
			in = append(in, doc.Slide{ID: doc.SlideID(fmt.Sprint("c", i)), Kind: doc.Clip})
		}
		for i := range n {
			in = append(in, doc.Slide{ID: doc.SlideID(fmt.Sprint("s", i)), Kind: doc.Pictures})
		}
		out := Spread(in)
		require.ElementsMatch(t, in, out)
		run, runs := 0, []int{}
		for _, s := range out {
			if s.Kind == doc.Clip {
				runs, run = append(runs, run), 0
			} else {
				run++
			}
		}
		runs = append(runs, run)
		if k > 0 {
			assert.LessOrEqual(t, slices.Max(runs)-slices.Min(runs), 1, "%v", runs)
		}
	})
}
