package render

import (
	"context"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/timecode"
)

// What the beginning of a stream says is what ffprobe says of it.
func TestReadHead(t *testing.T) {
	_, job := tiny(t, timecode.R25, 14)
	j, dir := job(), t.TempDir()
	j.Out = filepath.Join(dir, "film.mp4")
	_, err := Film(context.Background(), j)
	require.NoError(t, err)
	stream, _, err := Fragments(context.Background(), j.Out, dir)
	require.NoError(t, err)
	b, err := os.ReadFile(stream)
	require.NoError(t, err)
	h, err := ReadHead(b[:min(len(b), HeadBytes)])
	require.NoError(t, err)
	out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v:0", "-show_entries",
		"stream=width,height,profile,level", "-of", "json", stream).Output()
	require.NoError(t, err)
	var said struct {
		Streams []struct {
			Width, Height, Level int
			Profile              string
		}
	}
	require.NoError(t, json.Unmarshal(out, &said))
	assert.Equal(t, []int{said.Streams[0].Width, said.Streams[0].Height}, []int{h.W, h.H})
	require.Equal(t, "High", said.Streams[0].Profile) // profile_idc 100 (ITU-T H.264, A.2.4)
	assert.Regexp(t, `^avc1\.6400`, h.Codecs)
	assert.Contains(t, h.Codecs, string("0123456789abcdef"[said.Streams[0].Level>>4])+
		string("0123456789abcdef"[said.Streams[0].Level&15]))
	assert.Contains(t, h.Codecs, "mp4a.40.2")

	for _, broken := range [][]byte{nil, b[:20], []byte("avc1"), []byte("avcC"), []byte("avc1avcC"),
		[]byte("avcCavc1")} {
		_, err := ReadHead(broken)
		assert.Error(t, err)
	}
}

func FuzzReadHead(f *testing.F) {
	f.Add([]byte("avc1avcC"))
	f.Fuzz(func(t *testing.T, b []byte) { _, _ = ReadHead(b) })
}
