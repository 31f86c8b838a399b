// Package sound measures and mixes soundtracks: 48 kHz stereo float samples,
// interleaved left and right, full scale at ±1.
package sound

import (
	"math"
	"slices"

	"nelko/internal/core/timecode"
)

// Silence is the loudness reported for sound below the absolute gate.
const Silence = -70.0

// biquad is a second-order section in transposed direct form II.
type biquad struct{ b0, b1, b2, a1, a2, z1, z2 float64 }

func (f *biquad) step(x float64) float64 {
	y := f.b0*x + f.z1
	f.z1 = f.b1*x - f.a1*y + f.z2
	f.z2 = f.b2*x - f.a2*y
	return y
}

// kWeighting are the two stages of ITU-R BS.1770-4 annex 1, tables 1 and 2,
// at 48 kHz.
func kWeighting() [2]biquad {
	return [2]biquad{
		{
			b0: 1.53512485958697,
			b1: -2.69169618940638,
			b2: 1.19839281085285,
			a1: -1.69065929318241,
			a2: 0.73248077421585,
		},
		{b0: 1, b1: -2, b2: 1, a1: -1.99004745483398, a2: 0.99007225036621},
	}
}

// Meter measures integrated loudness (ITU-R BS.1770-4 annex 1) and true peak
// (annex 2) of a stereo stream.
type Meter struct {
	filters  [2][2]biquad
	quarter  float64   // sum of squares in the present 100 ms
	filled   int       // samples in it
	quarters []float64 // sums of the 100 ms steps so far
	history  [2][peakTaps]float64
	at       int
	peak     float64
	loudOnly bool // true peaks are not looked for
}

const (
	stepSamples = timecode.SampleRate / 10 // gating blocks of 400 ms overlap by 75 %
	peakTaps    = 12
	peakPhases  = 4
)

// NewMeter returns a meter that has heard nothing.
func NewMeter() *Meter {
	return &Meter{filters: [2][2]biquad{kWeighting(), kWeighting()}}
}

// interpolation is a four-times oversampling filter of 4×12 taps: a sinc
// under a Kaiser-like raised cosine, in place of the example coefficients of
// BS.1770-4 annex 2, which it matches in length and passband.
var interpolation = func() (f [peakPhases][peakTaps]float64) {
	for p := range f {
		sum := 0.0
		for k := range f[p] {
			x := float64(k) - peakTaps/2 + 1 - float64(p)/peakPhases
			s := 1.0
			if x != 0 {
				s = math.Sin(math.Pi*x) / (math.Pi * x)
			}
			f[p][k] = s * (0.5 + 0.5*math.Cos(math.Pi*x/(peakTaps/2+0.5)))
			sum += f[p][k]
		}
		for k := range f[p] {
			f[p][k] /= sum
		}
	}
	return f
}()

// Write hears interleaved stereo samples; an odd last value is ignored.
func (m *Meter) Write(p []float32) {
	for i := 0; i+1 < len(p); i += 2 {
		for c := 0; c < 2; c++ {
			x := float64(p[i+c])
			y := m.filters[c][1].step(m.filters[c][0].step(x))
			m.quarter += y * y
			if !m.loudOnly {
				m.truePeak(c, x)
			}
		}
		m.at = (m.at + 1) % peakTaps
		if m.filled++; m.filled == stepSamples {
			m.quarters = append(m.quarters, m.quarter)
			m.quarter, m.filled = 0, 0
		}
	}
}

func (m *Meter) truePeak(c int, x float64) {
	h := &m.history[c]
	h[m.at] = x
	for p := range interpolation {
		v := 0.0
		for k, w := range interpolation[p] {
			v += w * h[(m.at+1+k)%peakTaps]
		}
		m.peak = math.Max(m.peak, math.Abs(v))
	}
}

// Integrated is the gated loudness of all that was heard, in LUFS; Silence if
// nothing passes the gate.
func (m *Meter) Integrated() float64 {
	var blocks []float64
	for i := 3; i < len(m.quarters); i++ {
		sum := m.quarters[i] + m.quarters[i-1] + m.quarters[i-2] + m.quarters[i-3]
		blocks = append(blocks, sum/(4*stepSamples))
	}
	gate := func(above float64) float64 {
		sum, n := 0.0, 0
		for _, b := range blocks {
			if lufs(b) > above {
				sum, n = sum+b, n+1
			}
		}
		if n == 0 {
			return 0
		}
		return sum / float64(n)
	}
	absolute := gate(Silence)
	if absolute == 0 {
		return Silence
	}
	return lufs(gate(lufs(absolute) - 10))
}

// over lists the loudness of each stretch of n steps, one every step.
func (m *Meter) over(n int) (out []float64) {
	sum := 0.0
	for i, q := range m.quarters {
		sum += q
		if i >= n {
			sum -= m.quarters[i-n]
		}
		if i >= n-1 {
			out = append(out, lufs(max(0, sum)/float64(n*stepSamples)))
		}
	}
	return out
}

// Momentary is the greatest loudness of 400 ms (EBU Tech 3341), in LUFS.
func (m *Meter) Momentary() float64 { return greatest(m.over(4)) }

// ShortTerm is the greatest loudness of 3 s (EBU Tech 3341), in LUFS.
func (m *Meter) ShortTerm() float64 { return greatest(m.over(30)) }

func greatest(v []float64) float64 {
	top := Silence
	for _, x := range v {
		top = math.Max(top, x)
	}
	return top
}

// Range is the loudness range (EBU Tech 3342) in LU: from the 10th to the 95th of a
// hundred of the loudness of 3 s, of what is not far below the rest.
func (m *Meter) Range() float64 {
	var loud []float64
	power := 0.0
	for _, x := range m.over(30) {
		if x > Silence {
			loud = append(loud, x)
			power += math.Pow(10, x/10)
		}
	}
	if len(loud) == 0 {
		return 0
	}
	gate := 10*math.Log10(power/float64(len(loud))) - 20
	loud = slices.DeleteFunc(loud, func(x float64) bool { return x < gate })
	slices.Sort(loud)
	at := func(part float64) float64 { return loud[int(math.Round(part*float64(len(loud)-1)))] }
	return at(0.95) - at(0.1)
}

func lufs(meanSquare float64) float64 {
	if meanSquare <= 0 {
		return math.Inf(-1)
	}
	return -0.691 + 10*math.Log10(meanSquare)
}

// PeakDB is the true peak in dBTP.
func (m *Meter) PeakDB() float64 {
	if m.peak == 0 {
		return math.Inf(-1)
	}
	return 20 * math.Log10(m.peak)
}

// CeilingDB is the highest true peak a song may reach (EBU R 128-2023 asks
// for at most −1 dBTP).
const CeilingDB = -1

// Gain is the factor that brings a song of the given loudness to the target. What
// that lifts above the ceiling the mix's limiter holds; a song is lifted by at most 20 dB.
func Gain(measuredLUFS, targetLUFS float64) float64 {
	if measuredLUFS <= Silence {
		return 1
	}
	return math.Pow(10, math.Min(20, targetLUFS-measuredLUFS)/20)
}
