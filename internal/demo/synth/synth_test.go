package synth

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The piece is as long as said, has its peak at −3 dBFS, is audible
// throughout, and its loudness pulses at the beat: the autocorrelation of its
// energy at one beat is far above that at 0.8 beats.
func TestPieceKeepsItsTempo(t *testing.T) {
	p := Piece{
		BPM:     120,
		Bars:    12,
		Root:    60,
		Mood:    Lively,
		Seed:    3,
		Chords:  []int{0, 4, 5, 3},
		Drums:   true,
		Arpeggi: true,
	}
	s := Render(p)
	assert.Len(t, s, int(p.Seconds()*Rate)*2)
	peak := 0.0
	const hop = Rate / 100
	var energy []float64
	for i := 0; i+2*hop <= len(s); i += 2 * hop {
		e := 0.0
		for _, v := range s[i : i+2*hop] {
			peak = math.Max(peak, math.Abs(float64(v)))
			e += float64(v) * float64(v)
		}
		energy = append(energy, e)
	}
	assert.InDelta(t, 0.707, peak, 0.001)
	var onset []float64
	for i := 1; i < len(energy); i++ {
		onset = append(onset, math.Max(0, energy[i]-energy[i-1]))
	}
	at := func(seconds float64) float64 {
		lag, sum := int(seconds*100), 0.0
		for i := lag; i < len(onset); i++ {
			sum += onset[i] * onset[i-lag]
		}
		return sum
	}
	assert.Greater(t, at(60/p.BPM), 3*at(0.8*60/p.BPM))
}

func TestNotes(t *testing.T) {
	p := Piece{Root: 69}
	assert.InDelta(t, 440, p.note(0, 0), 1e-9)
	assert.InDelta(t, 880, p.note(7, 0), 1e-9)
	assert.InDelta(t, 220, p.note(-7, 0), 1e-9)
	assert.InDelta(t, 659.255, p.note(4, 0), 0.001) // E5, equal temperament
}
