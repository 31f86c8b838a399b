package render

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
)

// folder is a cache for tests.
type folder struct {
	dir  string
	mu   sync.Mutex
	kept int
}

func (f *folder) Find(_ context.Context, keys []string) (map[string]string, error) {
	found := map[string]string{}
	for _, k := range keys {
		if _, err := os.Stat(filepath.Join(f.dir, k)); err == nil {
			found[k] = filepath.Join(f.dir, k)
		}
	}
	return found, nil
}

func (f *folder) Drop(_ context.Context, key string) error {
	return Folder{Dir: f.dir}.Drop(context.Background(), key)
}

func (f *folder) Compared(ctx context.Context, keys []string) (map[string]bool, error) {
	return Folder{Dir: f.dir}.Compared(ctx, keys)
}

func (f *folder) SetCompared(ctx context.Context, keys []string) error {
	return Folder{Dir: f.dir}.SetCompared(ctx, keys)
}

func (f *folder) Keep(_ context.Context, key, path string) (string, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.kept++
	to := filepath.Join(f.dir, key)
	return to, os.Rename(path, to)
}

// However a film is split among encoders and whatever comes from the cache,
// the joined film has every frame once, in order, each a whole frame long.
func TestJoinedFilmIsTheSameHoweverItIsSplit(t *testing.T) {
	f, fresh := tiny(t, timecode.R2997, 12)
	sc := f.Scene
	c := &folder{dir: t.TempDir()}
	var total timecode.Frames
	job := func(out string) Job {
		j := fresh()
		j.Out, j.Cache = out, c
		j.Progress = func(_, n timecode.Frames) { total = n }
		return j
	}
	dir := t.TempDir()
	for i, workers := range []int{1, 3} {
		j := job(filepath.Join(dir, fmt.Sprintf("%d.mp4", i)))
		j.Workers = workers
		if i == 1 {
			c = &folder{dir: t.TempDir()}
			j.Cache = c
		}
		facts, err := Film(context.Background(), j)
		require.NoError(t, err)
		assert.Equal(t, sc.Frames, facts.Frames)
		assert.Equal(t, sc.Frames, total, "all frames were to be made")
	}
	kept := c.kept
	total = 0
	facts, err := Film(context.Background(), job(filepath.Join(dir, "again.mp4")))
	require.NoError(t, err)
	assert.Equal(t, sc.Frames, facts.Frames)
	assert.Zero(t, total, "nothing was to be made")
	assert.Equal(t, kept, c.kept)

	// To the byte, also where all but some segments were had from elsewhere.
	one, err := os.ReadFile(filepath.Join(dir, "0.mp4"))
	require.NoError(t, err)
	segs, err := f.Segments()
	require.NoError(t, err)
	for i, s := range segs {
		if i%3 == 1 {
			require.NoError(t, c.Drop(context.Background(), s.Key))
		}
	}
	_, err = Film(context.Background(), job(filepath.Join(dir, "part.mp4")))
	require.NoError(t, err)
	for _, name := range []string{"1.mp4", "again.mp4", "part.mp4"} {
		b, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		assert.True(t, bytes.Equal(one, b), "%s has other bytes", name)
	}

	times, err := media.FrameTimes(context.Background(), filepath.Join(dir, "again.mp4"))
	require.NoError(t, err)
	require.Len(t, times, int(sc.Frames))
	for i, at := range times {
		require.InDelta(t, sc.Rate.Seconds(timecode.Frames(i)), at, 1e-5, "frame %d", i)
	}
}

// tone is a steady 997 Hz sine, the test frequency of AES17 (from memory), at
// a quarter of full scale on both channels.
type tone struct{ at int }

// Read implements sound.Source.
func (s *tone) Read(out []float32) (int, error) {
	for i := 0; i+1 < len(out); i += 2 {
		v := float32(0.25 * math.Sin(2*math.Pi*997*float64(s.at)/timecode.SampleRate))
		out[i], out[i+1] = v, v
		s.at++
	}
	return len(out), nil
}

// writeTone writes the tone as a WAV file of 32-bit floats (format tag 3 of
// the RIFF WAVE format, from memory).
func writeTone(t *testing.T, path string, n int) {
	x := make([]float32, 2*n)
	_, err := (&tone{}).Read(x)
	require.NoError(t, err)
	var b bytes.Buffer
	size := uint32(8 * n)
	for _, v := range []any{[]byte("RIFF"), 36 + size, []byte("WAVEfmt "), uint32(16), uint16(3), uint16(2),
		uint32(48000), uint32(48000 * 8), uint16(8), uint16(32), []byte("data"), size, x} {
		require.NoError(t, binary.Write(&b, binary.LittleEndian, v))
	}
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o644))
}

