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
	"strings"
	"sync"

	"golang.org/x/sys/unix"

	"nelko/internal/core/compose"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
)

// PictureArgs are the ffmpeg arguments that read raw frames from standard
// input and encode them with so many threads (0: as many as suit).
func PictureArgs(s *scene.Scene, p Profile, threads int) []string {
	m := s.Matrix.Name()
	transfer, primaries := "bt709", "bt709"
	if s.Matrix == raster.BT601 {
		transfer, primaries = "smpte170m", "smpte170m"
	}
	args := []string{"-v", "error", "-nostdin", "-y",
		"-f", "rawvideo", "-pix_fmt", "yuv420p", "-s", fmt.Sprintf("%dx%d", s.W, s.H), "-r", s.Rate.Fraction(), "-i", "pipe:0",
		"-c:v", "libx264", "-preset", p.Preset, "-crf", fmt.Sprint(p.CRF), "-profile:v", "high",
		"-g", fmt.Sprint(int(math.Round(2 * s.Rate.FPS()))), "-colorspace", m, "-color_trc", transfer, "-color_primaries", primaries, "-color_range", "tv",
		"-x264-params", fmt.Sprintf("colormatrix=%s:transfer=%s:colorprim=%s:fullrange=off", m, transfer, primaries)}
	if threads > 0 {
		args = append(args, "-threads", fmt.Sprint(threads))
	}
	return args
}

// timescale is the number of ticks a second in the films, and of each frame.
func timescale(r timecode.Rate) (second, frame int64) {
	if r.Den == 1 {
		return int64(r.Num) * 512, 512
	}
	return int64(r.Num), int64(r.Den)
}

// segmentArgs write a run of segments into files, cut exactly at their ends,
// each beginning with a closed group of pictures. They are MPEG transport
// streams (ISO/IEC 13818-1), which make one when put end to end.
func segmentArgs(s *scene.Scene, p Profile, threads int, run []Segment, dir string) (args, files []string) {
	args = PictureArgs(s, p, max(1, threads))
	prefix := filepath.Join(dir, fmt.Sprintf("s%08d-", run[0].From))
	if len(run) == 1 {
		out := prefix + "0000.ts"
		return append(args, "-muxdelay", "0", "-muxpreload", "0", "-f", "mpegts", out), []string{out}
	}
	var cuts, keys []string
	for i, seg := range run {
		files = append(files, fmt.Sprintf("%s%04d.ts", prefix, i))
		if i > 0 {
			n := fmt.Sprint(int64(seg.From - run[0].From))
			cuts, keys = append(cuts, n), append(keys, "eq(n,"+n+")")
		}
	}
	return append(args, "-force_key_frames", "expr:"+strings.Join(keys, "+"),
		"-f", "segment", "-segment_format", "mpegts", "-segment_frames", strings.Join(cuts, ","), "-reset_timestamps", "1",
		"-muxdelay", "0", "-muxpreload", "0", strings.ReplaceAll(prefix, "%", "%%")+"%04d.ts"), files
}

// encoder is an ffmpeg that reads frames.
type encoder struct {
	cmd    *exec.Cmd
	in     *os.File
	stderr bytes.Buffer
}

