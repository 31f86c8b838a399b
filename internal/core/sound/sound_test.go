package sound

import (
	"errors"
	"io"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/timecode"
)

// sine is stereo at the given amplitude.
func sine(freq, amplitude, seconds float64) []float32 {
	out := make([]float32, 2*int(seconds*timecode.SampleRate))
	for i := 0; i < len(out); i += 2 {
		v := float32(amplitude * math.Sin(2*math.Pi*freq*float64(i/2)/timecode.SampleRate))
		out[i], out[i+1] = v, v
	}
	return out
}

func measure(parts ...[]float32) *Meter {
	m := NewMeter()
	for _, p := range parts {
		m.Write(p)
	}
	return m
}

func db(v float64) float64 { return math.Pow(10, v/20) }

// EBU Tech 3341 (2016), table 1, minimum requirements test signals: case 1, a
// 1 kHz stereo sine at −23 dBFS reads −23 LUFS; case 2, at −33, −33; case 3,
// −36, −23 and −36 dBFS for 10, 60 and 10 s read −23; all to ±0.1 LU.
func TestLoudnessOfEBUTestSignals(t *testing.T) {
	assert.InDelta(t, -23, measure(sine(1000, db(-23), 20)).Integrated(), 0.1)
	assert.InDelta(t, -33, measure(sine(1000, db(-33), 20)).Integrated(), 0.1)
	assert.InDelta(t, -23, measure(sine(1000, db(-36), 10), sine(1000, db(-23), 60), sine(1000, db(-36), 10)).
		Integrated(), 0.1)
	// Case 4: −72, −36, −23, −36, −72 dBFS: the absolute gate drops the ends.
	assert.InDelta(t, -23, measure(sine(1000, db(-72), 10), sine(1000, db(-36), 10), sine(1000, db(-23), 60),
		sine(1000, db(-36), 10), sine(1000, db(-72), 10)).Integrated(), 0.1)
	assert.Equal(t, Silence, measure(make([]float32, 96000)).Integrated())
	assert.Equal(t, Silence, NewMeter().Integrated())
}

// EBU Tech 3341 (2016), table 1, as above: case 5, −26, −20 and −26 dBFS for 20, 20.1
// and 20 s read −23 LUFS integrated; case 9, −20 dBFS for 1.34 s and −30 for 1.66 s
// five times over read −23 short-term; case 12, −20 dBFS for 0.18 s and −30 for 0.22 s
// twenty-five times over read −23 momentary. EBU Tech 3342 (2016), table 1: cases 1 to 4.
func TestShortLoudnessAndRangeOfEBUTestSignals(t *testing.T) {
	assert.InDelta(t, -23, measure(sine(1000, db(-26), 20), sine(1000, db(-20), 20.1),
		sine(1000, db(-26), 20)).Integrated(), 0.1)
	var short, moment [][]float32
	for range 5 {
		short = append(short, sine(1000, db(-20), 1.34), sine(1000, db(-30), 1.66))
	}
	for range 25 {
		moment = append(moment, sine(1000, db(-20), 0.18), sine(1000, db(-30), 0.22))
	}
	assert.InDelta(t, -23, measure(short...).ShortTerm(), 0.1)
	assert.InDelta(t, -23, measure(moment...).Momentary(), 0.1)
	for i, c := range []struct {
		levels []float64
		lu     float64
	}{{[]float64{-20, -30}, 10}, {[]float64{-20, -15}, 5}, {[]float64{-40, -20}, 20},
		{[]float64{-50, -35, -20, -35, -50}, 15}} {
		var parts [][]float32
		for _, l := range c.levels {
			parts = append(parts, sine(1000, db(l), 20))
		}
		assert.InDelta(t, c.lu, measure(parts...).Range(), 1, "case %d", i+1)
	}
	assert.Zero(t, NewMeter().Range())
	assert.Equal(t, Silence, NewMeter().ShortTerm())
}

