package edit

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/themes"
)

// shelf is a library of n photos, every third upright, two clips and a song.
func shelf(n int) (Context, []doc.MediaID) {
	shipped, err := themes.Shipped()
	if err != nil {
		panic(err)
	}
	t, err := shipped.Get("tideline")
	if err != nil {
		panic(err)
	}
	lib := doc.Library{}
	var ids []doc.MediaID
	add := func(m doc.Media) {
		lib[m.ID] = m
		ids = append(ids, m.ID)
	}
	for i := range n {
		m := doc.Media{
			ID:       doc.MediaID(fmt.Sprintf("p%d", i)),
			Kind:     doc.PhotoMedia,
			Name:     fmt.Sprintf("IMG_%d.jpg", i),
			W:        3000,
			H:        2000,
			Captured: time.Date(2026, 9, 12, 10, i, 0, 0, time.UTC),
		}
		if i%3 == 2 {
			m.W, m.H = 2000, 3000
		}
		add(m)
	}
	add(doc.Media{ID: "c1", Kind: doc.ClipMedia, Name: "clip.mp4", W: 1280, H: 720, Length: 3 * 48000})
	add(doc.Media{ID: "song", Kind: doc.SongMedia, Name: "song.flac", Length: 120 * 48000})
	return Context{Theme: t, Library: lib}, ids
}

func must(t require.TestingT, d doc.Slideshow, op Op, with Context) doc.Slideshow {
	n, err := Do(d, op, with)
	require.NoError(t, err)
	return n
}

func shown(d doc.Slideshow) (out []doc.MediaID) {
	for _, s := range d.Slides {
		out = append(out, s.Media...)
	}
	return out
}

func TestPourCastsEverythingOnceBetweenOpeningAndClosing(t *testing.T) {
	with, ids := shelf(12)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	assert.Equal(t, doc.Opening, d.Slides[0].Kind)
	assert.Equal(t, doc.Closing, d.Slides[len(d.Slides)-1].Kind)
	assert.ElementsMatch(t, ids[:13], shown(d))
	assert.Equal(t, []doc.MediaID{"song"}, d.Soundtrack.Songs())
	assert.Equal(t, "p0", string(shown(d)[0]), "in capture order")
	assert.Equal(t, d, must(t, d, Pour{ids}, with), "pouring again changes nothing")

	_, err := Do(d, Pour{[]doc.MediaID{"nobody"}}, with)
	assert.ErrorIs(t, err, ErrGone)
}

func TestLateArrivalsJoinInCaptureOrderUntilSomethingWasPlaced(t *testing.T) {
	with, ids := shelf(9)
	d := must(t, doc.New("tideline", 7), Pour{ids[1:]}, with)
	assert.Equal(t, "p0", string(shown(must(t, d, Pour{ids[:1]}, with))[0]))

	last := d.Slides[len(d.Slides)-2].ID
	placed := must(t, d, Move{Slides: []doc.SlideID{last}, Before: d.Slides[1].ID}, with)
	late := must(t, placed, Pour{ids[:1]}, with)
	assert.Equal(t, placed.Slides[:len(placed.Slides)-1], late.Slides[:len(placed.Slides)-1],
		"nothing placed by hand moves")
	assert.Equal(t, "p0", string(late.Slides[len(late.Slides)-2].Media[0]))
}

func TestMoveKeepsOpeningAndClosing(t *testing.T) {
	with, ids := shelf(9)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	n := len(d.Slides)
	a, b := d.Slides[1].ID, d.Slides[3].ID
	m := must(t, d, Move{[]doc.SlideID{b, a}, ""}, with)
	assert.Equal(t, []doc.SlideID{a, b}, []doc.SlideID{m.Slides[n-3].ID, m.Slides[n-2].ID},
		"together, in their present order, before the closing")
	assert.True(t, m.Slides[n-2].Placed)
	m = must(t, d, Move{[]doc.SlideID{b}, d.Slides[0].ID}, with)
	assert.Equal(t, b, m.Slides[1].ID, "dropped on the opening: first after it")
	m = must(t, d, Move{[]doc.SlideID{b}, b}, with)
	assert.Equal(t, b, m.Slides[3].ID, "before itself: stays")
	_, err := Do(d, Move{[]doc.SlideID{d.Slides[0].ID}, ""}, with)
	assert.ErrorIs(t, err, ErrInvalid)
	_, err = Do(d, Move{[]doc.SlideID{"s99"}, ""}, with)
	assert.ErrorIs(t, err, ErrGone)
}

func TestTakeOutIsRememberedAndPutBack(t *testing.T) {
	with, ids := shelf(4)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	gone := d.Slides[2]
	out := must(t, d, Remove{[]doc.SlideID{gone.ID}}, with)
	assert.Equal(t, gone.Media, out.LeftOut)
	back := must(t, out, Restore{gone.Media}, with)
	assert.Empty(t, back.LeftOut)
	assert.ElementsMatch(t, shown(d), shown(back))

	quiet := must(t, d, Songs{nil}, with)
	assert.Equal(t, []doc.MediaID{"song"}, quiet.LeftOut)
	assert.Empty(t, must(t, quiet, Songs{[]doc.MediaID{"song"}}, with).LeftOut)
	_, err := Do(d, Songs{[]doc.MediaID{"p1"}}, with)
	assert.ErrorIs(t, err, ErrGone, "a photo is no song")
	_, err = Do(d, Songs{[]doc.MediaID{"song", "song"}}, with)
	assert.ErrorIs(t, err, ErrInvalid)
}

