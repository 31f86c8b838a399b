package render

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/demo/paint"
	"nelko/internal/media"
	"nelko/internal/media/pango"
	"nelko/internal/media/vips"
	"nelko/themes"
)

func TestMain(m *testing.M) {
	if err := media.Startup(themes.Fonts()); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(m.Run())
}

// tiny is a film of six painted photos in 320×180.
func tiny(t *testing.T, rate timecode.Rate, seconds float64) (*scene.Scene, func() *media.Assets) {
	th, err := themes.Get("tideline")
	require.NoError(t, err)
	lib, files := doc.Library{"song": {ID: "song", Kind: doc.SongMedia, Length: timecode.Samples(seconds * timecode.SampleRate)}}, media.FilesIn{}
	ids := []doc.MediaID{"song"}
	dir := t.TempDir()
	for i := range 6 {
		px, err := paint.Paint(paint.Spec{Scene: []paint.Scene{paint.Quay, paint.Portrait}[i%2], W: 360, H: 240 + 240*(i%2), Seed: uint64(i)})
		require.NoError(t, err)
		jpg, err := vips.JPEG(px, 92)
		require.NoError(t, err)
		id := doc.MediaID(fmt.Sprint(i))
		files[id] = filepath.Join(dir, string(id))
		require.NoError(t, os.WriteFile(files[id], jpg, 0o644))
		lib[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, Name: string(id), W: px.W, H: px.H}
		ids = append(ids, id)
	}
	d := doc.New(th.ID, 4)
	d.Frame, d.Rate = doc.Frame{W: 320, H: 180}, rate
	for _, op := range []edit.Op{edit.Details{Values: map[string]string{"names": "The Gannets", "date": "2026"}}, edit.Pour{Media: ids}, edit.Fit{Mode: doc.ToMusic}} {
		d, err = edit.Do(d, op, edit.Context{Theme: th, Library: lib})
		require.NoError(t, err)
	}
	p := plan.Build(d, th, lib)
	require.NoError(t, p.FitError)
	return scene.Build(d, th, p, lib, pango.Words, scene.Options{}), func() *media.Assets { return media.NewAssets(context.Background(), files, lib, 1<<20) }
}

func lanes(a *media.Assets) func() Lane { return func() Lane { return a.Lane() } }

func silence(sc *scene.Scene) func(context.Context) (sound.Track, func(), error) {
	return func(context.Context) (sound.Track, func(), error) {
		return sound.Track{Total: sc.Rate.SampleAt(sc.Frames)}, func() {}, nil
	}
}

// The rendered file, frame by frame: ffmpeg decodes it and every frame must be
// the one the compositor draws at that number, to within what x264 at a fine
// quality loses (PSNR of luma at least 34 dB; a neighbouring slide's frame is
// below 20).
func TestFilmHoldsThePlannedFrames(t *testing.T) {
	sc, assets := tiny(t, timecode.R2997, 18)
	out := filepath.Join(t.TempDir(), "film.mp4")
	var last timecode.Frames
	a := assets()
	facts, err := Film(context.Background(), Job{
		Scene: sc, Lanes: lanes(a), Profile: Profile{Name: "test", CRF: 10, Preset: "veryfast", AudioKbps: 128}, Out: out, Title: "The Gannets",
		Track: silence(sc),
		Progress: func(n, total timecode.Frames) {
			assert.Equal(t, last+1, n)
			last = n
			assert.Equal(t, sc.Frames, total)
		},
	})
	require.NoError(t, err)
	assert.Equal(t, sc.Frames, last)
	assert.Equal(t, sc.Rate.FramesIn(18*timecode.SampleRate), facts.Frames)
	assert.Equal(t, timecode.R2997, facts.Rate)
	assert.InDelta(t, facts.PictureSec, facts.SoundSec, sc.Rate.Seconds(1))

	streams, err := media.Streams(context.Background(), out)
	require.NoError(t, err)
	assert.Equal(t, "smpte170m", streams[0].ColourSpace, "BT.601 below 720 lines")
	assert.Equal(t, "tv", streams[0].ColourRange)

	cmd := exec.Command("ffmpeg", "-v", "error", "-i", out, "-map", "0:v", "-f", "rawvideo", "-pix_fmt", "yuv420p", "-")
	pipe, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	c, want, got := compose.New(sc, a.Lane()), raster.NewFrame(320, 180), raster.NewFrame(320, 180)
	for n := range sc.Frames {
		for _, plane := range [][]byte{got.Y, got.U, got.V} {
			_, err := io.ReadFull(pipe, plane)
			require.NoError(t, err, "frame %d", n)
		}
		require.NoError(t, c.Frame(want, n))
		require.Greater(t, psnr(want.Y, got.Y), 34.0, "frame %d", n)
		require.Greater(t, psnr(want.U, got.U), 34.0, "frame %d", n)
	}
	rest, err := io.ReadAll(pipe)
	require.NoError(t, err)
	assert.Empty(t, rest, "no frame too many")
	require.NoError(t, cmd.Wait())
}

