package render

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// muddled draws one picture in place of another while on.
type muddled struct {
	Lane
	draw func(scene.Asset, *raster.Sprite) *raster.Sprite
}

func (m muddled) Sprite(a scene.Asset, matrix raster.Matrix) (*raster.Sprite, error) {
	s, err := m.Lane.Sprite(a, matrix)
	if err == nil && (a.Kind == scene.Photo || a.Kind == scene.Print) && a.Media == "3" {
		return m.draw(a, s), nil
	}
	return s, err
}

// A film whose file shows anything else than is drawn is not called verified: the
// slide is named. What was drawn while it was encoded went wrong here, and is
// right when it is compared.
func TestWrongPicturesAreNoticed(t *testing.T) {
	_, job := tiny(t, timecode.R25, 14)
	green := func(_ scene.Asset, s *raster.Sprite) *raster.Sprite {
		g := &raster.Sprite{
			W: s.W,
			H: s.H,
			Y: make([]byte, len(s.Y)),
			U: make([]byte, len(s.U)),
			V: make([]byte, len(s.V)),
			A: s.A,
		}
		return g // luma and chroma of nothing: what a decoder leaves where it fails
	}
	corner := func(_ scene.Asset, s *raster.Sprite) *raster.Sprite {
		c := *s
		c.Y = append([]byte(nil), s.Y...)
		for y := s.H / 4; y < s.H/2; y++ {
			for x := s.W / 4; x < s.W/2; x++ {
				c.Y[y*s.W+x] ^= 0x80
			}
		}
		return &c
	}
	for name, draw := range map[string]func(scene.Asset, *raster.Sprite) *raster.Sprite{
		"green":    green,
		"a corner": corner,
	} {
		j := job()
		lanes, first := j.Lanes, true
		j.Cache = &folder{dir: t.TempDir()}
		j.Lanes = func(ctx context.Context) Lane {
			if first {
				return muddled{lanes(ctx), draw}
			}
			return lanes(ctx)
		}
		j.Workers = 1
		j.Progress = func(done, total timecode.Frames) { first = first && done < total }
		j.Out = filepath.Join(t.TempDir(), "film.mp4")
		_, err := Film(context.Background(), j)
		require.ErrorContains(t, err, "another picture than was drawn", name)
		id := doc.MediaID("3")
		for i, s := range j.Film.Doc.Slides {
			if len(s.Media) > 0 && s.Media[0] == id {
				assert.Regexp(t, fmt.Sprintf(`slide [%d%d]`, i, i+1), err.Error(), "it, or the one it joins")
			}
		}
		_, err = os.Stat(j.Out)
		assert.ErrorIs(t, err, os.ErrNotExist, "nothing is delivered")
		_, err = Film(context.Background(), j)
		assert.NoError(t, err, "what is wrong is not kept")
	}
}

// The film is looked at in every segment and every slide, in other places than the
// film beside it.
func TestEverySegmentIsLookedAt(t *testing.T) {
	f, job := tiny(t, timecode.R25, 14)
	j := job()
	all, err := j.places()
	require.NoError(t, err)
	segs, err := f.Segments()
	require.NoError(t, err)
	for _, s := range segs {
		found := false
		for _, p := range all {
			found = found || p.at >= s.From && p.at < s.To
		}
		assert.True(t, found, "frames %d to %d", s.From, s.To)
	}
	slides := map[int]bool{}
	for i, p := range all {
		slides[p.slide] = true
		assert.True(t, i == 0 || p.at > all[i-1].at)
		assert.Less(t, p.at, f.Frames())
	}
	assert.Len(t, slides, len(f.Scene.Slides))
}

// Ratios as the formula says, by hand: a difference of 16 everywhere is 10
// log10(255²/256) = 24.05 dB; one of 64 in one tile of four, of one plane of three, is
// a mean square of 4096/12 over the whole, and of 4096/3 in that tile.
func TestRatios(t *testing.T) {
	a, b := make([]byte, 3*16*16), make([]byte, 3*16*16)
	for i := range b {
		b[i] = 16
	}
	whole, tile := ratios(a, b, 16, 16)
	assert.InDelta(t, 24.05, whole, 0.01)
	assert.InDelta(t, 24.05, tile, 0.01)
	b = make([]byte, len(a))
	for y := range 8 {
		for x := range 8 {
			b[y*16+x] = 64
		}
	}
	whole, tile = ratios(a, b, 16, 16)
	assert.InDelta(t, 22.80, whole, 0.01)
	assert.InDelta(t, 16.78, tile, 0.01)
}

// Of a film with thousands of slides every frame that is to be compared is got from ffmpeg, and
// no other.
func TestAnyNumberOfFramesIsLookedAt(t *testing.T) {
	for _, n := range []int{1, 2, 101, 6000} {
		all := make([]place, n)
		for i := range all {
			all[i].at = timecode.Frames(3 * i)
			if i%7 == 0 {
				all[i].at++
			}
		}
		cmd := exec.CommandContext(t.Context(), "ffmpeg", "-v", "error", "-f", "lavfi", "-i",
			"color=s=2x2:r=25", "-frames:v", fmt.Sprint(n),
			"-fps_mode", "passthrough", "-filter_script:v", "pipe:0", "-pix_fmt", "gray", "-f", "rawvideo",
			"-")
		cmd.Stdin = strings.NewReader("format=gray,geq=lum='mod(N,251)',select='" + oneOf(all) + "'")
		got, err := cmd.Output()
		require.NoError(t, err)
		require.Len(t, got, 4*n)
		for i, p := range all {
			require.EqualValues(t, p.at%251, got[4*i], "frame %d", p.at)
		}
	}
}
