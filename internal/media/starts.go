package media

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// clipFile is how a clip is decoded: its file, the picture track that is shown,
// and whether decoding may begin in the middle.
type clipFile struct {
	path   string
	track  int
	starts doc.Starts
	faulty bool
}

// clipOf is a medium's clip.
func clipOf(path string, m doc.Media) clipFile {
	c := clipFile{path: path, track: m.Track, starts: m.Starts, faulty: m.Faulty != ""}
	if c.faulty {
		c.starts = doc.AtStart
	}
	return c
}

// stream is the shown track as ffmpeg names it: covers do not count.
func (c clipFile) stream() string { return fmt.Sprintf("0:V:%d", c.track) }

// input are the arguments that name the clip to ffmpeg, with those that go before. What a
// decoder makes of errors depends on how many threads it has: of faulty clips it has one.
func (c clipFile) input(before ...string) []string {
	args := append(slices.Clone(before), local...)
	if c.faulty {
		args = append(args, "-threads", "1")
	}
	return append(args, "-i", "file:"+c.path)
}

// patience is how long a decoder may take to pass over so many seconds of a
// clip, on a busy machine.
func patience(seconds float64) time.Duration {
	return time.Duration(math.Max(0, 2*seconds) * float64(time.Second))
}

// Complaint is an error that a decoder told of and went on: what it gave from
// there on may be no picture anyone made.
type Complaint struct {
	Media  doc.MediaID
	Name   string // as the client named the file
	Middle bool   // it was begun in the middle of the clip: from the start it may have nothing to tell
	Text   string
}

// Error implements error.
func (c *Complaint) Error() string {
	return fmt.Sprintf("%s could not be decoded without errors (%s)", c.Name, c.Text)
}

func firstLine(s string) string {
	first, _, _ := strings.Cut(s, "\n")
	return first
}

// mainPicture is the stream that a clip shows, and which of its pictures without
// covers that is: the one that lasts longest, as some cameras put a still
// before it.
func mainPicture(streams []probedStream) (s probedStream, track int, ok bool) {
	longest, n := -1.0, 0
	for _, o := range streams {
		if o.CodecType != "video" || o.Disposition["attached_pic"] == 1 {
			continue
		}
		if sec, _ := lasts(o, "0"); o.Width > 0 && sec > longest+0.1 {
			s, track, longest, ok = o, n, sec, true
		}
		n++
	}
	return s, track, ok
}

// How a clip is examined: its first part is decoded whole and compared with what
// comes when decoding begins at some of its key frames; of what is later, what
// comes from two beginnings is compared with each other.
const (
	examinedSeconds = 90
	examinedSide    = 320 // pixels
	examinedPlaces  = 6
	examinedFrames  = 8   // at each place
	laterBefore     = 12. // seconds between two beginnings
)

// examineLimit is how long a clip is examined; of what takes longer it is not
// known that it can be decoded from the middle, so it is not.
const examineLimit = 3 * time.Minute

// examinedRate is the film rate at which frames are compared.
var examinedRate = pageRate

// examine finds out whether a clip, decoded from somewhere in the middle, gives
// what it gives decoded from its start, and what the decoder complains of.
func examine(ctx context.Context, path string, m doc.Media, pixels int) (starts doc.Starts, faulty string,
	err error) {
	within, cancel := context.WithTimeout(ctx, examineLimit)
	defer cancel()
	starts, faulty, err = examiner{ctx: within, path: path, m: m}.run()
	if err != nil && ctx.Err() == nil {
		return doc.AtStart, faulty, nil // it shows what it shows, from its start
	}
	return starts, faulty, ctx.Err()
}

type examiner struct {
	ctx  context.Context
	path string
	m    doc.Media
}

