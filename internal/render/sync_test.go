package render

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
	"nelko/internal/film"
	"nelko/internal/media"
	"nelko/internal/media/vips"
	"nelko/themes/themestest"
)

// A film of black and white pictures that cut into one another, with a click at each
// cut, is made and decoded by ffmpeg: pictures change exactly at the planned frames,
// every change is within half a frame of its click, and picture and sound begin
// together and end within a frame of each other.
func TestFlashesAndClicksAreTogether(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.R30, timecode.R2997, timecode.R25} {
		t.Run(rate.Fraction(), func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "clicks.wav")
			f := flashes(t, rate, doc.Media{Length: flashSeconds * timecode.SampleRate}, nil)
			var at []timecode.Samples
			for _, s := range f.Plan.Slides[1:] {
				at = append(at, rate.SampleAt(s.Start))
			}
			writeClicks(t, path, at)
			out, changes := seen(t, f, path)
			heard := clickTimes(t, out)
			require.Len(t, heard, len(changes))
			times := frameTimes(t, out)
			for i, n := range changes {
				assert.InDelta(t, times[n], heard[i], rate.Seconds(1)/2, "change %d", i+1)
			}
		})
	}
}

// A click track is listened to, pictures are fitted to it on the beat, and the film is
// made and decoded: every picture changes within half a frame of a click, wherever the
// clicks are.
func TestPicturesChangeOnTheBeatThatIsHeard(t *testing.T) {
	path := filepath.Join(t.TempDir(), "clicks.wav")
	var at []timecode.Samples
	for k := 0; k*28000 < flashSeconds*timecode.SampleRate-28000; k++ {
		at = append(at, timecode.Samples(9000+k*28000)) // 102.9 a minute
	}
	writeClicks(t, path, at)
	song, _, err := media.Probe(context.Background(), path, "clicks.wav")
	require.NoError(t, err)
	f := flashes(t, timecode.R30, song, func(d *doc.Slideshow) { d.Fit.Beat, d.Fit.Strict = doc.AnyBeat, 1 })
	require.Equal(t, len(f.Plan.Slides)-1, f.Plan.OnBeat)
	out, changes := seen(t, f, path)
	times, heard := frameTimes(t, out), clickTimes(t, out)
	require.NotEmpty(t, changes)
	for _, n := range changes {
		nearest := math.Inf(1)
		for _, h := range heard {
			nearest = min(nearest, math.Abs(h-times[n]))
		}
		// Half a frame, and what the ear of the program may be off.
		assert.LessOrEqual(t, nearest, timecode.R30.Seconds(1)/2+0.012, "the change at %.2f s", times[n])
	}
}

const flashSeconds = 16

// flashes is a film of black and white pictures to a song, without words.
func flashes(t *testing.T, rate timecode.Rate, song doc.Media, change func(*doc.Slideshow)) *film.Film {
	shelf := themestest.Shelf(t)
	th, err := shelf.Get("tideline")
	require.NoError(t, err)
	song.ID, song.Kind, song.Name, song.LUFS = "song", doc.SongMedia, "clicks.wav", doc.OnlineLUFS
	lib := doc.Library{"song": song}
	ids := []doc.MediaID{"song"}
	for i := range 6 {
		id := doc.MediaID(fmt.Sprint(i))
		lib[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, Name: string(id), W: 640, H: 360}
		ids = append(ids, id)
	}
	d := doc.New(th.ID, 4)
	d.Frame = doc.Frame{W: 320, H: 180}
	d.Join = &transition.Transition{Kind: "cut"}
	d.Soundtrack.FadeInSeconds, d.Soundtrack.FadeOutSeconds, d.Soundtrack.LUFS = 0, 0, 0
	for _, op := range []edit.Op{edit.Details{Values: map[string]string{"names": "Clicks", "date": "2026"}},
		edit.Pour{Media: ids}, edit.Fit{Mode: doc.ToMusic}} {
		d, err = edit.Do(d, op, edit.Context{Theme: th, Library: lib})
		require.NoError(t, err)
	}
	d.Slides = nil // pictures alone, one after another
	for i, id := range ids[1:] {
		d.Slides = append(d.Slides, doc.Slide{
			ID:     d.NextSlide(),
			Kind:   doc.Pictures,
			Media:  []doc.MediaID{id},
			Linger: 1 + float64(i%3)/3,
		})
	}
	if change != nil {
		change(&d)
	}
	p := profile.Film
	p.Rate = rate
	f, err := film.House{Shelf: shelf}.Lay(film.Source{Doc: d, Theme: th, Library: lib, Profile: p})
	require.NoError(t, err)
	require.NoError(t, f.Plan.FitError)
	return f
}