func startEncoder(ctx context.Context, args []string) (*encoder, error) {
	r, w, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	// A larger pipe saves changes between the processes; where the system
	// allows no more the usual one does.
	_, _ = unix.FcntlInt(w.Fd(), unix.F_SETPIPE_SZ, 1<<20)
	e := &encoder{in: w}
	e.cmd = exec.CommandContext(ctx, "ffmpeg", args...)
	e.cmd.Stdin, e.cmd.Stderr = r, &e.stderr
	if err := e.cmd.Start(); err != nil {
		w.Close()
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

// after ends the encoder once all was handed to it, or handing it failed. A
// pipe that broke is the encoder's doing, and it says why.
func (e *encoder) after(err error) error {
	if encErr := e.finish(); err == nil || (errors.Is(err, unix.EPIPE) && encErr != nil) {
		return encErr
	}
	return err
}

// copy hands files to the encoder, one after another.
func (e *encoder) copy(files []string) error {
	for _, name := range files {
		f, err := os.Open(name)
		if err != nil {
			return err
		}
		_, err = io.Copy(e.in, f)
		f.Close()
		if err != nil {
			return fmt.Errorf("handing over to the encoder: %w", err)
		}
	}
	return nil
}

// write hands a frame to the encoder.
func (e *encoder) write(f *raster.Frame) error {
	for _, plane := range [][]byte{f.Y, f.U, f.V} {
		if _, err := e.in.Write(plane); err != nil {
			return fmt.Errorf("handing over to the encoder: %w", err)
		}
	}
	return nil
}

// encodeOnce composes and encodes a run of segments.
func (j *Job) encodeOnce(ctx context.Context, run []Segment, dir string, made func()) ([]string, error) {
	args, files := segmentArgs(j.Scene, j.Profile, j.Threads, run, dir)
	e, err := startEncoder(ctx, args)
	if err != nil {
		return nil, err
	}
	if err := e.after(j.compose(ctx, run[0].From, run[len(run)-1].To, e.write, made)); err != nil {
		return nil, err
	}
	for _, f := range files {
		if _, err := os.Stat(f); err != nil {
			return nil, fmt.Errorf("encoding: the encoder left out a segment: %w", err)
		}
	}
	return files, nil
}

// compose draws frames from one to another in order.
func (j *Job) compose(ctx context.Context, from, to timecode.Frames, write func(*raster.Frame) error, made func()) error {
	lane := j.Lanes()
	defer lane.Close()
	c, f := compose.New(j.Scene, lane), raster.NewFrame(j.Scene.W, j.Scene.H)
	ahead := reader{scene: j.Scene, assets: lane}
	defer ahead.wait()
	for n := from; n < to; n++ {
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		ahead.at(n, to)
		if n == from || !c.Same(n) {
			if err := c.Frame(f, n); err != nil {
				return err
			}
		}
		if err := write(f); err != nil {
			return err
		}
		made()
	}
	return nil
}

// reader prepares the next slide's sprites while the present one is being
// composed, so that no frame waits for a photo to be read.
type reader struct {
	scene  *scene.Scene
	assets compose.Assets
	next   int // slide to read next
	busy   sync.WaitGroup
}

// aheadFrames is how long before a slide its pictures are read.
const aheadFrames = 45

func (r *reader) at(n, to timecode.Frames) {
	for r.next < len(r.scene.Slides) && r.scene.Slides[r.next].Start <= min(n+aheadFrames, to-1) {
		s := &r.scene.Slides[r.next]
		r.next++
		if s.End() <= n || s.Start <= n {
			continue // over, or drawn right now
		}
		r.busy.Wait()
		r.busy.Go(func() {
			for i := range s.Layers {
				if k := s.Layers[i].Asset.Kind; k != scene.Fill && k != scene.Footage && k != scene.Drift && k != scene.None {
					// An error comes up again, with its slide, when the frame is drawn.
					_, _ = r.assets.Sprite(s.Layers[i].Asset, r.scene.Matrix)
				}
			}
		})
	}
}

func (r *reader) wait() { r.busy.Wait() }

// Soundtrack mixes and encodes the soundtrack, unless it is kept.
func (j *Job) Soundtrack(ctx context.Context, dir string) (string, error) {
	key := ""
	if j.Cache != nil && j.SoundKey != "" {
		key = j.SoundKey
		kept, err := j.Cache.Find(ctx, []string{key})
		if err != nil {
			return "", fmt.Errorf("looking for the soundtrack: %w", err)
		}
		if p := kept[key]; p != "" {
			return p, nil
		}
	}
	t, done, err := j.Track(ctx)
	if err != nil {
		return "", err
	}
	defer done()
	out := filepath.Join(dir, "sound.m4a")
	e, err := startEncoder(ctx, []string{"-v", "error", "-nostdin", "-y", "-f", "f32le", "-ar", fmt.Sprint(timecode.SampleRate), "-ac", "2", "-i", "pipe:0",
		"-c:a", "aac", "-b:a", fmt.Sprintf("%dk", j.Profile.AudioKbps), "-f", "mp4", out})
	if err != nil {
		return "", err
	}
	if err := e.after(mixTo(t, e.in)); err != nil {
		return "", fmt.Errorf("mixing the soundtrack: %w", err)
	}
	if key == "" {
		return out, nil
	}
	return j.Cache.Keep(ctx, key, out)
}

// soundSegment is the length of a played soundtrack's segments in seconds,
// and aacFrame the samples of one AAC frame (ISO/IEC 14496-3).
const (
	soundSegment = 4
	aacFrame     = 1024
)

// SoundSegments are the lengths, in seconds, of the segments PackSound cuts a
// soundtrack into: at the first AAC frame that ends at or after each multiple
// of four seconds.
func SoundSegments(total timecode.Samples) (out []float64) {
	at := timecode.Samples(0)
	for k := timecode.Samples(1); at < total; k++ {
		next := (k*soundSegment*timecode.SampleRate + aacFrame - 1) / aacFrame * aacFrame
		next = min(next, total)
		out = append(out, float64(next-at)/timecode.SampleRate)
		at = next
	}
	return out
}

// PackSound mixes and encodes a soundtrack into HLS segments of about four
// seconds, named by number. The playlist grows while it is made.
func PackSound(ctx context.Context, t sound.Track, p Profile, dir, list string) error {
	e, err := startEncoder(ctx, []string{"-v", "error", "-nostdin", "-y", "-f", "f32le", "-ar", fmt.Sprint(timecode.SampleRate), "-ac", "2", "-i", "pipe:0",
		"-c:a", "aac", "-b:a", fmt.Sprintf("%dk", p.AudioKbps), "-muxdelay", "0", "-muxpreload", "0",
		"-f", "hls", "-hls_time", fmt.Sprint(soundSegment), "-hls_list_size", "0", "-hls_playlist_type", "event", "-hls_segment_filename", filepath.Join(dir, "%05d.ts"), list})
	if err != nil {
		return err
	}
	return e.after(mixTo(t, e.in))
}

// Silent makes the whole film without sound in one piece, in a file in dir.
func (j *Job) Silent(ctx context.Context, dir string) (string, error) {
	out := filepath.Join(dir, "silent.mp4")
	e, err := startEncoder(ctx, append(PictureArgs(j.Scene, j.Profile, 0), "-movflags", "+faststart", "-f", "mp4", out))
	if err != nil {
		return "", err
	}
	return out, e.after(j.compose(ctx, 0, j.Scene.Frames, e.write, func() {}))
}

// mixTo writes the soundtrack as raw 32-bit floats.
func mixTo(t sound.Track, to io.Writer) error {
	w := bufio.NewWriterSize(to, 1<<18)
	raw := make([]byte, 0, 1<<16)
	err := t.Mix(func(s []float32) error {
		raw = raw[:0]
		for _, v := range s {
			raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(v))
		}
		_, err := w.Write(raw)
		return err
	})
	return errors.Join(err, w.Flush())
}

// indexRoom is how many bytes of a film's beginning are kept free for its
// index (the moov box of ISO/IEC 14496-12), so that the film begins to play
// before all of it is loaded and need not be written twice. An index takes at
// most, for each frame, 4 bytes of size, 8 of composition offset, 4 of key
// frame, 12 of chunk and 8 of the chunk's place, and for each packet of sound
// 24 of the same.
func indexRoom(s *scene.Scene) int64 {
	const head, eachFrame, eachPacket = 16 << 10, 36, 24
	packets := int64(s.Rate.SampleAt(s.Frames))/aacFrame + 2
	return head + eachFrame*int64(s.Frames) + eachPacket*packets
}

// Join puts encoded segments and the soundtrack together without encoding
// again, verifies the file and moves it to its final name.
func (j *Job) Join(ctx context.Context, files []string, track, dir string) (Facts, error) {
	part := filepath.Join(dir, "film.mp4")
	// Every segment begins at its own zero, so packets are numbered anew: one a
	// frame, in the order of decoding, shown as much later as the encoder said.
	// Delimiters of access units belong in transport streams only.
	second, frame := timescale(j.Scene.Rate)
	whole := fmt.Sprintf("filter_units=remove_types=9,setts=dts=(N-round((STARTPTS-STARTDTS)/%[1]d))*%[1]d:pts=(N-round((STARTPTS-STARTDTS)/%[1]d)+round((PTS-DTS)/%[1]d))*%[1]d", frame)
	args := []string{"-v", "error", "-nostdin", "-y", "-f", "mpegts", "-i", "pipe:0", "-i", track,
		"-map", "0:v", "-map", "1:a", "-c", "copy", "-bsf:v", whole, "-video_track_timescale", fmt.Sprint(second)}
	if j.Title != "" {
		args = append(args, "-metadata", "title="+j.Title)
	}
	e, err := startEncoder(ctx, append(args, "-moov_size", fmt.Sprint(indexRoom(j.Scene)), "-f", "mp4", part))
	if err != nil {
		return Facts{}, err
	}
	err = e.after(e.copy(files))
	if ctx.Err() != nil {
		return Facts{}, context.Cause(ctx)
	}
	if err != nil {
		return Facts{}, fmt.Errorf("joining the segments: %w", err)
	}
	facts, err := Verify(ctx, part, j.Scene)
	if err != nil {
		return facts, fmt.Errorf("the rendered file is not as planned: %w", err)
	}
	return facts, os.Rename(part, j.Out)
}