// EBU Tech 3341 (2016), table 1, cases 15 to 19: sines at a fraction of the sample rate
// with a phase that puts no sample on their peak; the true peak is read to +0.2 and
// −0.4 dB (fractions, phases and levels from memory).
func TestTruePeakOfEBUTestSignals(t *testing.T) {
	for n, c := range []struct{ of, phase, amplitude, dbtp float64 }{
		{4, 0, 0.5, -6}, {4, 45, 0.5, -6}, {6, 60, 0.5, -6}, {8, 67.5, 0.5, -6}, {4, 45, 1.41, 3},
	} {
		var p []float32
		for i := range 48000 {
			// It comes in and goes out softly: cut off, it would have peaks of its own.
			soft := math.Min(1, math.Min(float64(i), float64(47999-i))/4800)
			v := float32(soft * c.amplitude * math.Sin(2*math.Pi*float64(i)/c.of+c.phase*math.Pi/180))
			p = append(p, v, v)
		}
		got := measure(p).PeakDB()
		assert.LessOrEqual(t, got, c.dbtp+0.2, "case %d", 15+n)
		assert.GreaterOrEqual(t, got, c.dbtp-0.4, "case %d", 15+n)
	}
	assert.True(t, math.IsInf(NewMeter().PeakDB(), -1))
}

func TestSongsAreMadeAsLoudAsEachOther(t *testing.T) {
	assert.InDelta(t, db(4), Gain(-20, -16), 1e-12)
	assert.InDelta(t, db(-6), Gain(-10, -16), 1e-12)
	assert.InDelta(t, db(20), Gain(-60, -16), 1e-12)
	assert.Equal(t, 1.0, Gain(Silence, -16))
}

func TestSilenceAtTheEnds(t *testing.T) {
	var s Still
	s.Write(make([]float32, 2*24000))
	s.Write(sine(440, 0.5, 1))
	s.Write(make([]float32, 2*72000))
	lead, tail := s.Ends()
	assert.InDelta(t, 0.5, lead, 0.001)
	assert.InDelta(t, 1.5, tail, 0.001)
	var none Still
	none.Write(make([]float32, 96000))
	lead, tail = none.Ends()
	assert.Equal(t, 1.0, lead)
	assert.Zero(t, tail)
}

type slice struct {
	p    []float32
	fail error
}

func (s *slice) Read(p []float32) (int, error) {
	if len(s.p) == 0 {
		if s.fail != nil {
			return 0, s.fail
		}
		return 0, io.EOF
	}
	n := copy(p, s.p)
	s.p = s.p[n:]
	return n, nil
}

func ones(n Samples) *slice {
	p := make([]float32, 2*n)
	for i := range p {
		p[i] = 1
	}
	return &slice{p: p}
}

func mixed(t require.TestingT, tr Track) []float32 {
	var out []float32
	require.NoError(t, tr.Mix(&Memory{}, func(p []float32) error { out = append(out, p...); return nil }))
	return out
}

func TestMixJoinsFadesAndPads(t *testing.T) {
	out := mixed(t, Track{
		// the second gives more than it says
		Music: []Part{{
			Source: ones(1000),
			Length: 1000,
			Gain:   0.5,
		}, {Source: ones(1100), At: 1000, Length: 1000, Gain: 0.25}},
		FadeIn: 100, FadeOut: 200, Total: 2500,
	})
	require.Len(t, out, 5000)
	assert.Zero(t, out[0])
	assert.InDelta(t, 0.25, out[2*50], 0.01, "half-way through the fade in")
	assert.InDelta(t, 0.5, out[2*999], 1e-6)
	assert.InDelta(t, 0.25, out[2*1000], 1e-6, "songs follow without a gap")
	assert.InDelta(t, 0.125, out[2*1899], 0.01, "half-way through the fade out")
	assert.InDelta(t, 0, out[2*1999], 1e-6, "faded out where the music ends")
	assert.Zero(t, out[2*2400], "silence after the music")

	out = mixed(t, Track{
		Music:   []Part{{Source: ones(5000), Length: 5000, Gain: 0.5}},
		FadeOut: 100,
		Total:   1000,
	})
	assert.InDelta(t, 0, out[2*999], 1e-6, "music longer than the film fades out with it")
	assert.InDelta(t, 0.5, out[2*800], 1e-6)
}

// Whatever songs say and give, the track is exactly as long as the film and
// never above full scale.
func TestMixIsExactlyAsLongAsTheFilm(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		tr := Track{
			Total:   Samples(rapid.IntRange(0, 20000).Draw(t, "total")),
			FadeIn:  Samples(rapid.IntRange(0, 9000).Draw(t, "in")),
			FadeOut: Samples(rapid.IntRange(0, 9000).Draw(t, "out")),
		}
		for range rapid.IntRange(0, 4).Draw(t, "songs") {
			tr.Music = append(tr.Music, Part{
				Source: ones(Samples(rapid.IntRange(0, 9000).Draw(t, "gives"))),
				At:     Samples(rapid.IntRange(0, 9000).Draw(t, "at")),
				Length: Samples(rapid.IntRange(0, 9000).Draw(t, "says")),
				Gain:   rapid.Float64Range(0, 4).Draw(t, "gain"),
				FadeIn: Samples(rapid.IntRange(0, 5000).Draw(t, "fade")),
				Points: []Point{{At: 10, Gain: 2}, {
					At:   900,
					Gain: 0,
				}},
			})
		}
		out := mixed(t, tr)
		require.Len(t, out, int(2*tr.Total))
		for _, v := range out {
			require.LessOrEqual(t, math.Abs(float64(v)), db(CeilingDB)+1e-6)
		}
	})
}

