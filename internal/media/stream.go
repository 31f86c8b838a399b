package media

import (
	"bufio"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"nelko/internal/cage"
	"nelko/internal/core/doc"
	"nelko/internal/core/look"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// process is an ffmpeg that writes to a pipe.
type process struct {
	cmd    *exec.Cmd
	out    *bufio.Reader
	stderr short
	cancel context.CancelCauseFunc
}

func startFFmpeg(ctx context.Context, c cage.Cage, args ...string) (*process, error) {
	return startPatiently(ctx, quietLimit, c, args...)
}

// startPatiently starts an ffmpeg that is taken for stuck once it has given
// nothing for quiet.
func startPatiently(ctx context.Context, quiet time.Duration, c cage.Cage, args ...string) (*process, error) {
	ctx, cancel := context.WithCancelCause(ctx)
	p := &process{cancel: cancel, stderr: short{most: mostWords}}
	p.cmd = child(ctx, c, "ffmpeg", append([]string{"-v", "error", "-nostdin"}, args...)...)
	p.cmd.Stderr = &p.stderr
	pipe, err := p.cmd.StdoutPipe()
	if err != nil {
		cancel(nil)
		return nil, err
	}
	p.out = bufio.NewReaderSize(&watched{r: pipe, quiet: quiet, end: cancel, ctx: ctx}, 1<<18)
	if err := p.cmd.Start(); err != nil {
		cancel(nil)
		return nil, fmt.Errorf("starting ffmpeg: %w", err)
	}
	return p, nil
}

// finish waits after the output has ended.
func (p *process) finish() error {
	err := p.cmd.Wait()
	p.cancel(nil)
	if err != nil {
		return fmt.Errorf("ffmpeg: %s: %w", lastLine(p.stderr.String()), err)
	}
	return nil
}

// killed reports whether a child did not end by itself: what it gave is not all
// that there is.
func killed(err error) bool {
	var e *exec.ExitError
	if !errors.As(err, &e) {
		return false
	}
	status, ok := e.Sys().(syscall.WaitStatus)
	return ok && status.Signaled()
}

// Close stops ffmpeg wherever it is.
func (p *process) Close() {
	p.cancel(nil)
	_ = p.cmd.Wait() // killed on purpose: its status says nothing
}

// Sound is a song being decoded: a sound.Source.
type Sound struct {
	p    *process
	raw  []byte
	skip timecode.Samples // to be passed over first
	done bool
}

// OpenSound decodes the first audio stream of a file to 48 kHz stereo, from
// so many samples on. To the sample it does so by decoding all that goes before; else
// it seeks, which in some files is only near.
func OpenSound(ctx context.Context, path string, from timecode.Samples, exact bool) (*Sound, error) {
	var args []string
	skip := from
	if from > 0 && !exact {
		args, skip = append(args, "-ss", fmt.Sprintf("%.6f", float64(from)/timecode.SampleRate)), 0
	}
	args = append(append(args, local...), "-i", "file:"+path, "-map", "0:a:0", "-f", "f32le", "-ac", "2",
		"-ar", fmt.Sprint(timecode.SampleRate), "-")
	p, err := startFFmpeg(ctx, probing(path, decodeSeconds), args...)
	if err != nil {
		return nil, err
	}
	return &Sound{p: p, skip: skip}, nil
}

// Read fills p with interleaved stereo samples.
func (s *Sound) Read(p []float32) (int, error) {
	if s.done {
		return 0, io.EOF
	}
	for passed := make([]float32, 1<<14); s.skip > 0; {
		// What is passed over is read like the rest, so that its end is seen too.
		n := min(s.skip, timecode.Samples(len(passed)/2))
		s.skip -= n
		for left := passed[:2*n]; len(left) > 0; {
			got, err := s.next(left)
			if err != nil {
				return 0, err
			}
			left = left[got:]
		}
	}
	return s.next(p)
}

// next fills p with what comes next.
func (s *Sound) next(p []float32) (int, error) {
	if s.done {
		return 0, io.EOF
	}
	want := len(p) / 2 * 8
	if len(s.raw) < want {
		s.raw = make([]byte, want)
	}
	n, err := io.ReadFull(s.p.out, s.raw[:want])
	n = n / 8 * 2
	for i := range n {
		p[i] = math.Float32frombits(binary.LittleEndian.Uint32(s.raw[4*i:]))
	}
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		s.done = true
		if err := s.p.finish(); err != nil && (n == 0 || killed(err)) {
			return 0, err
		}
		return n, io.EOF
	}
	return n, err
}

