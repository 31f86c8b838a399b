// Package rhythm hears where the beat of a song is: its onsets, tempo, beats and
// downbeats, and the sections it is made of. It reads 48 kHz stereo samples, as
// package sound does, and is deterministic.
//
// Onsets are found by spectral flux against a maximum filter over neighbouring
// bands (S. Böck and G. Widmer, "Maximum filter vibrato suppression for onset
// detection", DAFx 2013); the tempo is followed through a tempogram, and beats are
// placed by dynamic programming (D. P. W. Ellis, "Beat tracking by dynamic
// programming", Journal of New Music Research 36, 2007).
package rhythm

import (
	"math"

	"gonum.org/v1/gonum/dsp/fourier"

	"nelko/internal/core/timecode"
)

// A song is heard in frames of window samples, hop apart.
const (
	window    = 2048
	hop       = timecode.SampleRate / 100
	perSecond = timecode.SampleRate / hop
)

// Bands of the spectrum: bandsPerOctave from lowest up to highest Hz.
const (
	bandsPerOctave = 12
	lowest         = 30.0
	highest        = 16000.0
)

// groups are where the bands are parted, in Hz: onsets of the bass, the voice and
// what is high are followed apart.
var groups = []float64{180, 700, 3000, highest}

// Listener hears a song. Write it whole, then ask for its Analysis.
type Listener struct {
	fft    *fourier.FFT
	shape  []float64
	bands  []band
	mono   []float64 // what is not yet in a frame
	past   [][]float32
	flux   [][]float32 // a group: its onsets in each frame
	pitch  [][12]float32
	timbre [][]float32 // energies of the groups, as logarithms
	buf    []float64
	coeff  []complex128
	size   []float64
	notes  []noteLine
}

// noteLine is a line of the spectrum and the note it belongs to.
type noteLine struct {
	line, class int
	weight      float64
}

// noteLines are the lines between 260 and 2640 Hz.
func noteLines() (out []noteLine) {
	line := float64(timecode.SampleRate) / window
	for x := int(260/line) + 1; x < int(2640/line); x++ {
		note := 12 * math.Log2(float64(x)*line/440)
		whole := math.Round(note)
		out = append(out, noteLine{x, ((int(whole) % 12) + 12) % 12, 1 - math.Abs(note-whole)})
	}
	return out
}

// band is a triangle over the lines of a spectrum.
type band struct {
	first  int
	weight []float64
	group  int
}

// NewListener returns one that has heard nothing.
func NewListener() *Listener {
	l := &Listener{
		fft:   fourier.NewFFT(window),
		shape: make([]float64, window),
		buf:   make([]float64, window),
		flux:  make([][]float32, len(groups)),
	}
	for i := range l.shape {
		l.shape[i] = 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/window)
	}
	l.bands, l.notes, l.size = spread(), noteLines(), make([]float64, window/2+1)
	// The first frame's middle is the song's first sample.
	l.mono = make([]float64, window/2, window*4)
	return l
}

// spread lays bands of equal width in octaves, each at least a line wide.
func spread() (out []band) {
	line := float64(timecode.SampleRate) / window
	last := -1
	var middles []int
	for k := 0; ; k++ {
		hz := lowest * math.Pow(2, float64(k)/bandsPerOctave)
		if hz > highest {
			break
		}
		if at := int(math.Round(hz / line)); at > last {
			middles, last = append(middles, at), at
		}
	}
	for k := 1; k+1 < len(middles); k++ {
		lo, mid, hi := middles[k-1], middles[k], middles[k+1]
		b := band{first: lo + 1}
		for x := lo + 1; x < hi; x++ {
			w := float64(x-lo) / float64(mid-lo)
			if x > mid {
				w = float64(hi-x) / float64(hi-mid)
			}
			b.weight = append(b.weight, w)
		}
		for hz := float64(mid) * line; b.group < len(groups)-1 && hz > groups[b.group]; {
			b.group++
		}
		out = append(out, b)
	}
	return out
}

// Write hears interleaved stereo samples; an odd last value is ignored.
func (l *Listener) Write(p []float32) {
	for i := 0; i+1 < len(p); i += 2 {
		l.mono = append(l.mono, float64(p[i]+p[i+1])/2)
		if len(l.mono) == window {
			l.frame()
			n := copy(l.mono, l.mono[hop:])
			l.mono = l.mono[:n]
		}
	}
}

// lag is how many frames back a spectrum is compared with.
const lag = 2

// frame takes the spectrum of what is held.
func (l *Listener) frame() {
	for i, w := range l.shape {
		l.buf[i] = l.mono[i] * w
	}
	l.coeff = l.fft.Coefficients(l.coeff, l.buf)
	for i, c := range l.coeff {
		l.size[i] = math.Sqrt(real(c)*real(c) + imag(c)*imag(c))
	}
	now := make([]float32, len(l.bands))
	var chroma [12]float32
	energy := make([]float32, len(groups))
	for k, b := range l.bands {
		sum := 0.0
		for j, w := range b.weight {
			sum += w * l.size[b.first+j]
		}
		now[k] = float32(math.Log10(1 + sum))
		energy[b.group] += float32(sum)
	}
	l.chroma(&chroma)
	for g := range energy {
		energy[g] = float32(math.Log10(1 + float64(energy[g])))
	}
	rise := make([]float32, len(groups))
	if len(l.past) >= lag {
		before := l.past[len(l.past)-lag]
		for k, v := range now {
			most := before[k]
			if k > 0 {
				most = max(most, before[k-1])
			}
			if k+1 < len(before) {
				most = max(most, before[k+1])
			}
			if v > most {
				rise[l.bands[k].group] += v - most
			}
		}
	}
	for g := range rise {
		l.flux[g] = append(l.flux[g], rise[g])
	}
	l.pitch = append(l.pitch, chroma)
	l.timbre = append(l.timbre, energy)
	if l.past = append(l.past, now); len(l.past) > lag {
		l.past = l.past[1:]
	}
}

// chroma is the energy of each of the twelve notes between 260 and 2640 Hz.
func (l *Listener) chroma(out *[12]float32) {
	for _, n := range l.notes {
		out[n.class] += float32(l.size[n.line] * n.weight)
	}
	sum := float32(0)
	for _, v := range out {
		sum += v * v
	}
	if norm := float32(math.Sqrt(float64(sum))); norm > 1e-3 {
		for i := range out {
			out[i] /= norm
		}
	}
}

// frames is how many were heard.
func (l *Listener) frames() int { return len(l.pitch) }
