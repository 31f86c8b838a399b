// Package synth makes the demo's songs: original pieces of a few minutes with
// melody, harmony, bass and percussion, computed from a seed at a known tempo.
package synth

import (
	"math"
	"math/rand/v2"
)

// Rate is the sample rate of songs in samples per second.
const Rate = 48000

// Piece is a song to be made.
type Piece struct {
	Name    string
	BPM     float64 // quarter notes a minute
	Bars    int     // of four quarters, at least 8
	Root    int     // MIDI note of the key
	Minor   bool
	Mood    Mood
	Seed    uint64
	Swing   float64 // share of an eighth that off-beats come late
	Chords  []int   // degrees, one a bar, repeated
	Drums   bool
	Arpeggi bool
}

// Mood chooses the instruments.
type Mood int

// The moods.
const (
	Bright Mood = iota // plucked strings and drums
	Calm               // soft pads and a flute
	Lively             // fast, with a driving bass
	Night              // slow bells
)

// Seconds is the length of the piece with the two seconds it rings on.
func (p Piece) Seconds() float64 { return float64(p.Bars)*240/p.BPM + 2 }

type mixer struct {
	l, r []float64
	rng  *rand.Rand
}

// Render makes the piece: interleaved stereo samples below full scale.
func Render(p Piece) []float32 {
	n := int(p.Seconds() * Rate)
	m := &mixer{l: make([]float64, n), r: make([]float64, n), rng: rand.New(rand.NewPCG(p.Seed, 11))}
	beat := 60 / p.BPM
	for bar := range p.Bars {
		t := float64(bar) * 4 * beat
		degree := p.Chords[bar%len(p.Chords)]
		m.harmony(p, degree, t, beat, bar)
		m.bass(p, degree, t, beat, bar)
		if p.Drums && bar >= 2 && bar < p.Bars-1 {
			m.drums(p, t, beat, bar)
		}
	}
	m.melody(p, beat)
	return m.finish(beat)
}

// Voice is an instrument of a Note.
type Voice int

// The voices. The drums have no pitch.
const (
	Pluck Voice = iota
	Flute
	Bell
	Bass
	Kick
	Snare
	Hat
)

// Note is a sound at a time, in seconds.
type Note struct {
	At, Length float64
	Voice      Voice
	MIDI       int
	Gain       float64 // 1 usual
}

// Play makes a score heard: interleaved stereo samples below full scale, of so many seconds.
func Play(score []Note, seconds float64, seed uint64) []float32 {
	n := int(seconds * Rate)
	m := &mixer{l: make([]float64, n), r: make([]float64, n), rng: rand.New(rand.NewPCG(seed, 11))}
	for _, x := range score {
		f := 440 * math.Pow(2, float64(x.MIDI-69)/12)
		switch x.Voice {
		case Pluck:
			m.add(x.At, math.Max(0.7, x.Length*1.3), 0.2*x.Gain, 0.12, pluck(f, 2.2))
		case Flute:
			m.add(x.At, x.Length, 0.13*x.Gain, -0.1, m.flute(f, x.Length))
		case Bell:
			m.add(x.At, 2.6, 0.16*x.Gain, 0.2, bell(f))
		case Bass:
			m.deep(x.At, x.Length, f)
		case Kick:
			m.kick(x.At, 0.5*x.Gain)
		case Snare:
			m.snare(x.At, 0.2*x.Gain)
		case Hat:
			m.hat(x.At, 0.06*x.Gain)
		}
	}
	return m.finish(0)
}

var major, minor = []int{0, 2, 4, 5, 7, 9, 11}, []int{0, 2, 3, 5, 7, 8, 10}

// note is the frequency of a scale degree, which may lie above or below the
// octave.
func (p Piece) note(degree, octave int) float64 {
	scale := major
	if p.Minor {
		scale = minor
	}
	o := int(math.Floor(float64(degree) / 7))
	midi := p.Root + scale[degree-o*7] + 12*(o+octave)
	return 440 * math.Pow(2, float64(midi-69)/12)
}

// add mixes a sound of the given seconds at time t; f gives its value at a
// time since its start.
func (m *mixer) add(t, seconds, gain, pan float64, f func(t float64) float64) {
	from := int(t * Rate)
	gl, gr := gain*math.Sqrt(0.5-pan/2), gain*math.Sqrt(0.5+pan/2)
	for i := range int(seconds * Rate) {
		if k := from + i; k >= 0 && k < len(m.l) {
			v := f(float64(i) / Rate)
			m.l[k] += v * gl
			m.r[k] += v * gr
		}
	}
}