// Close stops decoding.
func (s *Sound) Close() {
	if !s.done {
		s.done = true
		s.p.Close()
	}
}

// clipPixels decodes the frame shown at the given second to RGB: that which a film of pageRate
// begins with there. pixels is the size of the clip's frames, 0 if it was taken once.
func clipPixels(ctx context.Context, clip clipFile, w, h int, second float64, pixels int) (raster.Pixels,
	error) {
	args, _, passed := clip.from(second, pageRate, 0)
	ctx, cancel := context.WithTimeoutCause(ctx, frameLimit+passed, errStuck)
	defer cancel()
	args = append(clip.input(args...), "-map", clip.stream(), "-frames:v", "1",
		"-vf", fmt.Sprintf("%s,scale=%d:%d:flags=area+accurate_rnd", framesFrom(second, pageRate, 0), w, h),
		"-pix_fmt", "rgb24", "-f", "rawvideo", "-")
	p, err := startFFmpeg(ctx, decoding(clip.path, lookSeconds+uint64(passed.Seconds()), pixels), args...)
	if err != nil {
		return raster.Pixels{}, err
	}
	px := raster.Pixels{W: w, H: h, Channels: 3, Pix: make([]byte, w*h*3)}
	if _, err := io.ReadFull(p.out, px.Pix); err != nil {
		if errors.Is(err, errStuck) {
			p.Close()
			return raster.Pixels{}, err
		}
		if e := p.finish(); e != nil {
			return raster.Pixels{}, e
		}
		return raster.Pixels{}, fmt.Errorf("no frame at %.1f s", second)
	}
	p.Close()
	return px, nil
}

// clipStream is a clip being decoded at the film's rate. Frames are read in
// order; a few are kept for goroutines that lag behind.
type clipStream struct {
	p      *process
	middle bool // it was begun in the middle of the clip
	rough  bool // and complains of that
	w, h   int
	first  timecode.Frames // of the kept frames
	kept   []*raster.Sprite
	ended  bool
}

// keptFrames are kept for a look back: a join draws both its slides at once.
const keptFrames = 3

// pageRate is the film rate at which a clip's pictures on a page are found.
var pageRate = timecode.Rate{Num: 30, Den: 1}

// from are the arguments by which ffmpeg begins to decode a clip early enough for frame from,
// counted from begin seconds into it; whether that is in the middle of it; and how long it may
// take to pass over what comes before.
func (c clipFile) from(begin float64, rate timecode.Rate, from timecode.Frames) (args []string, middle bool,
	passed time.Duration) {
	args = []string{"-copyts", "-start_at_zero"}
	// From a key frame at or before the frame that may still be shown then. In
	// transport streams a place between key frames may be found; what can be
	// decoded begins with the next one.
	at := begin + rate.Seconds(from-1) - betweenKeys
	if at <= earliest || c.starts == doc.AtStart {
		return args, false, patience(at)
	}
	return append(args, "-noaccurate_seek", "-ss", fmt.Sprintf("%.6f", at)), true, 0
}

// earliest is how far into a clip it is still decoded from its start, in seconds: before the first
// place that a container names there is none to begin at, and where frames come out of order that
// is not its start (found in AVI files of MPEG-4 with B-frames).
const earliest = 0.5

// framesFrom is the ffmpeg filter that gives the frames of a film of that rate from one on,
// counted from begin.
func framesFrom(begin float64, rate timecode.Rate, from timecode.Frames) string {
	return fmt.Sprintf("fps=%s:start_time=%.6f,trim=start_frame=%d,setpts=PTS-STARTPTS", rate.Fraction(),
		begin, from)
}

