package render

import (
	"fmt"
	"math"
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
	// tag is how MP4 and QuickTime name it, where ffmpeg would choose
	// otherwise.
	tag string
}

// colours are the names ffmpeg has for a film's colours.
type colours struct{ matrix, transfer, primaries string }

func coloursOf(m raster.Matrix) colours {
	if m == raster.BT601 {
		return colours{m.Name(), "smpte170m", "smpte170m"}
	}
	return colours{m.Name(), "bt709", "bt709"}
}

// quality is how most encoders are told of quality or bit rate.
func quality(v profile.Video) (args []string) {
	if v.Kbps > 0 {
		args = append(args, "-b:v", fmt.Sprintf("%dk", v.Kbps))
	} else {
		args = append(args, "-crf", fmt.Sprint(v.CRF))
	}
	if v.MaxKbps > 0 {
		args = append(args, "-maxrate", fmt.Sprintf("%dk", v.MaxKbps), "-bufsize",
			fmt.Sprintf("%dk", v.BufferKbit))
	}
	return args
}

// codecs by their encoders, as ffmpeg names them.
var codecs = map[string]codec{
	"libx264": {
		settings: func(v profile.Video, c colours) []string {
			return append(quality(v), "-preset", v.Preset, "-profile:v", v.Profile,
				"-x264-params", strings.Trim(v.Tuning+
					fmt.Sprintf(":colormatrix=%s:transfer=%s:colorprim=%s:fullrange=off", c.matrix,
						c.transfer, c.primaries), ":"))
		},
		// Delimiters of access units (NAL unit type 9, ITU-T H.264, table 7-1)
		// belong in transport streams only.
		join: "filter_units=remove_types=9",
	},
	"libx265": {
		settings: func(v profile.Video, c colours) []string {
			return append(quality(v), "-preset", v.Preset, "-x265-params",
				fmt.Sprintf("log-level=error:colormatrix=%s:transfer=%s:colorprim=%s:range=limited", c.matrix,
					c.transfer, c.primaries))
		},
		tag: "hvc1",
	},
	"libsvtav1": {settings: func(v profile.Video, _ colours) []string {
		return append(quality(v), "-preset", v.Preset)
	}},
	"libvpx-vp9": {settings: func(v profile.Video, _ colours) []string {
		args := append(quality(v), "-deadline", "good", "-cpu-used", v.Preset, "-row-mt", "1",
			"-tile-columns", "1")
		if v.Kbps == 0 {
			args = append(args, "-b:v", "0")
		}
		return args
	}},
	// ProRes: 3 is HQ.
	"prores_ks": {settings: func(v profile.Video, _ colours) []string {
		return []string{"-profile:v", v.Profile, "-vendor", "apl0"}
	}},
	"dnxhd": {settings: func(v profile.Video, _ colours) []string {
		return []string{"-profile:v", v.Profile}
	}},
	// Closed groups of pictures with two pictures between those they lean on,
	// and a sequence header before each, as discs need it.
	"mpeg2video": {settings: func(v profile.Video, _ colours) []string {
		return append(quality(v), "-bf", "2", "-flags", "+cgop", "-sc_threshold", "1000000000", "-mpv_flags",
			"+strict_gop", "-dc", "9", "-trellis", "1")
	}},
}

// container is what ffmpeg must be told to write a kind of file, and what the
// kind has room for.
type container struct {
	args     []string
	sound    string // format of the soundtrack before it is joined; empty: the same
	text     string // how it keeps captions; empty: it cannot
	chapters bool
	poster   string // where its poster goes: a picture stream's number, or "attachment"; empty: nowhere
	loose    bool   // its times are rounded, so they may be two frames off
	plain    bool   // it tells nothing of its film
	tagged   bool   // it names codecs by tags
	index    bool   // room can be kept at its beginning for its index
	streams  bool   // it is a transport stream, in which delimiters stay
	sought   bool   // a frame is found by its time
}

