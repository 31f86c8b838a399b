package render

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"nelko/internal/captions"
	"nelko/internal/core/profile"
	"nelko/internal/film"
	"nelko/internal/media"
	"nelko/internal/media/vips"
)

// Told is what a file tells of its film beside what the film itself knows.
type Told struct {
	Language string // of words and sound, as ISO 639-2 names it; empty: undetermined
}

// join puts encoded segments and the soundtrack together without encoding
// again, with title, date, chapters, captions and poster as far as the
// container has room for them, verifies the file and moves it to its final
// name.
func (j *Job) join(ctx context.Context, files []string, track, dir string) (Facts, error) {
	p, s := j.Film.Profile, j.Film.Scene
	box := containers[p.File.Format]
	part := filepath.Join(dir, "joined."+p.File.Extension)
	args := []string{"-v", "error", "-nostdin", "-y"}
	var video []string
	piped := false
	switch {
	case p.Kind == profile.OfSound:
	case !streamed(p.Video):
		args = append(args, "-i", files[0])
	default:
		piped = true
		args = append(args, "-f", "mpegts", "-i", "pipe:0")
		// Every segment begins at its own zero, so packets are numbered anew: one a
		// frame, in the order of decoding, shown as much later as the encoder said.
		second, frame := timescale(s.Rate)
		if box.streams {
			// whole for 24, 25, 30, 50 and 60 a second
			second, frame = TicksPerSecond, TicksPerSecond*int64(s.Rate.Den)/int64(s.Rate.Num)
		}
		whole := fmt.Sprintf("setts=dts=(N-round((STARTPTS-STARTDTS)/%[1]d))*%[1]d:pts=(N-round((STARTPTS-STARTDTS)/%[1]d)+round((PTS-DTS)/%[1]d))*%[1]d", frame)
		if filter := codecs[p.Video.Encoder].join; filter != "" && !box.streams {
			whole = filter + "," + whole
		}
		video = append(video, "-bsf:v:0", whole, "-video_track_timescale", fmt.Sprint(second))
	}
	if tag := codecs[p.Video.Encoder].tag; tag != "" && box.tagged {
		video = append(video, "-tag:v:0", tag)
	}
	args = append(args, "-i", track)
	inputs := 2
	if p.Kind == profile.OfSound {
		inputs = 1
	}
	said, err := j.tell(ctx, dir, inputs, box)
	if err != nil {
		return Facts{}, err
	}
	args = append(args, said.inputs...)
	if p.Kind == profile.OfFilm {
		args = append(args, "-map", "0:v")
	}
	args = append(args, "-map", fmt.Sprintf("%d:a", inputs-1), "-c", "copy")
	args = append(args, said.args...)
	args = append(args, video...)
	if piped && box.index && sizeOf(files) >= rewritten {
		args = append(args, "-moov_size", fmt.Sprint(indexRoom(s)+said.room))
	} else {
		args = append(args, box.args...)
	}
	e, err := startEncoder(ctx, append(args, "-f", p.File.Format, part))
	if err != nil {
		return Facts{}, err
	}
	if piped {
		err = e.after(e.copy(files))
	} else {
		err = e.after(nil)
	}
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
	if facts.PictureDB, err = j.compare(ctx, part); err != nil {
		if ctx.Err() != nil {
			return facts, context.Cause(ctx)
		}
		return facts, fmt.Errorf("the rendered file is not as drawn: %w", err)
	}
	return facts, os.Rename(part, j.Out)
}

// rewritten is the size below which a film is written twice, so that its index
// at the beginning takes no more room than it needs: on a poor line what stands
// before the first picture counts.
var rewritten int64 = 256 << 20

// sizeOf is the size of files together; one that cannot be seen counts nothing.
func sizeOf(files []string) (n int64) {
	for _, f := range files {
		if st, err := os.Stat(f); err == nil {
			n += st.Size()
		}
	}
	return n
}