// openClip decodes a clip from frame from on, counted from begin seconds into
// it, at the film's rate: frames are dropped or repeated so that each is the
// one shown at its time (ffmpeg's fps filter, rounding to the nearest). Which
// that is does not depend on from: times are the clip's own throughout, frames
// are counted from begin, and those before from are left out after that.
//
// A clip that may only be decoded from its start is, and all before is passed over.
func openClip(ctx context.Context, clip clipFile, as scene.Asset, m raster.Matrix, rate timecode.Rate,
	begin float64, from timecode.Frames) (*clipStream, error) {
	args, middle, passed := clip.from(begin, rate, from)
	matrix := "bt709"
	if m == raster.BT601 {
		matrix = "smpte170m"
	}
	w, h := as.W, as.H
	turn := ""
	if as.Turn > 0 {
		turn = []string{"", "transpose=1,", "hflip,vflip,", "transpose=2,"}[as.Turn]
	}
	var sample raster.Pixels
	if as.Look.Improve {
		var err error
		if sample, err = clipPixels(ctx, clip, sampleW, sampleH, begin, 0); err != nil {
			return nil, err
		}
	}
	graded, table, err := gradeFilter(as.Look, sample)
	if err != nil {
		return nil, err
	}
	sharp := ""
	if as.Look.Sharpen > 0 {
		sharp = fmt.Sprintf(",unsharp=5:5:%.3[1]f:5:5:%.3[1]f", as.Look.Sharpen*1.2)
	}
	args = append(clip.input(args...), "-map", clip.stream(),
		"-vf", fmt.Sprintf("%s,%s%sscale=%d:%d:flags=bicubic+accurate_rnd:out_color_matrix=%s:out_range=tv,format=yuv420p%s", framesFrom(begin, rate, from), turn, graded, w, h, matrix, sharp),
		"-f", "rawvideo", "-")
	c := decoding(clip.path, decodeSeconds, 0)
	if table != "" {
		c.Read = append(c.Read, table)
	}
	p, err := startPatiently(ctx, quietLimit+passed, c, args...)
	if err != nil {
		return nil, err
	}
	return &clipStream{
		p:      p,
		middle: middle,
		rough:  middle && clip.starts == doc.Rough,
		w:      w,
		h:      h,
		first:  from,
	}, nil
}

// betweenKeys is how far apart key frames of transport streams are at most, in
// seconds, as cameras and broadcasters make them (common practice, no source).
const betweenKeys = 1.0

// The size at which a clip's first frame is looked at for its levels.
const sampleW, sampleH = 160, 90

// gradeFilter is an ffmpeg filter for a look: its colours as a table, which
// ffmpeg interpolates, and the file that holds it.
func gradeFilter(l look.Look, sample raster.Pixels) (filter, table string, err error) {
	if l.Sharpen = 0; l == (look.Look{}) {
		return "", "", nil
	}
	cube := l.Cube(sample)
	sum := sha256.Sum256([]byte(cube))
	dir, err := ownFolder()
	if err != nil {
		return "", "", fmt.Errorf("writing a look's table: %w", err)
	}
	name := filepath.Join(dir, fmt.Sprintf("look-%x.cube", sum[:8]))
	if _, err := os.Stat(name); err != nil {
		if err := writeWhole(name, []byte(cube)); err != nil {
			return "", "", fmt.Errorf("writing a look's table: %w", err)
		}
	}
	return "format=gbrp,lut3d=file=" + name + ":interp=trilinear,", name, nil
}

// frame returns frame n, reading on as far as needed. ok is false if n lies
// before what is kept.
func (c *clipStream) frame(n timecode.Frames) (s *raster.Sprite, ok bool, err error) {
	if n < c.first {
		return nil, false, nil
	}
	for !c.ended && n >= c.first+timecode.Frames(len(c.kept)) {
		cw, ch := (c.w+1)/2, (c.h+1)/2
		sp := &raster.Sprite{
			W: c.w,
			H: c.h,
			Y: make([]byte, c.w*c.h),
			U: make([]byte, cw*ch),
			V: make([]byte, cw*ch),
		}
		for _, plane := range [][]byte{sp.Y, sp.U, sp.V} {
			if _, err = io.ReadFull(c.p.out, plane); err != nil {
				break
			}
		}
		if err != nil {
			c.ended = true
			// A damaged clip ends early, and its last frame stays; one whose decoder was
			// killed must not.
			if e := c.p.finish(); e != nil && (len(c.kept) == 0 || killed(e)) {
				return nil, true, e
			}
			if len(c.kept) == 0 {
				return nil, true, fmt.Errorf("the clip has no frame %d", n)
			}
			break
		}
		c.kept = append(c.kept, sp)
		if len(c.kept) > keptFrames {
			c.kept = c.kept[1:]
			c.first++
		}
	}
	i := min(int(n-c.first), len(c.kept)-1)
	return c.kept[i], true, nil
}

// close ends decoding.
func (c *clipStream) close() {
	if !c.ended {
		c.ended = true
		c.p.Close()
	}
}

// complaint is what the decoder told of errors, once it is closed.
func (c *clipStream) complaint() string {
	if c.rough {
		return ""
	}
	return strings.TrimSpace(c.p.stderr.String())
}