func psnr(a, b []byte) float64 {
	sum := 0.0
	for i := range a {
		d := float64(a[i]) - float64(b[i])
		sum += d * d
	}
	return 10 * math.Log10(255*255/(sum/float64(len(a))+1e-9))
}

// The index comes before the pictures, so that a film plays before it is
// loaded: in the file the moov box precedes mdat (ISO/IEC 14496-12).
func TestFilmsStartAtOnce(t *testing.T) {
	sc, assets := tiny(t, timecode.R25, 14)
	a := assets()
	dir := t.TempDir()
	out := filepath.Join(dir, "film.mp4")
	_, err := Film(context.Background(), Job{Scene: sc, Lanes: lanes(a), Profile: MP4, Out: out, Track: silence(sc)})
	require.NoError(t, err)
	b, err := os.ReadFile(out)
	require.NoError(t, err)
	var boxes []string
	for at := 0; at+8 <= len(b); {
		boxes = append(boxes, string(b[at+4:at+8]))
		at += int(b[at])<<24 | int(b[at+1])<<16 | int(b[at+2])<<8 | int(b[at+3])
	}
	assert.Equal(t, []string{"ftyp", "moov"}, boxes[:2])
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, left, 1, "nothing else stays behind")

	// A plan of another length, size or rate is noticed.
	wrong := *sc
	wrong.Frames++
	_, err = Verify(context.Background(), out, &wrong)
	assert.ErrorContains(t, err, "frames in place of")
	wrong = *sc
	wrong.W = 640
	_, err = Verify(context.Background(), out, &wrong)
	assert.ErrorContains(t, err, "pixels in place of")
	wrong = *sc
	wrong.Rate = timecode.R30
	_, err = Verify(context.Background(), out, &wrong)
	assert.ErrorContains(t, err, "frames a second")
}

type failing struct {
	Lane
}

var errTorn = errors.New("torn")

func (f failing) Sprite(a scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	if (a.Kind == scene.Photo || a.Kind == scene.Print) && a.Media == "3" {
		return nil, errTorn
	}
	return f.Lane.Sprite(a, m)
}

func TestFailureAndCancelLeaveNothingBehind(t *testing.T) {
	sc, assets := tiny(t, timecode.R25, 14)
	a := assets()
	dir := t.TempDir()
	job := Job{Scene: sc, Lanes: func() Lane { return failing{a.Lane()} }, Profile: MP4, Out: filepath.Join(dir, "film.mp4"), Track: silence(sc)}
	_, err := Film(context.Background(), job)
	assert.ErrorIs(t, err, errTorn)
	var se *compose.SlideError
	assert.ErrorAs(t, err, &se, "the slide is named")

	ctx, cancel := context.WithCancel(context.Background())
	job.Lanes = lanes(a)
	job.Progress = func(n, _ timecode.Frames) {
		if n == 20 {
			cancel()
		}
	}
	_, err = Film(ctx, job)
	assert.ErrorIs(t, err, context.Canceled)

	job.Out = filepath.Join(dir, "no such folder", "film.mp4")
	_, err = Film(context.Background(), job)
	assert.Error(t, err)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestEncoderErrorIsReported(t *testing.T) {
	sc, assets := tiny(t, timecode.R25, 14)
	a := assets()
	_, err := Film(context.Background(), Job{Scene: sc, Lanes: lanes(a), Profile: Profile{Preset: "nonsense", CRF: 20, AudioKbps: 96},
		Out: filepath.Join(t.TempDir(), "f.mp4"), Track: silence(sc)})
	assert.ErrorContains(t, err, "encoding:")
}
