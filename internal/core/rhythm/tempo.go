package rhythm

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"
)

// The tempi that are looked for, in beats a minute.
const (
	slowest   = 40.0
	fastest   = 240.0
	tempoStep = 1.02 // from one that is tried to the next
)

// The tempogram: every so many frames, over so many.
const (
	gramHop    = perSecond / 2
	gramWindow = 8 * perSecond
	gramSize   = 2048 // of the transform: holds the window and as many zeros as lags
)

var periods = func() (out []float64) {
	for bpm := fastest; bpm >= slowest; bpm /= tempoStep {
		out = append(out, 60*perSecond/bpm)
	}
	return out
}()

// prior is how likely a beat is to be so long: people tap near 115 a minute.
func prior(period float64) float64 {
	bpm := 60 * perSecond / period
	x := math.Log2(bpm/priorBPM) / priorWidth
	return math.Exp(-x * x / 2)
}

// priorWidth is in octaves.
const priorBPM, priorWidth = 115.0, 0.75

// even takes away from onsets what is always there and evens out loud and quiet
// passages: half a second's mean is taken off, and what is left is divided by its
// deviation over some seconds, but never by much less than the song's.
func even(o []float32) []float64 {
	n := len(o)
	out := make([]float64, n)
	sums := make([]float64, n+1)
	for i, v := range o {
		sums[i+1] = sums[i] + float64(v)
	}
	mean := func(i, r int) float64 {
		lo, hi := max(0, i-r), min(n, i+r+1)
		return (sums[hi] - sums[lo]) / float64(hi-lo)
	}
	for i, v := range o {
		out[i] = max(0, float64(v)-mean(i, perSecond/3))
	}
	squares := make([]float64, n+1)
	for i, v := range out {
		squares[i+1] = squares[i] + v*v
	}
	whole := math.Sqrt(squares[n] / float64(max(1, n)))
	if whole == 0 {
		return out
	}
	for i := range out {
		lo, hi := max(0, i-3*perSecond), min(n, i+3*perSecond)
		here := math.Sqrt((squares[hi] - squares[lo]) / float64(hi-lo))
		out[i] /= max(here, 0.25*whole, faint)
	}
	return out
}

// faint is the deviation of onsets below which they are none but the ripple of
// steady tones.
const faint = 0.15

// ripple is the power of evened onsets in a window beside which less is as good as
// none.
const ripple = 0.1 * 3 / 8 * gramWindow * gramSize

// gram is how strongly each of periods is there at each gramHop, and how alike the
// onsets are to themselves at each lag, 1 the same.
func gram(bands [][]float64) (strength, alike [][]float64) {
	n := len(bands[0])
	fft := fourier.NewFFT(gramSize)
	buf := make([]float64, gramSize)
	steps := n/gramHop + 1
	strength, alike = make([][]float64, steps), make([][]float64, steps)
	for s := range strength {
		acf := make([]float64, gramSize/2)
		for _, o := range bands {
			clear(buf)
			mid, weight := s*gramHop, 0.0
			mean := 0.0
			for i := range gramWindow {
				if at := mid + i - gramWindow/2; at >= 0 && at < n {
					mean += o[at] / gramWindow
				}
			}
			for i := range gramWindow {
				w := 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/gramWindow)
				if at := mid + i - gramWindow/2; at >= 0 && at < n {
					buf[i] = (o[at] - mean) * w
					weight += buf[i] * buf[i]
				}
			}
			if weight < 1e-9 {
				continue
			}
			c := fft.Coefficients(nil, buf)
			for i, v := range c {
				c[i] = complex(real(v)*real(v)+imag(v)*imag(v), 0)
			}
			r := fft.Sequence(nil, c)
			for i := range acf {
				acf[i] += r[i] / (r[0] + ripple) / float64(len(bands))
			}
		}
		strength[s], alike[s] = combed(acf), acf
	}
	return strength, alike
}

// combed is the strength of each period: of it and of its multiples.
func combed(acf []float64) []float64 {
	at := func(x float64) float64 {
		i := int(x)
		if i+1 >= len(acf) {
			return 0
		}
		f := x - float64(i)
		return acf[i]*(1-f) + acf[i+1]*f
	}
	// The window lets long lags fade: made good for as far as it is known.
	near := func(x float64) float64 {
		m := max(at(x), at(x*0.99), at(x*1.01))
		return m / max(0.2, 1-x/gramWindow)
	}
	out := make([]float64, len(periods))
	for k, p := range periods {
		out[k] = max(0, near(p)+0.5*near(2*p)+0.5*max(near(3*p), near(4*p))) / 2
	}
	return out
}

// follow is the most likely period at each step of a tempogram, as indices: it
// changes gently, or at a price at once.
func follow(g [][]float64) []int {
	if len(g) == 0 {
		return nil
	}
	n := len(periods)
	score := make([]float64, n)
	from := make([][]int, len(g))
	reach := 3
	for s, row := range g {
		next := make([]float64, n)
		from[s] = make([]int, n)
		best, bestAt := math.Inf(-1), 0
		for k, v := range score {
			if v > best {
				best, bestAt = v, k
			}
		}
		for k := range n {
			// A jump costs as much as a second or two of what is heard.
			from[s][k], next[k] = bestAt, best-jumpCost
			for d := -reach; d <= reach; d++ {
				if j := k + d; j >= 0 && j < n {
					if v := score[j] - 0.05*float64(d*d); v > next[k] {
						next[k], from[s][k] = v, j
					}
				}
			}
			next[k] += math.Log(0.02 + row[k]*prior(periods[k]))
		}
		score = next
	}
	at := 0
	for k, v := range score {
		if v > score[at] {
			at = k
		}
	}
	out := make([]int, len(g))
	for s := len(g) - 1; s >= 0; s-- {
		out[s] = at
		at = from[s][at]
	}
	return out
}

const jumpCost = 6.0

// peak refines a period to where its strength is greatest, between what is tried.
func peak(row []float64, k int) float64 {
	if k <= 0 || k+1 >= len(row) {
		return periods[k]
	}
	a, b, c := row[k-1], row[k], row[k+1]
	d := a - 2*b + c
	if d >= 0 {
		return periods[k]
	}
	x := max(-0.5, min(0.5, (a-c)/(2*d)))
	return periods[k] * math.Pow(tempoStep, x)
}

func median(v []float64) float64 {
	if len(v) == 0 {
		return 0
	}
	v = slices.Clone(v)
	slices.Sort(v)
	return (v[(len(v)-1)/2] + v[len(v)/2]) / 2
}
