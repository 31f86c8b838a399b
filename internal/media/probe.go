package media

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"nelko/internal/cage"
	"nelko/internal/core/doc"
	"nelko/internal/core/focus"
	"nelko/internal/core/raster"
	"nelko/internal/core/rhythm"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/media/faces"
	"nelko/internal/media/vips"
)

// Refused means that a file cannot be used, and why, in words for a person.
type Refused struct{ Reason string }

func (r *Refused) Error() string { return r.Reason }

func refuse(format string, a ...any) error { return &Refused{fmt.Sprintf(format, a...)} }

// maxPixels is the largest photo accepted, in pixels.
const maxPixels = 400e6

// Probe finds out what the file at path is and all that the core needs to
// know of it. Pictures are read in this process: it is for files that no stranger
// sent. name is the file's name as the client sent it. Songs are measured for
// loudness; peaks is their waveform. A file that cannot be used is a *Refused
// error.
func Probe(ctx context.Context, path, name string) (m doc.Media, peaks []byte, err error) {
	m.Name = name
	h, err := header(path)
	if err == nil && h.Needs > mostDecoded {
		return m, nil, tooLarge(h.Needs)
	}
	if err == nil {
		m, _, err = photo(m, h, path, faces.Side)
		return m, nil, err
	}
	if !errors.Is(err, vips.ErrFormat) {
		return m, nil, err
	}
	return inTime(ctx, m, path, true)
}

// tooLarge refuses a picture whose decoding takes too much memory.
func tooLarge(needs int64) error {
	return refuse("decoding the picture takes %d MB of memory at once, and at most %d MB can be used; save "+
		"it smaller, or without layers and interlacing", needs>>20, mostDecoded>>20)
}

// header reads a picture's header. What is no picture is vips.ErrFormat, an
// empty or damaged file a *Refused error.
func header(path string) (vips.Header, error) {
	st, err := os.Stat(path)
	if err != nil {
		return vips.Header{}, err
	}
	if st.Size() == 0 {
		return vips.Header{}, refuse("the file is empty")
	}
	h, err := vips.ReadHeader(path)
	switch {
	case err == nil || errors.Is(err, vips.ErrFormat):
		return h, err
	case strings.Contains(err.Error(), "out of memory"): // some formats are decoded by looking at them
		return h, refuse("decoding the picture takes more memory than one picture can be given")
	}
	return h, refuse("the picture is damaged (%v)", err)
}

// inTime is footage within the time that reading a whole file may take.
func inTime(ctx context.Context, m doc.Media, path string, songs bool) (doc.Media, []byte, error) {
	limited, cancel := context.WithTimeout(ctx, probeAll)
	defer cancel()
	m, peaks, err := footage(limited, m, path, songs)
	if limited.Err() != nil && ctx.Err() == nil {
		return m, nil, refuse("reading it took longer than %.0f minutes", probeAll.Minutes())
	}
	return m, peaks, err
}

// opaque is the least opacity at which nothing is seen to show through; what
// was saved as opaque may have become a little less so by scaling.
const opaque = 250

// showsThrough reports whether what is behind a picture can be seen.
func showsThrough(p raster.Pixels) bool {
	if p.Channels != 4 {
		return false
	}
	for i := 3; i < len(p.Pix); i += 4 {
		if p.Pix[i] < opaque {
			return true
		}
	}
	return false
}

// drawingSide is the longer side that drawings are said to have, in pixels.
const drawingSide = 4096

