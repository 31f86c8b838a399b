package media

import (
	"fmt"
	"image"
	"image/color"
	"math"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/compose"
	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/demo/paint"
	"nelko/internal/media/pango"
	"nelko/internal/media/vips"
	"nelko/themes"
	"nelko/themes/themestest"
)

// alone is a film of one photo over the whole frame, moving as given.
func alone(t *testing.T, m doc.Media, path string, frame doc.Frame, motion design.Motion) (*scene.Scene,
	testAssets) {
	th, err := themestest.Shelf(t).Get("tideline")
	require.NoError(t, err)
	require.NoError(t, InstallFonts(themestest.Shelf(t), th.FontsContent))
	lib := doc.Library{m.ID: m}
	d := doc.New(th.ID, 1)
	d.Frame, d.Motion = frame, &motion
	d.Slides = []doc.Slide{{
		ID:     "a",
		Kind:   doc.Pictures,
		Media:  []doc.MediaID{m.ID},
		Layout: "full",
		Linger: 1,
	}}
	d, err = edit.Do(d, edit.Fit{Mode: doc.AtPace, Pace: 4}, edit.Context{Theme: th, Library: lib})
	require.NoError(t, err)
	sc := scene.Build(d, th, plan.Build(d, th, lib), lib, pango.Words, scene.Options{})
	sc.FadeIn, sc.FadeOut = 0, 0
	return sc, newAssets(t, FilesIn{m.ID: path}, lib, DefaultBudget)
}

// decoded is a JPEG of w×h pixels as a PNG, decoded at full size.
func decoded(t *testing.T, path string, w, h int) string {
	p, err := vips.Load(path, w, h)
	require.NoError(t, err)
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		copy(img.Pix[4*i:], []byte{p.Pix[3*i], p.Pix[3*i+1], p.Pix[3*i+2], 255})
	}
	return writePNG(t, img)
}

// Resampling against libvips: a still framing of a large photo, which is
// shrunk in part while it is decoded, is what libvips makes of all its pixels
// at that size (PSNR of luma at least 45 dB); in
// the middle of a slow zoom, where the picture is sampled between pixels, it
// stays above 38 dB of libvips's own scaling of the same window.
func TestResamplingAgainstLibvips(t *testing.T) {
	px, err := paint.Paint(paint.Spec{Scene: paint.Quay, W: 1504, H: 846, Seed: 3})
	require.NoError(t, err)
	jpg, err := vips.JPEG(px, 97)
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "p.jpg")
	require.NoError(t, os.WriteFile(path, jpg, 0o644))
	m := doc.Media{
		ID:    "p",
		Kind:  doc.PhotoMedia,
		Name:  "p.jpg",
		W:     1504,
		H:     846,
		Focus: framing.Point{X: 0.5, Y: 0.5},
	}
	luma := func(p raster.Pixels) *raster.Sprite {
		s, err := raster.NewSprite(p, raster.BT601)
		require.NoError(t, err)
		return s
	}
	psnr := func(a, b []byte) float64 {
		require.Len(t, b, len(a))
		sum := 0.0
		for i := range a {
			d := float64(a[i]) - float64(b[i])
			sum += d * d
		}
		return 10 * math.Log10(255*255/(sum/float64(len(a))+1e-9))
	}
	full := decoded(t, path, 1504, 846)
	for _, frame := range []doc.Frame{{
		W: 1024,
		H: 576,
	}, {W: 640, H: 360}, {W: 512, H: 288}, {W: 256, H: 144}} {
		sc, a := alone(t, m, path, frame, design.Motion{Kind: design.Still})
		lane := a.Lane()
		f := raster.NewFrame(frame.W, frame.H)
		require.NoError(t, compose.New(sc, lane).Frame(f, 30))
		lane.Close()
		want, err := vips.Load(full, frame.W, frame.H)
		require.NoError(t, err)
		got := psnr(luma(want).Y, f.Y)
		t.Logf("%d×%d: %.1f dB", frame.W, frame.H, got)
		assert.GreaterOrEqual(t, got, 45.0)
	}

	f := raster.NewFrame(640, 360)
	sc, a := alone(t, m, path, doc.Frame{W: 640, H: 360}, design.Motion{Kind: design.In, Zoom: 0.12})
	lane := a.Lane()
	defer lane.Close()
	n := sc.Frames / 2
	require.NoError(t, compose.New(sc, lane).Frame(f, n))
	w := sc.Slides[0].Layers[0].Window.At(n, sc.Slides[0].Length)
	// libvips at eight times the frame's pixels, cut to the window's pixels
	// and averaged down, stands for the ideal.
	const over = 8
	big, err := vips.Load(path, int(640*over/w.W), int(360*over/w.H))
	require.NoError(t, err)
	cut := raster.Cut(big, int(math.Round(w.X*float64(big.W))), int(math.Round(w.Y*float64(big.H))), 640*over,
		360*over)
	assert.GreaterOrEqual(t, psnr(luma(raster.Shrink(cut, 640)).Y, f.Y), 38.0)
}

