package follow_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/cast"
	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/follow"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/themes"
)

// studio is a shelf, media, and edits at random.
type studio struct {
	t    *testing.T
	with edit.Context
	rng  *rand.Rand
}

func open(t *testing.T, seed uint64) *studio {
	shelf, err := themes.Shipped()
	require.NoError(t, err)
	th, err := shelf.Get("tideline")
	require.NoError(t, err)
	s := &studio{
		t:    t,
		rng:  rand.New(rand.NewPCG(seed, 1)),
		with: edit.Context{Theme: th, Library: doc.Library{}},
	}
	for i := range 60 {
		id := doc.MediaID(fmt.Sprintf("photo%02d", i))
		s.with.Library[id] = doc.Media{
			ID:   id,
			Kind: doc.PhotoMedia,
			Name: string(id) + ".jpg",
			W:    1500,
			H:    1000,
		}
	}
	for i := range 6 {
		id := doc.MediaID(fmt.Sprintf("song%d", i))
		s.with.Library[id] = doc.Media{
			ID:     id,
			Kind:   doc.SongMedia,
			Name:   string(id),
			Length: 48000 * 60,
			LUFS:   -14,
			PeakDB: -1,
		}
	}
	return s
}

func (s *studio) do(d doc.Slideshow, op edit.Op) doc.Slideshow {
	n, err := edit.Do(d, op, s.with)
	require.NoError(s.t, err, op.Title())
	return n
}

// pattern has a common picture in front, one behind and a card, and a song.
func (s *studio) pattern() doc.Slideshow {
	p := doc.New(s.with.Theme.ID, 1)
	p.ThemeVersion = s.with.Theme.Content
	p = s.do(p, edit.NewPattern{Details: []string{"names"}})
	p = s.do(p, edit.Pour{Media: []doc.MediaID{"photo00", "photo01", "song0"}})
	p = s.do(p, edit.Details{Values: map[string]string{"place": "Saltmere", "message": "Thank you"}})
	return p
}

func (s *studio) row(p doc.Slideshow, from, n int) doc.Slideshow {
	r := doc.New(s.with.Theme.ID, 1)
	r.Follows = &doc.Follows{}
	r = s.do(r, edit.Follow{Pattern: p})
	r = s.do(r, edit.Details{Values: map[string]string{"names": fmt.Sprintf("Crew %d", from)}})
	var ids []doc.MediaID
	for i := range n {
		ids = append(ids, doc.MediaID(fmt.Sprintf("photo%02d", from+i)))
	}
	return s.do(r, edit.Pour{Media: ids})
}

// square is a further frame shape.
var square = doc.Frame{W: 1080, H: 1080}

// A row is made in its pattern's further shapes, with what is their own of
// common slides; what a row has of its own there stays its own.
func TestRowsInFurtherShapes(t *testing.T) {
	s := open(t, 3)
	crop := func(x float64) edit.Op {
		return edit.InShape{
			Frame: square,
			Op:    edit.Shots{Media: []doc.MediaID{"photo00"}, Crop: &framing.Rect{X: x, W: 0.5, H: 1}},
		}
	}
	seen := func(d doc.Slideshow) float64 {
		in, ok := d.In(square)
		require.True(t, ok)
		return in.Shots["photo00"].Crop.X
	}
	p := s.do(s.do(s.pattern(), edit.AddShape{Frame: square}), crop(0.1))
	r := s.row(p, 10, 4)
	assert.InDelta(t, 0.1, seen(r), 1e-9)
	own := edit.InShape{
		Frame: square,
		Op:    edit.Shots{Media: []doc.MediaID{"photo11"}, Crop: &framing.Rect{X: 0.3, W: 0.5, H: 1}},
	}
	r = s.do(r, own)
	assert.NotContains(t, r.Follows.Own, follow.Shapes,
		"a crop of its own picture is no matter of the pattern")
	p = s.do(p, crop(0.2))
	r = s.do(r, edit.Follow{Pattern: p})
	assert.InDelta(t, 0.2, seen(r), 1e-9)
	in, _ := r.In(square)
	assert.InDelta(t, 0.3, in.Shots["photo11"].Crop.X, 1e-9, "the row's own")
	r = s.do(r, crop(0.4))
	assert.Contains(t, r.Follows.Own, follow.Shot("photo00"))
	r = s.do(r, edit.Follow{Pattern: s.do(p, crop(0.3))})
	assert.InDelta(t, 0.4, seen(r), 1e-9, "what the row has of its own stays")
	r = s.do(r, edit.Follow{Pattern: s.do(p, edit.DropShape{Frame: square})})
	assert.Empty(t, r.Shapes)
}