// photo looks at a picture, which it reads once, at most side pixels on its
// longer side but not smaller than faces are looked for in. It gives the pixels
// that it read.
func photo(m doc.Media, h vips.Header, path string, side int) (doc.Media, raster.Pixels, error) {
	var none raster.Pixels
	m.Kind = doc.PhotoMedia
	m.W, m.H = Upright(h.Width, h.Height, h.Orientation)
	if h.Loader == vips.Drawing && m.W > 0 && m.H > 0 {
		// Sharp at any size: as large as a photo.
		k := drawingSide / float64(max(m.W, m.H))
		m.W, m.H = max(1, int(math.Round(float64(m.W)*k))), max(1, int(math.Round(float64(m.H)*k)))
	}
	if float64(m.W)*float64(m.H) > maxPixels {
		return m, none, refuse("the picture has %d×%d pixels; at most 400 million can be used", m.W, m.H)
	}
	if m.W < 2 || m.H < 2 {
		return m, none, refuse("the picture has only %d×%d pixels", m.W, m.H)
	}
	m.Captured, m.Camera = takenAt(h.Taken, h.TakenOffset), h.Camera
	if h.Loader != vips.Drawing {
		m.Description = described(path)
	}
	// Reading it once proves that all of it is there, and shows faces and what
	// stands out.
	w, ht := within(m.W, m.H, max(side, faces.Side))
	p, err := vips.Load(path, w, ht)
	if err != nil {
		return m, none, refuse("the picture is damaged or cut off (%v)", err)
	}
	w, ht = within(p.W, p.H, faces.Side)
	seen, err := vips.Resize(p, w, ht)
	if err != nil {
		return m, none, err
	}
	if m.Faces, err = faces.Find(seen); err != nil {
		return m, none, err
	}
	m.Clear, m.Sharp = showsThrough(seen), focus.Sharpness(seen)
	small := raster.Shrink(Flatten(seen, raster.RGB{R: 128, G: 128, B: 128}), focus.Side)
	m.Focus, m.Interest, m.Print, m.Light = focus.Point(small), focus.Interest(small), focus.Print(small),
		focus.Lightness(small)
	return m, p, nil
}

// Upright gives the sides of a stored w×h picture once its EXIF orientation
// is applied: 5 to 8 lie on their side (CIPA DC-008, tag 0x0112).
func Upright(w, h, orientation int) (int, int) {
	if orientation >= 5 && orientation <= 8 {
		return h, w
	}
	return w, h
}

// takenAt reads EXIF's "2006:01:02 15:04:05". Without an offset the camera's
// own clock is taken as it is.
func takenAt(taken, offset string) time.Time {
	if len(taken) < 19 {
		return time.Time{}
	}
	if len(offset) >= 6 {
		if t, err := time.Parse("2006:01:02 15:04:05-07:00", taken[:19]+offset[:6]); err == nil {
			// Pictures of one event are compared by the clock on the wall.
			return time.Date(t.Year(), t.Month(), t.Day(), t.Hour(), t.Minute(), t.Second(), 0, time.UTC)
		}
	}
	t, err := time.Parse("2006:01:02 15:04:05", taken[:19])
	if err != nil || t.Year() < 1900 {
		return time.Time{}
	}
	return t
}

// probed is ffprobe's JSON, as far as it is needed.
type probed struct {
	Streams []probedStream `json:"streams"`
	Format  struct {
		Name     string            `json:"format_name"`
		Duration string            `json:"duration"`
		Tags     map[string]string `json:"tags"`
	} `json:"format"`
}

type probedStream struct {
	CodecType    string            `json:"codec_type"`
	CodecName    string            `json:"codec_name"`
	Width        int               `json:"width"`
	Height       int               `json:"height"`
	SAR          string            `json:"sample_aspect_ratio"`
	DAR          string            `json:"display_aspect_ratio"`
	Duration     string            `json:"duration"`
	Rate         string            `json:"r_frame_rate"`
	Packets      string            `json:"nb_read_packets"`
	PixFmt       string            `json:"pix_fmt"`
	ColourSpace  string            `json:"color_space"`
	ColourRange  string            `json:"color_range"`
	Transfer     string            `json:"color_transfer"`
	Primaries    string            `json:"color_primaries"`
	Channels     int               `json:"channels"`
	SampleRate   string            `json:"sample_rate"`
	Disposition  map[string]int    `json:"disposition"`
	Tags         map[string]string `json:"tags"`
	SideDataList []struct {
		Rotation float64 `json:"rotation"`
	} `json:"side_data_list"`
}

func ffprobe(ctx context.Context, limit time.Duration, c cage.Cage, path string, extra ...string) (*probed,
	error) {
	args := append([]string{"-v", "error", "-show_streams", "-show_format", "-of", "json"}, local...)
	args = append(append(args, extra...), "file:"+path)
	out, err := output(ctx, limit, c, "ffprobe", args...)
	if err != nil {
		return nil, err
	}
	var p probed
	if err := json.Unmarshal(out, &p); err != nil {
		return nil, fmt.Errorf("ffprobe: %w", err)
	}
	return &p, nil
}

