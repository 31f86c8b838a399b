package compose

import (
	"fmt"
	"math"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/scene/scenetest"
	"nelko/internal/core/timecode"
	"nelko/themes/themestest"
)

// whole is a film of every kind of slide in a theme: cards, captions, one to
// six pictures, a clip, decor, a watermark.
func whole(t *testing.T, themeID string, frame doc.Frame) *scene.Scene {
	th, err := themestest.Shelf(t).Get(themeID)
	require.NoError(t, err)
	lib := doc.Library{"clip": {ID: "clip", Kind: doc.ClipMedia, W: 640, H: 360, Length: 2 * 48000}}
	d := doc.New(th.ID, 4)
	d.Frame, d.Fit = frame, doc.Fit{Mode: doc.AtPace, PaceSeconds: 1.2}
	for _, det := range th.Details {
		d.Details[det.Key] = det.Example
	}
	d.Slides = []doc.Slide{{ID: "open", Kind: doc.Opening, Linger: 1}}
	k := 0
	for n := 1; n <= 6; n++ {
		s := doc.Slide{ID: doc.SlideID(fmt.Sprint("s", n)), Kind: doc.Pictures, Linger: 1}
		for range n {
			m := doc.Media{ID: doc.MediaID(fmt.Sprint("p", k)), Kind: doc.PhotoMedia, W: 1500, H: 1000}
			if n%2 == 0 {
				m.W, m.H = 1000, 1500
			}
			k++
			lib[m.ID] = m
			s.Media = append(s.Media, m.ID)
		}
		if n == 2 {
			s.Caption = "At the start line"
		}
		d.Slides = append(d.Slides, s)
	}
	d.Slides = append(d.Slides, doc.Slide{
		ID:     "clip",
		Kind:   doc.Clip,
		Media:  []doc.MediaID{"clip"},
		Linger: 1,
	},
		doc.Slide{
			ID:     "card",
			Kind:   doc.Card,
			Linger: 1,
			Card:   &doc.Words{Kind: "credits", Main: "Crew", Text: "Bow | Ann\nStroke | Bo"},
		},
		doc.Slide{ID: "close", Kind: doc.Closing, Linger: 1})
	d.Decor = []doc.Laid{{
		From:  "s1",
		To:    "s3",
		Decor: design.Decor{Kind: design.Drift, Particles: "leaves", Density: 0.5, Opacity: 1, FadeIn: 0.5},
	}}
	require.NoError(t, d.Validate())
	return scene.Build(d, th, plan.Build(d, th, lib), lib, scenetest.Mono{}, scene.Options{
		Watermark: "Draft",
		Mark:      "Osprey Quay",
	})
}

var shapes = []doc.Frame{{W: 160, H: 90}, {W: 120, H: 90}, {W: 90, H: 90}, {W: 90, H: 160}}

// Every theme draws every kind of slide in every frame shape, and no frame
// but at the film's black ends is all of one colour.
func TestEveryThemeDrawsEverythingInEveryShape(t *testing.T) {
	all, err := themestest.Shelf(t).All(), error(nil)
	require.NoError(t, err)
	for _, th := range all {
		for _, fr := range shapes {
			sc := whole(t, th.ID, fr)
			c, f := New(sc, flatAssets{}), raster.NewFrame(fr.W, fr.H)
			for _, s := range sc.Slides {
				for _, n := range []timecode.Frames{s.Start + s.Length/2, s.End() - 1 - s.Overlap/2} {
					if n >= sc.Frames-sc.FadeOut || n < sc.FadeIn {
						continue
					}
					require.NoError(t, c.Frame(f, n), "%s %v %s", th.ID, fr, s.ID)
					if s.Overlap == 0 || n < s.End()-s.Overlap { // a join may lead through one colour
						assert.False(t, flat(f), "%s %v %s frame %d", th.ID, fr, s.ID, n)
					}
				}
			}
		}
	}
}

func flat(f *raster.Frame) bool {
	for i := range f.Y {
		if f.Y[i] != f.Y[0] {
			return false
		}
	}
	for i := range f.U {
		if f.U[i] != f.U[0] || f.V[i] != f.V[0] {
			return false
		}
	}
	return true
}

