package rhythm

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/timecode"
)

// chords are triads of a key, two fifths of a second each, with two overtones: I, IV, V and I.
func chords(tonic int, minor bool) (out []float32) {
	third := 4
	if minor {
		third = 3
	}
	for _, c := range []struct{ root, third int }{{0, third}, {5, third}, {7, 4}, {0, third}} {
		for i := range timecode.SampleRate * 2 / 5 {
			at, v := float64(i)/timecode.SampleRate, 0.0
			for _, n := range []int{c.root, c.root + c.third, c.root + 7} {
				for over := 1.0; over <= 3; over++ {
					v += math.Sin(2*math.Pi*440*math.Pow(2, float64(tonic+n)/12)*over*at) / over / 12
				}
			}
			out = append(out, float32(v), float32(v))
		}
	}
	return out
}

// Cadences in all keys are heard as theirs.
func TestTheKeyIsHeard(t *testing.T) {
	for tonic := range 12 {
		for _, minor := range []bool{false, true} {
			mode := " major"
			if minor {
				mode = " minor"
			}
			l := NewListener()
			l.Write(chords(tonic, minor))
			assert.Equal(t, noteNames[tonic]+mode, l.key())
		}
	}
	l := NewListener()
	l.Write(clicks(8, []float64{1, 2, 3, 4, 5, 6}, 4))
	assert.Empty(t, l.key(), "clicks have none")
	assert.Empty(t, NewListener().key())
}
