package rhythm

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

const rate = 48000

// clicks are short tones at given seconds; at each of every per
// a low drum is heard too.
func clicks(seconds float64, at []float64, per int) []float32 {
	out := make([]float32, 2*int(seconds*rate))
	for k, s := range at {
		drum := 0.0
		if per > 0 && k%per == 0 {
			drum = 0.5
		}
		for i := range rate / 20 {
			j := 2 * (int(math.Round(s*rate)) + i)
			if j+1 >= len(out) {
				break
			}
			v := float32(0.4*math.Sin(2*math.Pi*1000*float64(i)/rate)*math.Exp(-float64(i)/480) +
				drum*math.Sin(2*math.Pi*70*float64(i)/rate)*math.Exp(-float64(i)/1500))
			out[j], out[j+1] = out[j]+v, out[j+1]+v
		}
	}
	return out
}

func heard(p []float32) Analysis {
	l := NewListener()
	l.Write(p)
	return l.Analyse()
}

func times(beats []Beat) (out []float64) {
	for _, b := range beats {
		out = append(out, b.At)
	}
	return out
}

// F is the harmonic mean of how many beats are right and how many right ones were
// found, within 70 ms, from the fifth second on (M. E. P. Davies, N. Degara and
// M. D. Plumbley, "Evaluation methods for musical audio beat tracking algorithms",
// Queen Mary University of London, C4DM-TR-09-06, 2009).
func f(truth, found []float64) float64 {
	hits, i := 0, 0
	late := func(v []float64) (out []float64) {
		for _, x := range v {
			if x >= 5 {
				out = append(out, x)
			}
		}
		return out
	}
	truth, found = late(truth), late(found)
	for _, x := range found {
		for i < len(truth) && truth[i] < x-0.07 {
			i++
		}
		if i < len(truth) && truth[i] <= x+0.07 {
			hits, i = hits+1, i+1
		}
	}
	return 2 * float64(hits) / float64(max(1, len(truth)+len(found)))
}

// Click tracks at known tempi: the tempo within 0.5 %, beats within 20 ms.
func TestClickTracks(t *testing.T) {
	for _, bpm := range []float64{60, 76, 90, 97.3, 120, 133.7, 150} {
		var at []float64
		for s := 0.5; s < 39; s += 60 / bpm {
			at = append(at, s)
		}
		a := heard(clicks(40, at, 4))
		assert.InEpsilon(t, bpm, a.BPM, 0.005, "%g", bpm)
		require.InDelta(t, len(at), len(a.Beats), 2, "%g", bpm)
		for _, b := range a.Beats {
			near := at[0]
			for _, s := range at {
				if math.Abs(s-b.At) < math.Abs(near-b.At) {
					near = s
				}
			}
			require.InDelta(t, near, b.At, 0.02, "%g", bpm)
			require.Greater(t, b.Strength, 0.5)
		}
		assert.Greater(t, f(every4(at), downs(a.Beats)), 0.9, "bars at %g", bpm)
	}
}

func every4(v []float64) (out []float64) {
	for i := 0; i < len(v); i += 4 {
		out = append(out, v[i])
	}
	return out
}

func downs(beats []Beat) (out []float64) {
	for _, b := range beats {
		if b.Down {
			out = append(out, b.At)
		}
	}
	return out
}

// A tempo that grows by a quarter, and one that leaps, are followed.
func TestTempiThatChange(t *testing.T) {
	var grows, leaps []float64
	for s := 0.5; s < 58; s += 60 / (100 * (1 + 0.25*s/58)) {
		grows = append(grows, s)
	}
	for s := 0.5; s < 58; {
		leaps = append(leaps, s)
		if s < 29 {
			s += 60 / 96.0
		} else {
			s += 60 / 120.0
		}
	}
	assert.Greater(t, f(grows, times(heard(clicks(60, grows, 4)).Beats)), 0.95)
	assert.Greater(t, f(leaps, times(heard(clicks(60, leaps, 4)).Beats)), 0.9)
}

