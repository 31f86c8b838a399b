package look

import (
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/raster"
)

func ramp() raster.Pixels {
	p := raster.Pixels{W: 64, H: 48, Channels: 3}
	for y := range p.H {
		for x := range p.W {
			p.Pix = append(p.Pix, byte(60+2*x), byte(40+3*y), byte(150-x))
		}
	}
	return p
}

func applied(l Look) raster.Pixels {
	p := ramp()
	l.Apply(p)
	return p
}

func mean(p raster.Pixels, c int) float64 {
	sum := 0.0
	for i := c; i < len(p.Pix); i += p.Channels {
		sum += float64(p.Pix[i])
	}
	return sum / float64(len(p.Pix)/p.Channels)
}

// Each setting does what its name says, and nothing set changes nothing.
func TestLooksDoWhatTheySay(t *testing.T) {
	plain := ramp()
	assert.Equal(t, plain, applied(Look{}))
	mono := applied(Look{Saturation: -1})
	for i := 0; i < len(mono.Pix); i += 3 {
		require.InDelta(t, mono.Pix[i], mono.Pix[i+1], 1)
		require.InDelta(t, mono.Pix[i], mono.Pix[i+2], 1)
	}
	assert.Greater(t, mean(applied(Look{Light: 0.5}), 1), mean(plain, 1)+10)
	assert.Less(t, mean(applied(Look{Light: -0.5}), 1), mean(plain, 1)-10)
	warm := applied(Look{Temperature: 0.5})
	assert.Greater(t, mean(warm, 0)-mean(warm, 2), mean(plain, 0)-mean(plain, 2)+5)
	cool := applied(Look{Temperature: -0.5})
	assert.Less(t, mean(cool, 0)-mean(cool, 2), mean(plain, 0)-mean(plain, 2)-5)
	faded := applied(Look{Fade: 1})
	lowest, highest := 255, 0
	for _, v := range faded.Pix {
		lowest, highest = min(lowest, int(v)), max(highest, int(v))
	}
	assert.Greater(t, lowest, 50)
	assert.Less(t, highest, 245)
	v := applied(Look{Vignette: 1})
	assert.Less(t, int(v.Pix[0]), int(plain.Pix[0])-15, "the corner is darker")
	at := (24*64 + 32) * 3
	assert.InDelta(t, plain.Pix[at], v.Pix[at], 1, "the middle is not")
	assert.Equal(t, applied(Look{Grain: 0.5}), applied(Look{Grain: 0.5}), "grain stands still")
}

// One touch brings a dull picture to the full range, and its grey to grey.
func TestImprove(t *testing.T) {
	p := raster.Pixels{W: 100, H: 10, Channels: 3}
	for range p.H {
		for x := range p.W {
			v := 70 + x
			p.Pix = append(p.Pix, byte(v+20), byte(v), byte(v-25)) // flat, with a warm cast
		}
	}
	castBefore := mean(p, 0) - mean(p, 2)
	Look{Improve: true}.Apply(p)
	assert.Less(t, mean(p, 0)-mean(p, 2), castBefore*0.75)
	assert.Greater(t, int(p.Pix[99*3+1])-int(p.Pix[1]), 110, "wider than the 99 codes it had")
}

func TestRangesAreChecked(t *testing.T) {
	for _, n := range Named {
		assert.NoError(t, n.Look.Validate(), n.ID)
	}
	for _, bad := range []Look{{Light: 2}, {Fade: -0.1}, {Saturation: -1.5}, {Grain: 3}} {
		assert.Error(t, bad.Validate())
	}
	_, ok := ByID("mono")
	assert.True(t, ok)
	_, ok = ByID("neon")
	assert.False(t, ok)
}

// Clips get their look by a table that ffmpeg reads: its lut3d filter must
// come to the same colours as Apply, within two code values.
func TestTableAgainstFFmpeg(t *testing.T) {
	l := Look{Contrast: 0.2, Saturation: -0.4, Temperature: 0.3, Fade: 0.2}
	dir := t.TempDir()
	cube, raw := filepath.Join(dir, "l.cube"), filepath.Join(dir, "in.rgb")
	require.NoError(t, os.WriteFile(cube, []byte(l.Cube(raster.Pixels{})), 0o644))
	p := ramp()
	require.NoError(t, os.WriteFile(raw, p.Pix, 0o644))
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", "64x48",
		"-i", raw,
		"-vf", "lut3d=file="+cube+":interp=trilinear", "-f", "rawvideo", "-pix_fmt", "rgb24", "-").Output()
	require.NoError(t, err)
	l.Apply(p)
	for i := range p.Pix {
		require.InDelta(t, p.Pix[i], out[i], 2, "byte %d", i)
	}
}

// What a clip gets in parts is what a picture gets at once: levels from a
// sample by the table, and dark corners and grain laid over.
func TestClipsLookLikePictures(t *testing.T) {
	p := raster.Pixels{W: 64, H: 48, Channels: 3, Pix: make([]byte, 64*48*3)}
	for i := range p.Pix {
		p.Pix[i] = byte(70 + (i*37)%110)
	}
	clone := func() raster.Pixels {
		return raster.Pixels{W: p.W, H: p.H, Channels: 3, Pix: append([]byte(nil), p.Pix...)}
	}
	improve := Look{Improve: true}
	assert.NotEqual(t, improve.Cube(raster.Pixels{}), improve.Cube(p))
	lines := strings.Split(strings.TrimSpace(improve.Cube(p)), "\n")[1:]
	for k := range 25 {
		v := byte(math.Round(float64(k) * 255 / 24))
		q := clone()
		q.Pix[0], q.Pix[1], q.Pix[2] = v, v, v // too few to change the levels
		improve.Apply(q)
		var rgb [3]float64
		_, err := fmt.Sscan(lines[(k*25+k)*25+k], &rgb[0], &rgb[1], &rgb[2])
		require.NoError(t, err)
		for c := range 3 {
			assert.InDelta(t, float64(q.Pix[c])/255, rgb[c], 0.01)
		}
	}

	old := Look{Vignette: 0.6, Grain: 0.5}
	want, over := clone(), old.Patina(p.W, p.H)
	old.Apply(want)
	for i := range p.W * p.H {
		a := float64(over.Pix[4*i+3]) / 255
		for c := range 3 {
			got := float64(p.Pix[3*i+c])*(1-a) + float64(over.Pix[4*i+c])*a
			assert.InDelta(t, float64(want.Pix[3*i+c]), got, 12,
				"the grain is weaker on what is of its own tone")
		}
	}
	corner, middle := int(old.Patina(640, 480).Pix[3]), 0
	for x := range 16 {
		middle = max(middle, int(Look{Vignette: 0.6}.Patina(640, 480).Pix[(240*640+320+x)*4+3]))
	}
	assert.Greater(t, corner, 60)
	assert.Zero(t, middle)
}
