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
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/demo/paint"
	"nelko/internal/film"
	"nelko/internal/media"
	"nelko/internal/media/vips"
	"nelko/themes/themestest"
)

func TestMain(m *testing.M) {
	if err := media.Startup(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(m.Run())
}

// tiny is a film of six painted photos in 320×180, and the making of it with
// cold sprites. It is silent.
func tiny(t *testing.T, rate timecode.Rate, seconds float64) (*film.Film, func() Job) {
	shelf := themestest.Shelf(t)
	th, err := shelf.Get("tideline")
	require.NoError(t, err)
	lib, files := doc.Library{"song": {
		ID:     "song",
		Kind:   doc.SongMedia,
		Length: timecode.Samples(seconds * timecode.SampleRate),
	}}, media.FilesIn{}
	ids := []doc.MediaID{"song"}
	dir := t.TempDir()
	for i := range 6 {
		px, err := paint.Paint(paint.Spec{
			Scene: []paint.Scene{paint.Quay, paint.Portrait}[i%2],
			W:     360,
			H:     240 + 240*(i%2),
			Seed:  uint64(i),
		})
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
	d.Fit.Shortest, d.Fit.Longest = 0, 0 // the films are short
	d.Frame = doc.Frame{W: 320, H: 180}
	for _, op := range []edit.Op{edit.Details{Values: map[string]string{
		"names": "The Gannets",
		"date":  "2026",
	}}, edit.Pour{Media: ids}, edit.Fit{Mode: doc.ToMusic}} {
		d, err = edit.Do(d, op, edit.Context{Theme: th, Library: lib})
		require.NoError(t, err)
	}
	p := profile.Film
	p.Rate = rate
	f, err := film.House{Shelf: shelf}.Lay(film.Source{Doc: d, Theme: th, Library: lib, Profile: p})
	require.NoError(t, err)
	require.NoError(t, f.Plan.FitError)
	f.Doc.Soundtrack.Items = nil // the song is only a length
	f.Plan.Sound = f.Doc.Soundtrack
	return f, func() Job {
		pool := media.NewSprites(files, shelf, nil, 1<<20)
		return Job{
			Film:  f,
			Files: files,
			Lanes: func(ctx context.Context) Lane { return pool.Lane(ctx, lib, false) },
		}
	}
}

// in is a film in another profile.
func in(f *film.Film, change func(*profile.Profile)) *film.Film {
	c := *f
	change(&c.Profile)
	return &c
}

// The rendered file, frame by frame: ffmpeg decodes it and every frame must be
// the one the compositor draws at that number, to within what x264 at a fine
// quality loses (PSNR of luma at least 34 dB; a neighbouring slide's frame is
// below 20).
func TestFilmHoldsThePlannedFrames(t *testing.T) {
	f, job := tiny(t, timecode.R2997, 18)
	sc := f.Scene
	out := filepath.Join(t.TempDir(), "film.mp4")
	var last timecode.Frames
	j := job()
	j.Film, j.Out = in(f, func(p *profile.Profile) { p.Video.CRF, p.Audio.Kbps = 10, 128 }), out
	j.Progress = func(n, total timecode.Frames) {
		assert.Equal(t, last+1, n)
		last = n
		assert.Equal(t, sc.Frames, total)
	}
	facts, err := Film(context.Background(), j)
	require.NoError(t, err)
	assert.Equal(t, sc.Frames, last)
	assert.Equal(t, sc.Rate.FramesIn(18*timecode.SampleRate), facts.Frames)
	assert.Equal(t, timecode.R2997, facts.Rate)
	assert.InDelta(t, facts.PictureSec, facts.SoundSec, sc.Rate.Seconds(1))

	streams, err := media.Streams(context.Background(), out)
	require.NoError(t, err)
	assert.Equal(t, "smpte170m", streams[0].ColourSpace, "BT.601 below 720 lines")
	assert.Equal(t, "tv", streams[0].ColourRange)

	cmd := exec.Command("ffmpeg", "-v", "error", "-i", out, "-map", "0:V", "-f", "rawvideo", "-pix_fmt",
		"yuv420p", "-")
	pipe, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	c, want, got := compose.New(sc, j.Lanes(context.Background())), raster.NewFrame(320, 180),
		raster.NewFrame(320, 180)
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
	f, job := tiny(t, timecode.R25, 14)
	dir := t.TempDir()
	out := filepath.Join(dir, "film.mp4")
	j := job()
	j.Out = out
	_, err := Film(context.Background(), j)
	require.NoError(t, err)
	head := func() (boxes []string, before int) {
		b, err := os.ReadFile(out)
		require.NoError(t, err)
		for at := 0; at+8 <= len(b); {
			boxes = append(boxes, string(b[at+4:at+8]))
			if boxes[len(boxes)-1] == "mdat" {
				before = at
			}
			at += int(b[at])<<24 | int(b[at+1])<<16 | int(b[at+2])<<8 | int(b[at+3])
		}
		return boxes, before
	}
	boxes, before := head()
	assert.Equal(t, []string{"ftyp", "moov"}, boxes[:2])
	assert.Less(t, before, 40_000, "little stands before the first picture")
	// A large film is not written twice; room is kept for its index.
	defer func(n int64) { rewritten = n }(rewritten)
	rewritten = 0
	j = job()
	j.Out = out
	_, err = Film(context.Background(), j)
	require.NoError(t, err)
	boxes, _ = head()
	assert.Equal(t, []string{"ftyp", "moov", "free"}, boxes[:3])
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, left, 1, "nothing else stays behind")

	// A plan of another length, size or rate is noticed.
	for want, change := range map[string]func(*film.Film, *scene.Scene){
		"frames in place of": func(_ *film.Film, sc *scene.Scene) { sc.Frames++ },
		"pixels in place of": func(f *film.Film, _ *scene.Scene) { f.Kept.W = 640 },
		"shown at":           func(f *film.Film, _ *scene.Scene) { f.Kept.Shown = profile.Shape{W: 4, H: 3} },
		"frames a second":    func(_ *film.Film, sc *scene.Scene) { sc.Rate = timecode.R30 },
		"in place of vp9":    func(f *film.Film, _ *scene.Scene) { f.Profile.Video.Codec = "vp9" },
		"and opus":           func(f *film.Film, _ *scene.Scene) { f.Profile.Audio.Codec = "opus" },
		// 8 bits of 4:2:0 in place of them
		"its pixels are": func(f *film.Film, _ *scene.Scene) { f.Profile.Video.Pixels = "yuv422p10le" },
		"tracks of captions": func(f *film.Film, _ *scene.Scene) {
			f.Profile.Captions = profile.Track
			f.Plan.Slides = slices.Clone(f.Plan.Slides)
			f.Plan.Slides[1].Caption = "Off the quay"
		},
		"the profile allows": func(f *film.Film, _ *scene.Scene) { f.Profile.MaxBytes = 1000 },
	} {
		wrong, sc := *f, *f.Scene
		change(&wrong, &sc)
		wrong.Scene = &sc
		_, err = Verify(context.Background(), out, &wrong)
		assert.ErrorContains(t, err, want)
	}
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
	_, make := tiny(t, timecode.R25, 14)
	dir := t.TempDir()
	job := make()
	lanes := job.Lanes
	job.Lanes, job.Out = func(ctx context.Context) Lane {
		return failing{lanes(ctx)}
	}, filepath.Join(dir, "film.mp4")
	_, err := Film(context.Background(), job)
	assert.ErrorIs(t, err, errTorn)
	var se *compose.SlideError
	assert.ErrorAs(t, err, &se, "the slide is named")

	ctx, cancel := context.WithCancel(context.Background())
	job.Lanes = lanes
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
	f, job := tiny(t, timecode.R25, 14)
	j := job()
	j.Film, j.Out = in(f, func(p *profile.Profile) {
		p.Video.Preset = "nonsense"
	}), filepath.Join(t.TempDir(), "f.mp4")
	_, err := Film(context.Background(), j)
	assert.ErrorContains(t, err, "encoding:")
	for want, change := range map[string]func(*profile.Profile){
		"encoder":   func(p *profile.Profile) { p.Video.Encoder = "none" },
		"container": func(p *profile.Profile) { p.File.Format = "none" },
	} {
		j.Film = in(f, change)
		_, err = Film(context.Background(), j)
		assert.ErrorContains(t, err, "the "+want+` "none" is not known`)
	}
}

// An encoder that cannot write for want of room is not taken for a segment
// that cannot be made: /dev/full refuses every byte (null(4)).
func TestFullDiskIsTold(t *testing.T) {
	e, err := startEncoder(context.Background(), []string{"-v", "error", "-nostdin", "-y", "-f", "f32le",
		"-ar", "48000", "-ac", "2", "-i", "pipe:0", "-c:a", "pcm_s16le", "-f", "s16le", "/dev/full"})
	require.NoError(t, err)
	err = e.after(MixTo(sound.Track{Total: 480000}, "", e.in))
	assert.ErrorIs(t, err, ErrFull)
	f, job := tiny(t, timecode.R25, 14)
	j := job()
	segs, err := f.Segments()
	require.NoError(t, err)
	dir := filepath.Join(t.TempDir(), "full")
	require.NoError(t, os.MkdirAll(dir, 0o755))
	require.NoError(t, os.Symlink("/dev/full", filepath.Join(dir, fmt.Sprintf("s0-%08d.ts", segs[0].From))))
	_, err = j.Encode(context.Background(), segs[:1], dir, func(timecode.Frames) {})
	assert.ErrorIs(t, err, ErrFull)
	var segment *SegmentError
	assert.False(t, errors.As(err, &segment))
}
