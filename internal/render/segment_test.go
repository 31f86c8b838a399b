package render

import (
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
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
)

func named(id doc.MediaID) string { return "content of " + string(id) }

// Segments follow one another without gap or overlap from the first frame to
// the last, whatever their greatest length.
func TestSegmentsCoverTheFilm(t *testing.T) {
	sc, _ := tiny(t, timecode.R25, 20)
	for _, most := range []timecode.Frames{7, 40, 240, 10000} {
		segs, err := Cut(sc, MP4, named, most)
		require.NoError(t, err)
		at, keys := timecode.Frames(0), map[string]bool{}
		for _, s := range segs {
			assert.Equal(t, at, s.From)
			assert.True(t, s.Frames() > 0 && s.Frames() <= most)
			assert.NotEmpty(t, s.Slide)
			assert.Len(t, s.Key, 64)
			keys[s.Key] = true
			at = s.To
		}
		assert.Equal(t, sc.Frames, at)
		assert.Len(t, keys, len(segs), "no two segments of this film are alike")
		var joined []Segment
		for _, run := range Stretches(segs, func(timecode.Frames) timecode.Frames { return 60 }) {
			joined = append(joined, run...)
		}
		assert.Equal(t, segs, joined)
	}
}

// A key changes with what its frames show and with nothing else: a slide
// changed touches itself and its two joins; a slide made longer moves the
// ones after it in time, but they stay the same.
func TestKeysNameWhatFramesDependOn(t *testing.T) {
	sc, _ := tiny(t, timecode.R25, 20)
	before, err := Segments(sc, MP4, named)
	require.NoError(t, err)
	changed := func(change func(*scene.Scene)) (out []int) {
		c := *sc
		c.Slides = append([]scene.Slide(nil), sc.Slides...)
		for i := range c.Slides {
			c.Slides[i].Layers = append([]scene.Layer(nil), sc.Slides[i].Layers...)
		}
		change(&c)
		after, err := Segments(&c, MP4, named)
		require.NoError(t, err)
		require.Len(t, after, len(before))
		for i := range after {
			if after[i].Key != before[i].Key {
				out = append(out, i)
			}
		}
		return out
	}
	assert.Empty(t, changed(func(*scene.Scene) {}))
	// Segments are body, join, body, join …: slide 2 is body 4 between joins 3 and 5.
	assert.Equal(t, []int{3, 4, 5}, changed(func(c *scene.Scene) { c.Slides[2].Layers[0].Alpha = 0.5 }))
	assert.Equal(t, []int{5}, changed(func(c *scene.Scene) { c.Slides[2].Into.Kind = "iris" }))
	assert.Len(t, changed(func(c *scene.Scene) { c.Matrix = 1 - c.Matrix }), len(before))
	moved := changed(func(c *scene.Scene) {
		c.Slides[2].Length += 3
		for i := 3; i < len(c.Slides); i++ {
			c.Slides[i].Start += 3
		}
		c.Frames += 3
	})
	assert.Equal(t, []int{3, 4, 5}, moved)
	other, err := Segments(sc, Profile{CRF: 30, Preset: "veryfast", AudioKbps: 96}, named)
	require.NoError(t, err)
	assert.NotEqual(t, before[0].Key, other[0].Key)
}

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
	sc, assets := tiny(t, timecode.R2997, 12)
	a := assets()
	c := &folder{dir: t.TempDir()}
	var total timecode.Frames
	job := func(out string) Job {
		return Job{Scene: sc, Lanes: lanes(a), Profile: MP4, Track: silence(sc), Out: out, Cache: c, Content: named, SoundKey: "silence",
			Progress: func(_, n timecode.Frames) { total = n }}
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
	raw, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-map", "0:a", "-ac", "1", "-ar", "48000", "-f", "f32le", "-").Output()
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
		sc, assets := tiny(t, rate, 14)
		out := filepath.Join(t.TempDir(), "film.mp4")
		_, err := Film(context.Background(), Job{Scene: sc, Lanes: lanes(assets()), Profile: Draft, Track: silence(sc), Out: out})
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
	sc, assets := tiny(t, timecode.R2997, 12)
	total := sc.Rate.SampleAt(sc.Frames)
	track := func() sound.Track {
		return sound.Track{Total: total, Songs: []sound.Song{{Source: &tone{}, Length: total, Gain: 1}}}
	}
	a := assets()
	dir := t.TempDir()
	film := filepath.Join(dir, "film.mp4")
	_, err := Film(context.Background(), Job{Scene: sc, Lanes: lanes(a), Profile: MP4, Out: film,
		Track: func(context.Context) (sound.Track, func(), error) { return track(), func() {}, nil }})
	require.NoError(t, err)
	list := filepath.Join(dir, "sound.m3u8")
	require.NoError(t, PackSound(context.Background(), track(), Draft, dir, list))

	segs, err := Segments(sc, MP4, nil)
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
		require.InDelta(t, int(total), len(x), 2048, "%s: no sample lost but the encoder's padding", filepath.Base(path))
		calm := roughness(x, 48000) // in the middle of a second
		require.NotEmpty(t, joins)
		for _, n := range joins {
			assert.Less(t, roughness(x, n), 1.5*calm, "%s at %.3f s", filepath.Base(path), float64(n)/timecode.SampleRate)
		}
		copy(x[100000:], x[100017:])
		assert.Greater(t, roughness(x, 100000), 1.5*calm)
		x[100000] += 0.1
		assert.Greater(t, roughness(x, 100000), 3*calm)
	}
}
