package render

import (
	"encoding/csv"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// stampedSeconds are the presentation and decoding times of a stream's packets
// as ffprobe reads them.
func stampedSeconds(t *testing.T, stream []byte) (out [][2]float64) {
	path := filepath.Join(t.TempDir(), "s.ts")
	require.NoError(t, os.WriteFile(path, stream, 0o644))
	cmd := exec.Command("ffprobe", "-v", "error", "-show_entries", "packet=pts_time,dts_time", "-of",
		"csv=p=0", path)
	pipe, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	r := csv.NewReader(pipe)
	r.FieldsPerRecord = -1
	rows, err := r.ReadAll()
	require.NoError(t, err)
	require.NoError(t, cmd.Wait())
	for _, row := range rows {
		if len(row) < 2 {
			continue // side data
		}
		pts, err := strconv.ParseFloat(row[0], 64)
		require.NoError(t, err)
		dts, err := strconv.ParseFloat(row[1], 64)
		require.NoError(t, err)
		out = append(out, [2]float64{pts, dts})
	}
	return out
}

// Shifted times are read by ffprobe as those before and the shift, pictures
// and sound alike, and nothing else of the stream changes.
func TestShiftTimes(t *testing.T) {
	path := filepath.Join(t.TempDir(), "in.ts")
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=s=128x72:r=25:d=3", "-f",
		"lavfi", "-i", "sine=440:d=3",
		"-c:v", "libx264", "-bf", "2", "-c:a", "aac", "-muxdelay", "0", "-muxpreload", "0", "-f", "mpegts",
		path).CombinedOutput()
	require.NoError(t, err, string(out))
	stream, err := os.ReadFile(path)
	require.NoError(t, err)
	before := stampedSeconds(t, stream)
	require.Greater(t, len(before), 150)
	first, err := FirstTime(stream)
	require.NoError(t, err)
	shifted := append([]byte(nil), stream...)
	const by = 3600*TicksPerSecond + 12345
	require.NoError(t, ShiftTimes(shifted, by))
	moved, err := FirstTime(shifted)
	require.NoError(t, err)
	assert.Equal(t, first+by, moved)
	after := stampedSeconds(t, shifted)
	require.Len(t, after, len(before))
	for i := range before {
		assert.InDelta(t, before[i][0]+float64(by)/TicksPerSecond, after[i][0], 2e-6)
		assert.InDelta(t, before[i][1]+float64(by)/TicksPerSecond, after[i][1], 2e-6)
	}
	require.NoError(t, ShiftTimes(shifted, -by))
	assert.Equal(t, stream, shifted)

	for name, bad := range map[string][]byte{
		"cut off":       stream[:1000],
		"not one":       make([]byte, 376),
		"without times": stream[:188],
	} {
		_, err := FirstTime(bad)
		assert.ErrorIs(t, err, errNoStream, name)
	}
}

// Any time comes back from its fields, round the 33 bits.
func TestTimeFields(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := rapid.Int64Range(-tsTimes, 2*tsTimes).Draw(t, "ticks")
		b := []byte{0x21, 1, 1, 1, 1, 0xff}
		setTimestamp(b, v)
		assert.Equal(t, (v+tsTimes)%tsTimes, timestamp(b))
		assert.EqualValues(t, 0x21, b[0]&0xf1, "prefix and marker stay")
		setClock(b, v)
		assert.Equal(t, (v+tsTimes)%tsTimes, clockBase(b))
		assert.EqualValues(t, 0xff, b[5], "the extension stays")
	})
}

func FuzzShiftTimes(f *testing.F) {
	f.Add(make([]byte, tsPacket))
	packet := make([]byte, tsPacket)
	copy(packet, []byte{tsSync, 0x41, 0, 0x30, 183, 0x10})
	f.Add(packet)
	f.Fuzz(func(t *testing.T, b []byte) {
		times := func() (out []int64) {
			_ = eachTime(b, func(field []byte, clock bool) { // up to where the stream is damaged
				if clock {
					out = append(out, clockBase(field))
				} else {
					out = append(out, timestamp(field))
				}
			})
			return out
		}
		was := times()
		assert.Equal(t, ShiftTimes(b, 90) == nil, ShiftTimes(b, -90) == nil)
		assert.Equal(t, was, times())
	})
}
