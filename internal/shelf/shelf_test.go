package shelf_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"os/exec"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/transition"
	"nelko/internal/house/housetest"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/shelf"
	"nelko/internal/store"
)

var ctx = context.Background()

// sign is a PNG, twice as wide as high, that is green on its left half and
// transparent on its right.
func sign(t *testing.T) []byte {
	im := image.NewNRGBA(image.Rect(0, 0, 200, 100))
	draw.Draw(im, image.Rect(0, 0, 100, 100), image.NewUniform(color.NRGBA{G: 255, A: 255}), image.Point{},
		draw.Src)
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, im))
	return b.Bytes()
}

// green is how green a JPEG is at a point given in fractions, less how red.
func green(t *testing.T, b []byte, x, y float64) int {
	im, err := jpeg.Decode(bytes.NewReader(b))
	require.NoError(t, err)
	r, g, _, _ := im.At(int(x*float64(im.Bounds().Dx())), int(y*float64(im.Bounds().Dy()))).RGBA()
	return int(g>>8) - int(r>>8)
}

// The studio's mark can be a picture: whole, in the lower right corner of the
// title-safe area, in previews and in the films begun while it was set.
func TestMarkIsAPicture(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	for name, b := range map[string][]byte{
		"song.flac": housetest.Song(t, 1),
		"notes.txt": []byte("no picture"),
		"cut.png":   sign(t)[:90],
		"huge.png":  make([]byte, shelf.MaxMarkBytes+1),
	} {
		var invalid *invalid.Input
		require.ErrorAs(t, s.Shelf.Marks.SetMark(ctx, name, bytes.NewReader(b)), &invalid, name)
		assert.Contains(t, invalid.Problem, name)
	}
	w := housetest.Load(t, s, order)
	assert.Nil(t, w.Settings.MarkPicture)
	middle := w.Plan.Frames / 2
	// The frame is 320×180: the mark is 36×18 pixels and ends at 95 %.
	const left, right, y = 0.95 - 0.75*36/320, 0.95 - 0.2*36/320, 0.95 - 0.05
	plain, err := s.Looking.Frame(ctx, orders.Seen{Order: w.Order.ID}, w.Slideshow.Head, middle, 320)
	require.NoError(t, err)
	before := housetest.Rendered(t, s, order)

	hearing, stop := context.WithCancel(ctx)
	defer stop()
	heard := make(chan store.Event, 100)
	go s.Store.Listen(hearing, func(e store.Event) { s.Hear(e); heard <- e })
	told := func() {
		for e := range heard {
			if e.What == store.StudioChanged {
				return
			}
		}
	}
	require.Equal(t, store.Event{}, <-heard, "from now on it is told of changes")
	require.NoError(t, s.Shelf.Marks.SetMark(ctx, "sign.png", bytes.NewReader(sign(t))))
	told()
	w = housetest.Load(t, s, order)
	require.NotNil(t, w.Settings.MarkPicture)
	assert.Equal(t, [2]int{200, 100}, [2]int{w.Settings.MarkPicture.W, w.Settings.MarkPicture.H})
	marked, err := s.Looking.Frame(ctx, orders.Seen{Order: w.Order.ID}, w.Slideshow.Head, middle, 320)
	require.NoError(t, err)
	film := func(r store.Render) []byte {
		path, err := s.Blobs.Path(ctx, *r.SHA256)
		require.NoError(t, err)
		out, err := exec.Command("ffmpeg", "-v", "error", "-ss",
			fmt.Sprintf("%.3f", w.Doc.Rate.Seconds(middle)), "-i", path, "-frames:v", "1", "-q:v", "2", "-f",
			"mjpeg", "pipe:1").Output()
		require.NoError(t, err)
		return out
	}
	after := housetest.Rendered(t, s, order)
	assert.Zero(t, after.FramesKept, "it is on every frame")
	for name, pair := range map[string][2][]byte{
		"preview": {plain, marked},
		"film":    {film(before), film(after)},
	} {
		assert.Greater(t, green(t, pair[1], left, y), green(t, pair[0], left, y)+100, name)
		assert.InDelta(t, green(t, pair[0], right, y), green(t, pair[1], right, y), 30,
			"%s: transparent there", name)
		assert.InDelta(t, green(t, pair[0], 0.97, y), green(t, pair[1], 0.97, y), 30,
			"%s: outside the safe area", name)
	}
	shown, err := s.Shelf.Marks.MarkImage(ctx, *w.Settings.MarkPicture)
	require.NoError(t, err)
	assert.Greater(t, green(t, shown, 0.25, 0.5), 200)
	assert.InDelta(t, 0, green(t, shown, 0.75, 0.5), 8)

	require.NoError(t, s.Shelf.Marks.ClearMark(ctx))
	told()
	w = housetest.Load(t, s, order)
	assert.Nil(t, w.Settings.MarkPicture)
	assert.NotEmpty(t, w.Settings.Watermark, "the rest stays as it was")
	again, err := s.Looking.Frame(ctx, orders.Seen{Order: w.Order.ID}, w.Slideshow.Head, middle, 320)
	require.NoError(t, err)
	assert.Equal(t, plain, again)
}

// A studio's own transition is kept under a name and found again in another
// order; a name used twice keeps the newer.
func TestOwnTransitions(t *testing.T) {
	s := housetest.Open(t)
	soft := transition.Transition{Kind: "wipe", Seconds: 1.5, Direction: transition.Up, Soft: 0.4}
	require.NoError(t, s.Shelf.Transitions.KeepTransition(ctx, " Soft rise ", soft))
	got, err := s.Shelf.Transitions.Transition(ctx, "Soft rise")
	require.NoError(t, err)
	assert.Equal(t, soft, got)
	soft.Seconds = 2
	require.NoError(t, s.Shelf.Transitions.KeepTransition(ctx, "Soft rise", soft))
	names, err := s.Shelf.Transitions.TransitionNames(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"Soft rise"}, names)
	got, err = s.Shelf.Transitions.Transition(ctx, "Soft rise")
	require.NoError(t, err)
	assert.Equal(t, 2.0, got.Seconds)
	var invalid *invalid.Input
	assert.ErrorAs(t, s.Shelf.Transitions.KeepTransition(ctx, "", soft), &invalid)
	assert.ErrorAs(t, s.Shelf.Transitions.KeepTransition(ctx, "x", transition.Transition{Kind: "melt"}),
		&invalid)
	_, err = s.Shelf.Transitions.Transition(ctx, "nobody")
	assert.ErrorAs(t, err, &invalid)
}