// Where there is no beat none is said to be: silence, a tone, noise, and the pause in
// the middle of a song.
func TestWithoutABeatThereIsNone(t *testing.T) {
	assert.Empty(t, heard(make([]float32, 2*20*rate)).Beats)
	assert.Empty(t, heard(nil).Beats)
	tone, noise := make([]float32, 2*20*rate), make([]float32, 2*20*rate)
	rng := rand.New(rand.NewPCG(1, 2))
	for i := range tone {
		tone[i] = float32(0.3 * math.Sin(2*math.Pi*220*float64(i/2)/rate))
		noise[i] = float32(rng.NormFloat64() * 0.1)
	}
	assert.Empty(t, heard(tone).Beats)
	assert.Less(t, len(heard(noise).Beats), 10)
	var at []float64
	for s := 0.5; s < 59; s += 0.5 {
		if s < 20 || s > 38 {
			at = append(at, s)
		}
	}
	for _, b := range heard(clicks(60, at, 4)).Beats {
		assert.False(t, b.At > 21 && b.At < 37, "%g", b.At)
	}
}

// Two passages, each of its own notes, are told apart, and the first is known again.
func TestSectionsAndLoops(t *testing.T) {
	p := make([]float32, 2*96*rate)
	var at []float64
	for s := 0.0; s < 96; s += 0.5 {
		at = append(at, s)
	}
	copy(p, clicks(96, at, 4))
	chord := func(root float64, from, to float64) {
		for i := int(from * rate); i < int(to*rate); i++ {
			v := 0.0
			for _, x := range []float64{1, 1.25, 1.5} {
				v += 0.05 * math.Sin(2*math.Pi*root*x*float64(i)/rate)
			}
			p[2*i], p[2*i+1] = p[2*i]+float32(v), p[2*i+1]+float32(v)
		}
	}
	for k, root := range []float64{220, 311, 220} {
		for bar := range 16 {
			at := float64(32*k + 2*bar)
			chord(root*[]float64{1, 1.122, 1.335, 1}[bar%4], at, at+2)
		}
	}
	a := heard(p)
	require.Len(t, a.Sections, 3)
	assert.InDelta(t, 32, a.Sections[1].At, 2.1)
	assert.InDelta(t, 64, a.Sections[2].At, 2.1)
	assert.Equal(t, "A", a.Sections[0].Label)
	assert.Equal(t, "B", a.Sections[1].Label)
	assert.Equal(t, "A", a.Sections[2].Label)
	require.NotEmpty(t, a.Loops)
	best := a.Loops[0]
	assert.Greater(t, best.Alike, 0.8)
	assert.InDelta(t, 0, math.Mod(best.To-best.From+0.5, 8)-0.5, 0.1, "four bars, or a passage, apart: %v",
		best)
}

// Whatever length is wanted: a version is exactly so long, plays forward in each of
// its stretches, begins with the song's beginning, and joins only where the song goes
// on alike. Without such places it is the song or a part of it.
func TestVersionsAreAsLongAsWanted(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		length := rapid.Float64Range(20, 900).Draw(t, "length")
		var loops []Loop
		for range rapid.IntRange(0, 12).Draw(t, "loops") {
			from := rapid.Float64Range(1, length-10).Draw(t, "from")
			loops = append(loops, Loop{from, from + rapid.Float64Range(4, length-from-1).Draw(t, "long"),
				rapid.Float64Range(0.4, 1).Draw(t, "alike")})
		}
		want := rapid.Float64Range(1, 1500).Draw(t, "want")
		m, ok := Arrange(length, loops, want)
		if !ok {
			require.Greater(t, want, length)
			return
		}
		sum := 0.0
		for i, s := range m.Stretches {
			require.Less(t, s.From, s.To)
			require.LessOrEqual(t, s.To, length+1e-9)
			sum += s.To - s.From
			if i > 0 {
				ok := false
				for _, l := range loops {
					ok = ok || m.Stretches[i-1].To == l.To && s.From == l.From ||
						m.Stretches[i-1].To == l.From && s.From == l.To
				}
				require.True(t, ok, "a join where the song does not go on alike")
			}
		}
		require.InDelta(t, want, sum, 1e-6)
		require.Zero(t, m.Stretches[0].From)
		require.Equal(t, len(m.Stretches)-1, m.Joins)
	})
	// By hand: a song of 100 s that says the same from 20 to 36 and from 36 to 52.
	loops := []Loop{{20, 36, 0.9}}
	m, _ := Arrange(100, loops, 116)
	assert.Equal(t, []Stretch{{0, 36}, {20, 100}}, m.Stretches)
	m, _ = Arrange(100, loops, 84)
	assert.Equal(t, []Stretch{{0, 20}, {36, 100}}, m.Stretches)
	m, _ = Arrange(100, loops, 99.5)
	assert.Equal(t, []Stretch{{0, 99.5}}, m.Stretches)
}
