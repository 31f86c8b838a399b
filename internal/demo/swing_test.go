package demo

import (
	"math/rand/v2"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"nelko/internal/core/rhythm"
	"nelko/internal/demo/synth"
)

// style is how a bar of four beats goes, in beats.
type style struct {
	name                           string
	late                           float64 // where the off-beat lies, as a share of a beat
	bass, chords, kick, snare, hat []float64
	tunes                          [2][]float64 // of two bars
	bpm                            [2]float64
}

// Swung, shuffled, dotted and syncopated: where beats are hardest to tell from what lies between
// them. The patterns are common practice, no source; the melodies are chance. Nothing of it, and
// none of its sounds, was among what the weights were fitted on.
var hardStyles = []style{
	{"swing", 2. / 3, []float64{0, 1, 2, 3}, []float64{1.5, 3.5}, nil, nil, []float64{0, 1, 1.5, 2, 3, 3.5},
		[2][]float64{{0, 0.5, 1, 2, 2.5, 3, 3.5, 4, 5.5}, {0.5, 1, 1.5, 2, 4, 4.5, 5, 6}},
		[2]float64{120, 168}},
	{"swung ballad", 2. / 3, []float64{0, 2}, []float64{0, 1, 2, 3}, []float64{0, 2}, []float64{1, 3},
		[]float64{0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5}, [2][]float64{{0, 1, 1.5, 2, 4, 5.5, 6},
			{0, 0.5, 1, 2, 3.5, 4, 6}}, [2]float64{60, 67}},
	{"shuffle", 2. / 3, []float64{0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5}, []float64{0, 2}, []float64{0, 2},
		[]float64{1, 3}, []float64{0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5}, [2][]float64{{0, 1.5, 2, 3.5, 4, 6},
			{0.5, 1, 2.5, 3, 5, 5.5}}, [2]float64{104, 132}},
	{"dotted", 0.75, []float64{0, 1, 2, 3}, []float64{0, 0.5, 2, 2.5}, []float64{0, 2}, []float64{1, 3}, nil,
		[2][]float64{{0, 0.5, 1, 1.5, 2, 3, 4, 4.5, 5, 6}, {0, 1, 1.5, 2, 2.5, 4, 6, 6.5}},
		[2]float64{88, 116}},
	{"3-3-2", 0.5, []float64{0, 0.75, 1.5, 2, 2.75, 3.5}, []float64{0, 0.75, 1.5, 2, 2.75, 3.5},
		[]float64{0, 2}, []float64{1, 3}, []float64{0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5},
		[2][]float64{{0, 0.75, 1.5, 2, 4, 4.75, 5.5}, {0, 1.5, 2, 3, 4, 6}}, [2]float64{96, 120}},
	{"off-beat chords", 0.5, []float64{0, 1.5, 2, 3}, []float64{0.5, 1.5, 2.5, 3.5}, []float64{0, 2},
		[]float64{1, 3}, []float64{0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5}, [2][]float64{{0, 0.5, 1.5, 2, 4, 5.5},
			{1, 1.5, 2, 4, 4.5, 6}}, [2]float64{92, 128}},
}

// song is a song of a style, of so many bars, and where its beats are.
func (s style) song(bpm float64, bars int, seed uint64) (score []synth.Note, beats []float64) {
	rng, beat := rand.New(rand.NewPCG(seed, 5)), 60/bpm
	at := func(bar int, x float64) float64 {
		whole := float64(int(x))
		if x-whole == 0.5 {
			x = whole + s.late
		}
		return 0.4 + (float64(4*bar)+x)*beat + rng.NormFloat64()*0.006
	}
	roots := []int{0, 9, 5, 7}
	for bar := range bars {
		root := 36 + roots[bar%4]%12
		play := func(v synth.Voice, where []float64, length, gain float64, notes ...int) {
			for _, x := range where {
				for _, n := range notes {
					score = append(score, synth.Note{
						At:     at(bar, x),
						Length: length * beat,
						Voice:  v,
						MIDI:   n,
						Gain:   gain * (0.9 + 0.2*rng.Float64()),
					})
				}
			}
		}
		play(synth.Bass, s.bass, 0.9, 1, root)
		play(synth.Pluck, s.chords, 0.5, 0.35, root+24, root+28, root+31)
		if bar >= 2 {
			play(synth.Kick, s.kick, 0, 1, 0)
			play(synth.Snare, s.snare, 0, 1, 0)
			play(synth.Hat, s.hat, 0, 1, 0)
		}
		if bar >= 2 && bar%2 == 0 {
			for _, x := range s.tunes[bar/4%2] {
				note := root + 36 + []int{0, 4, 7, 12, 2, -3}[rng.IntN(6)]
				score = append(score, synth.Note{
					At:     at(bar, x),
					Length: beat * 0.8,
					Voice:  synth.Flute,
					MIDI:   note,
					Gain:   1,
				})
			}
		}
		for x := range 4 {
			beats = append(beats, 0.4+float64(4*bar+x)*beat)
		}
	}
	return score, beats
}

// The beats of songs whose off-beats are late, dotted, or heavier than the beats are found.
func TestTheBeatsOfSwungSongs(t *testing.T) {
	type heard struct {
		style string
		f     float64
	}
	out := make(chan heard, 2*len(hardStyles))
	var g errgroup.Group
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, s := range hardStyles {
		for k, bpm := range s.bpm {
			g.Go(func() error {
				bars := int(26 * bpm / 240)
				score, beats := s.song(bpm, bars, uint64(10*i+k))
				l := rhythm.NewListener()
				l.Write(synth.Play(score, float64(bars)*240/bpm+1.5, 7))
				var found []float64
				for _, b := range l.Analyse().Beats {
					found = append(found, b.At)
				}
				v := fMeasure(beats, found)
				t.Logf("%s at %g: %.2f", s.name, bpm, v)
				out <- heard{s.name, v}
				return nil
			})
		}
	}
	require.NoError(t, g.Wait())
	close(out)
	mean, of := 0.0, map[string]float64{}
	for h := range out {
		mean += h.f / float64(2*len(hardStyles))
		of[h.style] += h.f / 2
	}
	for name, v := range of {
		assert.GreaterOrEqual(t, v, 0.7, name)
	}
	assert.GreaterOrEqual(t, mean, 0.9)
}
