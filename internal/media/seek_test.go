package media

import (
	"bytes"
	"context"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// A clip shows the same frame at the same moment wherever its decoder began, so
// that a film does not depend on who makes which part of it.
func TestClipsAreTheSameFromAnywhere(t *testing.T) {
	dir := t.TempDir()
	for _, c := range []struct {
		source string
		rate   timecode.Rate
		ending string
	}{{"30", timecode.Rate{
		Num: 25,
		Den: 1,
	}, ".mkv"}, {"30", timecode.Rate{
		Num: 25,
		Den: 1,
	}, ".ts"}, {"24", timecode.Rate{
		Num: 25,
		Den: 1,
	}, ".avi"}, {"30", timecode.Rate{
		Num: 25,
		Den: 1,
	}, ".mp4"}, {"24", timecode.Rate{
		Num: 25,
		Den: 1,
	}, ".mp4"}, {"10", timecode.Rate{
		Num: 25,
		Den: 1,
	}, ".mp4"}, {"25", timecode.Rate{
		Num: 30,
		Den: 1,
	}, ".mp4"}, {"25", timecode.Rate{
		Num: 25,
		Den: 1,
	}, ".mp4"}, {"30000/1001", timecode.Rate{Num: 24, Den: 1}, ".mp4"}} {
		clip := filepath.Join(dir, "clip"+c.ending)
		out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i",
			"testsrc2=d=4:s=160x90:r="+c.source, "-g", "12", "-pix_fmt", "yuv420p", clip).CombinedOutput()
		require.NoError(t, err, string(out))
		frames := func(begin float64, from, n timecode.Frames) (list [][]byte) {
			s, err := openClip(context.Background(), clipFile{
				path:   clip,
				starts: doc.Anywhere,
			}, scene.Asset{W: 160, H: 90}, raster.BT709, c.rate, begin, from)
			require.NoError(t, err)
			defer s.close()
			for i := range n {
				f, _, err := s.frame(from + i)
				require.NoError(t, err)
				list = append(list, bytes.Clone(f.Y))
			}
			return list
		}
		for _, begin := range []float64{0, 1.31} {
			whole := frames(begin, 0, 60)
			for _, from := range []timecode.Frames{1, 3, 7, 13, 25, 26, 41} {
				for i, f := range frames(begin, from, 4) {
					assert.True(t, bytes.Equal(whole[int(from)+i], f),
						"%s%s to %v: frame %d from %.2f s, begun at %d", c.source, c.ending, c.rate,
						int(from)+i, begin, from)
				}
			}
		}
	}
}
