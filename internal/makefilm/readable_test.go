package makefilm

import (
	"context"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/core/scene"
	"nelko/internal/film"
	"nelko/themes/themestest"
)

// Whatever the pictures, the words of every theme's cards and captions can be
// read in every frame shape: with a contrast of 4.5 to 1 against what is behind
// them, 3 to 1 for large type (WCAG 2.2, success criterion 1.4.3). The pictures
// are the worst there can be: white, and black.
func TestWordsOfThemesCanBeRead(t *testing.T) {
	for name, light := range map[string]uint8{"white": 255, "black": 0} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			wordsOnPictures(t, name, light)
		})
	}
}

func wordsOnPictures(t *testing.T, name string, light uint8) {
	shelf, ctx, dir := themestest.Shelf(t), context.Background(), t.TempDir()
	for i := range 3 {
		img := image.NewGray(image.Rect(0, 0, 1600, 1000+100*i))
		draw.Draw(img, img.Rect, image.NewUniform(color.Gray{light}), image.Point{}, draw.Src)
		f, err := os.Create(filepath.Join(dir, fmt.Sprintf("%d.jpg", i)))
		require.NoError(t, err)
		require.NoError(t, jpeg.Encode(f, img, nil))
		require.NoError(t, f.Close())
	}
	for _, frame := range []doc.Frame{{
		W: 1920,
		H: 1080,
	}, {W: 1080, H: 1920}, {W: 1080, H: 1080}, {W: 1440, H: 1080}} {
		r := Request{Media: dir, Shelf: shelf, Seed: 1, Frame: frame}
		s := newSummary(r)
		m, err := gather(ctx, r, &s)
		require.NoError(t, err)
		for _, th := range shelf.All() {
			d := doc.New(th.ID, 1)
			d.Frame = frame
			for _, x := range th.Details {
				d.Details[x.Key] = x.Example
			}
			with := edit.Context{Theme: th, Library: m.lib}
			for _, op := range []edit.Op{
				edit.Pour{Media: m.order},
				edit.AddCard{Words: doc.Words{Kind: "title", Main: "The afternoon", Smaller: "on the water"}},
				edit.AddCard{Words: doc.Words{
					Kind: "text",
					Main: "What was said",
					Text: "They rowed until the lamps were lit, and sang.",
				}},
				edit.AddCard{Words: doc.Words{
					Kind: "credits",
					Main: "With thanks to",
					Text: "Boats | the harbour club\nLamps | all of Saltmere",
				}},
			} {
				d, err = edit.Do(d, op, with)
				require.NoError(t, err)
			}
			for i, sl := range d.Slides {
				if len(sl.Media) > 0 {
					d.Slides[i].Caption = "At the quay"
				}
			}
			f, err := m.house.Lay(film.Source{
				Doc:     d,
				Theme:   th,
				Library: m.lib,
				Profile: profile.Look(640, d.Rate),
				Marks:   scene.Options{Watermark: "Draft"},
			})
			require.NoError(t, err)
			lane := m.pool.Lane(ctx, m.lib, true)
			for _, sl := range d.Slides {
				hard, err := f.Hard(lane, sl.ID)
				require.NoError(t, err)
				kind := string(sl.Kind)
				if sl.Card != nil {
					kind = sl.Card.Kind
				}
				assert.Empty(t, hard.Words, "%s, %q, %s, %s picture, %s: %.1f to 1", th.ID, hard.Words, kind,
					name, frame.Ratio(), hard.Contrast)
			}
			for n := f.Frames() / 10; n < f.Frames(); n += f.Frames() / 3 {
				hard, err := f.HardOver(lane, n)
				require.NoError(t, err)
				assert.Empty(t, hard.Words, "%s, %q over the film at %d, %s picture, %s: %.1f to 1", th.ID,
					hard.Words, n, name, frame.Ratio(), hard.Contrast)
			}
			lane.Close()
		}
	}
}
