package compose

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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

// painted keeps what the tests paint; all draw in one matrix.
var painted sync.Map

// flatAssets makes every asset one colour of its own, and counts clip frames
// by brightness.
type flatAssets struct{ fail doc.MediaID }

func (f flatAssets) Sprite(a scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	if a.Media != "" && a.Media == f.fail {
		return nil, errors.New("torn")
	}
	if s, ok := painted.Load(a); ok {
		return s.(*raster.Sprite), nil
	}
	if s, ok, err := Paint(a, m); ok {
		painted.Store(a, s)
		return s, err
	}
	if a.Kind == scene.Print {
		px := raster.Pixels{W: a.W - 2*a.Mat, H: a.H - 2*a.Mat, Channels: 3}
		px.Pix = make([]byte, px.W*px.H*3)
		s, err := NewPrint(px, a, m)
		painted.Store(a, s)
		return s, err
	}
	c := a.Colour
	if a.Kind == scene.Photo {
		v := byte(0)
		for _, r := range a.Media {
			v = v*31 + byte(r)
		}
		c = raster.RGB{R: v, G: 255 - v, B: 90}
	}
	w, h := max(1, min(a.W, 64)), max(1, min(a.H, 64))
	px := raster.Pixels{W: w, H: h, Channels: 3}
	for i := range w * h {
		px.Pix = append(px.Pix, c.R+byte(i%7), c.G, c.B)
	}
	return raster.NewSprite(px, m)
}

func (f flatAssets) Clip(a scene.Asset, m raster.Matrix, _ timecode.Rate, n timecode.Frames) (*raster.Sprite,
	error) {
	return raster.NewSprite(raster.Pixels{W: 1, H: 1, Channels: 3, Pix: []byte{byte(n), byte(n), byte(n)}}, m)
}

func film(t *testing.T, frame doc.Frame) *scene.Scene {
	th, err := themestest.Shelf(t).Get("tideline")
	require.NoError(t, err)
	lib := doc.Library{
		"song": {ID: "song", Kind: doc.SongMedia, Length: 30 * 48000},
		"clip": {ID: "clip", Kind: doc.ClipMedia, W: 640, H: 360, Length: 2 * 48000},
	}
	ids := []doc.MediaID{"song", "clip"}
	for i := range 9 {
		m := doc.Media{ID: doc.MediaID(fmt.Sprintf("p%d", i)), Kind: doc.PhotoMedia, W: 600, H: 400}
		if i%2 == 1 {
			m.W, m.H = 400, 600
		}
		lib[m.ID] = m
		ids = append(ids, m.ID)
	}
	d := doc.New(th.ID, 4)
	d.Frame = frame
	for _, op := range []edit.Op{edit.Details{Values: map[string]string{"names": "A", "date": "B"}},
		edit.Pour{Media: ids}, edit.Fit{Mode: doc.ToMusic}} {
		d, err = edit.Do(d, op, edit.Context{Theme: th, Library: lib})
		require.NoError(t, err)
	}
	p := plan.Build(d, th, lib)
	require.NoError(t, p.FitError)
	return scene.Build(d, th, p, lib, scenetest.Mono{}, scene.Options{})
}

// Frames do not depend on order, on goroutines, or on where a renderer
// begins.
func TestFramesAreTheSameFromAnyStartAndInParallel(t *testing.T) {
	sc := film(t, doc.Frame{W: 160, H: 90})
	c := New(sc, flatAssets{})
	var frames []timecode.Frames
	for n := timecode.Frames(0); n < sc.Frames; n += 13 {
		frames = append(frames, n)
	}
	forward := map[timecode.Frames]*raster.Frame{}
	for _, n := range frames {
		forward[n] = raster.NewFrame(160, 90)
		require.NoError(t, c.Frame(forward[n], n))
	}
	var wg sync.WaitGroup
	for k := range 4 {
		wg.Go(func() {
			f := raster.NewFrame(160, 90)
			other := New(sc, flatAssets{})
			for i := len(frames) - 1 - k; i >= 0; i -= 4 {
				if assert.NoError(t, other.Frame(f, frames[i])) {
					assert.Equal(t, forward[frames[i]], f, "frame %d", frames[i])
				}
			}
		})
	}
	wg.Wait()
}

// The first frame of a join is the first slide alone, the last the second
// alone, and half-way both show equally.
func TestJoinsBeginAndEndPure(t *testing.T) {
	sc := film(t, doc.Frame{W: 160, H: 90})
	c := New(sc, flatAssets{})
	second := sc.Slides[2]
	alone := *sc
	alone.Slides = sc.Slides[2:3]
	last := second.Start + sc.Slides[1].Overlap - 1
	a, b := raster.NewFrame(160, 90), raster.NewFrame(160, 90)
	require.NoError(t, c.Frame(a, last))
	require.NoError(t, New(&alone, flatAssets{}).Frame(b, last))
	assert.Equal(t, b, a)
}