// roughness is the largest second difference of a signal around a sample,
// within 5 ms: where a wave is broken it jumps.
func roughness(x []float32, around int) (most float64) {
	for i := max(1, around-240); i < min(len(x)-1, around+240); i++ {
		most = math.Max(most, math.Abs(float64(x[i-1])-2*float64(x[i])+float64(x[i+1])))
	}
	return most
}

// samples decodes a file's sound to one channel.
func samples(t *testing.T, path string) []float32 {
	raw, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-map", "0:a", "-ac", "1", "-ar", "48000",
		"-f", "f32le", "-").Output()
	require.NoError(t, err)
	x := make([]float32, len(raw)/4)
	for i := range x {
		x[i] = math.Float32frombits(binary.LittleEndian.Uint32(raw[4*i:]))
	}
	return x
}

// At every kind of frame rate the joined frames are each a whole frame long,
// from zero on.
func TestJoinedFramesAreWholeAtEveryRate(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.R23976, timecode.R24, timecode.R25, timecode.R5994} {
		f, job := tiny(t, rate, 14)
		sc := f.Scene
		out := filepath.Join(t.TempDir(), "film.mp4")
		j := job()
		j.Film, j.Out = in(f, func(p *profile.Profile) { p.Video = profile.Draft.Video }), out
		_, err := Film(context.Background(), j)
		require.NoError(t, err, rate.Fraction())
		times, err := media.FrameTimes(context.Background(), out)
		require.NoError(t, err)
		require.Len(t, times, int(sc.Frames))
		for i, at := range times {
			require.InDelta(t, rate.Seconds(timecode.Frames(i)), at, 1e-5, "%s: frame %d", rate.Fraction(), i)
		}
	}
}

// No click is heard where segments of pictures or of played sound meet: a
// steady tone goes through all joins as smoothly as anywhere, in the film and
// in the preview, and a tone broken on purpose would be noticed.
func TestNoClicksAtJoins(t *testing.T) {
	f, job := tiny(t, timecode.R2997, 12)
	sc := f.Scene
	total := sc.Rate.SampleAt(sc.Frames)
	dir := t.TempDir()
	raw := filepath.Join(dir, "tone.wav")
	writeTone(t, raw, int(total))
	f.Library["song"] = doc.Media{ID: "song", Kind: doc.SongMedia, Length: total, LUFS: f.Doc.Soundtrack.LUFS}
	f.Doc.Soundtrack = doc.Soundtrack{LUFS: f.Doc.Soundtrack.LUFS}
	f.Doc.Soundtrack.AddSong("song")
	f.Plan.Sound = f.Doc.Soundtrack
	j := job()
	j.Files.(media.FilesIn)["song"] = raw
	film := filepath.Join(dir, "film.mp4")
	j.Out = film
	_, err := Film(context.Background(), j)
	require.NoError(t, err)
	list := filepath.Join(dir, "sound.m3u8")
	require.NoError(t, PackSound(context.Background(), sound.Track{
		Total: total,
		Music: []sound.Part{{Source: &tone{}, Length: total, Gain: 1}},
	}, f.Profile.Audio, dir, list))

	segs, err := f.Segments()
	require.NoError(t, err)
	var inFilm, inPreview []int
	for _, s := range segs[1:] {
		inFilm = append(inFilm, int(sc.Rate.SampleAt(s.From)))
	}
	at := 0.0
	for _, seconds := range SoundSegments(total) {
		at += seconds
		inPreview = append(inPreview, int(at*timecode.SampleRate))
	}
	for path, joins := range map[string][]int{film: inFilm, list: inPreview[:len(inPreview)-1]} {
		x := samples(t, path)
		require.InDelta(t, int(total), len(x), 2048, "%s: no sample lost but the encoder's padding",
			filepath.Base(path))
		calm := roughness(x, 48000) // in the middle of a second
		require.NotEmpty(t, joins)
		for _, n := range joins {
			assert.Less(t, roughness(x, n), 1.5*calm, "%s at %.3f s", filepath.Base(path),
				float64(n)/timecode.SampleRate)
		}
		copy(x[100000:], x[100017:])
		assert.Greater(t, roughness(x, 100000), 1.5*calm)
		x[100000] += 0.1
		assert.Greater(t, roughness(x, 100000), 3*calm)
	}
}