// byHand makes a change at random, as an operator would.
func (s *studio) byHand(d doc.Slideshow) doc.Slideshow {
	body := d.Slides[1 : len(d.Slides)-1]
	id := body[s.rng.IntN(len(body))].ID
	any := d.Slides[s.rng.IntN(len(d.Slides))].ID
	last := d.Slides[len(d.Slides)-2].ID
	ops := []edit.Op{
		edit.Recast{Seed: s.rng.Uint64N(9)},
		edit.Fit{Mode: doc.AtPace, Pace: 2 + s.rng.Float64()*4},
		edit.Fit{Mode: doc.ToMusic},
		edit.Shape{Frame: doc.Frame{W: 1080, H: 1920}},
		edit.Songs{Songs: []doc.MediaID{doc.MediaID(fmt.Sprintf("song%d", s.rng.IntN(6)))}},
		edit.Details{Values: map[string]string{"message": fmt.Sprint("Thanks ", s.rng.IntN(3))}},
		edit.AddCard{Words: doc.Words{Kind: "title", Main: fmt.Sprint("Card ", s.rng.IntN(100))}},
		edit.Time{Slides: []doc.SlideID{any}, Linger: 1 + float64(s.rng.IntN(3))},
		edit.Shift{Slides: []doc.SlideID{id}, By: 1 - 2*s.rng.IntN(2)},
		edit.Caption{Slides: []doc.SlideID{id}, Text: fmt.Sprint("seen ", s.rng.IntN(100))},
		edit.Decorate{
			Index: -1,
			Laid: &doc.Laid{
				From: d.Slides[1].ID,
				To:   last,
				Decor: design.Decor{
					Kind:      design.Drift,
					Particles: design.Drifts[0],
					Density:   0.3,
					Size:      0.02,
					Opacity:   0.8,
				},
			},
		},
		edit.AddShape{Frame: square},
		edit.InShape{
			Frame: square,
			Op: edit.Shots{
				Media: d.Slides[1].Media,
				Crop:  &framing.Rect{X: 0.1 * s.rng.Float64(), W: 0.9, H: 1},
			},
		},
		edit.InShape{
			Frame: square,
			Op: edit.Motion{
				Slides: []doc.SlideID{any},
				Motion: &design.Motion{Kind: design.Pan, Zoom: 0.1},
			},
		},
		edit.Look{Look: &look.Named[1+s.rng.IntN(3)].Look},
	}
	n, err := edit.Do(d, ops[s.rng.IntN(len(ops))], s.with)
	if err != nil {
		return d // a clip's linger and the like: not this time
	}
	return n
}

// A change of the pattern and its opposite give every row back, whatever was
// set by hand in pattern and row.
func TestAChangeAndItsOppositeGiveTheRowBack(t *testing.T) {
	for seed := range uint64(60) {
		s := open(t, seed)
		p := s.pattern()
		for range s.rng.IntN(4) {
			p = s.byHand(p)
		}
		r := s.row(p, 10, s.rng.IntN(9))
		p = s.do(p, edit.SeeAs{Row: r, Called: "the row", Details: []string{"names"}})
		r = s.do(r, edit.Follow{Pattern: p})
		for range s.rng.IntN(5) {
			r = s.byHand(r)
		}
		r = s.do(r, edit.Follow{Pattern: p})
		before, err := r.Marshal()
		require.NoError(t, err)

		other := p
		for range 1 + s.rng.IntN(4) {
			other = s.byHand(other)
		}
		changed := s.do(r, edit.Follow{Pattern: other})
		back := s.do(changed, edit.Follow{Pattern: p})
		after, err := back.Marshal()
		require.NoError(t, err)
		require.JSONEq(t, string(before), string(after), "seed %d", seed)
		require.Equal(t, r.Details, back.Details, "seed %d", seed)
		// Following twice is following once.
		twice, err := s.do(changed, edit.Follow{Pattern: other}).Marshal()
		require.NoError(t, err)
		once, err := changed.Marshal()
		require.NoError(t, err)
		require.JSONEq(t, string(once), string(twice), "seed %d", seed)
	}
}

