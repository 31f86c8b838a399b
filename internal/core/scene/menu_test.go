package scene_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	. "nelko/internal/core/scene"
	"nelko/internal/core/scene/scenetest"
	"nelko/internal/core/timecode"
	"nelko/themes/themestest"
)

// A menu page in every theme: a button around each film's picture, apart from
// each other and within the title-safe area, all words there from the first
// frame, nothing that moves but the backdrop of one that is to move, which
// goes round without a jump.
func TestMenuPages(t *testing.T) {
	for _, th := range themestest.Shelf(t).All() {
		for n := 1; n <= MenuItems; n++ {
			d := doc.New(th.ID, 1)
			d.Frame, d.Rate = doc.Frame{W: 1024, H: 576}, timecode.R25
			lib := doc.Library{}
			p := MenuPage{Title: "Lantern Regatta", Moves: n%2 == 0}
			for i := range n {
				id := doc.MediaID(fmt.Sprint("p", i))
				lib[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, W: 960, H: 540}
				p.Items = append(p.Items, MenuItem{id, fmt.Sprintf("The crew of the boat number %d", i+1)})
			}
			ways := 0
			if n == MenuItems {
				p.Earlier, p.All, p.Later, ways = "‹ Back", "Play all", "More ›", 3
			}
			s, buttons := Menu(p, d, th, lib, scenetest.Mono{}, 500)
			require.Len(t, buttons, n+ways, th.ID)
			safe := framing.TitleSafe.Scale(1024, 576).Inset(-6)
			for i, b := range buttons {
				assert.True(t, b.X >= safe.X && b.Y >= safe.Y && b.X+b.W <= safe.X+safe.W && b.Y+
					b.H <= safe.Y+safe.H, "%s: %v in %v", th.ID, b, safe)
				for _, o := range buttons[:i] {
					apart := b.X+b.W <= o.X || o.X+o.W <= b.X || b.Y+b.H <= o.Y || o.Y+o.H <= b.Y
					assert.True(t, apart, "%s: %v over %v", th.ID, b, o)
				}
			}
			words := 0
			for _, sl := range s.Slides {
				for i, l := range sl.Layers {
					if l.Asset.Kind == Text {
						words++
						assert.Equal(t, 1.0, l.Opacity(0, sl.Length), "there from the first frame")
					}
					if i > 0 || !p.Moves {
						assert.Equal(t, l.Place.At(0, sl.Length), l.Place.At(sl.Length-1, sl.Length))
					}
				}
			}
			assert.Equal(t, len(s.Slides)*(1+n+ways), words, th.ID)
			if p.Moves {
				require.Len(t, s.Slides, 2)
				first, second := s.Slides[0].Layers[0].Window, s.Slides[1].Layers[0].Window
				assert.Equal(t, first.To, second.From)
				assert.Equal(t, first.From, second.To, "there and back")
			}
			assert.Equal(t, timecode.Frames(500), s.Slides[len(s.Slides)-1].End())
		}
	}
}