// still writes the poster frame alone.
func (j *Job) still(ctx context.Context, dir string) (Facts, error) {
	lane := j.Lanes(ctx)
	defer lane.Close()
	jpg, err := j.Film.Still(lane, j.Film.Poster(), stillQuality)
	if err != nil {
		return Facts{}, err
	}
	part := filepath.Join(dir, "still.jpg")
	if err := os.WriteFile(part, jpg, 0o644); err != nil {
		return Facts{}, outOfRoom(err, dir)
	}
	h, err := vips.ReadHeader(part)
	if err != nil {
		return Facts{}, err
	}
	k := j.Film.Kept
	if h.Width != k.W || h.Height != k.H {
		return Facts{}, fmt.Errorf("the picture is not as planned: it is %d×%d pixels in place of %d×%d",
			h.Width, h.Height, k.W, k.H)
	}
	return Facts{W: h.Width, H: h.Height, Bytes: int64(len(jpg))}, os.Rename(part, j.Out)
}

// telling is what ffmpeg is given so that a file tells of its film. room is
// what it takes of an MP4's index, in bytes at most.
type telling struct {
	inputs, args []string
	room         int64
}

// posterQuality is the JPEG quality of the poster in a file, before it is made
// small; coverSide its longer side at most.
const (
	posterQuality = 94
	coverSide     = 640
)

// stillQuality is that of a poster by itself.
const stillQuality = 94

// quickTime are languages that ffmpeg's QuickTime writer knows by other names than ISO 639-2 has
// for use in terminology; others it would leave out (found out by writing and reading them).
var quickTime = map[string]string{
	"deu": "ger",
	"nld": "dut",
	"swe": "sve",
	"cze": "ces",
	"slo": "slk",
	"fre": "fra",
	"hrv": "hr ",
	"srp": "sr ",
	"isl": "ice",
	"ell": "gre",
	"zho": "chi",
	"sqi": "alb",
}

// tell writes down what the file tells. next is the number of ffmpeg's next
// input.
func (j *Job) tell(ctx context.Context, dir string, next int, box container) (t telling, err error) {
	f := j.Film
	title := f.Title()
	if box.plain {
		return t, nil
	}
	language := j.Told.Language
	if language == "" {
		language = "und"
	}
	if name, ok := quickTime[language]; ok && j.Film.Profile.File.Format == "mov" {
		language = name
	}
	write := func(name string, b []byte) (string, error) {
		path := filepath.Join(dir, name)
		t.room += 3*int64(len(b)) + 4<<10
		return path, os.WriteFile(path, b, 0o600)
	}
	input := func(path string) int {
		t.inputs = append(t.inputs, "-i", path)
		next++
		return next - 1
	}
	meta, err := write("told.txt", metadata(f, title, box.chapters))
	if err != nil {
		return t, err
	}
	at := input(meta)
	t.args = append(t.args, "-map_metadata", fmt.Sprint(at))
	if box.chapters {
		t.args = append(t.args, "-map_chapters", fmt.Sprint(at))
	}
	t.args = append(t.args, "-metadata:s:a:0", "language="+language)
	if f.Profile.Kind == profile.OfFilm && f.Profile.Captions == profile.Track && box.text != "" {
		if lines := f.Captions(); len(lines) > 0 {
			var b bytes.Buffer
			if err := captions.WriteSRT(&b, lines, f.Scene.Rate); err != nil {
				return t, err
			}
			path, err := write("captions.srt", b.Bytes())
			if err != nil {
				return t, err
			}
			n := input(path)
			t.args = append(t.args, "-map", fmt.Sprintf("%d:s", n), "-c:s", box.text, "-metadata:s:s:0",
				"language="+language, "-disposition:s:0", "0")
		}
	}
	if box.poster != "" {
		lane := j.Lanes(ctx)
		defer lane.Close()
		jpg, err := f.Still(lane, f.Poster(), posterQuality)
		if err != nil {
			return t, err
		}
		path, err := write("poster.jpg", jpg)
		if err != nil {
			return t, err
		}
		if jpg, err = (*media.Readers)(nil).Smaller(ctx, path, coverSide, media.White); err != nil {
			return t, err
		}
		if err := os.WriteFile(path, jpg, 0o600); err != nil {
			return t, err
		}
		if box.poster == "attachment" {
			t.args = append(t.args, "-attach", path, "-metadata:s:t", "mimetype=image/jpeg", "-metadata:s:t",
				"filename=cover.jpg")
		} else {
			n := input(path)
			t.args = append(t.args, "-map", fmt.Sprintf("%d:v", n), fmt.Sprintf("-disposition:v:%s",
				box.poster), "attached_pic")
		}
	}
	return t, nil
}