// Sub-pixel motion from file to frame: the centre of a small bright blob in a
// photo, under a slow zoom, is within 0.05 pixel of where the mathematics
// puts it, in every frame.
func TestBlobMovesAsTheMathematicsSays(t *testing.T) {
	const w, h = 1600, 900
	img := image.NewGray(image.Rect(0, 0, w, h))
	bx, by := 1000.5, 400.5
	for y := range h {
		for x := range w {
			d2 := math.Pow(float64(x)+0.5-bx, 2) + math.Pow(float64(y)+0.5-by, 2)
			img.SetGray(x, y, color.Gray{Y: byte(20 + 230*math.Exp(-d2/(2*9*9)))})
		}
	}
	rgb := image.NewRGBA(img.Bounds())
	for i, v := range img.Pix {
		rgb.Pix[4*i], rgb.Pix[4*i+1], rgb.Pix[4*i+2], rgb.Pix[4*i+3] = v, v, v, 255
	}
	path := writePNG(t, rgb)
	m := doc.Media{
		ID:    "p",
		Kind:  doc.PhotoMedia,
		Name:  "p.png",
		W:     w,
		H:     h,
		Focus: framing.Point{X: 0.3, Y: 0.6},
	}
	sc, a := alone(t, m, path, doc.Frame{W: 640, H: 360}, design.Motion{Kind: design.In, Zoom: 0.15})
	lane := a.Lane()
	defer lane.Close()
	c, f, l := compose.New(sc, lane), raster.NewFrame(640, 360), sc.Slides[0].Layers[0]
	dark := raster.RGB{R: 20, G: 20, B: 20}.In(sc.Matrix).Y
	for n := range sc.Frames {
		require.NoError(t, c.Frame(f, n))
		var sum, sx, sy float64
		for y := range f.H {
			for x := range f.W {
				if v := float64(f.Y[y*f.W+x]) - float64(dark) - 1; v > 0 {
					sum, sx, sy = sum+v, sx+v*(float64(x)+0.5), sy+v*(float64(y)+0.5)
				}
			}
		}
		win := l.Window.At(n, sc.Slides[0].Length)
		assert.InDelta(t, (bx/w-win.X)/win.W*640, sx/sum, 0.05, "frame %d", n)
		assert.InDelta(t, (by/h-win.Y)/win.H*360, sy/sum, 0.05, "frame %d", n)
	}
}

// A photo comes out turned, looked and in its print as asked.
func TestPhotosComeAsAsked(t *testing.T) {
	path := writePNG(t, quarters(80, 60))
	a := newAssets(t, FilesIn{"p": path}, doc.Library{"p": {
		ID:   "p",
		Kind: doc.PhotoMedia,
		W:    80,
		H:    60,
	}}, DefaultBudget)
	plain, err := a.source(false).photo(scene.Asset{Media: "p"}, 80, 60)
	require.NoError(t, err)
	turned, err := a.source(false).photo(scene.Asset{Media: "p", Turn: 1}, 60, 80)
	require.NoError(t, err)
	assert.Equal(t, raster.Turn(plain, 1), turned)
	inside, err := a.source(false).inside(scene.Asset{
		Kind:  scene.Print,
		Media: "p",
		W:     48,
		H:     38,
		Mat:   4,
		Crop:  framing.Rect{X: 0.5, Y: 0.5, W: 0.5, H: 0.5},
	})
	require.NoError(t, err)
	assert.Equal(t, [2]int{40, 30}, [2]int{inside.W, inside.H})
	assert.Equal(t, plain.Pix[(45*80+60)*plain.Channels:][:3], inside.Pix[(15*40+20)*inside.Channels:][:3],
		"the lower right quarter")
	mono, err := a.Sprite(scene.Asset{
		Kind:  scene.Photo,
		Media: "p",
		W:     80,
		H:     60,
		Look:  look.Look{Saturation: -1},
	}, raster.BT709)
	require.NoError(t, err)
	for i := range mono.U {
		require.InDelta(t, 128, mono.U[i], 1)
		require.InDelta(t, 128, mono.V[i], 1)
	}
	_, err = a.source(false).inside(scene.Asset{
		Kind:  scene.Print,
		Media: "p",
		W:     6,
		H:     6,
		Mat:   4,
		Crop:  framing.Rect{W: 1, H: 1},
	})
	assert.ErrorContains(t, err, "no room for its mat")
	_, err = a.Sprite(scene.Asset{Kind: scene.Image, File: "none", W: 8, H: 8}, raster.BT709)
	assert.ErrorIs(t, err, themes.ErrUnknown)
	file := themestest.Get(t, "waypoint").Contents["compass.svg"]
	compass, err := a.Sprite(scene.Asset{Kind: scene.Image, File: file, W: 90, H: 60}, raster.BT709)
	require.NoError(t, err)
	require.NotNil(t, compass.A, "it is transparent around")
	assert.Equal(t, [2]int{90, 60}, [2]int{compass.W, compass.H})
}