// seen makes a film of flashes with its song and gives the frames at which the picture
// changes, which are those of the plan.
func seen(t *testing.T, f *film.Film, song string) (out string, changes []timecode.Frames) {
	dir := t.TempDir()
	files := media.FilesIn{"song": song}
	for i := range 6 {
		px := raster.Pixels{W: 640, H: 360, Channels: 3, Pix: make([]byte, 640*360*3)}
		for k := range px.Pix {
			px.Pix[k] = byte(255 * (i % 2))
		}
		px.Pix[3*i] = 7 // no two are the same file
		jpg, err := vips.JPEG(px, 92)
		require.NoError(t, err)
		id := doc.MediaID(fmt.Sprint(i))
		files[id] = filepath.Join(dir, string(id))
		require.NoError(t, os.WriteFile(files[id], jpg, 0o644))
	}
	pool := media.NewSprites(files, themestest.Shelf(t), nil, 1<<20)
	out = filepath.Join(dir, "film.mp4")
	_, err := Film(context.Background(), Job{
		Film:  f,
		Files: files,
		Out:   out,
		Lanes: func(ctx context.Context) Lane { return pool.Lane(ctx, f.Library, false) },
	})
	require.NoError(t, err)
	times, light := frameTimes(t, out), frameLight(t, out)
	require.Len(t, light, len(times))
	assert.InDelta(t, 0, times[0], 1e-6, "the picture begins at once")
	for i := 1; i < len(light); i++ {
		if math.Abs(light[i]-light[i-1]) > 40 {
			changes = append(changes, timecode.Frames(i))
		}
	}
	var cuts []timecode.Frames
	for _, s := range f.Plan.Slides[1:] {
		cuts = append(cuts, s.Start)
	}
	require.Equal(t, cuts, changes, "every change is at its frame")
	streams, err := media.Streams(context.Background(), out)
	require.NoError(t, err)
	rate := f.Profile.Rate
	var picture, sound float64
	for _, s := range streams {
		if s.Type == "video" && !s.Poster {
			picture = rate.Seconds(s.Packets)
		} else if s.Type == "audio" {
			sound = s.Seconds
		}
	}
	assert.InDelta(t, picture, sound, rate.Seconds(1))
	return out, changes
}

// writeClicks writes a WAV with a click at each sample.
func writeClicks(t *testing.T, path string, at []timecode.Samples) {
	samples := make([]int16, 2*flashSeconds*timecode.SampleRate)
	for _, n := range at {
		for i := range 480 {
			v := int16(20000 * math.Sin(2*math.Pi*2000*float64(i)/timecode.SampleRate) * math.Exp(
				-float64(i)/120))
			k := 2 * (int(n) + i)
			samples[k], samples[k+1] = v, v
		}
	}
	raw, err := binary.Append(nil, binary.LittleEndian, samples)
	require.NoError(t, err)
	c := exec.Command("ffmpeg", "-v", "error", "-f", "s16le", "-ar", "48000", "-ac", "2", "-i", "-", "-y",
		path)
	c.Stdin = strings.NewReader(string(raw))
	text, err := c.CombinedOutput()
	require.NoError(t, err, string(text))
}

// frameTimes are when ffprobe says that frames are shown.
func frameTimes(t *testing.T, path string) (out []float64) {
	text, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v:0", "-show_entries",
		"frame=pts_time", "-of", "csv=p=0", path).Output()
	require.NoError(t, err)
	for _, line := range strings.Fields(string(text)) {
		v, err := strconv.ParseFloat(strings.Trim(line, ","), 64)
		require.NoError(t, err)
		out = append(out, v)
	}
	return out
}

// frameLight is how light the middle of each frame is.
func frameLight(t *testing.T, path string) (out []float64) {
	raw, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-fps_mode", "passthrough", "-vf",
		"crop=40:40,scale=1:1:flags=area,format=gray", "-f", "rawvideo", "-").Output()
	require.NoError(t, err)
	for _, v := range raw {
		out = append(out, float64(v))
	}
	return out
}

// clickTimes are the seconds at which clicks begin, on the film's own clock.
func clickTimes(t *testing.T, path string) (out []float64) {
	raw, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-af",
		"aresample=48000:async=1:first_pts=0", "-ac", "1", "-f", "s16le", "-").Output()
	require.NoError(t, err)
	last := -timecode.SampleRate
	for i := 0; i+1 < len(raw); i += 2 {
		v := int16(binary.LittleEndian.Uint16(raw[i:]))
		if n := i / 2; (v > 4000 || v < -4000) && n-last > timecode.SampleRate/4 {
			out = append(out, float64(n)/timecode.SampleRate)
			last = n
		}
	}
	return out
}
