package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

func ffmpegTo(t *testing.T, out string, args ...string) string {
	t.Helper()
	said, err := exec.Command("ffmpeg", append(append([]string{"-v", "error", "-y"}, args...), out)...).
		CombinedOutput()
	require.NoError(t, err, string(said))
	return out
}

// moving is ffmpeg's test picture with noise, which leaves no block untouched.
func moving(size string, rate string, seconds int) []string {
	return []string{"-f", "lavfi", "-i", fmt.Sprintf("testsrc2=d=%d:s=%s:r=%s,noise=alls=12:allf=t", seconds,
		size, rate)}
}

// Whatever a clip is made like, a film shows the same frame of it wherever its
// decoding began: that which it shows decoded from its start.
func TestOddClipsAreTheSameFromAnywhere(t *testing.T) {
	dir := t.TempDir()
	of := func(name string, source []string, args ...string) string {
		return ffmpegTo(t, filepath.Join(dir, name), append(source, args...)...)
	}
	small := moving("192x108", "25", 6)
	x264 := func(params string, more ...string) []string {
		return append([]string{"-c:v", "libx264", "-preset", "veryfast", "-x264-params", params}, more...)
	}
	cut := func(name, from string, skip int) string { // a stream without its first bytes
		b, err := os.ReadFile(from)
		require.NoError(t, err)
		out := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(out, b[skip:], 0o600))
		return out
	}
	joined := func(name string, a, b string) string {
		x, err := os.ReadFile(a)
		require.NoError(t, err)
		y, err := os.ReadFile(b)
		require.NoError(t, err)
		out := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(out, append(x, y...), 0o600))
		return out
	}
	transport := of("whole.ts", small, x264("keyint=50:min-keyint=50:scenecut=0")...)
	// x264 writes its version into the stream's first bytes only, and libavcodec reads
	// lossless 4:4:4 of versions before 151 in another way.
	otherReading := of("444-lossless.mp4", small, x264("qp=0:8x8dct=1:keyint=60:min-keyint=30:scenecut=0",
		"-pix_fmt", "yuv444p")...)
	b, err := os.ReadFile(otherReading)
	require.NoError(t, err)
	version := regexp.MustCompile(`x264 - core \d{3}`)
	require.True(t, version.Match(b))
	require.NoError(t, os.WriteFile(otherReading, version.ReplaceAll(b, []byte("x264 - core 148")), 0o600))
	clips := []struct {
		path     string
		anywhere bool // it may be decoded from anywhere, so it is
	}{
		{otherReading, false},
		{of("plain.mp4", small, x264("keyint=50", "-pix_fmt", "yuv420p")...), true},
		{of("one-key.mp4", small, x264("keyint=infinite", "-pix_fmt", "yuv420p")...), true},
		{of("open.mp4", small, x264("open-gop=1:keyint=40:bframes=3", "-pix_fmt", "yuv420p")...), true},
		{of("refresh.mkv", small, x264("intra-refresh=1:keyint=50", "-pix_fmt", "yuv420p")...), true},
		{of("10bit.mkv", small, "-c:v", "libx265", "-preset", "ultrafast", "-x265-params",
			"keyint=50:log-level=none", "-pix_fmt", "yuv420p10le"), true},
		{of("hlg.mp4", small, "-c:v", "libx265", "-preset", "ultrafast", "-x265-params",
			"keyint=50:open-gop=1:log-level=none", "-pix_fmt", "yuv420p10le",
			"-color_trc", "arib-std-b67", "-color_primaries", "bt2020", "-colorspace", "bt2020nc", "-tag:v",
			"hvc1"), true},
		{of("interlaced.mpg", small, "-c:v", "mpeg2video", "-flags", "+ilme+ildct", "-bf", "2", "-g", "15"),
			true},
		{of("bframes.avi", small, "-c:v", "mpeg4", "-bf", "2", "-g", "40"), true},
		{of("vp9.webm", small, "-c:v", "libvpx-vp9", "-deadline", "realtime", "-cpu-used", "8", "-g", "60"),
			true},
		{of("mjpeg.mov", small, "-c:v", "mjpeg", "-pix_fmt", "yuvj420p"), true},
		{of("variable.mkv", append(small, "-vf", "select='not(mod(n,3))+lt(mod(n,50),20)'", "-fps_mode",
			"vfr"), x264("keyint=50")...), true},
		{of("edited.mp4", append([]string{"-ss", "1.3", "-i",
			of("long.mp4", small, x264("keyint=50:bframes=3")...)}, "-c", "copy"), "-map", "0"), true},
		{of("rotated.mp4", []string{"-i", filepath.Join(dir, "plain.mp4")}, "-c", "copy", "-metadata:s:v",
			"rotate=90"), true},
		{cut("headless.ts", transport, 188*300), false},
		{joined("resized.ts", of("a.ts", moving("192x108", "25", 4), x264("keyint=25")...),
			of("b.ts", moving("128x72", "25", 4), x264("keyint=25")...)), true},
		{of("still-first.mp4", append(slicesOf("-f", "lavfi", "-i", "color=red:s=320x180:d=0.04:r=25"),
			small...), "-map", "0:v", "-map", "1:v", "-c:v", "libx264", "-g", "40"), true},
		{of("cover.mp4", append(slicesOf("-f", "lavfi", "-i", "color=red:s=320x180:d=0.04:r=25"), small...),
			"-map", "0:v", "-map", "1:v", "-c:v:0", "mjpeg", "-c:v:1", "libx264", "-g", "40",
			"-disposition:v:0", "attached_pic"), true},
	}
	for _, c := range clips {
		name := filepath.Base(c.path)
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			sameFromAnywhere(t, c.path, c.anywhere)
		})
	}
}

