package timecode

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestRatesRoundTripByName(t *testing.T) {
	for _, n := range named {
		got, err := ParseRate(n.name)
		require.NoError(t, err)
		assert.Equal(t, n.rate, got)
		got, err = ParseRate(n.rate.Fraction())
		require.NoError(t, err)
		assert.Equal(t, n.name, got.String())
	}
	_, err := ParseRate("31")
	assert.ErrorContains(t, err, "29.97")
	assert.False(t, Rate{31, 1}.Valid())
}

// SMPTE ST 12-1, drop-frame counting: the first two frame numbers of every
// minute are dropped except every tenth minute, so ten minutes hold 17,982
// frames at 30000/1001 and one hour 107,892.
func TestDropFrame(t *testing.T) {
	for _, c := range []struct {
		rate Rate
		n    Frames
		tc   string
	}{
		{R2997, 0, "0:00:00;00"},
		{R2997, 1799, "0:00:59;29"},
		{R2997, 1800, "0:01:00;02"},
		{R2997, 17981, "0:09:59;29"},
		{R2997, 17982, "0:10:00;00"},
		{R2997, 107892, "1:00:00;00"},
		{R5994, 3599, "0:00:59;59"},
		{R5994, 3600, "0:01:00;04"},
		{R5994, 35964, "0:10:00;00"},
		{R25, 17 * 25, "0:00:17:00"},
		{R30, 17982, "0:09:59:12"},
		{R24, 86400, "1:00:00:00"},
		{R23976, 24 * 60, "0:01:00:00"},
	} {
		assert.Equal(t, c.tc, c.rate.Timecode(c.n))
		back, err := c.rate.ParseTimecode(c.tc)
		require.NoError(t, err)
		assert.Equal(t, c.n, back)
	}
	for _, bad := range []string{"0:01:00;00", "0:01:00;01", "0:60:00;02", "0:00:00;30", "x", "0:0:a;1"} {
		_, err := R2997.ParseTimecode(bad)
		assert.Error(t, err, bad)
	}
}

func TestTimecodeRoundTrip(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := named[rapid.IntRange(0, len(named)-1).Draw(t, "rate")].rate
		n := Frames(rapid.Int64Range(0, 24*3600*60).Draw(t, "n"))
		back, err := r.ParseTimecode(r.Timecode(n))
		require.NoError(t, err)
		assert.Equal(t, n, back)
		assert.Equal(t, n, r.FramesIn(r.SampleAt(n)), "frame to sample and back")
		assert.Equal(t, n, r.Frames(r.Seconds(n)))
	})
}

// Worked by hand: five frames at 30000/1001 are exactly 8,008 samples at
// 48 kHz, the well-known five-frame cadence of 29.97 (common practice, no source).
func TestSamples(t *testing.T) {
	assert.Equal(t, Samples(8008), R2997.SampleAt(5))
	assert.Equal(t, Samples(1920), R25.SampleAt(1))
	assert.Equal(t, Samples(1602), R2997.SampleAt(1))
	assert.Equal(t, Frames(17982), R2997.FramesIn(600*SampleRate))
}

func TestClock(t *testing.T) {
	assert.Equal(t, "2:25.9", Clock(145.94))
	assert.Equal(t, "0:00.0", Clock(-0.01))
	assert.Equal(t, "−0:05.1", Clock(-5.1))
	assert.Equal(t, "1:00.0", Clock(59.96))
}

func FuzzParseTimecode(f *testing.F) {
	f.Add("0:10:00;00")
	f.Add("-1:00:00:00")
	f.Fuzz(func(t *testing.T, s string) {
		for _, n := range named {
			if v, err := n.rate.ParseTimecode(s); err == nil && v < 0 {
				t.Fatalf("%q gave %d", s, v)
			}
		}
	})
}
