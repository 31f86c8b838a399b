package render

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/sys/unix"

	"nelko/internal/core/compose"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
)

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
	e.cmd = patient(ctx, args...)
	e.cmd.WaitDelay = 2 * time.Second
	e.cmd.Stdin, e.cmd.Stderr = r, &e.stderr
	if err := e.cmd.Start(); err != nil {
		w.Close()
		return nil, fmt.Errorf("starting ffmpeg: %w", err)
	}
	return e, nil
}

// finish waits for the encoder. Some of what it could not write it tells of
// only in words and ends as if all were well.
func (e *encoder) finish() error {
	e.in.Close()
	err := e.cmd.Wait()
	said := strings.TrimSpace(e.stderr.String())
	full := strings.Contains(said, "No space left on device") || strings.Contains(said, "Disk quota exceeded")
	if err == nil && !full && !strings.Contains(said, "Error writing") {
		return nil
	}
	lines := strings.Split(said, "\n")
	told := fmt.Errorf("encoding: %s", lines[len(lines)-1])
	if err != nil {
		told = fmt.Errorf("%w: %w", told, err)
	}
	if full {
		return fmt.Errorf("%w: %w", ErrFull, told)
	}
	return told
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

// leastRoom is how much room on a disk is taken for none, in bytes: encoders
// do not always say why they could not write.
const leastRoom = 4 << 20

// outOfRoom adds ErrFull to an error that came while the disk of a folder was
// full.
func outOfRoom(err error, dir string) error {
	var st unix.Statfs_t
	full := errors.Is(err, unix.ENOSPC) || errors.Is(err, unix.EDQUOT)
	if !full && unix.Statfs(dir, &st) == nil {
		full = int64(st.Bavail)*st.Bsize < leastRoom
	}
	if err != nil && full && !errors.Is(err, ErrFull) {
		return fmt.Errorf("%w: %w", ErrFull, err)
	}
	return err
}

// wholeThreads is how many threads the encoder of a whole film has: what it writes depends on
// that, and must not on the machine.
const wholeThreads = 4

// whole composes and encodes a film that cannot be put together from segments,
// as often as there are passes, or until it is good and small enough. made hears of as many frames as it has.
func (j *Job) whole(ctx context.Context, dir string, made func()) ([]string, error) {
	passes := max(1, j.Film.Profile.Video.Passes)
	drawn := 0
	heard := func() {
		if drawn++; drawn%passes == 0 {
			made()
		}
	}
	for k := range passes {
		pass := 0
		if passes > 1 {
			pass = k + 1
		}
		args, file, err := wholeArgs(j.Film, wholeThreads, pass, dir)
		if err != nil {
			return nil, err
		}
		e, err := startEncoder(ctx, args)
		if err != nil {
			return nil, err
		}
		if err := e.after(j.compose(ctx, 0, j.Film.Frames(), e.write, heard)); err != nil {
			return nil, outOfRoom(err, dir)
		}
		if k+1 == passes || j.enough(file) {
			for drawn < passes*int(j.Film.Frames()) {
				heard()
			}
			return []string{file}, nil
		}
	}
	return nil, nil
}

// enough reports whether the first pass made a file that is no larger than the bit rate
// would make it.
func (j *Job) enough(file string) bool {
	v := j.Film.Profile.Video
	st, err := os.Stat(file)
	if err != nil || v.EnoughCRF == 0 {
		return false
	}
	return float64(st.Size())*8 <= float64(v.Kbps)*1000*j.Film.Profile.Rate.Seconds(j.Film.Frames())
}

// encodeOnce composes and encodes a run of segments, and gives the files of
// the film's and of each of the others.
func (j *Job) encodeOnce(ctx context.Context, run []film.Segment, dir string, made func()) ([][]string,
	error) {
	if j.Film.Profile.Whole() {
		files, err := j.whole(ctx, dir, made)
		return [][]string{files}, err
	}
	lane := j.Lanes(ctx)
	files, err := j.encodeEach(ctx, lane, run, dir, made)
	lane.Close()
	if told := lane.Complaint(); err == nil && told != nil {
		err = j.Film.Blame(told)
	}
	return files, outOfRoom(err, dir)
}

// encodeEach composes a run's segments one after another with a lane's assets, each for an
// encoder of its own, which ends while the next segment is being drawn.
func (j *Job) encodeEach(ctx context.Context, lane Lane, run []film.Segment, dir string,
	made func()) ([][]string, error) {
	all := make([][]string, 1+len(j.Also))
	ahead := reader{scene: j.Film.Scene, assets: lane, end: run[len(run)-1].To}
	defer ahead.wait()
	ended := make(chan error, 1)
	ended <- nil
	for _, seg := range run {
		args, files, err := segmentArgs(append([]*film.Film{j.Film}, j.Also...), seg, dir)
		var e *encoder
		if err == nil {
			e, err = startEncoder(ctx, args)
		}
		if err != nil {
			return nil, errors.Join(err, <-ended)
		}
		drawn := j.draw(ctx, &ahead, seg.From, seg.To, e.write, made)
		before := <-ended
		go func() { ended <- e.after(drawn) }()
		if drawn != nil || before != nil {
			return nil, cmp.Or(before, <-ended)
		}
		for n, f := range files {
			all[n] = append(all[n], f)
		}
	}
	if err := <-ended; err != nil {
		return nil, err
	}
	for _, list := range all {
		for _, f := range list {
			if _, err := os.Stat(f); err != nil {
				return nil, fmt.Errorf("encoding: the encoder left out a segment: %w", err)
			}
		}
	}
	return all, nil
}

// compose draws frames from one to another in order. What a decoder complained of
// is a *compose.SlideError with a *media.Complaint.
func (j *Job) compose(ctx context.Context, from, to timecode.Frames, write func(*raster.Frame) error,
	made func()) error {
	lane := j.Lanes(ctx)
	ahead := reader{scene: j.Film.Scene, assets: lane, end: to}
	err := j.draw(ctx, &ahead, from, to, write, made)
	ahead.wait()
	lane.Close()
	if told := lane.Complaint(); err == nil && told != nil {
		return j.Film.Blame(told)
	}
	return err
}

// draw draws frames from one to another with the assets that are read ahead.
func (j *Job) draw(ctx context.Context, ahead *reader, from, to timecode.Frames,
	write func(*raster.Frame) error, made func()) error {
	sc := j.Film.Scene
	c, f := compose.New(sc, ahead.assets), raster.NewFrame(sc.W, sc.H)
	for n := from; n < to; n++ {
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		ahead.at(n)
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
	end    timecode.Frames // up to which there is something to draw
	next   int             // slide to read next
	busy   sync.WaitGroup
}

// aheadFrames is how long before a slide its pictures are read.
const aheadFrames = 45

func (r *reader) at(n timecode.Frames) {
	for r.next < len(r.scene.Slides) && r.scene.Slides[r.next].Start <= min(n+aheadFrames, r.end-1) {
		s := &r.scene.Slides[r.next]
		r.next++
		if s.End() <= n || s.Start <= n {
			continue // over, or drawn right now
		}
		r.busy.Wait()
		r.busy.Go(func() {
			for i := range s.Layers {
				if k := s.Layers[i].Asset.Kind; k != scene.Fill && k != scene.Footage && k != scene.Drift &&
					k != scene.None {
					// An error comes up again, with its slide, when the frame is drawn.
					_, _ = r.assets.Sprite(s.Layers[i].Asset, r.scene.Matrix)
				}
			}
		})
	}
}

func (r *reader) wait() { r.busy.Wait() }

// soundtrack mixes and encodes the soundtrack, unless it is kept.
func (j *Job) soundtrack(ctx context.Context, dir string) (string, error) {
	key, err := j.Film.SoundKey()
	if err != nil {
		return "", err
	}
	if j.Cache != nil {
		kept, err := j.Cache.Find(ctx, []string{key})
		if err != nil {
			return "", fmt.Errorf("looking for the soundtrack: %w", err)
		}
		if p := kept[key]; p != "" {
			return p, nil
		}
	}
	t, done, err := j.Film.Track(ctx, j.Files)
	if err != nil {
		return "", err
	}
	defer done()
	p := j.Film.Profile
	format := cmp.Or(containers[p.File.Format].sound, p.File.Format)
	out := filepath.Join(dir, "sound."+format)
	e, err := startEncoder(ctx, append(soundArgs(p.Audio), "-f", format, out))
	if err != nil {
		return "", err
	}
	if err := e.after(MixTo(t, dir, e.in)); err != nil {
		return "", fmt.Errorf("mixing the soundtrack: %w", outOfRoom(err, dir))
	}
	if j.Cache == nil {
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
func PackSound(ctx context.Context, t sound.Track, a profile.Audio, dir, list string) error {
	e, err := startEncoder(ctx, append(soundArgs(a), "-muxdelay", "0", "-muxpreload", "0",
		"-f", "hls", "-hls_time", fmt.Sprint(soundSegment), "-hls_list_size", "0", "-hls_playlist_type",
		"event", "-hls_segment_filename", filepath.Join(dir, "%05d.ts"), list))
	if err != nil {
		return err
	}
	return e.after(MixTo(t, "", e.in)) // heard while it is made: not yet at its loudness
}

// Silent makes the whole film without sound in one piece, in a file in dir.
func (j *Job) Silent(ctx context.Context, dir string) (string, error) {
	p := j.Film.Profile
	out := filepath.Join(dir, "silent."+p.File.Extension)
	return out, j.Picture(ctx, out, append(slices.Clone(containers[p.File.Format].args), "-f",
		p.File.Format)...)
}

// Picture encodes the film's picture alone, in one piece, as args say.
func (j *Job) Picture(ctx context.Context, out string, args ...string) error {
	all, err := PictureArgs(j.Film, j.Film.Profile.Video, 0)
	if err != nil {
		return err
	}
	e, err := startEncoder(ctx, append(append(all, args...), out))
	if err != nil {
		return err
	}
	return outOfRoom(e.after(j.compose(ctx, 0, j.Film.Frames(), e.write, func() {})), filepath.Dir(out))
}

// WriteWAV writes the soundtrack as it comes out, as a RIFF WAVE file of 16 bits: little
// endian, a header of 44 bytes (Microsoft and IBM, Multimedia Programming Interface and
// Data Specifications 1.0, 1991).
func WriteWAV(t sound.Track, to io.Writer) error {
	const frame = 4 // bytes of a sample of both sides
	size := uint32(t.Total * frame)
	w := bufio.NewWriterSize(to, 1<<18)
	head := binary.LittleEndian.AppendUint32([]byte("RIFF"), 36+size)
	head = binary.LittleEndian.AppendUint32(append(head, "WAVEfmt "...), 16)
	head = binary.LittleEndian.AppendUint16(head, 1) // whole numbers
	head = binary.LittleEndian.AppendUint16(head, 2)
	head = binary.LittleEndian.AppendUint32(head, timecode.SampleRate)
	head = binary.LittleEndian.AppendUint32(head, timecode.SampleRate*frame)
	head = binary.LittleEndian.AppendUint16(head, frame)
	head = binary.LittleEndian.AppendUint16(head, 16)
	head = binary.LittleEndian.AppendUint32(append(head, "data"...), size)
	_, err := w.Write(head)
	var raw []byte
	return errors.Join(err, t.Mix(nil, func(s []float32) error {
		raw = raw[:0]
		for _, v := range s {
			raw = binary.LittleEndian.AppendUint16(raw,
				uint16(int16(math.Round(float64(max(-1, min(1, v)))*math.MaxInt16))))
		}
		_, err := w.Write(raw)
		return err
	}), w.Flush())
}

// MixTo writes the soundtrack as raw 32-bit floats. To be brought to its loudness it is
// kept in dir meanwhile; without a folder it is left as it comes out.
func MixTo(t sound.Track, dir string, to io.Writer) error {
	w := bufio.NewWriterSize(to, 1<<18)
	var raw []byte
	out := func(s []float32) error {
		raw = floats(raw[:0], s)
		_, err := w.Write(raw)
		return err
	}
	if dir == "" || t.LUFS == 0 {
		return errors.Join(t.Mix(nil, out), w.Flush())
	}
	s, err := newSpool(dir)
	if err != nil {
		return err
	}
	return errors.Join(t.Mix(s, out), w.Flush(), s.Close())
}