func TestTimeAndDetails(t *testing.T) {
	with, ids := shelf(4)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	s := d.Slides[1].ID
	pinned := must(t, d, Time{Slides: []doc.SlideID{s}, Pin: 7.5}, with)
	assert.Equal(t, 7.5, pinned.Slides[1].Pinned)
	assert.Zero(t, must(t, pinned, Time{Slides: []doc.SlideID{s}, Unpin: true}, with).Slides[1].Pinned)
	assert.Equal(t, 2.0, must(t, d, Time{Slides: []doc.SlideID{s}, Linger: 2}, with).Slides[1].Linger)
	for _, bad := range []Op{
		Time{
			Slides: []doc.SlideID{s},
			Pin:    -1,
		}, Time{Slides: []doc.SlideID{s}, Pin: 1e9}, Time{Slides: []doc.SlideID{s}, Linger: 50},
		Fit{
			Mode: doc.AtPace,
			Pace: 1000,
		}, Fit{Mode: "sometimes"}, Details{map[string]string{"shoe size": "44"}},
	} {
		same, err := Do(d, bad, with)
		assert.ErrorIs(t, err, ErrInvalid, "%+v", bad)
		assert.Equal(t, d, same)
	}
	clip := d.Slides[slices.IndexFunc(d.Slides, func(s doc.Slide) bool { return s.Kind == doc.Clip })].ID
	_, err := Do(d, Time{Slides: []doc.SlideID{clip}, Pin: 3}, with)
	assert.ErrorContains(t, err, "a clip keeps its length")

	d = must(t, d, Details{map[string]string{"names": " The Gannets ", "date": ""}}, with)
	assert.Equal(t, map[string]string{"names": "The Gannets"}, d.Details)
}

// Any sequence of edits leaves the input as it was, keeps every picture either
// in the film once or left out, and survives a round trip through JSON.
func TestEditsNeverLoseAPicture(t *testing.T) {
	with, ids := shelf(15)
	rapid.Check(t, func(t *rapid.T) {
		d := must(t, doc.New("tideline", 3), Pour{ids}, with)
		for range rapid.IntRange(1, 12).Draw(t, "edits") {
			pick := func() doc.SlideID {
				return d.Slides[rapid.IntRange(0, len(d.Slides)-1).Draw(t, "slide")].ID
			}
			var op Op
			switch rapid.IntRange(0, 5).Draw(t, "kind") {
			case 0:
				op = Move{[]doc.SlideID{pick()}, pick()}
			case 1:
				op = Recast{rapid.Uint64().Draw(t, "seed")}
			case 2:
				op = Remove{[]doc.SlideID{pick()}}
			case 3:
				op = Time{Slides: []doc.SlideID{pick()}, Linger: 2}
			case 4:
				op = Restore{d.LeftOut}
			case 5:
				op = Time{Slides: []doc.SlideID{pick()}, Pin: 3}
			}
			before, err := d.Marshal()
			require.NoError(t, err)
			n, err := Do(d, op, with)
			after, _ := d.Marshal()
			require.Equal(t, string(before), string(after), "the input stays as it was")
			if err != nil {
				continue
			}
			kept := slices.DeleteFunc(append(shown(n), n.LeftOut...), func(id doc.MediaID) bool {
				return id == "song"
			})
			require.ElementsMatch(t, ids[:16], kept)
			b, err := n.Marshal()
			require.NoError(t, err)
			back, err := doc.Parse(b)
			require.NoError(t, err)
			again, _ := back.Marshal()
			require.Equal(t, string(b), string(again))
			if len(n.Slides) > 1 {
				d = n
			}
		}
	})
}

func TestRecastKeepsWhatWasSetByHand(t *testing.T) {
	with, ids := shelf(20)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	hand := must(t, d, Time{Slides: []doc.SlideID{d.Slides[5].ID}, Linger: 2}, with).Slides[5]
	d = must(t, d, Time{Slides: []doc.SlideID{hand.ID}, Linger: 2}, with)
	different := 0
	for seed := range uint64(8) {
		r := must(t, d, Recast{seed}, with)
		i := r.Index(hand.ID)
		require.GreaterOrEqual(t, i, 0)
		assert.Equal(t, hand, r.Slides[i])
		assert.Equal(t, r, must(t, d, Recast{seed}, with), "the same seed gives the same film")
		var layouts []string
		for _, s := range r.Slides {
			layouts = append(layouts, s.Layout)
		}
		var before []string
		for _, s := range d.Slides {
			before = append(before, s.Layout)
		}
		if !slices.Equal(layouts, before) {
			different++
		}
	}
	assert.Greater(t, different, 4, "another seed gives another arrangement")
}