func (x examiner) run() (starts doc.Starts, faulty string, err error) {
	keys, err := x.keyFrames()
	if err != nil {
		return doc.AtStart, "", err
	}
	total := examinedRate.FramesIn(x.m.Length)
	upTo := min(total, examinedRate.Frames(examinedSeconds))
	whole, told, err := x.frames(doc.AtStart, 0, upTo)
	if err != nil || told != "" {
		return doc.AtStart, firstLine(told), err
	}
	starts = doc.Anywhere
	rough := func(told string) {
		if told != "" {
			starts = doc.Rough
		}
	}
	upTo = timecode.Frames(len(whole))
	for _, at := range places(keys, examinedRate.Seconds(upTo)) {
		n := min(examinedFrames, upTo-at)
		part, told, err := x.frames(doc.Anywhere, at, n)
		rough(told)
		if err != nil || !slices.Equal(part, whole[at:at+timecode.Frames(len(part))]) {
			return doc.AtStart, "", err
		}
	}
	for _, share := range []float64{0.6, 0.95} {
		at := timecode.Frames(share * float64(total))
		before := examinedRate.Frames(laterBefore)
		if at-before <= upTo {
			continue
		}
		long, told, err := x.frames(doc.Anywhere, at-before, before+examinedFrames)
		if rough(told); err != nil {
			return doc.AtStart, "", err
		}
		short, told, err := x.frames(doc.Anywhere, at, examinedFrames)
		if rough(told); err != nil || len(long) < int(before) || !slices.Equal(short, long[before:]) {
			return doc.AtStart, "", err
		}
	}
	return starts, "", nil
}

// places are the frames at which decoding is begun in the middle: shortly after
// some of the key frames, so that it begins there, and shortly before the next,
// where what went wrong shows most.
func places(keys []float64, seconds float64) (out []timecode.Frames) {
	keys = slices.DeleteFunc(slices.Clone(keys), func(k float64) bool {
		return k <= 0 || k+betweenKeys+0.2 >= seconds
	})
	for i := range min(len(keys), examinedPlaces) {
		k := i * len(keys) / min(len(keys), examinedPlaces)
		out = append(out, examinedRate.Frames(keys[k]+betweenKeys)+2)
		if k+1 < len(keys) && keys[k+1] > keys[k]+2*betweenKeys {
			out = append(out, examinedRate.Frames(keys[k+1])-examinedFrames)
		}
	}
	return out
}

// frames are n frames from one on, each as a sum of its picture, as a film would
// be given them, and what the decoder complained of.
func (x examiner) frames(starts doc.Starts, from, n timecode.Frames) (sums []uint64, told string, err error) {
	k := math.Min(1, examinedSide/float64(max(x.m.W, x.m.H)))
	as := scene.Asset{W: max(16, int(float64(x.m.W)*k)/2*2), H: max(16, int(float64(x.m.H)*k)/2*2)}
	c, err := openClip(x.ctx, clipFile{
		path:   x.path,
		track:  x.m.Track,
		starts: starts,
	}, as, raster.BT709, examinedRate, 0, from)
	if err != nil {
		return nil, "", err
	}
	defer c.close()
	for i := range n {
		s, _, err := c.frame(from + i)
		if err != nil {
			return nil, "", errors.Join(err, x.ctx.Err())
		}
		if c.ended {
			break // what comes is the last frame again
		}
		h := fnv.New64a()
		for _, plane := range [][]byte{s.Y, s.U, s.V} {
			h.Write(plane)
		}
		sums = append(sums, h.Sum64())
	}
	c.close()
	return sums, c.complaint(), x.ctx.Err()
}

// keyFrames are the times, in seconds, at which decoding of the examined part can
// begin, as the file says.
func (x examiner) keyFrames() ([]float64, error) {
	args := append([]string{"-v", "error", "-select_streams", "V:" + strconv.Itoa(x.m.Track), "-show_entries",
		"packet=pts_time,flags:format=start_time", "-of", "compact=p=0",
		"-read_intervals", fmt.Sprintf("%%+%d", examinedSeconds+10)}, local...)
	out, err := output(x.ctx, probeAll, probing(x.path, lookSeconds), "ffprobe",
		append(args, "file:"+x.path)...)
	if err != nil {
		return nil, err
	}
	var keys []float64
	start := 0.0
	for _, line := range strings.Split(string(out), "\n") {
		f := map[string]string{}
		for _, part := range strings.Split(strings.TrimSpace(line), "|") {
			k, v, _ := strings.Cut(part, "=")
			f[k] = v
		}
		if v, err := strconv.ParseFloat(f["start_time"], 64); err == nil {
			start = v
		}
		if v, err := strconv.ParseFloat(f["pts_time"], 64); err == nil && strings.HasPrefix(f["flags"], "K") {
			keys = append(keys, v)
		}
	}
	for i := range keys {
		keys[i] -= start
	}
	slices.Sort(keys)
	return keys, nil
}