// What a row has by itself stays, everything else follows, and no picture of
// the row or of the pattern is lost or doubled.
func TestARowFollowsButForItsOwn(t *testing.T) {
	for seed := range uint64(60) {
		s := open(t, 100+seed)
		p := s.pattern()
		r := s.row(p, 10, 1+s.rng.IntN(8))
		own := picturesOf(r, false)
		for range 3 {
			r = s.byHand(r)
		}
		for range 3 {
			p = s.byHand(p)
		}
		n := s.do(r, edit.Follow{Pattern: p})
		require.Equal(t, own, picturesOf(n, false), "seed %d: the row's own pictures", seed)
		want := picturesOf(p, false)
		for _, id := range picturesOf(n, true) {
			require.Contains(t, want, id)
		}
		if !follow.Has(n, follow.Fit) {
			require.Equal(t, p.Fit, n.Fit)
		} else {
			require.Equal(t, r.Fit, n.Fit)
		}
		if !follow.Has(n, follow.Soundtrack) {
			require.Equal(t, p.Soundtrack.Songs(), n.Soundtrack.Songs())
		}
		// Given back, all of it is the pattern's again.
		given := s.do(n, edit.AsPattern{Pattern: p, Parts: n.Follows.Own})
		require.Empty(t, given.Follows.Own)
		require.Equal(t, want, picturesOf(given, true), "seed %d", seed)
		require.Equal(t, p.Details["message"], given.Details["message"])
		require.Equal(t, r.Details["names"], given.Details["names"],
			"what the rows fill themselves is theirs")
	}
}

func picturesOf(d doc.Slideshow, common bool) []doc.MediaID {
	var out []doc.MediaID
	for _, s := range d.Slides {
		if s.Common() == common {
			out = append(out, s.Media...)
		}
	}
	slices.Sort(out)
	return out
}

// First, last, among: a common picture stands among a row's own where it
// stands among those the pattern is looked at with, whatever their numbers.
func TestCommonPicturesKeepTheirPlace(t *testing.T) {
	s := open(t, 1)
	p := s.pattern()
	sample := s.row(p, 10, 8)
	p = s.do(p, edit.SeeAs{Row: sample, Called: "a crew"})
	var commons, stand []doc.SlideID
	for _, sl := range p.Slides {
		switch {
		case sl.Row:
			stand = append(stand, sl.ID)
		case sl.Kind == doc.Pictures:
			commons = append(commons, sl.ID)
		}
	}
	require.NotEmpty(t, stand)
	p = s.do(p, edit.Split{Slides: commons})
	commons = nil
	for _, sl := range p.Slides {
		if !sl.Row && sl.Kind == doc.Pictures {
			commons = append(commons, sl.ID)
		}
	}
	require.Len(t, commons, 2)
	p = s.do(p, edit.Move{Slides: commons[1:]}) // last of all but the closing
	for _, n := range []int{0, 1, 2, 5} {
		r := s.row(p, 30, n)
		require.Equal(t, doc.Opening, r.Slides[0].Kind)
		require.Equal(t, doc.Closing, r.Slides[len(r.Slides)-1].Kind)
		assert.Equal(t, doc.MediaID("photo00"), r.Slides[1].Media[0], "%d pictures", n)
		assert.Equal(t, doc.MediaID("photo01"), r.Slides[len(r.Slides)-2].Media[0], "%d pictures", n)
	}
	// Among: half of those that stand for the row's own are before it.
	half := stand[len(stand)/2]
	p = s.do(p, edit.Move{Slides: commons[1:], Before: half})
	r := s.row(p, 30, 8)
	i := slices.IndexFunc(r.Slides, func(x doc.Slide) bool { return slices.Contains(x.Media, "photo01") })
	own := 0
	for _, x := range r.Slides[:i] {
		if !x.Common() {
			own++
		}
	}
	all := 0
	for _, x := range r.Slides {
		if !x.Common() {
			all++
		}
	}
	assert.InDelta(t, float64(all)*float64(len(stand)/2)/float64(len(stand)), own, 0.51)
	// The steady number that layouts and motion go by is the same in every row,
	// so equal slides are drawn alike.
	assert.Equal(t, cast.Number(p.Slides[1], p.Seed, nil), cast.Number(r.Slides[1], r.Seed, nil))
}