func lastLine(s string) string {
	lines := strings.Split(strings.TrimSpace(s), "\n")
	return lines[len(lines)-1]
}

// footage looks at a clip or, if songs are meant to be read too, a song; else a
// song is ErrSong.
func footage(ctx context.Context, m doc.Media, path string, songs bool) (doc.Media, []byte, error) {
	p, err := ffprobe(ctx, probeLimit, probing(path, lookSeconds), path)
	if ctx.Err() != nil {
		return m, nil, ctx.Err()
	}
	if err != nil {
		return m, nil, refuse("not a photo, clip or song that Nelko can read")
	}
	if err := judgeSound(p); err != nil {
		return m, nil, err
	}
	length, _ := strconv.ParseFloat(p.Format.Duration, 64) // 0 when unknown: measured below
	audio := false
	for _, s := range p.Streams {
		audio = audio || s.CodecType == "audio"
	}
	if s, track, ok := mainPicture(p.Streams); ok {
		if err := judgePicture(s); err != nil {
			return m, nil, err
		}
		m.Kind, m.W, m.H, m.Track = doc.ClipMedia, s.Width, s.Height, track
		m.Sound = audio
		var n, d int
		if c, _ := fmt.Sscanf(s.SAR, "%d:%d", &n, &d); c == 2 && n > 0 && d > 0 {
			m.W = int(math.Round(float64(m.W) * float64(n) / float64(d)))
		}
		for _, side := range s.SideDataList {
			if math.Mod(math.Abs(side.Rotation), 180) == 90 {
				m.W, m.H = m.H, m.W
			}
		}
		if v, err := strconv.ParseFloat(s.Duration, 64); err == nil && v > 0 {
			length = v
		}
		m.Captured = creation(s.Tags, p.Format.Tags)
		m.Length = timecode.Samples(math.Round(length * timecode.SampleRate))
		if length > longestClip.Seconds() {
			return m, nil, refuse("the clip says it lasts %.0f hours; at most %.0f can be used", length/3600,
				longestClip.Hours())
		}
		if m.Length < timecode.SampleRate/30 {
			return m, nil, refuse("the clip has no moving picture")
		}
		// One frame decoded proves that the picture can be read.
		if _, err := clipPixels(ctx, clipOf(path, m), 64, 64, 0, s.Width*s.Height); err != nil {
			return m, nil, refuse("the clip cannot be decoded (%v)", err)
		}
		if audio {
			m.LUFS = loudness(ctx, path)
		}
		m.Starts, m.Faulty, err = examine(ctx, path, m, s.Width*s.Height)
		return m, nil, err
	}
	if !audio {
		return m, nil, refuse("not a photo, clip or song that Nelko can read")
	}
	if length > longestSong.Seconds() {
		return m, nil, refuse("the song says it lasts %.1f hours; at most %.0f can be used", length/3600,
			longestSong.Hours())
	}
	if !songs {
		return m, nil, ErrSong
	}
	return song(ctx, m, path)
}

// loudness is that of a clip's sound, as the integrated loudness of ITU-R BS.1770 in LUFS;
// silence, and what cannot be decoded, is silent.
func loudness(ctx context.Context, path string) float64 {
	meter := sound.NewMeter()
	src, err := OpenSound(ctx, path, 0, false)
	if err != nil {
		return silent
	}
	defer src.Close()
	buf := make([]float32, 1<<15)
	for {
		n, err := src.Read(buf)
		meter.Write(buf[:n])
		if err != nil { // its end, or as much as can be heard
			return math.Max(silent, meter.Integrated())
		}
	}
}

// silent is the loudness of what is not heard (the absolute gate of BS.1770).
const silent = -70

// What clips and songs may say of themselves. What says more is no camera's
// and no studio's, and decoding it would take memory and time without end.
const (
	largestFrame = 8192 * 5120 // pixels
	longestClip  = 12 * time.Hour
	longestSong  = 3 * time.Hour
	slowestSound = 4000   // samples a second
	fastestSound = 768000 // samples a second
	mostChannels = 64
)