// A frame said to be the same as the one before is, byte for byte.
func TestFramesSaidToBeTheSameAre(t *testing.T) {
	same := 0
	for _, id := range []string{"tideline", "ledger", "stillwater"} {
		sc := whole(t, id, doc.Frame{W: 128, H: 72})
		for i := range sc.Slides { // without motion there are some
			for k := range sc.Slides[i].Layers {
				l := &sc.Slides[i].Layers[k]
				if l.Asset.Kind != scene.Text {
					l.Window.To, l.Place.To = l.Window.From, l.Place.From
				}
			}
		}
		c := New(sc, flatAssets{})
		last, f := raster.NewFrame(128, 72), raster.NewFrame(128, 72)
		for n := range sc.Frames {
			require.NoError(t, c.Frame(f, n))
			if c.Same(n) {
				same++
				require.Equal(t, last, f, "%s frame %d", id, n)
			}
			last, f = f, last
		}
	}
	assert.Greater(t, same, 100)
}

// Frames do not depend on how many processors draw.
func TestFramesDoNotDependOnProcessors(t *testing.T) {
	sc := whole(t, "waypoint", doc.Frame{W: 160, H: 90})
	draw := func(procs int) []*raster.Frame {
		defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(procs))
		c := New(sc, flatAssets{})
		var out []*raster.Frame
		for n := timecode.Frames(0); n < sc.Frames; n += 29 {
			f := raster.NewFrame(160, 90)
			require.NoError(t, c.Frame(f, n))
			out = append(out, f)
		}
		return out
	}
	assert.Equal(t, draw(1), draw(4))
}

func asset(deg, shadow float64, mat, radius int, mask string) scene.Asset {
	return scene.Asset{
		Kind:    scene.Print,
		W:       60,
		H:       40,
		Mat:     mat,
		Radius:  radius,
		Mask:    mask,
		Degrees: deg,
		Shadow:  shadow,
		Blur:    4,
		Colour:  raster.RGB{R: 255, G: 255, B: 255},
	}
}

func area(s *raster.Sprite) float64 {
	if s.A == nil {
		return float64(s.W * s.H)
	}
	sum := 0.0
	for _, a := range s.A {
		sum += float64(a) / 255
	}
	return sum
}

// A print covers its own area whatever its angle, less what corners and masks
// take away, and fits its sprite; a shadow adds around it.
func TestPrints(t *testing.T) {
	picture := raster.Pixels{W: 52, H: 32, Channels: 3, Pix: make([]byte, 52*32*3)}
	for _, deg := range []float64{0, 3, -7, 45, 90} {
		s, err := NewPrint(picture, asset(deg, 0, 4, 0, ""), raster.BT709)
		require.NoError(t, err)
		assert.InDelta(t, 60*40, area(s), 110, "%g°", deg)
		for x := range s.W {
			assert.Zero(t, s.A[x], "room at the edge")
		}
		shadowed, err := NewPrint(picture, asset(deg, 0.6, 4, 0, ""), raster.BT709)
		require.NoError(t, err)
		assert.Greater(t, area(shadowed), area(s)+50)
	}
	square, err := NewPrint(raster.Pixels{}, asset(0, 0, 0, 0, ""), raster.BT709)
	require.NoError(t, err)
	round, err := NewPrint(raster.Pixels{}, asset(0, 0, 0, 10, ""), raster.BT709)
	require.NoError(t, err)
	assert.InDelta(t, (4-math.Pi)*100, area(square)-area(round), 8, "four corners of radius 10")
	oval, err := NewPrint(raster.Pixels{}, asset(0, 0, 0, 0, "oval"), raster.BT709)
	require.NoError(t, err)
	assert.InDelta(t, math.Pi*30*20, area(oval), 25)
	_, err = NewPrint(picture, asset(0, 0, 0, 0, ""), raster.BT709)
	assert.Error(t, err, "a picture that does not fit")
}