// A song in a row's own folder is instead of the pattern's, not after it.
func TestARowsOwnSong(t *testing.T) {
	s := open(t, 1)
	p := s.pattern()
	r := s.row(p, 10, 3)
	require.Equal(t, []doc.MediaID{"song0"}, r.Soundtrack.Songs())
	r = s.do(r, edit.Pour{Media: []doc.MediaID{"song1", "song2"}})
	assert.Equal(t, []doc.MediaID{"song1", "song2"}, r.Soundtrack.Songs())
	assert.Contains(t, r.Follows.Own, follow.Soundtrack)
	p = s.do(p, edit.Songs{Songs: []doc.MediaID{"song3"}})
	assert.Equal(t, []doc.MediaID{"song1", "song2"}, s.do(r, edit.Follow{Pattern: p}).Soundtrack.Songs())
}

// Each edit of a row makes exactly its own part the row's.
func TestWhatAnEditMakesTheRowsOwn(t *testing.T) {
	s := open(t, 3)
	p := s.pattern()
	p = s.do(p, edit.AddCard{Words: doc.Words{Kind: "title", Main: "Half-time"}})
	r := s.row(p, 10, 5)
	var card, shared, own doc.SlideID
	for _, x := range r.Slides {
		switch {
		case x.Kind == doc.Card:
			card = x.ID
		case x.Common() && x.Kind == doc.Pictures:
			shared = x.ID
		case !x.Common():
			own = x.ID
		}
	}
	require.NotEmpty(t, card)
	require.NotEmpty(t, shared)
	require.Empty(t, r.Follows.Own, "details of each row and its pictures are no exceptions")
	picture := r.Slides[r.Index(shared)].Media[0]
	for part, op := range map[string]edit.Op{
		follow.Casting:           edit.Recast{Seed: 99},
		follow.Fit:               edit.Fit{Mode: doc.AtPace, Pace: 3},
		follow.Frame:             edit.Shape{Frame: doc.Frame{W: 1080, H: 1080}},
		follow.Soundtrack:        edit.Songs{Songs: []doc.MediaID{"song4"}},
		follow.Look:              edit.Look{Look: &look.Named[2].Look},
		follow.Detail("message"): edit.Details{Values: map[string]string{"message": "Own"}},
		follow.Slide(card):       edit.Words{Slide: card, Words: doc.Words{Kind: "title", Main: "Own"}},
		follow.Slide(shared):     edit.Remove{Slides: []doc.SlideID{shared}},
		follow.Order:             edit.Move{Slides: []doc.SlideID{own}, Before: r.Slides[1].ID},
		follow.Shot(picture):     edit.Shots{Media: []doc.MediaID{picture}, Turn: 1},
		"":                       edit.Time{Slides: []doc.SlideID{own}, Linger: 2},
	} {
		n := s.do(r, op)
		want := []string{part}
		if part == "" {
			want = nil
		}
		if part == follow.Casting {
			require.Contains(t, n.Follows.Own, part)
			continue
		}
		assert.Equal(t, want, n.Follows.Own, op.Title())
		assert.NotEmpty(t, follow.InWords(part+" "), part)
		// It stays through a change of the pattern that touches it too.
		other := s.do(p, edit.Details{Values: map[string]string{"message": "Another"}})
		other = s.do(other, edit.Fit{Mode: doc.AtPace, Pace: 9})
		after := s.do(n, edit.Follow{Pattern: other})
		assert.Equal(t, n.Follows.Own, after.Follows.Own)
		if part == follow.Slide(shared) {
			assert.Negative(t, after.Index(shared), "taken out it stays out")
		}
	}
	for part, word := range map[string]string{
		follow.Fit:             "fit",
		follow.Casting:         "arrangement",
		follow.Slide("p1"):     "a shared slide",
		follow.Shot("x"):       "a shared picture",
		follow.Detail("place"): "place",
	} {
		assert.Equal(t, word, follow.InWords(part))
	}
}
