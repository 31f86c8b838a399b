package demo

import (
	"context"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/demo/synth"
	"nelko/internal/media"
)

// fMeasure is as in package rhythm's tests: hits within 70 ms, from the fifth second on
// (M. E. P. Davies, N. Degara and M. D. Plumbley, "Evaluation methods for musical audio
// beat tracking algorithms", C4DM-TR-09-06, 2009).
func fMeasure(truth, found []float64) float64 {
	hits, all := 0, 0
	for _, x := range found {
		if x < 5 {
			continue
		}
		all++
		for _, y := range truth {
			if math.Abs(x-y) <= 0.07 {
				hits++
				break
			}
		}
	}
	for _, y := range truth {
		if y >= 5 {
			all++
		}
	}
	return 2 * float64(hits) / float64(max(1, all))
}

// Songs of the demo have known beats: they are found, their tempo within 0.5 %, and no
// worse than by aubio, a beat tracker of Debian's, where that is installed.
func TestTheBeatsOfTheDemosSongs(t *testing.T) {
	require.NoError(t, media.Startup())
	ctx := context.Background()
	ours, theirs := 0.0, 0.0
	// The two that are made soonest; the others were heard as well when this was written.
	pieces := []synth.Piece{bell, songs["kiln"]}
	for _, p := range pieces {
		b, err := songFile(ctx, p)
		require.NoError(t, err)
		path := filepath.Join(t.TempDir(), "song.flac")
		require.NoError(t, os.WriteFile(path, b, 0o644))
		m, _, err := media.Probe(ctx, path, "song.flac")
		require.NoError(t, err)
		var truth, found, other []float64
		for k := range 4 * p.Bars {
			truth = append(truth, float64(k)*60/p.BPM)
		}
		for _, x := range m.Heard.Rhythm.Beats {
			found = append(found, x.At)
		}
		f := fMeasure(truth, found)
		assert.GreaterOrEqual(t, f, 0.9, p.Name)
		assert.InEpsilon(t, p.BPM, m.Heard.Rhythm.BPM, 0.005, p.Name)
		againstFFmpeg(t, path, m)
		out, err := exec.Command("aubio", "beat", path).Output()
		if err != nil {
			t.Logf("aubio does not answer: %v", err)
			continue
		}
		for _, line := range strings.Fields(string(out)) {
			v, err := strconv.ParseFloat(line, 64)
			require.NoError(t, err)
			other = append(other, v)
		}
		ours, theirs = ours+f, theirs+fMeasure(truth, other)
	}
	assert.GreaterOrEqual(t, ours, theirs)
	t.Logf("F-measure %.3f, aubio %.3f", ours/float64(len(pieces)), theirs/float64(len(pieces)))
}

// againstFFmpeg compares loudness, range and true peak of music with those of ffmpeg's
// meter, ebur128.
func againstFFmpeg(t *testing.T, path string, m doc.Media) {
	text, err := exec.Command("ffmpeg", "-nostats", "-i", path, "-af", "ebur128=peak=true", "-f", "null",
		"-").CombinedOutput()
	require.NoError(t, err)
	_, summary, _ := strings.Cut(string(text), "Summary:")
	for pattern, c := range map[string]struct{ ours, within float64 }{
		`I:\s+(\S+) LUFS`:    {m.LUFS, 0.1},
		`LRA:\s+(\S+) LU`:    {m.Heard.RangeLU, 0.5},
		`Peak:\s+(\S+) dBFS`: {m.PeakDB, 0.3},
	} {
		found := regexp.MustCompile(pattern).FindStringSubmatch(summary)
		require.NotNil(t, found, "%s in %s", pattern, summary)
		v, err := strconv.ParseFloat(found[1], 64)
		require.NoError(t, err)
		assert.InDelta(t, v, c.ours, c.within, "%s of %s", pattern, m.Name)
	}
}