func TestMixPassesErrorsOn(t *testing.T) {
	broken := errors.New("broken")
	err := Track{
		Music: []Part{{Source: &slice{fail: broken}, Length: 10, Gain: 1}},
		Total: 10,
	}.Mix(nil, func([]float32) error { return nil })
	assert.ErrorIs(t, err, broken)
	assert.ErrorContains(t, err, "song 1")
	assert.ErrorIs(t, Track{Total: 10}.Mix(nil, func([]float32) error { return broken }), broken)
}

func TestPeaks(t *testing.T) {
	var p Peaks
	p.Write(sine(440, 0.5, 1))
	require.Len(t, p.All, PeaksPerSecond)
	for _, v := range p.All {
		assert.InDelta(t, 127, v, 2)
	}
}

// Clips' own sound is heard where they play, at their level, fading in and
// out, over the songs, and never above full scale.
func TestClipsAreHeardOverSongs(t *testing.T) {
	out := mixed(t, Track{
		Music: []Part{{Source: ones(4000), Length: 4000, Gain: 0.25}},
		Over: []Part{{
			Source:  ones(5000),
			At:      1000,
			Length:  2000,
			Gain:    0.5,
			FadeIn:  100,
			FadeOut: 100,
		}, {Source: ones(10), At: 3500, Length: 200, Gain: 0.3}},
		Total: 4000,
	})
	require.Len(t, out, 8000)
	assert.InDelta(t, 0.25, out[2*500], 1e-6)
	assert.InDelta(t, 0.5, out[2*1050], 0.02, "half-way through its fade")
	assert.InDelta(t, 0.75, out[2*2000], 1e-6)
	assert.InDelta(t, 0.25, out[2*2999], 1e-3, "faded out at its end")
	assert.InDelta(t, 0.25, out[2*3200], 1e-6)
	assert.InDelta(t, 0.55, out[2*3505], 1e-6)
	assert.InDelta(t, 0.25, out[2*3600], 1e-6, "a clip with less sound than it lasts is silent then")
	broken := errors.New("broken")
	err := Track{
		Over:  []Part{{Source: &slice{fail: broken}, Length: 10, Gain: 1}},
		Total: 10,
	}.Mix(nil, func([]float32) error { return nil })
	assert.ErrorIs(t, err, broken)
	assert.ErrorContains(t, err, "clip 1")
}

// A volume line runs straight from point to point, and level outside; fades of
// the part's own come on top.
func TestVolumeLine(t *testing.T) {
	out := mixed(t, Track{
		Over: []Part{{
			Source:  ones(4000),
			Length:  4000,
			Gain:    0.5,
			FadeOut: 400,
			Points:  []Point{{At: 1000, Gain: 1}, {At: 2000, Gain: 0.2}},
		}},
		Total: 4000,
	})
	assert.InDelta(t, 0.5, out[2*10], 1e-6)
	assert.InDelta(t, 0.5, out[2*1000], 1e-6)
	assert.InDelta(t, 0.3, out[2*1500], 1e-6)
	assert.InDelta(t, 0.1, out[2*2500], 1e-6)
	assert.InDelta(t, 0.05, out[2*3799], 1e-3, "half-way through the fade out")
}

// A song that gives way to another with equal power keeps its loudness: two noises of
// the same power, crossed, have it everywhere (sin² + cos² = 1).
func TestCrossFadesKeepTheirPower(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 1))
	noise := func(n int) *slice {
		p := make([]float32, 2*n)
		for i := range p {
			p[i] = float32(rng.NormFloat64() * 0.05)
		}
		return &slice{p: p}
	}
	out := mixed(t, Track{Music: []Part{
		{Source: noise(96000), Length: 96000, Gain: 1, FadeOut: 48000, OutShape: Power},
		{Source: noise(96000), At: 48000, Length: 96000, Gain: 1, FadeIn: 48000, InShape: Power},
	}, Total: 144000})
	for from := 24000; from < 120000; from += 8000 {
		sum := 0.0
		for _, v := range out[2*from : 2*(from+8000)] {
			sum += float64(v) * float64(v)
		}
		assert.InDelta(t, 0.05, math.Sqrt(sum/16000), 0.002, "at %d", from)
	}
	even := Part{Length: 1000, FadeIn: 100, FadeOut: 100, InShape: Even, OutShape: Even}
	assert.InDelta(t, 0.25, even.level(25), 1e-9)
	assert.InDelta(t, 0.25, even.level(974), 1e-9)
}

