package scene_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	. "nelko/internal/core/scene"
	"nelko/internal/core/scene/scenetest"
	"nelko/internal/core/timecode"
	"nelko/themes/themestest"
)

// A list of credits longer than the frame rolls through it: it begins below
// and ends above.
func TestCreditsRoll(t *testing.T) {
	sc := filmOf(t, "tideline", doc.Media{
		ID:   "p",
		Kind: doc.PhotoMedia,
		W:    3000,
		H:    2000,
	}, "", hd, nil, func(d *doc.Slideshow) {
		d.Slides = append(d.Slides, doc.Slide{
			ID:     "t",
			Kind:   doc.Card,
			Linger: 1,
			Card:   &doc.Words{Kind: "credits", Main: "Crew", Text: strings.Repeat("Bow | Ann Ferry\n", 40)},
		})
	})
	s := sc.Slides[3]
	columns := 0
	for _, l := range s.Layers {
		if l.Asset.Kind != Text {
			continue
		}
		columns++
		assert.GreaterOrEqual(t, l.Place.At(0, s.Length).Y, 1080.0-60)
		assert.LessOrEqual(t, l.Place.At(s.Length-1, s.Length).Y, 0.0)
	}
	assert.Equal(t, 3, columns, "the heading and two columns")
}

// Decor over a range of slides lasts as long as they do, and goes with them.
func TestDecorOverARange(t *testing.T) {
	laid := doc.Laid{
		From:  "b",
		To:    "c",
		Decor: design.Decor{Kind: design.Drift, Particles: "snow", Density: 1, Opacity: 1},
	}
	sc := filmOf(t, "tideline", doc.Media{
		ID:   "p",
		Kind: doc.PhotoMedia,
		W:    3000,
		H:    2000,
	}, "full", hd, nil, func(d *doc.Slideshow) { d.Decor = []doc.Laid{laid} })
	require.Len(t, sc.Overlays, 1)
	assert.Equal(t, sc.Slides[1].Start, sc.Overlays[0].Start)
	assert.Equal(t, sc.Slides[2].End(), sc.Overlays[0].Start+sc.Overlays[0].Length)
	sc = filmOf(t, "tideline", doc.Media{
		ID:   "p",
		Kind: doc.PhotoMedia,
		W:    3000,
		H:    2000,
	}, "full", hd, nil, func(d *doc.Slideshow) {
		laid.To = "gone"
		d.Decor = []doc.Laid{laid}
	})
	assert.Empty(t, sc.Overlays)
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

// Captions follow the theme, the film's style, and the slide's exception; a
// type the theme does not have gives way to its own.
func TestCaptionStyles(t *testing.T) {
	caption := func(change func(*doc.Slideshow)) (Layer, []Finding) {
		sc := filmOf(t, "tideline", doc.Media{
			ID:   "p",
			Kind: doc.PhotoMedia,
			W:    3000,
			H:    2000,
		}, "full", hd, nil, func(d *doc.Slideshow) {
			d.Slides[1].Caption = "At noon"
			change(d)
		})
		layers := sc.Slides[1].Layers
		return layers[len(layers)-1], sc.Findings
	}
	th, err := themestest.Shelf(t).Get("tideline")
	require.NoError(t, err)
	by, _ := caption(func(*doc.Slideshow) {})
	assert.InDelta(t, th.Caption.Size*1080, by.Asset.Text.Size, 0.25)
	film := design.Caption{
		Type:   design.Type{Font: "of another theme", Size: 0.06, Colour: raster.RGB{R: 200}},
		Anchor: "upper",
		Width:  0.6,
		Enter:  "none",
	}
	of, _ := caption(func(d *doc.Slideshow) { d.CaptionStyle = &film })
	assert.InDelta(t, 0.06*1080, of.Asset.Text.Size, 0.25)
	assert.Equal(t, by.Asset.Text.Face, of.Asset.Text.Face)
	assert.Less(t, of.Place.To.Y, 540.0)
	own := film
	own.At = &framing.Point{X: 0.5, Y: 0.5}
	exception, found := caption(func(d *doc.Slideshow) {
		d.CaptionStyle, d.Slides[1].CaptionStyle = &film, &own
	})
	assert.InDelta(t, 960, exception.Place.To.Centre().X, 2)
	assert.InDelta(t, 540, exception.Place.To.Centre().Y, 2)
	assert.Empty(t, found)
	own.At = &framing.Point{X: 1, Y: 1}
	corner, found := caption(func(d *doc.Slideshow) { d.Slides[1].CaptionStyle = &own })
	pad := float64(corner.Asset.Text.Pad())
	assert.InDelta(t, 1920, corner.Place.To.X+corner.Place.To.W-pad, 3, "moved into the frame")
	require.Len(t, found, 1)
	assert.Equal(t, OutsideSafe, found[0].Kind)
}

// The words of a text card can be put anywhere by their middle.
// Captions with times of their own are seen from then to then, and no others.
func TestLinesAtTheirTimes(t *testing.T) {
	sc := filmOf(t, "tideline", doc.Media{
		ID:   "p",
		Kind: doc.PhotoMedia,
		W:    3000,
		H:    2000,
	}, "full", hd, nil, func(d *doc.Slideshow) {
		d.Slides[1].Pinned, d.Slides[1].Caption = 8, "not shown"
		d.Slides[1].Lines = []doc.Line{{From: 0, To: 2, Text: "one"}, {From: 3, Text: "two"}}
	})
	s := sc.Slides[1]
	seen := func(second float64) (words []string) {
		for _, l := range s.Layers {
			if l.Asset.Kind == Text && l.Opacity(timecode.Frames(second*30), s.Length) > 0.5 {
				words = append(words, l.Asset.Text.Words)
			}
		}
		return words
	}
	assert.Equal(t, []string{"one"}, seen(1))
	assert.Empty(t, seen(2.5))
	assert.Equal(t, []string{"two"}, seen(5))
}

func TestTextCardsCanBePlaced(t *testing.T) {
	sc := filmOf(t, "tideline", doc.Media{
		ID:   "p",
		Kind: doc.PhotoMedia,
		W:    3000,
		H:    2000,
	}, "full", hd, nil, func(d *doc.Slideshow) {
		d.Slides = append(d.Slides, doc.Slide{
			ID:     "t",
			Kind:   doc.Card,
			Linger: 1,
			Card:   &doc.Words{Kind: "text", Text: "Half-time", At: &framing.Point{X: 0.3, Y: 0.7}},
		})
	})
	var words framing.Rect
	for _, l := range sc.Slides[3].Layers {
		if l.Asset.Kind == Text {
			r := l.Place.To.Inset(float64(l.Asset.Text.Pad()))
			if words.W == 0 {
				words = r
			}
			words = words.Union(r)
		}
	}
	assert.InDelta(t, 0.3*1920, words.Centre().X, 3)
	assert.InDelta(t, 0.7*1080, words.Centre().Y, 3)
	told := sc.Slides[3].Words
	assert.InDelta(t, 0.3, told.Centre().X, 0.001)
	assert.InDelta(t, 0.7, told.Centre().Y, 0.001)
	assert.InDelta(t, words.W/1920, told.W, 0.01)
	assert.Empty(t, sc.Slides[1].Words, "no words on the picture")
}

// A clip laid over slides plays from where it is to, comes when it is to, and is
// there no longer than it plays or is wanted.
func TestClipsLaidOverSlides(t *testing.T) {
	for _, x := range []struct {
		timing       doc.Timing
		from, length timecode.Frames
	}{
		{doc.Timing{}, 0, 90},                    // all of its three seconds
		{doc.Timing{After: 1}, 30, 90},           //
		{doc.Timing{After: 1, Begin: 2}, 30, 30}, // its last second
		{doc.Timing{Lasts: 0.5}, 0, 15},          //
		{doc.Timing{Begin: 5}, 0, 0},             // when it is over
		{doc.Timing{After: 1e3}, 0, 0},           // when its slide is over
	} {
		sc := filmOf(t, "ledger", doc.Media{
			ID:     "p",
			Kind:   doc.ClipMedia,
			W:      1280,
			H:      720,
			Length: 3 * timecode.SampleRate,
		}, "full", hd, nil, func(d *doc.Slideshow) {
			d.Decor = []doc.Laid{{
				From:   "a",
				To:     "b",
				Timing: x.timing,
				Decor: design.Decor{
					Kind:    design.Sprite,
					Media:   "p",
					Size:    0.25,
					Opacity: 1,
					Path:    []design.Waypoint{{X: 0.8, Y: 0.8}},
				},
			}}
		})
		if x.length == 0 {
			assert.Empty(t, sc.Overlays, "%+v", x.timing)
			continue
		}
		require.Len(t, sc.Overlays, 1, "%+v", x.timing)
		o := sc.Overlays[0]
		assert.Equal(t, x.from, o.Start)
		assert.Equal(t, x.length, o.Length)
		assert.Equal(t, Footage, o.Layer.Asset.Kind)
		assert.Equal(t, timecode.Samples(x.timing.Begin*timecode.SampleRate), o.Layer.Asset.Begin)
		assert.Equal(t, [2]int{480, 270}, [2]int{o.Layer.Asset.W, o.Layer.Asset.H})
	}
}

// Decor whose picture is gone is left out, with all else as it was.
func TestDecorWithoutItsPicture(t *testing.T) {
	for id, overlays := range map[string]int{"p": 1, "gone": 0} {
		laid := doc.Laid{
			From: "b",
			To:   "b",
			Decor: design.Decor{
				Kind:    design.Sprite,
				Media:   id,
				Size:    0.2,
				Opacity: 1,
				Path:    []design.Waypoint{{X: 0.5, Y: 0.5}},
			},
		}
		sc := filmOf(t, "tideline", doc.Media{
			ID:   "p",
			Kind: doc.PhotoMedia,
			W:    3000,
			H:    2000,
		}, "full", hd, nil, func(d *doc.Slideshow) { d.Decor = []doc.Laid{laid} })
		assert.Len(t, sc.Overlays, overlays, id)
	}
}

// A clip's look is its own: colours, levels and sharpness when it is decoded,
// dark corners and grain laid over what moves.
func TestClipsHaveLooks(t *testing.T) {
	old, _ := look.ByID("old-print")
	sc := filmOf(t, "tideline", doc.Media{
		ID:     "c",
		Kind:   doc.ClipMedia,
		W:      1920,
		H:      1080,
		Length: 96000,
	}, "", hd, nil, func(d *doc.Slideshow) {
		d.Slides[1].Kind = doc.Clip
		d.Shots = map[doc.MediaID]doc.Shot{"c": {Look: &old}}
	})
	var clip, over *Layer
	for i := range sc.Slides[1].Layers {
		switch l := &sc.Slides[1].Layers[i]; l.Asset.Kind {
		case Footage:
			clip = l
		case Patina:
			over = l
		}
	}
	require.NotNil(t, clip)
	require.NotNil(t, over)
	assert.Equal(t, -1.0, clip.Asset.Look.Saturation)
	assert.Zero(t, clip.Asset.Look.Grain)
	assert.Equal(t, look.Look{Vignette: old.Vignette, Grain: old.Grain}, over.Asset.Look)
	assert.Equal(t, clip.Place, over.Place)
}

// A picture that lets what is behind show through has a backdrop, never black,
// even where it fills the frame; the layer that fills it otherwise has none.
func TestClearPicturesHaveABackdrop(t *testing.T) {
	m := doc.Media{ID: "p", Kind: doc.PhotoMedia, W: 3200, H: 1800}
	assert.Equal(t, Photo, kinds(filmOf(t, "tideline", m, "full", hd, nil, nil).Slides[1])[0])
	m.Clear = true
	layers := kinds(filmOf(t, "tideline", m, "full", hd, nil, nil).Slides[1])
	require.GreaterOrEqual(t, len(layers), 2)
	assert.Equal(t, Soft, layers[0])
	assert.Contains(t, layers, Photo)
}

// of are a scene's findings of a kind.
func of(sc *Scene, k FindingKind) (out []Finding) {
	for _, f := range sc.Findings {
		if f.Kind == k {
			out = append(out, f)
		}
	}
	return out
}

// A layout that cuts more than a third of a picture away is said, unless it was
// framed by hand; one that cuts less is not.
func TestCroppedPicturesAreSaid(t *testing.T) {
	assert.Len(t, of(one(t, 2000, 3000, "full", hd, nil), Cropped), 1,
		"an upright picture that fills a wide frame")
	assert.Empty(t, of(one(t, 3000, 2000, "full", hd, nil), Cropped))
	assert.Empty(t, of(one(t, 2000, 3000, "upright", hd, nil), Cropped), "shown whole")
	hand := filmOf(t, "tideline", doc.Media{
		ID:   "p",
		Kind: doc.PhotoMedia,
		W:    2000,
		H:    3000,
	}, "full", hd, nil, func(d *doc.Slideshow) {
		d.Slides[1].Motion = &design.Motion{
			Kind: design.ByHand,
			From: framing.Rect{W: 1, H: 0.3},
			To:   framing.Rect{Y: 0.2, W: 1, H: 0.3},
		}
	})
	assert.Empty(t, of(hand, Cropped), "meant")
}

// A film's own fades are instead of the theme's, and reach no further than its
// middle.
func TestFades(t *testing.T) {
	m := doc.Media{ID: "p", Kind: doc.PhotoMedia, W: 3000, H: 2000}
	sc := filmOf(t, "tideline", m, "full", hd, nil, func(d *doc.Slideshow) {
		d.Fades = &doc.Fades{InSeconds: 2, OutSeconds: 600, Colour: raster.RGB{R: 255, G: 255, B: 255}}
	})
	assert.EqualValues(t, 60, sc.FadeIn)
	assert.Equal(t, sc.Frames/2, sc.FadeOut)
	assert.Equal(t, raster.RGB{R: 255, G: 255, B: 255}, sc.FadeRGB)
}

// In every theme, and whatever layout the cast takes, no picture of a slide of
// several loses more than a third of itself, and two pictures in a wide frame
// cover at least 55 % of its title-safe area (the figures are common practice,
// no source).
func TestSeveralPicturesAreShownLarge(t *testing.T) {
	for _, th := range themestest.Shelf(t).All() {
		for n := 2; n <= 6; n++ {
			for _, fr := range []doc.Frame{hd, {W: 1440, H: 1080}, {W: 1080, H: 1080}, {W: 1080, H: 1920}} {
				for _, kind := range []string{"ww", "uu", "wu"} {
					lib := doc.Library{}
					var ids []doc.MediaID
					for i := range n {
						m := doc.Media{ID: doc.MediaID(rune('a' + i)), Kind: doc.PhotoMedia, W: 3000, H: 2000}
						if kind[i%2] == 'u' {
							m.W, m.H = 2000, 3000
						}
						lib[m.ID] = m
						ids = append(ids, m.ID)
					}
					for seed := range uint64(4) {
						d := doc.New(th.ID, seed+1)
						d.Frame = fr
						d.Slides = []doc.Slide{{ID: "b", Kind: doc.Pictures, Media: ids, Linger: 1}}
						sc := Build(d, th, plan.Build(d, th, lib), lib, scenetest.Mono{}, Options{})
						require.Empty(t, of(sc, Cropped), "%s, %d pictures, %v, %s", th.ID, n, fr, kind)
						area := 0.0
						for _, at := range []timecode.Frames{0, sc.Slides[0].Length - 1} {
							now := 0.0
							for _, p := range sc.Shown(d, lib, "b", at) {
								now += p.Place.W * p.Place.H
							}
							area = max(area, now) // pictures may swell or shrink a little
						}
						if n == 2 && fr == hd {
							assert.GreaterOrEqual(t, area, 0.545*framing.TitleSafe.W*framing.TitleSafe.H,
								"%s, %s", th.ID, kind)
						}
					}
				}
			}
		}
	}
}