// containers by their formats, as ffmpeg names them.
var containers = map[string]container{
	"mp4": {
		args:     []string{"-movflags", "+faststart"},
		text:     "mov_text",
		chapters: true,
		poster:   "1",
		tagged:   true,
		index:    true,
		sought:   true,
	},
	"mov": {
		args:     []string{"-movflags", "+faststart"},
		text:     "mov_text",
		chapters: true,
		tagged:   true,
		sought:   true,
	},
	"matroska": {text: "subrip", chapters: true, poster: "attachment", loose: true},
	"webm":     {text: "webvtt", chapters: true, loose: true},
	"dvd":      {sound: "ac3", loose: true, plain: true},
	"mpegts": {
		args:    []string{"-mpegts_m2ts_mode", "1"},
		sound:   "ac3",
		loose:   true,
		plain:   true,
		streams: true,
	},
	"mp3":   {poster: "0", loose: true},
	"mjpeg": {plain: true},
}

// known refuses a profile whose encoder or container this program cannot make.
func known(p profile.Profile) error {
	if _, ok := codecs[p.Video.Encoder]; !ok && p.Kind == profile.OfFilm {
		return fmt.Errorf("the encoder %q is not known", p.Video.Encoder)
	}
	if _, ok := containers[p.File.Format]; !ok {
		return fmt.Errorf("the container %q is not known", p.File.Format)
	}
	return nil
}

// input are the ffmpeg arguments that read a film's raw frames from standard
// input.
func input(f *film.Film) []string {
	s, col := f.Scene, coloursOf(f.Scene.Matrix)
	return []string{"-v", "error", "-nostdin", "-y",
		"-f", "rawvideo", "-pix_fmt", "yuv420p", "-s", fmt.Sprintf("%dx%d", s.W, s.H), "-r",
		s.Rate.Fraction(),
		"-colorspace", col.matrix, "-color_trc", col.transfer, "-color_primaries", col.primaries,
		"-color_range", "tv", "-i", "pipe:0"}
}

// output are the ffmpeg arguments that encode frames as a profile says, with
// so many threads (0: as many as suit).
func output(f *film.Film, v profile.Video, threads int) ([]string, error) {
	c, ok := codecs[v.Encoder]
	if !ok {
		return nil, fmt.Errorf("the encoder %q is not known", v.Encoder)
	}
	col := coloursOf(f.Kept.Matrix)
	args := []string{"-c:v", v.Encoder, "-pix_fmt", v.Pixels, "-g",
		fmt.Sprint(int(math.Round(v.KeySeconds * f.Scene.Rate.FPS()))),
		"-colorspace", col.matrix, "-color_trc", col.transfer, "-color_primaries", col.primaries,
		"-color_range", "tv"}
	if threads > 0 {
		args = append(args, "-threads", fmt.Sprint(threads))
	}
	return append(args, c.settings(v, col)...), nil
}

// PictureArgs are the ffmpeg arguments that read a film's raw frames from
// standard input and encode them with so many threads (0: as many as suit).
func PictureArgs(f *film.Film, v profile.Video, threads int) ([]string, error) {
	args := input(f)
	if filter := scaling(f); filter != "" {
		args = append(args, "-vf", filter)
	}
	out, err := output(f, v, threads)
	return append(args, out...), err
}

// scaling is the filter that brings frames to the size they are kept in, and then to
// the colours: both in one step would move chroma by half a sample.
func scaling(f *film.Film) string {
	k := f.Kept
	if !k.Scaled {
		return ""
	}
	filter := fmt.Sprintf("scale=%d:%d:flags=area", k.W, k.H)
	if k.Matrix != f.Scene.Matrix {
		filter += "," + recoloured(f.Scene.Matrix, k.Matrix)
	}
	if k.Shown.W > 0 {
		return filter + fmt.Sprintf(",setdar=%d/%d", k.Shown.W, k.Shown.H)
	}
	return filter + ",setsar=1"
}

