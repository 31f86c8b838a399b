// Package render makes a film file from a scene and a soundtrack: it composes
// the frames, encodes them with ffmpeg, and verifies what came out.
package render

import (
	"bufio"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
)

// EngineVersion changes whenever the same inputs give other frames.
const EngineVersion = 1

// Profile is a way of encoding.
type Profile struct {
	Name      string
	CRF       int    // x264 constant rate factor, lower is better
	Preset    string // x264 preset
	AudioKbps int
}

// MP4 plays on anything: H.264 High with AAC in an MP4 whose index comes
// first, so that it starts before it is loaded.
var MP4 = Profile{Name: "MP4", CRF: 20, Preset: "veryfast", AudioKbps: 192}

// Job is one film to make.
type Job struct {
	Scene    *scene.Scene
	Assets   compose.Assets
	Track    sound.Track
	Profile  Profile
	Out      string                            // final name; nothing is left under it on failure
	Progress func(done, total timecode.Frames) // may be nil; called by one goroutine
	Title    string                            // written into the file
}

// Film renders the job and verifies the file. On any error nothing is left
// behind.
func Film(ctx context.Context, j Job) (Facts, error) {
	if j.Scene.Frames < 1 {
		return Facts{}, errors.New("the film has no frames")
	}
	dir, err := os.MkdirTemp(filepath.Dir(j.Out), ".render-*")
	if err != nil {
		return Facts{}, fmt.Errorf("making room for the render: %w", err)
	}
	defer os.RemoveAll(dir)
	wav := filepath.Join(dir, "sound.f32")
	if err := mixTo(j.Track, wav); err != nil {
		return Facts{}, fmt.Errorf("mixing the soundtrack: %w", err)
	}
	part := filepath.Join(dir, "film.mp4")
	enc, err := startEncoder(ctx, j, wav, part)
	if err != nil {
		return Facts{}, err
	}
	err = composeAll(ctx, j, enc.in)
	if encErr := enc.finish(); err == nil || (errors.Is(err, errPipe) && encErr != nil) {
		err = encErr
	}
	if ctx.Err() != nil {
		return Facts{}, ctx.Err()
	}
	if err != nil {
		return Facts{}, err
	}
	facts, err := Verify(ctx, part, j.Scene)
	if err != nil {
		return facts, fmt.Errorf("the rendered file is not as planned: %w", err)
	}
	return facts, os.Rename(part, j.Out)
}

// mixTo writes the soundtrack as raw 32-bit floats.
func mixTo(t sound.Track, path string) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<18)
	raw := make([]byte, 0, 1<<16)
	err = t.Mix(func(s []float32) error {
		raw = raw[:0]
		for _, v := range s {
			raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(v))
		}
		_, err := w.Write(raw)
		return err
	})
	return errors.Join(err, w.Flush(), f.Close())
}

type encoder struct {
	cmd    *exec.Cmd
	in     io.WriteCloser
	stderr bytes.Buffer
}

// EncoderArgs are the ffmpeg arguments that encode raw frames from standard
// input, and the sound from a file if given, to out.
func EncoderArgs(s *scene.Scene, p Profile, wav, out, title string) []string {
	m := s.Matrix.Name()
	transfer := "bt709"
	primaries := "bt709"
	if s.Matrix == raster.BT601 {
		transfer, primaries = "smpte170m", "smpte170m"
	}
	args := []string{"-v", "error", "-nostdin", "-y",
		"-f", "rawvideo", "-pix_fmt", "yuv420p", "-s", fmt.Sprintf("%dx%d", s.W, s.H), "-r", s.Rate.Fraction(), "-i", "pipe:0"}
	if wav != "" {
		args = append(args, "-f", "f32le", "-ar", fmt.Sprint(timecode.SampleRate), "-ac", "2", "-i", wav, "-map", "0:v", "-map", "1:a",
			"-c:a", "aac", "-b:a", fmt.Sprintf("%dk", p.AudioKbps))
	}
	gop := int(math.Round(2 * s.Rate.FPS()))
	args = append(args, "-c:v", "libx264", "-preset", p.Preset, "-crf", fmt.Sprint(p.CRF), "-profile:v", "high",
		"-g", fmt.Sprint(gop), "-colorspace", m, "-color_trc", transfer, "-color_primaries", primaries, "-color_range", "tv",
		"-x264-params", fmt.Sprintf("colormatrix=%s:transfer=%s:colorprim=%s:fullrange=off", m, transfer, primaries))
	if title != "" {
		args = append(args, "-metadata", "title="+title)
	}
	return append(args, "-movflags", "+faststart", "-f", "mp4", out)
}

func startEncoder(ctx context.Context, j Job, wav, out string) (*encoder, error) {
	e := &encoder{}
	e.cmd = exec.CommandContext(ctx, "ffmpeg", EncoderArgs(j.Scene, j.Profile, wav, out, j.Title)...)
	e.cmd.Stderr = &e.stderr
	in, err := e.cmd.StdinPipe()
	if err != nil {
		return nil, err
	}
	e.in = in
	if err := e.cmd.Start(); err != nil {
		return nil, fmt.Errorf("starting ffmpeg: %w", err)
	}
	return e, nil
}