// Small copies are read for small sizes only.
func TestSmallCopiesAreUsedWhereTheySuffice(t *testing.T) {
	white := image.NewRGBA(image.Rect(0, 0, 40, 30))
	for i := range white.Pix {
		white.Pix[i] = 255
	}
	sharp := image.NewRGBA(image.Rect(0, 0, 2*SmallSide, 300))
	files := FilesIn{"p": writePNG(t, sharp), "copy": writePNG(t, white)}
	a := newAssets(t, files, doc.Library{"p": {
		ID:    "p",
		Kind:  doc.PhotoMedia,
		W:     2 * SmallSide,
		H:     300,
		Small: "copy",
	}}, DefaultBudget)
	isWhite := func(small bool, w int) bool {
		p, err := a.source(small).photo(scene.Asset{Media: "p"}, w, 30)
		require.NoError(t, err)
		return p.Pix[0] == 255
	}
	assert.True(t, isWhite(true, 40))
	assert.True(t, isWhite(true, SmallSide))
	assert.False(t, isWhite(true, SmallSide+1), "too large for the copy")
	assert.False(t, isWhite(false, 40), "films are made from what was received")
}

// Trimmed, turned and graded clips show the frames they should, and several
// lanes read the same clip at different places at once.
func TestLanesReadClipsIndependently(t *testing.T) {
	path := filepath.Join(t.TempDir(), "count.mp4")
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"color=black:s=64x48:r=30:d=2,geq=lum='16+N*3':cb=128:cr=128", "-c:v", "libx264", "-qp", "0",
		"-pix_fmt", "yuv420p", path)
	lib := doc.Library{"c": {
		ID:     "c",
		Kind:   doc.ClipMedia,
		Name:   "count.mp4",
		W:      64,
		H:      48,
		Length: 2 * 48000,
	}}
	a := newAssets(t, FilesIn{"c": path}, lib, DefaultBudget)
	as := scene.Asset{Kind: scene.Footage, Media: "c", W: 64, H: 48, Begin: 24000}
	var wg sync.WaitGroup
	for k := range 3 {
		wg.Go(func() {
			lane := a.Lane()
			defer lane.Close()
			for n := timecode.Frames(10 * k); n < timecode.Frames(10*k+8); n++ {
				s, err := lane.Clip(as, raster.BT709, timecode.R30, n)
				if assert.NoError(t, err) {
					assert.InDelta(t, 16+3*(15+int(n)), int(s.Y[64*24+32]), 3,
						"trimmed by half a second: frame %d", n)
				}
			}
		})
	}
	wg.Wait()
	lane := a.Lane()
	defer lane.Close()
	as.Turn, as.W, as.H, as.Look = 1, 48, 64, look.Look{Light: 0.5}
	s, err := lane.Clip(as, raster.BT709, timecode.R30, 4)
	require.NoError(t, err)
	assert.Equal(t, [2]int{48, 64}, [2]int{s.W, s.H})
	assert.Greater(t, int(s.Y[48*32+24]), 16+3*19+10, "lighter by its look")
}

func BenchmarkPhotoAt1080p(b *testing.B) {
	px, err := paint.Paint(paint.Spec{Scene: paint.Quay, W: 1500, H: 1000, Seed: 3})
	require.NoError(b, err)
	jpg, err := vips.JPEG(px, 90)
	require.NoError(b, err)
	path := filepath.Join(b.TempDir(), "p.jpg")
	require.NoError(b, os.WriteFile(path, jpg, 0o644))
	for i := 0; b.Loop(); i++ {
		_, err := vips.Load(path, 1200+i%2, 800)
		require.NoError(b, err, fmt.Sprint(i))
	}
}

// A flat clip is improved by the levels of its first frame, and sharpened; the
// same frame comes out of every lane.
func TestClipsAreImproved(t *testing.T) {
	path := filepath.Join(t.TempDir(), "flat.mp4")
	tool(t, "ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i",
		"color=black:s=320x180:r=25:d=1,format=gray,geq=lum='90+60*X/W'", "-pix_fmt", "yuv420p", path)
	m := doc.Media{ID: "c", Kind: doc.ClipMedia, W: 320, H: 180, Length: timecode.SampleRate}
	a := newAssets(t, FilesIn{"c": path}, doc.Library{"c": m}, 0)
	span := func(l look.Look) (int, []byte) {
		lane := a.Lane()
		defer lane.Close()
		s, err := lane.Clip(scene.Asset{
			Kind:  scene.Footage,
			Media: "c",
			W:     320,
			H:     180,
			Look:  l,
		}, raster.BT601, timecode.R25, 10)
		require.NoError(t, err)
		return int(slices.Max(s.Y)) - int(slices.Min(s.Y)), s.Y
	}
	flat, _ := span(look.Look{})
	better, y := span(look.Look{Improve: true, Sharpen: 0.2})
	_, again := span(look.Look{Improve: true, Sharpen: 0.2})
	assert.Greater(t, better, flat*3/2)
	assert.Equal(t, y, again)
}
