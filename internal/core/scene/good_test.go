package scene_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	. "nelko/internal/core/scene"
	"nelko/internal/core/scene/scenetest"
	"nelko/themes/themestest"
)

// What is set by hand for the words of a card counts for all of them, in
// proportion; what is not is the theme's.
func TestLettering(t *testing.T) {
	film := func(l *design.Lettering) *Scene {
		return filmOf(t, "tideline", doc.Media{ID: "p", Kind: doc.PhotoMedia, W: 3000, H: 2000}, "full", hd, map[string]string{"names": "The Gannets", "date": "12 September"}, func(d *doc.Slideshow) {
			d.Slides[0].Lettering = l
		})
	}
	words := func(s *Scene) (out []Layer) {
		for _, l := range s.Slides[0].Layers {
			if l.Asset.Kind == Text {
				out = append(out, l)
			}
		}
		return out
	}
	red, plate, outline, leave := raster.RGB{R: 255}, 0.5, 0.1, 2.0
	was, now := film(nil), film(&design.Lettering{Size: 0.5, Colour: &red, Plate: &plate, Outline: &outline, Align: "left", Enter: "none", Leave: &leave})
	before, after := words(was), words(now)
	if assert.Len(t, after, 2, "names and date, each at once") {
		for i, l := range after {
			assert.Equal(t, red, l.Asset.Text.Colour)
			assert.InDelta(t, before[min(i, len(before)-1)].Asset.Text.Size/2, after[i].Asset.Text.Size, 1)
			assert.InDelta(t, 0.1*l.Asset.Text.Size, l.Asset.Text.Outline, 0.25)
			assert.Zero(t, l.Enter)
			assert.EqualValues(t, 60, l.Leave)
		}
		assert.InDelta(t, after[0].Place.To.X+float64(after[0].Asset.Text.Pad()), after[1].Place.To.X+float64(after[1].Asset.Text.Pad()), 2, "left edges under each other")
	}
	plates := 0
	for _, l := range now.Slides[0].Layers {
		if l.Asset.Kind == Fill && l.Alpha == 0.5 {
			plates++
		}
	}
	assert.Equal(t, 2, plates)
	assert.Equal(t, was.Slides[2].Layers, now.Slides[2].Layers, "the closing is as it was")
}

// An opening shows a picture that fits its place and is worth it; the closing
// another; what is chosen by hand is shown.
func TestGoodPictures(t *testing.T) {
	lib := doc.Library{}
	d := doc.Slideshow{Slides: []doc.Slide{{ID: "o", Kind: doc.Opening}}}
	add := func(id doc.MediaID, m doc.Media) {
		m.ID, m.Kind = id, doc.PhotoMedia
		lib[id] = m
		d.Slides = append(d.Slides, doc.Slide{ID: doc.SlideID(id), Kind: doc.Pictures, Media: []doc.MediaID{id}})
	}
	face := []framing.Rect{{X: 0.4, Y: 0.3, W: 0.2, H: 0.2}}
	add("dark", doc.Media{W: 3000, H: 1688, Light: 0.05, Sharp: 9, Faces: face})
	add("upright", doc.Media{W: 2000, H: 3000, Light: 0.5, Sharp: 9, Faces: face})
	add("small", doc.Media{W: 640, H: 360, Light: 0.5, Sharp: 9, Faces: face})
	add("good", doc.Media{W: 3000, H: 1688, Light: 0.5, Sharp: 9, Faces: face})
	add("blurred", doc.Media{W: 3000, H: 1688, Light: 0.5, Sharp: 1, Faces: face})
	add("nobody", doc.Media{W: 3000, H: 1688, Light: 0.5, Sharp: 9})
	add("next", doc.Media{W: 3000, H: 1900, Light: 0.45, Sharp: 8, Faces: face})
	d.Slides = append(d.Slides, doc.Slide{ID: "c", Kind: doc.Closing})
	shown := func(themeID string, change func(*doc.Slide)) (opening, closing doc.MediaID) {
		th, err := themestest.Shelf(t).Get(themeID)
		require.NoError(t, err)
		n := doc.New(themeID, 1)
		n.Slides = slices.Clone(d.Slides)
		change(&n.Slides[0])
		sc := Build(n, th, plan.Build(n, th, lib), lib, scenetest.Mono{}, Options{})
		of := func(s Slide) doc.MediaID {
			for _, l := range s.Layers {
				if l.Asset.Media != "" {
					return l.Asset.Media
				}
			}
			return ""
		}
		return of(sc.Slides[0]), of(sc.Slides[len(sc.Slides)-1])
	}
	opening, closing := shown("firstsnow", func(*doc.Slide) {})
	assert.EqualValues(t, "good", opening)
	assert.EqualValues(t, "next", closing)
	opening, _ = shown("pennant", func(*doc.Slide) {})
	assert.EqualValues(t, "upright", opening, "in a narrow place beside the words")
	opening, _ = shown("firstsnow", func(s *doc.Slide) { s.Picture = "small" })
	assert.EqualValues(t, "small", opening)
	sc := filmOf(t, "ledger", doc.Media{ID: "p", Kind: doc.PhotoMedia, W: 3000, H: 2000}, "full", hd, nil, func(d *doc.Slideshow) {
		d.Slides[0].Backdrop = &design.Backdrop{Kind: design.Photo, Tone: 0.4}
	})
	assert.Equal(t, Photo, sc.Slides[0].Layers[0].Asset.Kind)
	assert.Equal(t, Layer{Asset: Asset{Kind: Fill}, Place: Still(framing.Rect{W: 1920, H: 1080}), Alpha: 0.4}, sc.Slides[0].Layers[1])
}
