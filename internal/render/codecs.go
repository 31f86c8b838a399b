package render

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"

	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
)

// codec is what ffmpeg must be told to make a picture of one kind, and to
// join segments of it.
type codec struct {
	settings func(profile.Video, colours) []string
	// join are the bitstream filters that take away what belongs into segments
	// only.
	join string
}

// colours are the names ffmpeg has for a film's colours.
type colours struct{ matrix, transfer, primaries string }

func coloursOf(m raster.Matrix) colours {
	if m == raster.BT601 {
		return colours{m.Name(), "smpte170m", "smpte170m"}
	}
	return colours{m.Name(), "bt709", "bt709"}
}

// codecs by their encoders, as ffmpeg names them.
var codecs = map[string]codec{
	"libx264": {
		settings: func(v profile.Video, c colours) []string {
			return []string{"-preset", v.Preset, "-crf", fmt.Sprint(v.CRF), "-profile:v", v.Profile,
				"-x264-params", fmt.Sprintf("colormatrix=%s:transfer=%s:colorprim=%s:fullrange=off", c.matrix, c.transfer, c.primaries)}
		},
		// Delimiters of access units (NAL unit type 9, ITU-T H.264, table 7-1)
		// belong in transport streams only.
		join: "filter_units=remove_types=9",
	},
}

// containers by their formats, as ffmpeg names them: what it must be told to
// write one.
var containers = map[string]func(*film.Film) []string{
	"mp4": func(f *film.Film) []string { return []string{"-moov_size", fmt.Sprint(indexRoom(f.Scene))} },
}

// known refuses a profile whose encoder or container this program cannot make.
func known(p profile.Profile) error {
	if _, ok := codecs[p.Video.Encoder]; !ok {
		return fmt.Errorf("the encoder %q is not known", p.Video.Encoder)
	}
	if _, ok := containers[p.File.Format]; !ok {
		return fmt.Errorf("the container %q is not known", p.File.Format)
	}
	return nil
}

// PictureArgs are the ffmpeg arguments that read raw frames from standard
// input and encode them with so many threads (0: as many as suit).
func PictureArgs(s *scene.Scene, v profile.Video, threads int) ([]string, error) {
	c, ok := codecs[v.Encoder]
	if !ok {
		return nil, fmt.Errorf("the encoder %q is not known", v.Encoder)
	}
	col := coloursOf(s.Matrix)
	args := []string{"-v", "error", "-nostdin", "-y",
		"-f", "rawvideo", "-pix_fmt", v.Pixels, "-s", fmt.Sprintf("%dx%d", s.W, s.H), "-r", s.Rate.Fraction(), "-i", "pipe:0",
		"-c:v", v.Encoder, "-g", fmt.Sprint(int(math.Round(v.KeySeconds * s.Rate.FPS()))),
		"-colorspace", col.matrix, "-color_trc", col.transfer, "-color_primaries", col.primaries, "-color_range", "tv"}
	args = append(args, c.settings(v, col)...)
	if threads > 0 {
		args = append(args, "-threads", fmt.Sprint(threads))
	}
	return args, nil
}

// soundArgs read raw samples from standard input and encode them.
func soundArgs(a profile.Audio) []string {
	return []string{"-v", "error", "-nostdin", "-y", "-f", "f32le", "-ar", fmt.Sprint(timecode.SampleRate), "-ac", "2", "-i", "pipe:0",
		"-c:a", a.Encoder, "-b:a", fmt.Sprintf("%dk", a.Kbps)}
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
func segmentArgs(f *film.Film, threads int, run []film.Segment, dir string) (args, files []string, err error) {
	if args, err = PictureArgs(f.Scene, f.Profile.Video, max(1, threads)); err != nil {
		return nil, nil, err
	}
	prefix := filepath.Join(dir, fmt.Sprintf("s%08d-", run[0].From))
	if len(run) == 1 {
		out := prefix + "0000.ts"
		return append(args, "-muxdelay", "0", "-muxpreload", "0", "-f", "mpegts", out), []string{out}, nil
	}
	var cuts, keys []string
	for i, seg := range run {
		files = append(files, fmt.Sprintf("%s%04d.ts", prefix, i))
		if i > 0 {
			n := int64(seg.From - run[0].From)
			cuts = append(cuts, fmt.Sprint(n))
			keys = append(keys, fmt.Sprintf("eq(n,%d)", n))
		}
	}
	return append(args, "-force_key_frames", "expr:"+strings.Join(keys, "+"),
		"-f", "segment", "-segment_format", "mpegts", "-segment_frames", strings.Join(cuts, ","), "-reset_timestamps", "1",
		"-muxdelay", "0", "-muxpreload", "0", strings.ReplaceAll(prefix, "%", "%%")+"%04d.ts"), files, nil
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

// join puts encoded segments and the soundtrack together without encoding
// again, verifies the file and moves it to its final name.
func (j *Job) join(ctx context.Context, files []string, track, dir string) (Facts, error) {
	p, s := j.Film.Profile, j.Film.Scene
	box := containers[p.File.Format]
	part := filepath.Join(dir, "joined."+p.File.Extension)
	// Every segment begins at its own zero, so packets are numbered anew: one a
	// frame, in the order of decoding, shown as much later as the encoder said.
	second, frame := timescale(s.Rate)
	whole := fmt.Sprintf("setts=dts=(N-round((STARTPTS-STARTDTS)/%[1]d))*%[1]d:pts=(N-round((STARTPTS-STARTDTS)/%[1]d)+round((PTS-DTS)/%[1]d))*%[1]d", frame)
	if filter := codecs[p.Video.Encoder].join; filter != "" {
		whole = filter + "," + whole
	}
	args := []string{"-v", "error", "-nostdin", "-y", "-f", "mpegts", "-i", "pipe:0", "-i", track,
		"-map", "0:v", "-map", "1:a", "-c", "copy", "-bsf:v", whole, "-video_track_timescale", fmt.Sprint(second)}
	if title := j.Film.Title(); title != "" {
		args = append(args, "-metadata", "title="+title)
	}
	e, err := startEncoder(ctx, append(append(args, box(j.Film)...), "-f", p.File.Format, part))
	if err != nil {
		return Facts{}, err
	}
	err = e.after(e.copy(files))
	if ctx.Err() != nil {
		return Facts{}, context.Cause(ctx)
	}
	if err != nil {
		return Facts{}, fmt.Errorf("joining the segments: %w", outOfRoom(err, dir))
	}
	facts, err := Verify(ctx, part, j.Film)
	if err != nil {
		return facts, fmt.Errorf("the rendered file is not as planned: %w", err)
	}
	return facts, os.Rename(part, j.Out)
}
