package media

import (
	"bytes"
	"context"
	"fmt"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// Clips upright, sideways and without sound, in the containers phones write.
func TestClips(t *testing.T) {
	dir := t.TempDir()
	src := writePNG(t, quarters(320, 180))
	make := func(name string, args ...string) string {
		p := filepath.Join(dir, name)
		tool(t, "ffmpeg", append(append([]string{"-v", "error", "-loop", "1", "-i", src, "-f", "lavfi", "-i",
			"sine=440", "-t", "2", "-r", "25", "-pix_fmt", "yuv420p"}, args...), p)...)
		return p
	}
	side := filepath.Join(dir, "sideways.mov")
	tool(t, "ffmpeg", "-v", "error", "-i", make("flat.mp4"), "-c", "copy", "-metadata:s:v:0", "rotate=90",
		side)
	for path, size := range map[string][2]int{
		make("a.mp4"):                           {320, 180},
		make("b.webm", "-c:v", "libvpx", "-an"): {320, 180},
		make("c.mov"):                           {320, 180},
		side:                                    {180, 320},
	} {
		m, _, err := Probe(context.Background(), path, filepath.Base(path))
		require.NoError(t, err, path)
		assert.Equal(t, doc.ClipMedia, m.Kind)
		assert.Equal(t, size, [2]int{m.W, m.H}, path)
		assert.InDelta(t, 2*timecode.SampleRate, float64(m.Length), 0.05*timecode.SampleRate, path)
	}
	a := newAssets(t, FilesIn{"s": side}, doc.Library{"s": {
		ID:     "s",
		Kind:   doc.ClipMedia,
		W:      180,
		H:      320,
		Length: 2 * 48000,
	}}, DefaultBudget)
	lane := a.Lane()
	defer lane.Close()
	s, err := lane.Clip(scene.Asset{
		Kind:  scene.Footage,
		Media: "s",
		W:     90,
		H:     160,
	}, raster.BT709, timecode.R30, 10)
	require.NoError(t, err)
	assert.Equal(t, [2]int{90, 160}, [2]int{s.W, s.H})
}

// A clip's frames are the same in order, from the middle, and past its end.
func TestClipFramesByNumber(t *testing.T) {
	path := filepath.Join(t.TempDir(), "count.mp4")
	// Brightness counts the frames.
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"color=black:s=64x64:r=30:d=2,geq=lum='16+N*3':cb=128:cr=128", "-c:v", "libx264", "-qp", "0",
		"-pix_fmt", "yuv420p", path)
	lib := doc.Library{"c": {
		ID:     "c",
		Kind:   doc.ClipMedia,
		Name:   "count.mp4",
		W:      64,
		H:      64,
		Length: 2 * 48000,
	}}
	as := scene.Asset{Kind: scene.Footage, Media: "c", W: 64, H: 64}
	a := newAssets(t, FilesIn{"c": path}, lib, DefaultBudget)
	lane := a.Lane()
	defer lane.Close()
	for _, n := range []timecode.Frames{0, 1, 2, 20, 19, 40, 59, 60, 75, 3} {
		s, err := lane.Clip(as, raster.BT709, timecode.R30, n)
		require.NoError(t, err)
		assert.InDelta(t, 16+3*min(int(n), 59), int(s.Y[64*32+32]), 2, "frame %d", n)
	}
}

// Colour bars through our matrix against ffmpeg's, within one code value.
func TestColourConversionAgainstFFmpeg(t *testing.T) {
	var colours []byte
	for _, v := range [][3]byte{{255, 255, 255}, {255, 255, 0}, {0, 255, 255}, {0, 255, 0}, {255, 0, 255},
		{255, 0, 0}, {0, 0, 255}, {0, 0, 0}, {191, 191, 0}, {64, 130, 200}} {
		for range 16 {
			colours = append(colours, v[:]...)
		}
	}
	w := len(colours) / 3
	px := raster.Pixels{W: w, H: 2, Channels: 3, Pix: append(bytes.Clone(colours), colours...)}
	for m, name := range map[raster.Matrix]string{raster.BT709: "bt709", raster.BT601: "smpte170m"} {
		cmd := exec.Command("ffmpeg", "-v", "error", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s",
			fmt.Sprintf("%dx2", w), "-i", "-",
			"-vf", "scale=flags=accurate_rnd+full_chroma_inp+full_chroma_int:out_range=tv:out_color_matrix="+
				name, "-pix_fmt", "yuv444p", "-f", "rawvideo", "-")
		cmd.Stdin = bytes.NewReader(px.Pix)
		ref, err := cmd.Output()
		require.NoError(t, err)
		for i := range w {
			y, u, v := m.YUV(px.Pix[3*i], px.Pix[3*i+1], px.Pix[3*i+2])
			assert.InDelta(t, ref[i], y, 1)
			assert.InDelta(t, ref[2*w+i], u, 1)
			assert.InDelta(t, ref[4*w+i], v, 1)
		}
	}
}

// Loudness against ffmpeg's own meter (ebur128), on music-like noise.
func TestSongMeasuresAgainstFFmpeg(t *testing.T) {
	path := filepath.Join(t.TempDir(), "song.flac")
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"anoisesrc=c=pink:r=44100:a=0.4:d=12:seed=4,tremolo=f=2:d=0.9", "-ac", "2", path)
	m, peaks, err := Probe(context.Background(), path, "song.flac")
	require.NoError(t, err)
	assert.Equal(t, doc.SongMedia, m.Kind)
	assert.InDelta(t, 12*timecode.SampleRate, float64(m.Length), 2)
	assert.Len(t, peaks, 600)
	out, err := exec.Command("ffmpeg", "-nostats", "-i", path, "-af", "ebur128=peak=true", "-f", "null", "-").
		CombinedOutput()
	require.NoError(t, err)
	_, summary, _ := bytes.Cut(out, []byte("Summary:"))
	number := func(pattern string) float64 {
		found := regexp.MustCompile(pattern).FindSubmatch(summary)
		require.NotNil(t, found, "%s in %s", pattern, summary)
		v, err := strconv.ParseFloat(string(found[1]), 64)
		require.NoError(t, err)
		return v
	}
	lufs, peak := number(`I:\s+(\S+) LUFS`), number(`Peak:\s+(\S+) dBFS`)
	assert.InDelta(t, lufs, m.LUFS, 0.1)
	assert.InDelta(t, peak, m.PeakDB, 0.4)
}