func sameFromAnywhere(t *testing.T, path string, anywhere bool) {
	name, rate := filepath.Base(path), timecode.Rate{Num: 30, Den: 1}
	m, _, err := Probe(context.Background(), path, name)
	require.NoError(t, err, name)
	require.Equal(t, doc.ClipMedia, m.Kind, name)
	assert.Greater(t, float64(m.Length)/timecode.SampleRate, 3.0, name)
	m.ID = doc.MediaID(name)
	if anywhere {
		assert.NotEqual(t, doc.AtStart, m.Starts, "%s: %s", name, m.Faulty)
	} else {
		assert.Equal(t, doc.AtStart, m.Starts, name)
	}
	sprites := NewSprites(FilesIn{m.ID: path}, nil, nil, DefaultBudget)
	as := scene.Asset{Kind: scene.Footage, Media: m.ID, W: 192, H: 108}
	var frames func(m doc.Media, from, n timecode.Frames) [][]byte
	frames = func(m doc.Media, from, n timecode.Frames) (list [][]byte) {
		l := sprites.Lane(context.Background(), doc.Library{m.ID: m}, false)
		for i := range n {
			f, err := l.Clip(as, raster.BT709, rate, from+i)
			require.NoError(t, err, "%s: frame %d", name, from+i)
			list = append(list, bytes.Join([][]byte{f.Y, f.U, f.V}, nil))
		}
		l.Close()
		var told *Complaint
		if errors.As(l.Complaint(), &told) && told.Middle {
			return frames(m, from, n) // as a film does: from its start this time
		}
		require.NoError(t, l.Complaint(), name)
		return list
	}
	straight := m
	straight.Starts = doc.AtStart
	whole := frames(straight, 0, rate.FramesIn(m.Length))
	assert.False(t, bytes.Equal(whole[10], whole[70]), "%s stands still", name)
	for from := timecode.Frames(1); int(from)+4 < len(whole); from += 31 {
		for i, f := range frames(m, from, 3) {
			if !bytes.Equal(whole[int(from)+i], f) {
				assert.Fail(t, "another frame", "%s: frame %d, begun at %d", name, int(from)+i, from)
			}
		}
	}

	// The page's own picture of a moment is the film's.
	for _, at := range []timecode.Frames{0, 2, 6, 30, 90} {
		px, err := clipPixels(context.Background(), clipOf(path, m), 8, 6, rate.Seconds(at), 0)
		require.NoError(t, err, name)
		assert.Less(t, apart(px, whole[at], as.W, as.H), 20.0, "%s: another picture at %d", name, at)
	}
}

// apart is how far, at most, cells of a small picture are from a frame's brightness there.
func apart(px raster.Pixels, frame []byte, w, h int) (most float64) {
	for y := range px.H {
		for x := range px.W {
			sum, n := 0.0, 0
			for j := y * h / px.H; j < (y+1)*h/px.H; j++ {
				for i := x * w / px.W; i < (x+1)*w/px.W; i++ {
					sum, n = sum+float64(frame[j*w+i]), n+1
				}
			}
			c := px.Pix[3*(y*px.W+x):]
			luma := 16 + 219.0/255*(0.2126*float64(c[0])+0.7152*float64(c[1])+0.0722*float64(c[2]))
			most = math.Max(most, math.Abs(luma-sum/float64(n)))
		}
	}
	return most
}

func slicesOf(s ...string) []string { return s }

// What a decoder complains of while a film is made is told with the clip's name,
// unless it is known already.
func TestDecodersComplaintsAreTold(t *testing.T) {
	whole := ffmpegTo(t, filepath.Join(t.TempDir(), "clip.mp4"), append(moving("192x108", "25", 6), "-c:v",
		"libx264", "-g", "25", "-pix_fmt", "yuv420p")...)
	good, _, err := Probe(context.Background(), whole, "clip.mp4")
	require.NoError(t, err)
	assert.Empty(t, good.Faulty)
	assert.Equal(t, doc.Anywhere, good.Starts)

	b, err := os.ReadFile(whole)
	require.NoError(t, err)
	for i := len(b) / 2; i < len(b)/2+4000; i++ {
		b[i] ^= byte(i * 7)
	}
	damaged := filepath.Join(t.TempDir(), "clip.mp4")
	require.NoError(t, os.WriteFile(damaged, b, 0o600))
	known, _, err := Probe(context.Background(), damaged, "clip.mp4")
	require.NoError(t, err)
	assert.NotEmpty(t, known.Faulty)
	assert.Equal(t, doc.AtStart, known.Starts)

	id := doc.MediaID("clip")
	as := scene.Asset{Kind: scene.Footage, Media: id, W: 192, H: 108}
	sprites := NewSprites(FilesIn{id: damaged}, nil, nil, DefaultBudget)
	play := func(m doc.Media) error {
		m.ID = id
		l := sprites.Lane(context.Background(), doc.Library{id: m}, false)
		for n := range timecode.Frames(170) {
			_, err := l.Clip(as, raster.BT709, timecode.Rate{Num: 30, Den: 1}, n+1)
			require.NoError(t, err)
		}
		l.Close()
		return l.Complaint()
	}
	require.NoError(t, play(known), "known already")
	var told *Complaint
	require.ErrorAs(t, play(good), &told)
	assert.Equal(t, "clip.mp4", told.Name)
	assert.Contains(t, told.Error(), "could not be decoded without errors")
}