// A track is brought to its loudness, and its true peak never passes −1 dBTP by the
// meter of BS.1770-4 annex 2, whatever is in it.
func TestTracksAreBroughtToTheirLoudness(t *testing.T) {
	for _, target := range []float64{-14, -23} {
		out := mixed(t, Track{
			Music: []Part{{
				Source: &slice{p: append(sine(1000, 0.05, 6), sine(440, 0.9, 4)...)},
				Length: 480000,
				Gain:   1,
			}},
			Total: 480000,
			LUFS:  target,
		})
		m := measure(out)
		assert.InDelta(t, target, m.Integrated(), 0.3)
		assert.LessOrEqual(t, m.PeakDB(), CeilingDB+0.05)
	}
	rapid.Check(t, func(t *rapid.T) {
		p := make([]float32, 2*20000)
		hz, phase, amp := rapid.Float64Range(20, 20000).Draw(t, "hz"), rapid.Float64Range(0, 6).
			Draw(t, "phase"), rapid.Float64Range(0, 4).Draw(t, "amplitude")
		burst := rapid.IntRange(1, 20000).Draw(t, "burst")
		for i := range burst {
			p[2*i], p[2*i+1] = float32(amp*math.Sin(2*math.Pi*hz*float64(i)/48000+phase)),
				float32(amp*math.Cos(2*math.Pi*hz*float64(i)/48000))
		}
		out := mixed(t, Track{Music: []Part{{Source: &slice{p: p}, Length: 20000, Gain: 1}}, Total: 20000})
		require.LessOrEqual(t, measure(out).PeakDB(), CeilingDB+0.1)
		again := mixed(t, Track{Music: []Part{{Source: &slice{p: p}, Length: 20000, Gain: 1}}, Total: 20000})
		require.Equal(t, out, again)
	})
	quiet := sine(300, 0.2, 1)
	assert.Equal(t, quiet, mixed(t, Track{
		Music: []Part{{Source: &slice{p: quiet}, Length: 48000, Gain: 1}},
		Total: 48000,
	}), "what is below the ceiling is left alone, sample for sample")
}

// Music gives way before the first word, stays down over short pauses, and comes back.
func TestMusicGivesWayToAVoice(t *testing.T) {
	voice := make([]float32, 2*48000*8)
	copy(voice[2*48000*1:], sine(300, 0.3, 2)) // speaks at 1 to 3 and 3.3 to 4 s
	copy(voice[2*48000*33/10:], sine(300, 0.3, 0.7))
	at := Samples(48000 * 4)
	spoken, err := Listen(Part{Source: &slice{p: voice}, At: at, Length: 48000 * 8})
	require.NoError(t, err)
	require.Len(t, spoken, 1)
	assert.InDelta(t, 5*48000, float64(spoken[0].From), 600)
	assert.InDelta(t, 8*48000, float64(spoken[0].To), 600)
	out := mixed(t, Track{
		Music: []Part{{Source: ones(48000 * 16), Length: 48000 * 16, Gain: 0.5}},
		Duck: Duck{
			DB:      -12,
			Attack:  48000 / 2,
			Release: 48000,
			Ahead:   48000 / 4,
			Spoken:  spoken,
		}, Total: 48000 * 16,
	})
	level := func(seconds float64) float64 { return float64(out[2*int(seconds*48000)]) }
	assert.InDelta(t, 0.5, level(4.2), 1e-3)
	assert.InDelta(t, 0.5*db(-12), level(4.76), 1e-2, "down before the first word")
	assert.InDelta(t, 0.5*db(-12), level(7.15), 1e-2)
	assert.InDelta(t, 0.5, level(9.1), 1e-2)
	none, err := Listen(Part{Source: &slice{}, Length: 48000})
	require.NoError(t, err)
	assert.Empty(t, none, "silence is not spoken")
	broken := errors.New("broken")
	_, err = Listen(Part{Source: &slice{fail: broken}, Length: 48000})
	assert.ErrorIs(t, err, broken)
}
