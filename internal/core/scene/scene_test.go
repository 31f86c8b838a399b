package scene_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	. "nelko/internal/core/scene"
	"nelko/internal/core/scene/scenetest"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/themes/themestest"
)

// one is a film of a single picture of the given size between opening and
// closing.
func one(t *testing.T, w, h int, layout string, frame doc.Frame, details map[string]string) *Scene {
	return filmOf(t, "tideline", doc.Media{
		ID:   "p",
		Kind: doc.PhotoMedia,
		Name: "p.jpg",
		W:    w,
		H:    h,
	}, layout, frame, details, nil)
}

// filmOf is one with a medium of its own, changed before it is built.
func filmOf(t *testing.T, themeID string, m doc.Media, layout string, frame doc.Frame,
	details map[string]string, change func(*doc.Slideshow)) *Scene {
	th, err := themestest.Shelf(t).Get(themeID)
	require.NoError(t, err)
	lib := doc.Library{m.ID: m}
	d := doc.New(themeID, 1)
	d.Frame, d.Details = frame, details
	d.Slides = []doc.Slide{{
		ID:     "a",
		Kind:   doc.Opening,
		Linger: 1,
	}, {
		ID:     "b",
		Kind:   doc.Pictures,
		Layout: layout,
		Media:  []doc.MediaID{m.ID},
		Linger: 1,
	}, {ID: "c", Kind: doc.Closing, Linger: 1}}
	if change != nil {
		change(&d)
	}
	return Build(d, th, plan.Build(d, th, lib), lib, scenetest.Mono{}, Options{})
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
	assert.Equal(t, []Kind{Soft, Print}, kinds(s))
	p := s.Layers[1]
	assert.Equal(t, framing.Rect{W: 1, H: 1}, p.Asset.Crop, "all of it is shown")
	assert.InDelta(t, 2.0/3, float64(p.Asset.W-2*p.Asset.Mat)/float64(p.Asset.H-2*p.Asset.Mat), 0.002,
		"never stretched")
	w, h := p.Asset.PrintSize()
	for n := range s.Length {
		r := p.Place.At(n, s.Length)
		assert.InEpsilon(t, float64(w)/float64(h), r.Aspect(), 1e-9, "never stretched")
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
	sc := one(t, 3000, 2000, "full", hd, map[string]string{
		"names":   "Zoë & Co",
		"date":    "12 September",
		"message": "",
	})
	words := func(s Slide) (out []string) {
		for _, l := range s.Layers {
			if l.Asset.Kind == Text {
				out = append(out, l.Asset.Text.Words)
			}
		}
		return out
	}
	assert.Equal(t, []string{"Zoë & Co", "12 SEPTEMBER"}, words(sc.Slides[0]),
		"an empty detail prints nothing")
	assert.Equal(t, []string{"Thank you for watching", "ZOË & CO"}, words(sc.Slides[2]),
		"the closing has words of its own")
}

// Words fade in once and stay; before they enter they are not there.
func TestWordsEnter(t *testing.T) {
	sc := one(t, 3000, 2000, "full", hd, map[string]string{"names": "A"})
	for _, l := range sc.Slides[0].Layers {
		if l.Asset.Kind != Text {
			continue
		}
		assert.Zero(t, l.Opacity(0, 150))
		assert.Equal(t, 1.0, l.Opacity(90, 150))
		for n := range timecode.Frames(90) {
			assert.LessOrEqual(t, l.Opacity(n, 150), l.Opacity(n+1, 150))
		}
		assert.Zero(t, l.Opacity(149, 150), "the opening's words leave with it")
	}
}

// A slide whose layout the theme does not have follows the theme's rule and
// shows all its pictures.
func TestUnknownLayout(t *testing.T) {
	s := one(t, 3000, 2000, "from another theme", hd, nil).Slides[1]
	assert.Contains(t, []Kind{Photo, Print}, s.Layers[len(s.Layers)-1].Asset.Kind)
}

// A face lies where a plain crop would cut it: the framing moves to keep it,
// at both ends of the motion. Two faces too far apart for any framing are
// found and said.
func TestNoFaceIsCut(t *testing.T) {
	faces := func(y ...float64) doc.Media {
		m := doc.Media{ID: "p", Kind: doc.PhotoMedia, Name: "p.jpg", W: 3000, H: 3000}
		for _, v := range y {
			m.Faces = append(m.Faces, framing.Rect{X: 0.45, Y: v, W: 0.1, H: 0.1})
		}
		return m
	}
	sc := filmOf(t, "tideline", faces(0.02), "full", hd, nil, nil)
	l := sc.Slides[1].Layers[0]
	for n := range sc.Slides[1].Length {
		assert.True(t, l.Window.At(n, sc.Slides[1].Length).Contains(framing.Rect{
			X: 0.45,
			Y: 0.02,
			W: 0.1,
			H: 0.1,
		}, 1e-9), "frame %d", n)
	}
	assert.Empty(t, of(sc, FaceCut))
	sc = filmOf(t, "tideline", faces(0.02, 0.88), "full", hd, nil, nil)
	var on []doc.SlideID
	for _, f := range of(sc, FaceCut) {
		on = append(on, f.Slide)
	}
	assert.Equal(t, []doc.SlideID{"b", "c"}, on, "it fills the slide, and the closing")
}

// A picture whose interest is spread out gets a layout that shows all of it, as far
// as nobody chose another; one whose interest is in the middle may be cropped.
func TestSpreadPicturesAreNotCropped(t *testing.T) {
	square := func(interest framing.Rect, hand string) *Scene {
		return filmOf(t, "tideline", doc.Media{
			ID:       "p",
			Kind:     doc.PhotoMedia,
			W:        3000,
			H:        2400,
			Interest: interest,
		}, hand, hd, nil, nil)
	}
	shown := func(sc *Scene) float64 {
		for _, l := range sc.Slides[1].Layers {
			if l.Asset.Kind == Photo {
				return l.Window.To.H
			}
		}
		return 1 // a print shows all of it
	}
	tall := framing.Rect{X: 0.3, Y: 0.03, W: 0.3, H: 0.94}
	assert.InDelta(t, 1, shown(square(tall, "")), 0.01)
	assert.Less(t, shown(square(tall, "full")), 0.75, "by hand it is as it is meant")
	assert.Less(t, shown(square(framing.Rect{X: 0.4, Y: 0.4, W: 0.2, H: 0.2}, "")), 0.75)
}

// A focal point set by hand is in the frame, whatever the shape; turning and
// cropping are counted.
func TestFocalPointByHand(t *testing.T) {
	for _, fr := range []doc.Frame{hd, {W: 1080, H: 1080}, {W: 1080, H: 1920}} {
		sc := filmOf(t, "tideline", doc.Media{
			ID:   "p",
			Kind: doc.PhotoMedia,
			W:    4000,
			H:    3000,
		}, "full", fr, nil, func(d *doc.Slideshow) {
			d.Shots = map[doc.MediaID]doc.Shot{"p": {Focal: &framing.Point{X: 0.08, Y: 0.9}}}
		})
		s := sc.Slides[1]
		l := s.Layers[len(s.Layers)-1]
		assert.True(t, l.Window.At(0, s.Length).Contains(framing.Rect{X: 0.08, Y: 0.9}, 0), "%v", fr)
	}
	sc := filmOf(t, "tideline", doc.Media{
		ID:   "p",
		Kind: doc.PhotoMedia,
		W:    3000,
		H:    4000,
	}, "full", hd, nil, func(d *doc.Slideshow) {
		d.Shots = map[doc.MediaID]doc.Shot{"p": {Turn: 1, Crop: framing.Rect{X: 0.5, Y: 0.5, W: 0.5, H: 0.5}}}
	})
	l := sc.Slides[1].Layers[0]
	assert.Equal(t, 1, l.Asset.Turn)
	assert.True(t, framing.Rect{
		X: 0.5,
		Y: 0.5,
		W: 0.5,
		H: 0.5,
	}.Contains(l.Window.At(0, 100), 1e-9), "only the crop is shown")
	assert.InDelta(t, 4.0/3, float64(l.Asset.W)/float64(l.Asset.H), 0.01, "prepared as turned")
}

// What a hand takes hold of is where the picture is: seen through its place
// without distortion, in every theme, with and without turn, crop and mat.
func TestShownIsWhereThePictureIs(t *testing.T) {
	for _, th := range themestest.Shelf(t).All() {
		for _, shot := range []doc.Shot{{}, {Turn: 1}, {Crop: framing.Rect{X: 0.25, Y: 0.1, W: 0.5, H: 0.8}},
			{
				Turn: 3,
				Crop: framing.Rect{X: 0.1, Y: 0.2, W: 0.6, H: 0.7},
			}} {
			m := doc.Media{
				ID:    "p",
				Kind:  doc.PhotoMedia,
				W:     3000,
				H:     4000,
				Focus: framing.Point{X: 0.3, Y: 0.4},
			}
			lib := doc.Library{"p": m}
			var d doc.Slideshow
			sc := filmOf(t, th.ID, m, "", hd, nil, func(f *doc.Slideshow) {
				f.Shots = map[doc.MediaID]doc.Shot{"p": shot}
				d = *f
			})
			b := sc.Slides[1]
			for _, n := range []timecode.Frames{b.Start, b.Start + b.Length/2, b.End() - 1} {
				shown := sc.Shown(d, lib, "b", n)
				require.Len(t, shown, 1, th.ID)
				p := shown[0]
				w, h := 3000.0, 4000.0
				if shot.Turn%2 == 1 {
					w, h = h, w
				}
				across, down := p.Place.W*1920/(p.Window.W*w), p.Place.H*1080/(p.Window.H*h)
				assert.InEpsilon(t, across, down, 0.01, "%s, %+v: never stretched", th.ID, shot)
				assert.True(t, p.Crop.Contains(p.Window, 1e-6), "%s, %+v: within the crop", th.ID, shot)
				if shot.Crop != (framing.Rect{}) {
					assert.Equal(t, shot.Crop, p.Crop)
				}
				want := map[int]framing.Point{
					0: {X: 0.3, Y: 0.4},
					1: {X: 0.6, Y: 0.3},
					3: {X: 0.4, Y: 0.7},
				}[shot.Turn]
				assert.InDelta(t, want.X, p.Focal.X, 1e-9, "%+v", shot)
				assert.InDelta(t, want.Y, p.Focal.Y, 1e-9, "%+v", shot)
			}
			assert.Equal(t, sc.Shown(d, lib, "b", b.Start)[0].Begins,
				sc.Shown(d, lib, "b", b.Start)[0].Window)
			assert.Empty(t, sc.Shown(d, lib, "nobody", 0))
		}
	}
}

// What is smaller than its place is said, and nothing is prepared larger than
// it is.
func TestEnlargedPicturesAreSaid(t *testing.T) {
	sc := one(t, 900, 600, "full", hd, nil)
	i := slices.IndexFunc(sc.Findings, func(f Finding) bool { return f.Slide == "b" })
	require.GreaterOrEqual(t, i, 0)
	assert.Equal(t, Enlarged, sc.Findings[i].Kind)
	assert.InDelta(t, 1920*1.12/900, sc.Findings[i].By, 0.01)
	assert.Empty(t, one(t, 2400, 1600, "full", hd, nil).Findings)
}

// Words that enter letter by letter are cut into windows that tile their
// sprite: together they are the whole again, without gap or overlap.
func TestPartsTileTheWords(t *testing.T) {
	for _, effect := range []string{"words", "letters", "type"} {
		th, err := themestest.Shelf(t).Get("tideline")
		require.NoError(t, err)
		own := *th
		own.Opening.Block.Elements = append([]theme.Element(nil), th.Opening.Block.Elements...)
		own.Opening.Block.Elements[0].Enter = design.Effect(effect)
		d := doc.New("tideline", 1)
		d.Details = map[string]string{"names": "The Quayside Ladies of Saltmere"}
		d.Slides = []doc.Slide{{ID: "a", Kind: doc.Opening, Linger: 1}}
		sc := Build(d, &own, plan.Build(d, &own, nil), nil, scenetest.Mono{}, Options{})
		area := 0.0
		n := 0
		for _, l := range sc.Slides[0].Layers {
			if l.Asset.Kind != Text || l.Asset.Text.Words != "The Quayside Ladies of Saltmere" {
				continue
			}
			n++
			w := l.Window.To
			area += w.W * w.H
			assert.InDelta(t, w.W*float64(l.Asset.W), l.Place.To.W, 1e-6, "drawn at its own size")
		}
		assert.Greater(t, n, 4)
		assert.InDelta(t, 1, area, 1e-9)
	}
}

// Words too long for their place even in small type are said.
func TestTooLongWordsAreSaid(t *testing.T) {
	sc := one(t, 3000, 2000, "full", hd, map[string]string{"date": strings.Repeat("endless ", 30)})
	require.NotEmpty(t, sc.Findings)
	assert.Equal(t, TooLong, sc.Findings[0].Kind)
}

// SMPTE ST 2046-1 (from memory): titles lie in the middle 90 % of the frame.
// Every theme's cards keep to it in every frame shape, with long details.
func TestTitlesKeepToTheSafeArea(t *testing.T) {
	all, err := themestest.Shelf(t).All(), error(nil)
	require.NoError(t, err)
	for _, th := range all {
		for _, fr := range []doc.Frame{hd, {W: 1440, H: 1080}, {W: 1080, H: 1080}, {W: 1080, H: 1920}} {
			details := map[string]string{}
			for _, det := range th.Details {
				details[det.Key] = strings.Repeat(det.Example+" ", 2)
			}
			sc := filmOf(t, th.ID, doc.Media{
				ID:   "p",
				Kind: doc.PhotoMedia,
				W:    3000,
				H:    2000,
			}, "", fr, details, func(d *doc.Slideshow) {
				d.Slides = append(d.Slides, doc.Slide{
					ID:     "t",
					Kind:   doc.Card,
					Linger: 1,
					Card:   &doc.Words{Kind: "title", Main: "A day by the water", Smaller: "September"},
				},
					doc.Slide{
						ID:     "u",
						Kind:   doc.Card,
						Linger: 1,
						Card: &doc.Words{
							Kind: "text",
							Main: "Thanks",
							Text: strings.Repeat("Thank you all for coming. ", 6),
						},
					})
			})
			safe := framing.TitleSafe.Scale(float64(fr.W), float64(fr.H))
			for _, s := range sc.Slides {
				for _, l := range s.Layers {
					if l.Asset.Kind == Text {
						pad := float64(l.Asset.Text.Pad())
						at := l.Place.To
						if l.Window.To != (framing.Rect{W: 1, H: 1}) {
							continue // a part of words that are tested as a whole elsewhere
						}
						assert.True(t, safe.Contains(at.Inset(pad), 3), "%s %v: %q at %v", th.ID, fr,
							l.Asset.Text.Words, at.Inset(pad))
					}
				}
			}
		}
	}
}