func TestFilmBeginsAndEndsBlack(t *testing.T) {
	sc := film(t, doc.Frame{W: 160, H: 90})
	c := New(sc, flatAssets{})
	black, f := raster.NewFrame(160, 90), raster.NewFrame(160, 90)
	for _, n := range []timecode.Frames{0, sc.Frames - 1} {
		require.NoError(t, c.Frame(f, n))
		assert.Equal(t, black, f)
	}
	require.NoError(t, c.Frame(f, sc.Frames/2))
	assert.NotEqual(t, black, f)
	assert.Error(t, c.Frame(f, -1))
	assert.Error(t, c.Frame(f, sc.Frames))
}

func TestFailureNamesTheSlide(t *testing.T) {
	sc := film(t, doc.Frame{W: 160, H: 90})
	broken := sc.Slides[3]
	var id doc.MediaID
	for _, l := range broken.Layers {
		if l.Asset.Media != "" {
			id = l.Asset.Media
		}
	}
	err := New(sc, flatAssets{fail: id}).Frame(raster.NewFrame(160, 90), broken.Start+broken.Length/2)
	var se *SlideError
	require.ErrorAs(t, err, &se)
	assert.Equal(t, broken.ID, se.Slide)
}

// In every frame shape nothing of the picture is shown that is not there, and
// everything the theme places lies in the frame.
func TestWindowsStayInsidePicturesInEveryShape(t *testing.T) {
	for _, fr := range []doc.Frame{{
		W: 1920,
		H: 1080,
	}, {W: 1440, H: 1080}, {W: 1080, H: 1080}, {W: 1080, H: 1920}} {
		sc := film(t, fr)
		frame := framing.Rect{W: float64(fr.W), H: float64(fr.H)}
		for _, s := range sc.Slides {
			for n := timecode.Frames(0); n < s.Length; n += 11 {
				for _, l := range s.Layers {
					if l.Asset.Kind == scene.Photo || l.Asset.Kind == scene.Footage ||
						l.Asset.Kind == scene.Soft {
						assert.True(t, framing.Rect{W: 1, H: 1}.Contains(l.Window.At(n, s.Length), 1e-9))
						assert.True(t, frame.Contains(l.Place.At(n, s.Length), 1))
					}
				}
			}
		}
	}
}

// Motion never jumps. The easing 3t²−2t³ over a way D in N steps changes its
// velocity by at most 6D/N² a frame, and starts and stops at rest.
func TestMotionIsSmooth(t *testing.T) {
	sc := film(t, doc.Frame{W: 1920, H: 1080})
	for _, s := range sc.Slides {
		for _, l := range s.Layers {
			if l.Asset.Kind != scene.Photo {
				continue
			}
			var last, lastStep float64
			steps := float64(s.Length - 1)
			most := 6*math.Abs(l.Window.To.X-l.Window.From.X)*float64(sc.W)/(steps*steps) + 1e-9
			for n := timecode.Frames(0); n < s.Length; n++ {
				x := l.Window.At(n, s.Length).X * float64(sc.W)
				step := x - last
				if n > 1 {
					assert.InDelta(t, lastStep, step, most, "velocity changes gently")
				}
				if n == 1 || n == s.Length-1 {
					assert.InDelta(t, 0, step, most, "at rest at both ends")
				}
				last, lastStep = x, step
			}
		}
	}
}

// Prints of any size, turned by any angle, keep their middle and their colour
// there, lie within their sprite, and throw a shadow below.
func TestPrintsOfAnySize(t *testing.T) {
	for _, size := range [][2]int{{1, 1}, {2, 2}, {3, 9}, {40, 30}, {161, 97}} {
		for _, degrees := range []float64{0, 2, -7.5, 45, 90, 180} {
			a := scene.Asset{
				Kind:    scene.Print,
				Media:   "p",
				W:       size[0],
				H:       size[1],
				Degrees: degrees,
				Shadow:  0.5,
				Blur:    4,
				Colour:  raster.RGB{R: 255, G: 255, B: 255},
			}
			in := raster.Pixels{
				W:        size[0],
				H:        size[1],
				Channels: 3,
				Pix:      bytes.Repeat([]byte{200, 60, 40}, size[0]*size[1]),
			}
			s, err := NewPrint(in, a, raster.BT709)
			require.NoError(t, err)
			w, h := a.PrintSize()
			require.Equal(t, [2]int{w, h}, [2]int{s.W, s.H})
			for x := range w {
				assert.Less(t, int(s.A[x]), 40, "the upper edge of %v at %g°", size, degrees)
			}
			if size[0] < 40 {
				continue
			}
			y, _, _ := raster.BT709.YUV(200, 60, 40)
			middle := h/2*w + w/2
			assert.Equal(t, byte(255), s.A[middle])
			assert.InDelta(t, y, s.Y[middle], 1)
			var sum, rows float64
			for i, al := range s.A {
				if al > 0 && al < 120 {
					sum, rows = sum+float64(i/w), rows+1
				}
			}
			assert.Greater(t, sum/rows, float64(h)/2, "the shadow lies below")
		}
	}
}
