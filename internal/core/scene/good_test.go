package scene

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/theme"
)

func slidesOf(common map[string]bool, ids ...string) (out []doc.Slide) {
	out = append(out, doc.Slide{ID: "open", Kind: doc.Opening, Linger: 1})
	for _, id := range ids {
		s := doc.Slide{
			ID:     doc.SlideID("s" + id),
			Kind:   doc.Pictures,
			Media:  []doc.MediaID{doc.MediaID(id)},
			Linger: 1,
		}
		if common[id] {
			s.CommonAt = new(0.5)
		}
		out = append(out, s)
	}
	return append(out, doc.Slide{ID: "close", Kind: doc.Closing, Linger: 1})
}

func photo(id string, w, h int, faces ...framing.Rect) doc.Media {
	return doc.Media{
		ID:    doc.MediaID(id),
		Kind:  doc.PhotoMedia,
		Name:  id,
		W:     w,
		H:     h,
		Light: 0.5,
		Sharp: 10,
		Faces: faces,
	}
}

// People who are seen whole and large open a film before grass of a better
// shape; faces that would be cut, and specks of faces, do not.
func TestPeopleOpenAFilm(t *testing.T) {
	large := framing.Rect{X: 0.35, Y: 0.1, W: 0.3, H: 0.25}
	for _, c := range []struct {
		name          string
		media         []doc.Media
		opens, closes doc.MediaID
	}{
		{"a face on an upright picture before grass of just the shape",
			[]doc.Media{photo("grass", 3200, 1800), photo("face", 2000, 3000, large),
				photo("quay", 3200, 1800)}, "face", "quay"},
		{"a speck of a face is no face", []doc.Media{photo("grass", 3200, 1800), photo("speck", 1400, 4200,
			framing.Rect{
				X: 0.5,
				Y: 0.5,
				W: 0.008,
				H: 0.008,
			})}, "grass", "speck"},
		{"the larger face", []doc.Media{photo("far", 3200, 1800, framing.Rect{
			X: 0.5,
			Y: 0.4,
			W: 0.03,
			H: 0.05,
		}), photo("near", 3000, 2000, large)}, "near", "far"},
		{"faces that would be cut come after whole ones", []doc.Media{photo("cut", 2000, 3000, framing.Rect{
			X: 0.1,
			Y: 0.05,
			W: 0.1,
			H: 0.1,
		}, framing.Rect{X: 0.1, Y: 0.85, W: 0.1, H: 0.1}),
			photo("whole", 2400, 2400, framing.Rect{X: 0.3, Y: 0.3, W: 0.3, H: 0.3})}, "whole", "cut"},
		{"the same, early and late", []doc.Media{photo("a", 3200, 1800, large), photo("b", 3200, 1800, large),
			photo("c", 3200, 1800, large)}, "a", "c"},
	} {
		lib, ids := doc.Library{}, []string{}
		for _, m := range c.media {
			lib[m.ID] = m
			ids = append(ids, string(m.ID))
		}
		d := doc.New("t", 1)
		d.Frame, d.Slides = doc.Frame{W: 1920, H: 1080}, slidesOf(nil, ids...)
		for _, th := range []*theme.Theme{{}, {
			Opening: theme.Card{Picture: &theme.Aside{Share: 0.5, Side: "right"}},
			Closing: theme.Card{Picture: &theme.Aside{Share: 0.5, Side: "right"}},
		}} {
			assert.Equal(t, c.opens, PictureOf(d, th, lib, d.Slides[0]), c.name)
			if th.Opening.Picture == nil {
				assert.Equal(t, c.closes, PictureOf(d, th, lib, d.Slides[len(d.Slides)-1]), c.name)
			}
		}
	}
}

// What a row shares with its Run opens it only while it has nothing of its own.
func TestARowOpensWithItsOwn(t *testing.T) {
	lib := doc.Library{
		"shared": photo("shared", 3200, 1800, framing.Rect{X: 0.3, Y: 0.2, W: 0.3, H: 0.3}),
		"own":    photo("own", 800, 1200),
	}
	d := doc.New("t", 1)
	d.Slides = slidesOf(map[string]bool{"shared": true}, "shared", "own")
	assert.Equal(t, doc.MediaID("own"), PictureOf(d, &theme.Theme{}, lib, d.Slides[0]))
	d.Slides = slidesOf(map[string]bool{"shared": true}, "shared")
	assert.Equal(t, doc.MediaID("shared"), PictureOf(d, &theme.Theme{}, lib, d.Slides[0]))
}

// The choice is one of the film's own pictures, and two slides are not told apart by
// the order in which their pictures are known.
func TestChosenPictureIsTheFilms(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		lib, ids := doc.Library{}, []string{}
		for i := range rapid.IntRange(1, 6).Draw(t, "n") {
			m := photo(string(rune('a'+i)), rapid.IntRange(100, 4000).Draw(t, "w"), rapid.IntRange(100, 4000).
				Draw(t, "h"))
			lib[m.ID] = m
			ids = append(ids, string(m.ID))
		}
		d := doc.New("t", 1)
		d.Slides = slidesOf(nil, ids...)
		open, closing := PictureOf(d, &theme.Theme{}, lib, d.Slides[0]), PictureOf(d, &theme.Theme{}, lib,
			d.Slides[len(d.Slides)-1])
		assert.Contains(t, ids, string(open))
		if len(ids) > 1 {
			assert.NotEqual(t, open, closing)
		}
	})
}
