package render

import (
	"bytes"
	"os/exec"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/film"
)

// A film of fewer pixels and other colours is drawn and looked at without a difference
// where saturated colours meet: what comes back is the mean of the frame to within 45 dB
// in each plane. (Converted in one step with the size, chroma came back half a sample off,
// at 25 dB.)
func TestSmallerFilmsKeepTheirColours(t *testing.T) {
	const w, h = 1280, 720
	colours := []raster.RGB{{R: 255}, {G: 255}, {B: 255}, {
		R: 255,
		G: 255,
	}, {R: 255, B: 255}, {G: 255, B: 255}}
	drawn := raster.NewFrame(w, h)
	for y := range h {
		for x := range w {
			c := colours[(x/28+y/52)%len(colours)]
			drawn.Y[y*w+x], drawn.U[y/2*(w/2)+x/2], drawn.V[y/2*(w/2)+x/2] = raster.BT709.YUV(c.R, c.G, c.B)
		}
	}
	f := &film.Film{
		Scene: &scene.Scene{W: w, H: h, Matrix: raster.BT709},
		Kept:  film.Kept{W: w / 2, H: h / 2, Scaled: true, Matrix: raster.BT601},
	}
	cmd := exec.Command("ffmpeg", "-v", "error", "-f", "rawvideo", "-pix_fmt", "yuv420p", "-video_size",
		"1280x720", "-i", "-",
		"-vf", scaling(f)+",format=yuv420p,"+reducing(f, 160, 90), "-f", "rawvideo", "-")
	cmd.Stdin = bytes.NewReader(slices.Concat(drawn.Y, drawn.U, drawn.V))
	back, err := cmd.Output()
	require.NoError(t, err)
	mean := reduced(drawn, w/160)
	require.Len(t, back, len(mean))
	for i, plane := range []string{"luma", "U", "V"} {
		from, to := i*160*90, (i+1)*160*90
		whole := 0.0
		for k := from; k < to; k++ {
			d := float64(back[k]) - float64(mean[k])
			whole += d * d
		}
		assert.Greater(t, decibels(whole/(160*90)), 45.0, plane)
	}
}