// pluck is a decaying string: overtones that die the faster the higher.
func pluck(freq, decay float64) func(float64) float64 {
	return func(t float64) float64 {
		v := 0.0
		for h := 1.0; h <= 7 && freq*h < 9000; h++ {
			v += math.Sin(2*math.Pi*freq*h*t*(1+0.0003*h*h)) / h * math.Exp(-t*decay*(0.7+0.5*h))
		}
		return v * math.Min(1, t*400)
	}
}

// pad is a soft chord tone with slow beating.
func pad(freq, seconds float64) func(float64) float64 {
	return func(t float64) float64 {
		env := math.Min(1, t/0.35) * math.Min(1, math.Max(0, (seconds-t)/0.5))
		v := 0.0
		for h := 1.0; h <= 5; h++ {
			v += (math.Sin(2*math.Pi*freq*h*t*1.0015) + math.Sin(2*math.Pi*freq*h*t*0.9985)) / (h * h * 1.6)
		}
		return v * env * 0.5
	}
}

// flute has breath and vibrato.
func (m *mixer) flute(freq, seconds float64) func(float64) float64 {
	phase := 0.0
	return func(t float64) float64 {
		env := math.Min(1, t/0.06) * math.Min(1, math.Max(0, (seconds-t)/0.12))
		phase += 2 * math.Pi * freq / Rate * (1 + 0.004*math.Sin(2*math.Pi*5.2*t)*math.Min(1, t*2))
		return env * (math.Sin(phase) + 0.28*math.Sin(2*phase) + 0.08*math.Sin(3*phase) +
			0.02*(m.rng.Float64()-0.5))
	}
}

func bell(freq float64) func(float64) float64 {
	return func(t float64) float64 {
		v := 0.0
		for _, h := range [][3]float64{{1, 1, 1.2}, {2.01, 0.5, 1.8}, {3.01, 0.3, 2.9}, {4.23, 0.14, 4.5},
			{5.4, 0.08, 6}} {
			v += h[1] * math.Sin(2*math.Pi*freq*h[0]*t) * math.Exp(-t*h[2])
		}
		return v * math.Min(1, t*500)
	}
}

func (m *mixer) harmony(p Piece, degree int, t, beat float64, bar int) {
	chord := []int{degree, degree + 2, degree + 4}
	if p.Mood == Calm || p.Mood == Night {
		for i, d := range chord {
			m.add(t, 4*beat+0.4, 0.075, float64(i-1)*0.5, pad(p.note(d, 0), 4*beat+0.4))
		}
	}
	if !p.Arpeggi || bar == p.Bars-1 {
		for i, d := range chord {
			m.add(t+float64(i)*0.012, 2.2, 0.085, float64(i-1)*0.4, pluck(p.note(d, 0), 1.6))
		}
		return
	}
	for k := range 8 {
		at := t + float64(k)*beat/2
		if k%2 == 1 {
			at += p.Swing * beat / 2
		}
		d := chord[[]int{0, 1, 2, 1, 0, 2, 1, 2}[k]] + 7*(k%4/3)
		gain := 0.075
		if k == 0 {
			gain = 0.11
		}
		m.add(at, 1.4, gain, 0.45*math.Sin(float64(k)), pluck(p.note(d, 0), 2.6))
	}
}

func (m *mixer) bass(p Piece, degree int, t, beat float64, bar int) {
	if bar < 2 && p.Mood != Calm {
		return
	}
	pattern := []float64{0, 2}
	if p.Mood == Lively {
		pattern = []float64{0, 1, 1.5, 2, 3, 3.5}
	} else if p.Mood == Bright {
		pattern = []float64{0, 1.5, 2, 3}
	}
	if bar == p.Bars-1 {
		pattern = pattern[:1]
	}
	for i, b := range pattern {
		d := degree
		if i == len(pattern)-1 && len(pattern) > 2 {
			d += 4
		}
		m.deep(t+b*beat, beat*1.4, p.note(d, -2))
	}
}

// noise is a hiss that dies, through a plain high-pass.
func (m *mixer) noise(decay float64) func(float64) float64 {
	last := 0.0
	return func(s float64) float64 {
		v := m.rng.Float64()*2 - 1
		out := v - last
		last = v
		return out * math.Exp(-s*decay)
	}
}

func (m *mixer) kick(at, gain float64) {
	m.add(at, 0.3, gain, 0, func(s float64) float64 {
		return math.Sin(2*math.Pi*(48*s+9*(1-math.Exp(-s*32)))) * math.Exp(-s*11)
	})
}

func (m *mixer) snare(at, gain float64) {
	m.add(at, 0.22, gain*0.6, 0.05, m.noise(19))
	m.add(at, 0.15, gain, 0.05, func(s float64) float64 {
		return math.Sin(2*math.Pi*190*s) * math.Exp(-s*26)
	})
}