// judgePicture refuses frames that are too large to be decoded.
func judgePicture(s probedStream) error {
	if s.Width < 2 || s.Height < 2 || s.Width > largestFrame/s.Height {
		return refuse("the clip's frames have %d×%d pixels; at most %d×%d can be used", s.Width, s.Height,
			8192, largestFrame/8192)
	}
	return nil
}

// judgeSound refuses sound that no recorder writes.
func judgeSound(p *probed) error {
	for _, s := range p.Streams {
		if s.CodecType != "audio" {
			continue
		}
		rate, err := strconv.Atoi(s.SampleRate)
		switch {
		case err != nil || rate < slowestSound || rate > fastestSound:
			return refuse("the sound says it has %s samples a second; %d to %d can be used",
				cmp.Or(s.SampleRate, "no"), slowestSound, fastestSound)
		case s.Channels < 1 || s.Channels > mostChannels:
			return refuse("the sound says it has %d channels; 1 to %d can be used", s.Channels, mostChannels)
		}
		return nil // the first is what is played
	}
	return nil
}

func creation(tags ...map[string]string) time.Time {
	for _, t := range tags {
		if c, err := time.Parse(time.RFC3339, t["creation_time"]); err == nil && c.Year() > 1980 {
			return c.UTC()
		}
	}
	return time.Time{}
}

// song decodes the whole song to measure its true length, loudness and peaks.
func song(ctx context.Context, m doc.Media, path string) (doc.Media, []byte, error) {
	m.Kind = doc.SongMedia
	src, err := OpenSound(ctx, path, 0, true)
	if err != nil {
		return m, nil, err
	}
	defer src.Close()
	meter, peaks, ear := sound.NewMeter(), sound.Peaks{}, rhythm.NewListener()
	var still sound.Still
	buf := make([]float32, 1<<15)
	for {
		n, err := src.Read(buf)
		meter.Write(buf[:n])
		ear.Write(buf[:n])
		still.Write(buf[:n])
		peaks.Write(buf[:n])
		if m.Length += timecode.Samples(n / 2); m.Length > timecode.Samples(
			longestSong.Seconds())*timecode.SampleRate {
			return m, nil, refuse("the song lasts longer than %.0f hours", longestSong.Hours())
		}
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			if ctx.Err() != nil {
				return m, nil, ctx.Err()
			}
			return m, nil, refuse("the song cannot be decoded (%v)", err)
		}
	}
	if m.Length < timecode.SampleRate/2 {
		return m, nil, refuse("the song is shorter than half a second or cannot be decoded")
	}
	m.LUFS, m.PeakDB = meter.Integrated(), math.Max(-99, meter.PeakDB())
	m.Heard = &doc.Heard{Rhythm: ear.Analyse(), RangeLU: meter.Range()}
	m.Heard.Lead, m.Heard.Tail = still.Ends()
	return m, peaks.All, nil
}

// Versions names the outside programs and libraries in use; an error stands
// in for what is missing.
func Versions(ctx context.Context) map[string]string {
	v := map[string]string{"libvips": vips.Version()}
	for _, tool := range []string{"ffmpeg", "ffprobe"} {
		out, err := output(ctx, probeLimit, noCage, tool, "-version")
		if err != nil {
			v[tool] = ""
			continue
		}
		fields := strings.Fields(string(out))
		if len(fields) > 2 {
			v[tool] = fields[2]
		}
	}
	return v
}

// Base is the last element of a client's file name, whatever system it came
// from, without control characters, marks that turn the direction of text, and what is
// no text.
func Base(name string) string {
	name = filepath.Base(strings.ReplaceAll(name, `\`, "/"))
	name = strings.Map(func(r rune) rune {
		if r < 32 || r == 127 || r == '/' || unicode.Is(unicode.Bidi_Control, r) || r == utf8.RuneError ||
			r == 0xfeff {
			return -1
		}
		return r
	}, name)
	if name == "" || name == "." || name == ".." {
		return "unnamed"
	}
	return name
}