func (e *encoder) finish() error {
	e.in.Close()
	if err := e.cmd.Wait(); err != nil {
		lines := strings.Split(strings.TrimSpace(e.stderr.String()), "\n")
		return fmt.Errorf("encoding: %s: %w", lines[len(lines)-1], err)
	}
	return nil
}

var errPipe = errors.New("the encoder stopped reading")

// composeAll draws all frames with one goroutine per processor and writes
// them in order.
func composeAll(ctx context.Context, j Job, w io.Writer) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	workers := runtime.GOMAXPROCS(0)
	c := compose.New(j.Scene, j.Assets)
	// slots[n % len] carries frame n from its worker to the writer.
	slots := make([]chan *raster.Frame, 2*workers+2)
	for i := range slots {
		slots[i] = make(chan *raster.Frame, 1)
	}
	spare := make(chan *raster.Frame, len(slots))
	for range len(slots) {
		spare <- raster.NewFrame(j.Scene.W, j.Scene.H)
	}
	next := newCounter(j.Scene.Frames)
	var wg sync.WaitGroup
	for range workers {
		wg.Go(func() {
			for {
				var f *raster.Frame
				select {
				case f = <-spare:
				case <-ctx.Done():
					return
				}
				n, ok := next()
				if !ok {
					return
				}
				if err := c.Frame(f, n); err != nil {
					cancel(err)
					return
				}
				slots[int(n)%len(slots)] <- f
			}
		})
	}
	written := make(chan timecode.Frames, 1)
	wg.Go(func() { ahead(ctx, j, written) })
	err := writeAll(ctx, j, w, slots, spare, written)
	close(written)
	if err != nil {
		cancel(err)
	}
	wg.Wait()
	if cause := context.Cause(ctx); err != nil && cause != nil {
		return cause
	}
	return err
}

// newCounter hands out 0, 1, 2 … below end to concurrent callers.
func newCounter(end timecode.Frames) func() (timecode.Frames, bool) {
	var n atomic.Int64
	return func() (timecode.Frames, bool) {
		v := timecode.Frames(n.Add(1) - 1)
		return v, v < end
	}
}

func writeAll(ctx context.Context, j Job, w io.Writer, slots []chan *raster.Frame, spare chan<- *raster.Frame, written chan<- timecode.Frames) error {
	for n := range j.Scene.Frames {
		var f *raster.Frame
		select {
		case f = <-slots[int(n)%len(slots)]:
		case <-ctx.Done():
			return ctx.Err()
		}
		for _, plane := range [][]byte{f.Y, f.U, f.V} {
			if _, err := w.Write(plane); err != nil {
				return fmt.Errorf("%w: %v", errPipe, err)
			}
		}
		spare <- f
		select {
		case written <- n:
		default: // the reader-ahead is busy and will hear of a later frame
		}
		if j.Progress != nil {
			j.Progress(n+1, j.Scene.Frames)
		}
	}
	return nil
}

// ahead prepares the sprites of the next slide while the present one is being
// composed, so that no frame waits for a photo to be read.
func ahead(ctx context.Context, j Job, written <-chan timecode.Frames) {
	ready := 0
	for n := range written {
		for ready < len(j.Scene.Slides) && j.Scene.Slides[ready].Start <= n+aheadFrames {
			for _, l := range j.Scene.Slides[ready].Layers {
				if ctx.Err() != nil {
					return
				}
				if k := l.Asset.Kind; k != scene.Fill && k != scene.Footage {
					// An error comes up again, with its slide, when the frame is drawn.
					_, _ = j.Assets.Sprite(l.Asset, j.Scene.Matrix)
				}
			}
			ready++
		}
	}
}

// aheadFrames is how long before a slide its pictures are read.
const aheadFrames = 90

// SoundTrack opens the songs of a slideshow for mixing. close must be called
// afterwards.
func SoundTrack(ctx context.Context, d doc.Slideshow, p plan.Plan, lib doc.Library, files media.Files) (t sound.Track, closeAll func(), err error) {
	var open []*media.Sound
	closeAll = func() {
		for _, s := range open {
			s.Close()
		}
	}
	seconds := func(s float64) timecode.Samples { return timecode.Samples(math.Round(s * timecode.SampleRate)) }
	t = sound.Track{
		FadeIn: seconds(d.Soundtrack.FadeInSeconds), FadeOut: seconds(d.Soundtrack.FadeOutSeconds),
		Total: d.Rate.SampleAt(p.Pictures),
	}
	for _, id := range d.Soundtrack.Songs {
		m := lib[id]
		path, err := files.Path(id)
		if err != nil {
			closeAll()
			return t, func() {}, fmt.Errorf("%s: %w", m.Name, err)
		}
		s, err := media.OpenSound(ctx, path)
		if err != nil {
			closeAll()
			return t, func() {}, fmt.Errorf("%s: %w", m.Name, err)
		}
		open = append(open, s)
		t.Songs = append(t.Songs, sound.Song{Source: s, Length: m.Length, Gain: sound.Gain(m.LUFS, m.PeakDB, d.Soundtrack.LUFS)})
	}
	return t, closeAll, nil
}
