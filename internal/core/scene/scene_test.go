package scene

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/theme"
	"nelko/themes"
)

// one is a film of a single picture of the given size between opening and
// closing.
func one(t *testing.T, w, h int, layout string, frame doc.Frame, details map[string]string) *Scene {
	th, err := themes.Get("tideline")
	require.NoError(t, err)
	lib := doc.Library{"p": {ID: "p", Kind: doc.PhotoMedia, W: w, H: h}}
	d := doc.New("tideline", 1)
	d.Frame, d.Details = frame, details
	d.Slides = []doc.Slide{{ID: "a", Kind: doc.Opening, Linger: 1}, {ID: "b", Kind: doc.Pictures, Layout: layout, Media: []doc.MediaID{"p"}, Linger: 1}, {ID: "c", Kind: doc.Closing, Linger: 1}}
	return Build(d, th, plan.Build(d, th, lib), lib)
}

func kinds(s Slide) (out []Kind) {
	for _, l := range s.Layers {
		out = append(out, l.Asset.Kind)
	}
	return out
}

var hd = doc.Frame{W: 1920, H: 1080}

// An upright picture in a wide frame is shown whole, on a soft copy of
// itself, with mat and shadow; a wide one fills the frame and needs no
// backdrop.
func TestUprightPicturesAreNotCut(t *testing.T) {
	sc := one(t, 2000, 3000, "upright", hd, nil)
	s := sc.Slides[1]
	assert.Equal(t, []Kind{Soft, Shadow, Fill, Photo}, kinds(s))
	p := s.Layers[3]
	assert.Equal(t, framing.Rect{W: 1, H: 1}, p.Window.From)
	for n := range s.Length {
		r := p.Place.At(n, s.Length)
		assert.InEpsilon(t, 2.0/3, r.Aspect(), 1e-9, "never stretched")
	}
	assert.Equal(t, []Kind{Photo}, kinds(one(t, 3000, 2000, "full", hd, nil).Slides[1]))
}

// A picture is prepared at just the pixels its largest zoom needs, and never
// at more than it has.
func TestPicturesArePreparedAtTheSizeNeeded(t *testing.T) {
	p := one(t, 6000, 4000, "full", hd, nil).Slides[1].Layers[0]
	assert.Equal(t, 2151, p.Asset.W) // 1920 × 1.12, rounded up
	assert.Equal(t, 1434, p.Asset.H)
	small := one(t, 900, 600, "full", hd, nil).Slides[1].Layers[0]
	assert.Equal(t, [2]int{900, 600}, [2]int{small.Asset.W, small.Asset.H})
}

// Common practice, no source: a slow zoom of 10 to 20 %.
func TestZoomIsSlow(t *testing.T) {
	p := one(t, 6000, 4000, "full", hd, nil).Slides[1].Layers[0]
	big, little := p.Window.From.W, p.Window.To.W
	if big < little {
		big, little = little, big
	}
	assert.InDelta(t, 1.12, big/little, 1e-9)
}

func TestWordsAreThoseOfTheOrder(t *testing.T) {
	sc := one(t, 3000, 2000, "full", hd, map[string]string{"names": "Zoë & Co", "date": "12 September", "message": ""})
	words := func(s Slide) (out []string) {
		for _, l := range s.Layers {
			if l.Asset.Kind == Text {
				out = append(out, l.Asset.Words)
			}
		}
		return out
	}
	assert.Equal(t, []string{"Zoë & Co", "12 SEPTEMBER"}, words(sc.Slides[0]), "an empty detail prints nothing")
	assert.Equal(t, []string{"Thank you for watching", "ZOË & CO"}, words(sc.Slides[2]), "the closing has words of its own")
}

// Words fade in once and stay; before they enter they are not there.
func TestWordsEnter(t *testing.T) {
	sc := one(t, 3000, 2000, "full", hd, map[string]string{"names": "A"})
	for _, l := range sc.Slides[0].Layers {
		if l.Asset.Kind != Text {
			assert.Equal(t, 1.0, l.Opacity(0))
			continue
		}
		assert.Zero(t, l.Opacity(0))
		assert.Equal(t, 1.0, l.Opacity(149))
		for n := range sc.Slides[0].Length - 1 {
			assert.LessOrEqual(t, l.Opacity(n), l.Opacity(n+1))
		}
	}
}

// A slide whose layout the theme does not have still shows all its pictures.
func TestUnknownLayout(t *testing.T) {
	s := one(t, 3000, 2000, "from another theme", hd, nil).Slides[1]
	assert.Equal(t, Photo, s.Layers[len(s.Layers)-1].Asset.Kind)
	for n := 1; n <= 6; n++ {
		l := grid(n, theme.Backdrop{Kind: theme.Plain})
		require.Len(t, l.Places, n)
		for i, p := range l.Places {
			assert.True(t, framing.Rect{W: 1, H: 1}.Contains(p.Rect, 0))
			if i > 0 {
				assert.Greater(t, p.Rect.X, l.Places[i-1].Rect.X+l.Places[i-1].Rect.W)
			}
		}
	}
}

// Each slide's motion is its own, whatever its position: moving a slide does
// not change how it looks.
func TestMotionBelongsToTheSlide(t *testing.T) {
	assert.Equal(t, hash(1, "s7"), hash(1, "s7"))
	assert.NotEqual(t, hash(1, "s7"), hash(1, "s8"))
	assert.NotEqual(t, hash(1, "s7"), hash(2, "s7"))
	for _, b := range []uint64{0, 0xffff, 0x12345} {
		assert.GreaterOrEqual(t, unitOf(b), 0.0)
		assert.LessOrEqual(t, unitOf(b), 1.0)
	}
}

func TestMoveAt(t *testing.T) {
	a, b := framing.Rect{X: 0, W: 10, H: 10}, framing.Rect{X: 100, W: 20, H: 10}
	m := Move{From: a, To: b, Ease: framing.Linear}
	assert.Equal(t, a, m.At(0, 101))
	assert.Equal(t, 50.0, m.At(50, 101).X)
	assert.Equal(t, b, m.At(100, 101))
	late := Move{From: a, To: b, Ease: framing.Linear, Start: 10, Span: 10}
	assert.Equal(t, a, late.At(5, 101))
	assert.Equal(t, 50.0, late.At(15, 101).X)
	assert.Equal(t, b, late.At(60, 101))
	assert.Equal(t, b, m.At(0, 1), "a slide of one frame shows where it goes")
}
