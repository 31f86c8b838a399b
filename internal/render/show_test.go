package render

import (
	"bytes"
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A disc's stream comes to a browser in square pixels and its own length, in
// fragments; what is no stream is told, and who goes away ends it.
func TestShow(t *testing.T) {
	dir := t.TempDir()
	vob := filepath.Join(dir, "a.vob")
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"testsrc=size=720x576:rate=25:duration=2", "-f", "lavfi", "-i", "sine=330:d=2",
		"-aspect", "16:9", "-c:v", "mpeg2video", "-b:v", "3M", "-c:a", "ac3", "-f", "dvd", vob).
		CombinedOutput()
	require.NoError(t, err, string(out))
	in, err := os.Open(vob)
	require.NoError(t, err)
	defer in.Close()
	var film bytes.Buffer
	require.NoError(t, Show(context.Background(), in, []string{"-f", "mpeg", "-i", "pipe:0"}, false, &film))
	path := filepath.Join(dir, "film")
	require.NoError(t, os.WriteFile(path, film.Bytes(), 0o600))
	out, err = exec.Command("ffprobe", "-v", "error", "-select_streams", "v", "-count_frames",
		"-show_entries", "stream=codec_name,width,height,sample_aspect_ratio,nb_read_frames", "-of",
		"csv=p=0", path).Output()
	require.NoError(t, err)
	assert.Equal(t, "h264,1024,576,1:1,50", strings.TrimSpace(string(out)))
	assert.Contains(t, film.String(), "moof", "it plays before it is whole (ISO/IEC 14496-12)")

	err = Show(context.Background(), strings.NewReader("no stream"), []string{"-f", "mpeg", "-i", "pipe:0"},
		false, &film)
	assert.ErrorContains(t, err, "showing the disc: ")
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	assert.ErrorIs(t, Show(ended, in, []string{"-f", "mpeg", "-i", "pipe:0"}, false, &film), context.Canceled)
}