// recoloured is the filter that brings frames from one matrix to another, and leaves
// all else of their colours as it is.
func recoloured(from, to raster.Matrix) string {
	return fmt.Sprintf("colorspace=ispace=%s:space=%s:irange=tv:range=tv:iprimaries=bt709:primaries=bt709:itrc=bt709:trc=bt709", from.Name(), to.Name())
}

// soundArgs read raw samples from standard input and encode them.
func soundArgs(a profile.Audio) []string {
	args := []string{"-v", "error", "-nostdin", "-y", "-f", "f32le", "-ar", fmt.Sprint(timecode.SampleRate),
		"-ac", "2", "-i", "pipe:0", "-c:a", a.Encoder}
	if a.Kbps > 0 {
		args = append(args, "-b:a", fmt.Sprintf("%dk", a.Kbps))
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

// wholeFormat carries a film that is encoded in one piece until it is joined
// with its sound: it keeps times exactly and any codec. H.264 goes by MPEG
// transport streams here too, so that each key frame keeps its parameter sets,
// as discs want them.
const wholeFormat = "nut"

// streamed reports whether a profile's films are joined from MPEG transport
// streams.
func streamed(v profile.Video) bool { return v.Encoder == "libx264" }

// wholeArgs encode a whole film into a file in dir, in a pass of several (0:
// the only one). The first makes a file only where its quality may be enough.
func wholeArgs(f *film.Film, threads, pass int, dir string) (args []string, file string, err error) {
	v := f.Profile.Video
	tried := pass == 1 && v.EnoughCRF > 0
	if tried {
		v.Kbps, v.CRF = 0, v.EnoughCRF
	}
	if args, err = PictureArgs(f, v, threads); err != nil {
		return nil, "", err
	}
	file = filepath.Join(dir, "whole."+wholeFormat)
	if pass > 0 {
		args = append(args, "-pass", fmt.Sprint(pass), "-passlogfile", filepath.Join(dir, "pass"))
	}
	switch {
	case tried:
		args = append(args, "-fastfirstpass", "0")
	case pass == 1:
		return append(args, "-f", "null", "-"), file, nil
	}
	if streamed(v) {
		return append(args, "-muxdelay", "0", "-muxpreload", "0", "-f", "mpegts", file), file, nil
	}
	return append(args, "-f", wholeFormat, file), file, nil
}

// segmentArgs write a segment of a film, and of others that show the
// same frames in other sizes, into a file each, which begins with a closed
// group of pictures. They are MPEG transport streams
// (ISO/IEC 13818-1), which make one when put end to end. Each segment has an
// encoder of its own, with one thread: its bytes follow from its frames alone,
// not from what else was made with it, or by how many processors.
func segmentArgs(films []*film.Film, seg film.Segment, dir string) (args, files []string, err error) {
	args = input(films[0])
	if len(films) > 1 {
		graph := fmt.Sprintf("[0:v]split=%d", len(films))
		var scaled string
		for i, f := range films {
			graph += fmt.Sprintf("[v%d]", i)
			if filter := scaling(f); filter != "" {
				scaled += fmt.Sprintf(";[v%d]%s[o%d]", i, filter, i)
			} else {
				scaled += fmt.Sprintf(";[v%d]null[o%d]", i, i)
			}
		}
		args = append(args, "-filter_complex", graph+scaled)
	} else if filter := scaling(films[0]); filter != "" {
		args = append(args, "-vf", filter)
	}
	for i, f := range films {
		out, err := output(f, f.Profile.Video, 1)
		if err != nil {
			return nil, nil, err
		}
		if len(films) > 1 {
			args = append(args, "-map", fmt.Sprintf("[o%d]", i))
		}
		name := filepath.Join(dir, fmt.Sprintf("s%d-%08d.ts", i, seg.From))
		files = append(files, name)
		args = append(append(args, out...), "-muxdelay", "0", "-muxpreload", "0", "-f", "mpegts", name)
	}
	return args, files, nil
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
