package media

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"nelko/internal/cage"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Lists that name other addresses are not opened, whatever they are called,
// and nobody is asked for what they name (RFC 8216 for HLS, ISO/IEC 23009-1
// for DASH: both are lists that a reader is meant to fetch again and again).
func TestListsAreNotFollowed(t *testing.T) {
	require.NoError(t, Startup())
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	asked := make(chan struct{}, 10)
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			asked <- struct{}{}
			c.Close()
		}
	}()
	base := "http://" + l.Addr().String()
	dir := t.TempDir()
	own := filepath.Join(dir, "own.ts")
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=d=1:s=64x64", own).
		Run())
	for name, text := range map[string]string{
		"live.mp4":    "#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\n" + base + "/a.ts\n",
		"local.mp4":   "#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\n" + own + "\n",
		"dynamic.mp4": `<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011" type="dynamic" availabilityStartTime="2026-01-01T00:00:00Z" minimumUpdatePeriod="PT2S" profiles="urn:mpeg:dash:profile:isoff-live:2011"><BaseURL>` + base + `/</BaseURL><Period><AdaptationSet><SegmentTemplate media="$Number$.m4s" initialization="i.mp4" duration="2"/><Representation id="a" bandwidth="1" mimeType="video/mp4"/></AdaptationSet></Period></MPD>`,
		"list.mp3":    "ffconcat version 1.0\nfile " + own + "\n",
	} {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
		_, _, err := Probe(ctx, path, name)
		var refused *Refused
		assert.ErrorAs(t, err, &refused, name)
		assert.NoError(t, ctx.Err(), "%s is refused at once", name)
		cancel()
		_, err = OpenSound(context.Background(), path, 0, true)
		require.NoError(t, err, name)
		_, err = clipPixels(context.Background(), clipFile{path: path}, 32, 32, 0, 0)
		assert.Error(t, err, name)
	}
	assert.Empty(t, asked, "nothing was fetched")
}

// What the installed ffmpeg calls its demuxers: a name that is none would be a
// format that is refused for ever.
func TestFormatsAreKnownToFFmpeg(t *testing.T) {
	out, err := exec.Command("ffmpeg", "-v", "error", "-demuxers").Output()
	require.NoError(t, err)
	known := map[string]bool{}
	sc := bufio.NewScanner(strings.NewReader(string(out)))
	for sc.Scan() {
		if f := strings.Fields(sc.Text()); len(f) > 1 {
			for _, n := range strings.Split(f[1], ",") {
				known[n] = true
			}
		}
	}
	for _, f := range strings.Split(formats, ",") {
		assert.True(t, known[f] || f == "mp4" || f == "amrnb" || f == "amrwb", f)
	}
}

func TestStuckDecoderIsEnded(t *testing.T) {
	ctx, end := context.WithCancelCause(context.Background())
	defer end(nil)
	cmd := child(ctx, cage.Cage{Memory: decoderMemory}, "sh", "-c", "printf abc; exec sleep 600")
	pipe, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	w := &watched{r: pipe, quiet: 300 * time.Millisecond, end: end, ctx: ctx}
	b, err := io.ReadAll(w)
	assert.Equal(t, "abc", string(b))
	assert.ErrorIs(t, err, errStuck)
	assert.Error(t, cmd.Wait(), "it was killed")
}

// Time in which nobody reads is not the decoder's.
func TestSlowReaderEndsNoDecoder(t *testing.T) {
	ctx, end := context.WithCancelCause(context.Background())
	defer end(nil)
	r, wr := io.Pipe()
	w := &watched{r: r, quiet: 100 * time.Millisecond, end: end, ctx: ctx}
	go func() {
		for i := range 3 {
			fmt.Fprint(wr, i)
		}
		wr.Close()
	}()
	for range 3 {
		n, err := w.Read(make([]byte, 1))
		require.NoError(t, err)
		assert.Equal(t, 1, n)
		<-time.After(150 * time.Millisecond)
	}
	assert.NoError(t, ctx.Err())
}

func TestChildHasALimit(t *testing.T) {
	_, err := output(context.Background(), 200*time.Millisecond, noCage, "sleep", "600")
	assert.ErrorContains(t, err, "sleep was not done")
}

// A decoder that is killed in the middle, as for want of memory, is an error: what
// it gave is not the end of the clip or the song.
func TestKilledDecodersAreNoEnd(t *testing.T) {
	dir := t.TempDir()
	clip, song := filepath.Join(dir, "clip.mp4"), filepath.Join(dir, "song.flac")
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=d=20:s=1280x720",
		clip).Run())
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=330:d=600", song).
		Run())
	c, err := openClip(context.Background(), clipFile{path: clip}, scene.Asset{W: 640, H: 360}, raster.BT709,
		timecode.Rate{
			Num: 25,
			Den: 1,
		}, 0, 0)
	require.NoError(t, err)
	_, _, err = c.frame(3)
	require.NoError(t, err)
	require.NoError(t, c.p.cmd.Process.Kill())
	for n := timecode.Frames(4); n < 500 && err == nil; n++ {
		_, _, err = c.frame(n)
	}
	require.Error(t, err)
	s, err := OpenSound(context.Background(), song, 0, true)
	require.NoError(t, err)
	buf := make([]float32, 1<<14)
	_, err = s.Read(buf)
	require.NoError(t, err)
	require.NoError(t, s.p.cmd.Process.Kill())
	for err == nil {
		_, err = s.Read(buf)
	}
	require.NotErrorIs(t, err, io.EOF)
}
