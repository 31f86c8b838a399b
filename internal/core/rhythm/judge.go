package rhythm

import (
	_ "embed"
	"encoding/json"
	"math"
	"sync"
)

// judge tells how likely a reading of a song is right, from its traits and from how they stand
// to those of the song's other readings: one layer of hidden units and a straight way past it.
// It was fitted on songs whose beats are known (docs/decisions/015-hearing-the-beat.md).
type judge struct {
	Mean   []float64 `json:"mean"`   // of each trait, over the readings of all those songs
	Spread []float64 `json:"spread"` // likewise, the standard deviation
	// of each unit: weights of the traits as they are, then as they stand in the song
	Hidden   [][]float64 `json:"hidden"`
	Bias     []float64   `json:"bias"`
	Out      []float64   `json:"out"`
	Straight []float64   `json:"straight"`
}

//go:embed judge.json
var fitted []byte

// usual is read when the first song is heard: most processes hear none.
var usual = sync.OnceValue(func() *judge {
	j := &judge{}
	if err := json.Unmarshal(fitted, j); err != nil {
		panic(err) // it was built in
	}
	return j
})

// farOut is how many deviations from the mean are looked at.
const farOut = 4

// scores are of the readings of a song by their traits.
func (j *judge) scores(readings [][]float64) []float64 {
	n := len(j.Mean)
	mean, spread := make([]float64, n), make([]float64, n)
	for _, t := range readings {
		for k, v := range t {
			mean[k] += v / float64(len(readings))
		}
	}
	for _, t := range readings {
		for k, v := range t {
			spread[k] += (v - mean[k]) * (v - mean[k]) / float64(len(readings))
		}
	}
	within := func(v float64) float64 { return max(-farOut, min(farOut, v)) }
	out := make([]float64, len(readings))
	in := make([]float64, 2*n)
	for i, t := range readings {
		for k, v := range t {
			in[k] = within((v - j.Mean[k]) / j.Spread[k])
			in[n+k] = within((v - mean[k]) / (math.Sqrt(spread[k]) + 0.05*j.Spread[k]))
		}
		for k, v := range in {
			out[i] += v * j.Straight[k]
		}
		for u, weights := range j.Hidden {
			sum := j.Bias[u]
			for k, v := range in {
				sum += v * weights[k]
			}
			out[i] += math.Tanh(sum) * j.Out[u]
		}
	}
	return out
}