func TestMasksAndGradients(t *testing.T) {
	paint := func(a scene.Asset) *raster.Sprite {
		s, ok, err := Paint(a, raster.BT709)
		require.NoError(t, err)
		require.True(t, ok)
		return s
	}
	for mask, share := range map[string]float64{
		"oval": math.Pi / 4,
		"arch": (math.Pi*30*30/2 + 60*50) / (60 * 80),
	} {
		assert.InDelta(t, share, area(paint(scene.Asset{
			Kind: scene.Mask,
			W:    60,
			H:    80,
			Mask: mask,
		}))/(60*80), 0.02, mask)
	}
	blot := area(paint(scene.Asset{Kind: scene.Mask, W: 60, H: 80, Mask: "blot"})) / (60 * 80)
	assert.True(t, blot > 0.5 && blot < 0.98, "%g", blot)
	g := paint(scene.Asset{
		Kind:   scene.Gradient,
		W:      100,
		H:      10,
		Colour: raster.RGB{},
		Second: raster.RGB{R: 255, G: 255, B: 255},
	})
	assert.InDelta(t, 17, g.Y[0], 2)
	assert.InDelta(t, 125, g.Y[50], 3)
	assert.InDelta(t, 234, g.Y[99], 2)
	down := paint(scene.Asset{
		Kind:    scene.Gradient,
		W:       10,
		H:       100,
		Degrees: 90,
		Second:  raster.RGB{R: 255, G: 255, B: 255},
	})
	assert.InDelta(t, 234, down.Y[99*10+5], 2)
	_, ok, _ := Paint(scene.Asset{Kind: scene.Photo}, raster.BT709)
	assert.False(t, ok, "photos are not painted")
}

// A masked picture shows by its mask: under an oval the corners keep what is
// behind.
func TestMaskedLayers(t *testing.T) {
	s, err := raster.NewSprite(raster.Pixels{
		W:        1,
		H:        1,
		Channels: 3,
		Pix:      []byte{255, 255, 255},
	}, raster.BT709)
	require.NoError(t, err)
	m, _, err := Paint(scene.Asset{Kind: scene.Mask, W: 64, H: 64, Mask: "oval"}, raster.BT709)
	require.NoError(t, err)
	f := raster.NewFrame(64, 64)
	f.DrawMasked(s, m, framing.Rect{W: 64, H: 64}, framing.Rect{W: 1, H: 1}, 1)
	assert.EqualValues(t, 16, f.Y[0])
	assert.InDelta(t, 235, f.Y[32*64+32], 1)
	sum := 0.0
	for _, v := range f.Y {
		sum += float64(v-16) / 219
	}
	assert.InDelta(t, math.Pi*32*32, sum, 20)
}

// Everything under a film's edits is drawn: a document changed by hand at
// every place differs from the plain one just where it was changed.
func TestChangesByHandAreSeen(t *testing.T) {
	th, err := themestest.Shelf(t).Get("tideline")
	require.NoError(t, err)
	lib := doc.Library{"p": {ID: "p", Kind: doc.PhotoMedia, W: 1500, H: 1000}}
	with := edit.Context{Theme: th, Library: lib}
	d := doc.New(th.ID, 4)
	d.Frame = doc.Frame{W: 160, H: 90}
	d, err = edit.Do(d, edit.Pour{Media: []doc.MediaID{"p"}}, with)
	require.NoError(t, err)
	id := d.Slides[1].ID
	at := func(d doc.Slideshow) *raster.Frame {
		p := plan.Build(d, th, lib)
		sc := scene.Build(d, th, p, lib, scenetest.Mono{}, scene.Options{})
		f := raster.NewFrame(160, 90)
		require.NoError(t, New(sc, flatAssets{}).Frame(f, p.Slides[1].Start+p.Slides[1].Length/2))
		return f
	}
	plain := at(d)
	tilt := 9.0
	for _, op := range []edit.Op{
		edit.Layout{
			Slides: []doc.SlideID{id},
			Layout: "full",
		}, edit.Caption{Slides: []doc.SlideID{id}, Text: "Noon"},
		edit.Shots{
			Media: []doc.MediaID{"p"},
			Tilt:  &tilt,
		}, edit.Decorate{
			Index: -1,
			Laid: &doc.Laid{
				From:  id,
				To:    id,
				Decor: design.Decor{Kind: design.Drift, Particles: "confetti", Density: 1, Opacity: 1},
			},
		},
	} {
		changed, err := edit.Do(d, op, with)
		require.NoError(t, err)
		assert.NotEqual(t, plain, at(changed), "%T", op)
	}
}
