package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
)

// A film with one of everything a careful colleague would point out.
func TestCloser(t *testing.T) {
	lib := doc.Library{
		"a": {
			ID:    "a",
			Kind:  doc.PhotoMedia,
			Name:  "a.jpg",
			Print: 0xff00ff00ff00ff00,
		}, "b": {ID: "b", Kind: doc.PhotoMedia, Name: "b.jpg", Print: 0xff00ff00ff00ff03},
		"c": {
			ID:     "c",
			Kind:   doc.ClipMedia,
			Name:   "c.mp4",
			Sound:  true,
			Faulty: "error while decoding",
			Length: 3 * timecode.SampleRate,
		}, "d": {ID: "d", Kind: doc.PhotoMedia, Name: "d.jpg", Print: 1},
	}
	d := doc.New("t", 1)
	d.Details = map[string]string{"names": "The Cormorants of Saltmere"}
	d.Slides = []doc.Slide{
		{
			ID:      "1",
			Kind:    doc.Pictures,
			Media:   []doc.MediaID{"a"},
			Linger:  1,
			Caption: "The Cormorents at noon",
		},
		{
			ID:     "2",
			Kind:   doc.Pictures,
			Media:  []doc.MediaID{"b"},
			Linger: 1,
			Join:   &transition.Transition{Kind: "dissolve", Seconds: 0.9},
		},
		{
			ID:      "3",
			Kind:    doc.Pictures,
			Media:   []doc.MediaID{"d"},
			Linger:  1,
			Pinned:  1,
			Caption: "A Cormorant of Saltmere",
		},
		{ID: "4", Kind: doc.Clip, Media: []doc.MediaID{"c"}, Linger: 1},
		{ID: "5", Kind: doc.Pictures, Media: []doc.MediaID{"a"}, Linger: 1, Pinned: 12},
	}
	th := &theme.Theme{
		Details:     []theme.Detail{{Key: "names"}},
		Transitions: theme.Joins{Set: []transition.Transition{{Kind: "cut"}}},
	}
	var said []string
	keys := map[string]bool{}
	for _, c := range Closer(d, Build(d, th, lib), th, lib) {
		said = append(said, c.Kind+" "+c.Text)
		assert.False(t, keys[c.Key], "each is known by a key of its own")
		keys[c.Key] = true
		assert.True(t, strings.HasPrefix(c.Field, "slide:"))
	}
	assert.ElementsMatch(t, []string{
		"twice a.jpg is shown on slides 1, 5",
		"alike Slides 1 and 2 show look-alikes one after the other",
		"join The transition after slide 2 is to last 0.9 s, longer than half of a slide beside it",
		"length Slide 3 is pinned at 1.0 s: hardly seen",
		"faulty Slide 4: the clip c.mp4 is damaged; look at all of it (error while decoding)",
		"silent Slide 4: the clip c.mp4 has sound of its own, which is off",
		"length Slide 5 is pinned at 12.0 s: long for one picture",
		"name Slide 1: its caption says “Cormorents”, the details “Cormorants”",
	}, said)
	d.Shots = map[doc.MediaID]doc.Shot{"c": {Sound: 0.5}}
	for _, c := range Closer(d, Build(d, th, lib), th, lib) {
		assert.NotEqual(t, "silent", c.Kind)
	}
}

// Like ones are one line from three on, and none is lost.
func TestGather(t *testing.T) {
	var in []Check
	for _, id := range []string{"1", "2", "3"} {
		in = append(in, Check{Text: "Slide " + id, Kind: "enlarged", Field: "slide:" + id})
	}
	in = append(in, Check{
		Weight: Stops,
		Text:   "No music yet",
	}, Check{Text: "Slide 7", Kind: "face"}, Check{Text: "Slide 8", Kind: "face"})
	got := Gather(in)
	assert.Len(t, got, 4)
	assert.Equal(t, "3 pictures are shown larger than their own size and will look soft", got[0].Text)
	rapid.Check(t, func(t *rapid.T) {
		checks := rapid.SliceOf(rapid.Custom(func(t *rapid.T) Check {
			return Check{
				Kind: rapid.SampledFrom([]string{"", "face", "twice", "name"}).Draw(t, "kind"),
				Text: rapid.String().Draw(t, "text"),
			}
		})).Draw(t, "checks")
		n := 0
		for _, s := range Gather(checks) {
			n += len(s.Checks)
		}
		assert.Equal(t, len(checks), n)
	})
	for kind, says := range many {
		assert.Equal(t, 1, strings.Count(says, "%s"), kind)
	}
}

// The distance is a metric; "kitten" and "sitting" are the textbook's 3 apart
// (worked example, e.g. Wagner and Fischer 1974, from memory).
func TestApartBy(t *testing.T) {
	assert.Equal(t, 3, apartBy("kitten", "sitting"))
	rapid.Check(t, func(t *rapid.T) {
		s := rapid.StringMatching(`[a-cé]{0,6}`)
		a, b, c := s.Draw(t, "a"), s.Draw(t, "b"), s.Draw(t, "c")
		assert.Equal(t, apartBy(a, b), apartBy(b, a))
		assert.Equal(t, a == b, apartBy(a, b) == 0)
		assert.LessOrEqual(t, apartBy(a, c), apartBy(a, b)+apartBy(b, c))
	})
}
