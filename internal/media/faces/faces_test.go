package faces

import (
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/raster"
	"nelko/internal/core/texture"
	"nelko/internal/demo/paint"
	"nelko/internal/media/vips"
)

// The detector's own sample picture, which comes with its module, shows
// people; their faces are found within the picture, and again when it is half
// as large.
func TestFacesOfTheReferencePictureAreFound(t *testing.T) {
	require.NoError(t, vips.Startup())
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/esimov/pigo").Output()
	require.NoError(t, err)
	path := filepath.Join(strings.TrimSpace(string(dir)), "testdata", "sample.jpg")
	h, err := vips.ReadHeader(path)
	require.NoError(t, err)
	var counts []int
	for _, k := range []float64{1, 0.5} {
		scale := k * Side / float64(max(h.Width, h.Height))
		p, err := vips.Load(path, int(float64(h.Width)*scale), int(float64(h.Height)*scale))
		require.NoError(t, err)
		found, err := Find(p)
		require.NoError(t, err)
		counts = append(counts, len(found))
		for _, f := range found {
			assert.True(t, f.X > -0.05 && f.Y > -0.05 && f.X+f.W < 1.05 && f.Y+f.H < 1.05, "%v", f)
			assert.Greater(t, f.W, 0.02)
		}
	}
	assert.NotZero(t, counts[0])
	assert.NotZero(t, counts[1])
}

// Textures, pots and water are not taken for faces.
func TestNothingElseIsTakenForAFace(t *testing.T) {
	for _, k := range texture.Kinds {
		found, err := Find(texture.Paint(k, 640, 480, raster.RGB{R: 180, G: 150, B: 120}, 0.8, 3))
		require.NoError(t, err)
		assert.Empty(t, found, k)
	}
	for _, sc := range []paint.Scene{paint.Headland, paint.Pots} {
		p, err := paint.Paint(paint.Spec{Scene: sc, W: 480, H: 320, Seed: 4})
		require.NoError(t, err)
		found, err := Find(p)
		require.NoError(t, err)
		assert.Empty(t, found, sc)
	}
	found, err := Find(raster.Pixels{W: 8, H: 8, Channels: 3, Pix: make([]byte, 192)})
	require.NoError(t, err)
	assert.Empty(t, found)
}