func (m *mixer) hat(at, gain float64) { m.add(at, 0.06, gain, -0.3, m.noise(70)) }

// deep is a plucked bass that is damped after some seconds.
func (m *mixer) deep(at, seconds, f float64) {
	m.add(at, seconds, 0.24, 0, func(s float64) float64 {
		return (math.Sin(2*math.Pi*f*s) + 0.35*math.Sin(4*math.Pi*f*s) + 0.12*math.Sin(6*math.Pi*f*s)) *
			math.Min(1, s*120) * math.Exp(-s*2.2) * math.Min(1, math.Max(0, (seconds-s)*20))
	})
}

func (m *mixer) drums(p Piece, t, beat float64, bar int) {
	m.kick(t, 0.5)
	m.kick(t+2*beat, 0.46)
	if p.Mood == Lively {
		m.kick(t+beat, 0.4)
		m.kick(t+3*beat, 0.4)
	}
	m.snare(t+beat, 0.2)
	m.snare(t+3*beat, 0.22)
	if bar%4 == 3 {
		m.snare(t+3.5*beat, 0.16)
	}
	for k := range 8 {
		at := t + float64(k)*beat/2
		if k%2 == 1 {
			at += p.Swing * beat / 2
		}
		m.hat(at, 0.05+0.02*float64((k+1)%2))
	}
}

// melody is a motif of two bars, answered, varied and brought home.
func (m *mixer) melody(p Piece, beat float64) {
	rhythms := [][]float64{{1, 0.5, 0.5, 1, 1}, {1.5, 0.5, 1, 1}, {0.5, 0.5, 1, 1.5, 0.5}, {2, 1, 1},
		{1, 1, 0.5, 0.5, 1}}
	motif := rhythms[m.rng.IntN(len(rhythms))]
	reply := rhythms[m.rng.IntN(len(rhythms))]
	d := 4
	for bar := 2; bar < p.Bars-1; bar++ {
		if bar%16 >= 14 { // a breath now and then
			continue
		}
		chord := p.Chords[bar%len(p.Chords)]
		rhythm := motif
		if bar%2 == 1 {
			rhythm = reply
		}
		t := float64(bar) * 4 * beat
		for i, length := range rhythm {
			if i == 0 || m.rng.IntN(3) == 0 {
				d = nearest(d, chord) // strong notes belong to the chord
			} else {
				d += []int{-2, -1, -1, 1, 1, 2}[m.rng.IntN(6)]
			}
			d = min(max(d, 0), 10)
			m.voice(p, t, length*beat, p.note(d, 1))
			t += length * beat
		}
	}
	m.voice(p, float64(p.Bars-1)*4*beat, 3*beat, p.note(7, 1))
}

func nearest(d, chord int) int {
	best := chord
	for _, c := range []int{chord, chord + 2, chord + 4, chord + 7, chord - 3, chord - 5} {
		if math.Abs(float64(c-d)) < math.Abs(float64(best-d)) {
			best = c
		}
	}
	return best
}

func (m *mixer) voice(p Piece, t, seconds, freq float64) {
	switch p.Mood {
	case Calm:
		m.add(t, seconds, 0.13, -0.1, m.flute(freq, seconds))
	case Night:
		m.add(t, 2.6, 0.16, 0.2, bell(freq))
	default:
		m.add(t, math.Max(0.7, seconds*1.3), 0.2, 0.12, pluck(freq, 2.2))
	}
}

// finish adds a room and brings the peak to −3 dBFS.
func (m *mixer) finish(beat float64) []float32 {
	room(m.l, []int{1557, 2053, 2393, 3001}, 0.2)
	room(m.r, []int{1609, 1999, 2467, 2903}, 0.2)
	peak := 0.0
	for i := range m.l {
		peak = math.Max(peak, math.Max(math.Abs(m.l[i]), math.Abs(m.r[i])))
	}
	k := 0.707 / peak
	out := make([]float32, 2*len(m.l))
	tail := len(m.l) - Rate
	for i := range m.l {
		g := k
		if i > tail {
			g *= 1 - float64(i-tail)/Rate
		}
		out[2*i], out[2*i+1] = float32(m.l[i]*g), float32(m.r[i]*g)
	}
	return out
}

// room adds the echo of four combs in parallel (M. R. Schroeder, Natural
// Sounding Artificial Reverberation, 1962, from memory).
func room(x []float64, delays []int, wet float64) {
	sum := make([]float64, len(x))
	for _, d := range delays {
		line := make([]float64, d)
		low := 0.0
		for i, v := range x {
			y := line[i%d]
			low += (y - low) * 0.45
			line[i%d] = v + low*0.78
			sum[i] += y
		}
	}
	for i := range x {
		x[i] += wet * sum[i]
	}
}
