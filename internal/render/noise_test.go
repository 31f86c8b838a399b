package render

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/disc"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
)

// The room that is said for an HD disc is enough for a film of fine noise, cut into runs as short
// as slides are.
func TestNoiseFitsTheRoomSaidForHD(t *testing.T) {
	const seconds = 2
	v := profile.HDDisc.Video
	v.Kbps = disc.HD.Most
	out := filepath.Join(t.TempDir(), "noise.h264")
	args := []string{"-v", "error", "-f", "lavfi", "-i", "color=gray:s=1920x1080:r=24,noise=alls=60:allf=t+u",
		"-t", fmt.Sprint(seconds), "-pix_fmt", v.Pixels, "-c:v", v.Encoder}
	args = append(args, codecs[v.Encoder].settings(v, coloursOf(raster.BT709))...)
	b, err := exec.Command("ffmpeg", append(args, "-g", "24", out)...).CombinedOutput()
	require.NoError(t, err, string(b))
	st, err := os.Stat(out)
	require.NoError(t, err)
	kbps := float64(st.Size()) * 8 / 1000 / seconds
	assert.LessOrEqual(t, kbps, float64(v.Kbps)*disc.HD.Missed)
	assert.Greater(t, kbps, float64(v.Kbps), "it is noise that fills it")
}