// metadata writes title, date and chapters in ffmpeg's own form.
func metadata(f *film.Film, title string, chapters bool) []byte {
	var b bytes.Buffer
	escape := strings.NewReplacer(`\`, `\\`, "=", `\=`, ";", `\;`, "#", `\#`, "\n", " ", "\r", "")
	fmt.Fprintln(&b, ";FFMETADATA1")
	if title != "" {
		fmt.Fprintf(&b, "title=%s\n", escape.Replace(title))
	}
	if day := f.Day(); !day.IsZero() {
		fmt.Fprintf(&b, "date=%s\n", day.Format("2006-01-02"))
	}
	list := f.Chapters()
	if !chapters || len(list) < 2 {
		return b.Bytes()
	}
	rate := f.Scene.Rate
	for i, c := range list {
		end := f.Frames()
		if i+1 < len(list) {
			end = list[i+1].At
		}
		fmt.Fprintf(&b, "[CHAPTER]\nTIMEBASE=%d/%d\nSTART=%d\nEND=%d\ntitle=%s\n", rate.Den, rate.Num, c.At,
			end, escape.Replace(c.Title))
	}
	return b.Bytes()
}

// Extra writes what lies beside a film: its captions as SRT and WebVTT, where
// the profile wants them so and the film has any. base is the film's path
// without its extension.
func Extra(f *film.Film, base string) (paths []string, err error) {
	lines := f.Captions()
	if f.Profile.Captions != profile.Beside || len(lines) == 0 {
		return nil, nil
	}
	for ext, write := range captions.Formats {
		var b bytes.Buffer
		if err := write(&b, lines, f.Scene.Rate); err != nil {
			return paths, err
		}
		if err := os.WriteFile(base+ext, b.Bytes(), 0o644); err != nil {
			return paths, err
		}
		paths = append(paths, base+ext)
	}
	return paths, nil
}

// FragmentName is what the list of a film's fragments calls the one file they
// are in.
const FragmentName = "film.m4s"

// fragmentSeconds is about the length of a fragment.
const fragmentSeconds = 4

// Fragments packs a film without encoding it again as it is streamed: one file
// of fragments (ISO/IEC 14496-12) in dir, and the list of them with their places
// in it (HLS, RFC 8216).
func Fragments(ctx context.Context, film, dir string) (path, list string, err error) {
	path = filepath.Join(dir, FragmentName)
	m3u8 := filepath.Join(dir, "film.m3u8")
	e, err := startEncoder(ctx, []string{"-v", "error", "-nostdin", "-y", "-i", film, "-map", "0:V", "-map",
		"0:a", "-map_chapters", "-1", "-map_metadata", "-1", "-c", "copy",
		"-f", "hls", "-hls_segment_type", "fmp4", "-hls_flags", "single_file", "-hls_playlist_type", "vod",
		"-hls_time", fmt.Sprint(fragmentSeconds),
		"-hls_segment_filename", path, m3u8})
	if err != nil {
		return "", "", err
	}
	if err := e.after(nil); err != nil {
		return "", "", fmt.Errorf("packing fragments: %w", outOfRoom(err, dir))
	}
	b, err := os.ReadFile(m3u8)
	return path, string(b), err
}
