package media

import (
	"context"
	"encoding/binary"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
)

// bursts are tones of 50 ms at 0.5, 2 and 3.5 s of four seconds, as an ffmpeg source.
const bursts = "aevalsrc=0.6*sin(2*PI*1000*t)*(between(t\\,0.5\\,0.55)+between(t\\,2\\,2.05)+between(t\\,3.5\\,3.55)):d=4:s="

// onsets are where a song becomes loud, in seconds.
func onsets(t *testing.T, path string) (at []float64, length timecode.Samples) {
	s, err := OpenSound(context.Background(), path, 0, true)
	require.NoError(t, err)
	defer s.Close()
	quiet := 1 << 30
	buf := make([]float32, 4096)
	for {
		n, err := s.Read(buf)
		for i := 0; i+1 < n; i += 2 {
			if math.Abs(float64(buf[i])) > 0.15 {
				if quiet > timecode.SampleRate/2 {
					at = append(at, float64(length)/timecode.SampleRate)
				}
				quiet = 0
			}
			quiet++
			length++
		}
		if err == io.EOF {
			return at, length
		}
		require.NoError(t, err)
	}
}

// Songs of every kind are exactly as long as what was put into them, and begin where it
// began: what encoders add at either end is taken off. Where a file does not say how
// much that is, it is at most what encoders add (MP3: 1,105 samples in front and less
// than three frames of 1,152 in all, LAME technical FAQ, from memory).
func TestSongsOfEveryKindAreExact(t *testing.T) {
	if testing.Short() {
		t.Skip("encodes many files")
	}
	dir := t.TempDir()
	for _, c := range []struct {
		name, rate  string
		args        []string
		early, late float64 // how far off beginning and length may be, in seconds
	}{
		{"16.wav", "48000", nil, 0, 0},
		{"24.wav", "44100", []string{"-c:a", "pcm_s24le"}, 0.0001, 0.0001},
		{"96k.wav", "96000", []string{"-c:a", "pcm_f32le"}, 0.0001, 0.0001},
		{"mono.flac", "44100", []string{"-ac", "1"}, 0.0001, 0.0001},
		{"eight.wav", "48000", []string{"-af", "pan=7.1|c0=c0|c1=c0|c2=c0", "-c:a", "pcm_s16le"}, 0, 0},
		{"tagged.mp3", "44100", []string{"-c:a", "libmp3lame", "-b:a", "192k"}, 0.001, 0.001},
		{"tagged mono.mp3", "48000", []string{"-c:a", "libmp3lame", "-q:a", "4", "-ac", "1"}, 0.001, 0.001},
		{"untagged.mp3", "44100", []string{"-c:a", "libmp3lame", "-b:a", "192k", "-write_xing", "0",
			"-id3v2_version", "0"}, 1106. / 44100, 3 * 1152. / 44100},
		{"song.m4a", "44100", []string{"-c:a", "aac", "-b:a", "192k"}, 0.001, 0.025},
		{"bare.aac", "48000", []string{"-c:a", "aac", "-b:a", "192k"}, 0.03, 0.07},
		{"song.ogg", "44100", []string{"-c:a", "libvorbis", "-q:a", "6"}, 0.001, 0.001},
		{"song.opus", "48000", []string{"-c:a", "libopus", "-b:a", "160k"}, 0.001, 0.001},
	} {
		path := filepath.Join(dir, c.name)
		tool(t, "ffmpeg", append(append([]string{"-v", "error", "-f", "lavfi", "-i", bursts + c.rate, "-ac",
			"2"}, c.args...), path)...)
		m, peaks, err := Probe(context.Background(), path, c.name)
		require.NoError(t, err, c.name)
		assert.Equal(t, doc.SongMedia, m.Kind, c.name)
		at, length := onsets(t, path)
		assert.Equal(t, length, m.Length, "%s: as long as it sounds", c.name)
		assert.InDelta(t, 4, float64(length)/timecode.SampleRate, c.late+1e-9, c.name)
		assert.InDelta(t, 4*50, len(peaks), 4, c.name)
		if assert.Len(t, at, 3, c.name) {
			for k, want := range []float64{0.5, 2, 3.5} {
				assert.InDelta(t, want, at[k], c.early+0.0003, "%s: the tone rises within 0.3 ms", c.name)
			}
		}
	}
}

// Songs that lie, are silent, clipped, very short or very long are taken or refused in
// words.
func TestOddSongs(t *testing.T) {
	dir := t.TempDir()
	ctx := context.Background()
	made := func(name string, args ...string) string {
		path := filepath.Join(dir, name)
		tool(t, "ffmpeg", append(append([]string{"-v", "error", "-f", "lavfi"}, args...), path)...)
		return path
	}
	// The header says ten minutes, there are two seconds.
	lies := made("lies.wav", "-i", "sine=440:d=2", "-ac", "2", "-ar", "48000", "-fflags", "+bitexact")
	raw, err := os.ReadFile(lies)
	require.NoError(t, err)
	binary.LittleEndian.PutUint32(raw[40:], 600*48000*4)
	require.NoError(t, os.WriteFile(lies, raw, 0o644))
	m, _, err := Probe(ctx, lies, "lies.wav")
	require.NoError(t, err)
	assert.InDelta(t, 2*timecode.SampleRate, float64(m.Length), 64, "as long as it sounds, not as it says")

	cut := made("cut.mp3", "-i", "sine=440:d=20", "-c:a", "libmp3lame", "-b:a", "128k")
	raw, err = os.ReadFile(cut)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(cut, raw[:len(raw)/2], 0o644))
	m, _, err = Probe(ctx, cut, "cut.mp3")
	require.NoError(t, err)
	assert.InDelta(t, 10, float64(m.Length)/timecode.SampleRate, 0.3, "what came of a broken copy")

	m, _, err = Probe(ctx, made("silent.flac", "-i", "anullsrc=d=20"), "silent.flac")
	require.NoError(t, err)
	assert.Empty(t, m.Heard.Rhythm.Beats)
	assert.InDelta(t, 20, m.Heard.Lead, 0.01)

	m, _, err = Probe(ctx, made("clipped.wav", "-i",
		"aevalsrc=max(-1\\,min(1\\,4*sin(2*PI*220*t)))|max(-1\\,min(1\\,4*sin(2*PI*220*t))):d=5:s=48000"),
		"clipped.wav")
	require.NoError(t, err)
	assert.Greater(t, m.PeakDB, 0.0, "between its samples it is louder than full scale")

	for name, source := range map[string]string{"no sound.mkv": "", "words.mp3": "text"} {
		path := filepath.Join(dir, name)
		if source == "" {
			require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=d=1", "-c:a",
				"flac", path).Run())
			raw, err := os.ReadFile(path)
			require.NoError(t, err)
			source = string(raw[:200])
		}
		require.NoError(t, os.WriteFile(path, []byte(source), 0o644))
		_, _, err := Probe(ctx, path, name)
		var refused *Refused
		require.ErrorAs(t, err, &refused, name)
		assert.NotEmpty(t, refused.Error())
	}

	if testing.Short() {
		return
	}
	long, _, err := Probe(ctx,
		made("long.mp3", "-i", "anoisesrc=c=pink:a=0.3:d=900:r=44100,tremolo=f=2:d=0.95", "-ac", "2", "-c:a",
			"libmp3lame", "-b:a", "128k"), "long.mp3")
	require.NoError(t, err)
	assert.InDelta(t, 900, float64(long.Length)/timecode.SampleRate, 0.002, "a quarter of an hour")
	assert.NotNil(t, long.Heard)
}
