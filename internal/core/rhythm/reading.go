package rhythm

import (
	"math"
)

// hearing is what beats are judged by: curves over the frames of a song.
type hearing struct {
	bands   [][]float64 // onsets of each group, evened, the largest nearby
	all     []float64   // weighted sum of onsets, evened
	novelty []float64   // how much the harmony changes
	loud    []float64   // energy
	silent  float64     // below it there is nothing to hear
}

func (l *Listener) hearing(bands [][]float64) *hearing {
	n := l.frames()
	h := &hearing{all: make([]float64, n), novelty: l.novelty(perSecond / 3)}
	for k, b := range bands {
		for i, v := range b {
			h.all[i] += v * groupWeight[k]
		}
		h.bands = append(h.bands, widest(b, 3))
	}
	top := 0.0
	for _, e := range l.timbre {
		sum := 0.0
		for _, v := range e {
			sum += math.Pow(10, float64(v)) - 1
		}
		h.loud = append(h.loud, sum)
		top = max(top, sum)
	}
	h.silent = top * 0.003
	return h
}

// widest is the largest value within r of each.
func widest(v []float64, r int) []float64 {
	out := make([]float64, len(v))
	for i := range v {
		for j := max(0, i-r); j < min(len(v), i+r+1); j++ {
			out[i] = max(out[i], v[j])
		}
	}
	return out
}

// novelty is how different the notes of the third of a second after each frame are
// from those before it, evened.
func (l *Listener) novelty(span int) []float64 {
	n := l.frames()
	sums := make([][12]float64, n+1)
	for i, c := range l.pitch {
		for k, v := range c {
			sums[i+1][k] = sums[i][k] + float64(v)
		}
	}
	raw := make([]float32, n)
	for i := span; i+span < n; i++ {
		dot, a, b := 0.0, 0.0, 0.0
		for k := range 12 {
			x, y := sums[i][k]-sums[i-span][k], sums[i+span][k]-sums[i][k]
			dot, a, b = dot+x*y, a+x*x, b+y*y
		}
		if a > 0 && b > 0 {
			raw[i] = float32(1 - dot/math.Sqrt(a*b))
		}
	}
	return widest(even(raw), 4)
}

// reading is one way to hear the beat of a song.
type reading []int

// readings are the ways that are tried: at the tempo found, and at what stands in
// simple ratios to it, on the beat and off it.
func (h *hearing) readings(period []float64) (out []reading) {
	add := func(r reading) {
		if len(r) >= 4 {
			out = append(out, r)
		}
	}
	scaled := func(f float64) []float64 {
		p := make([]float64, len(period))
		for i, v := range period {
			p[i] = v * f
		}
		return p
	}
	for _, f := range []float64{1, 2.0 / 3, 1.5} {
		b := reading(place(h.all, scaled(f)))
		mid := b.between(2, 1)
		add(b)
		add(mid)
		for _, r := range []reading{b, mid} {
			add(r.every(2, 0))
			add(r.every(2, 1))
		}
		if f == 1 {
			add(b.with(mid))
			for k := range 3 {
				add(b.every(3, k))
			}
			third := b.between(3, 1).with(b.between(3, 2))
			add(b.with(third))
		}
	}
	return out
}

// between is what lies part/of from each beat to the next.
func (r reading) between(of, part int) (out reading) {
	for i := 1; i < len(r); i++ {
		out = append(out, r[i-1]+((r[i]-r[i-1])*part+of/2)/of)
	}
	return out
}

// every is each n-th from the k-th on.
func (r reading) every(n, k int) (out reading) {
	for i := k; i < len(r); i += n {
		out = append(out, r[i])
	}
	return out
}

// with are the beats of both, in order.
func (r reading) with(o reading) (out reading) {
	i, j := 0, 0
	for i < len(r) || j < len(o) {
		if j == len(o) || i < len(r) && r[i] <= o[j] {
			out, i = append(out, r[i]), i+1
		} else {
			out, j = append(out, o[j]), j+1
		}
	}
	return out
}

func (h *hearing) at(curve []float64, r reading) float64 {
	sum := 0.0
	for _, i := range r {
		if i >= 0 && i < len(curve) {
			sum += curve[i]
		}
	}
	return sum / float64(max(1, len(r)))
}

// alike is how alike onsets are to those so many beats before, over the whole song.
func (r reading) alike(rows [][]float64, beats float64) float64 {
	sum := 0.0
	for k := 1; k+1 < len(r); k++ {
		row := rows[min(r[k]/gramHop, len(rows)-1)]
		lag := int(math.Round(beats * float64(r[k+1]-r[k-1]) / 2))
		best := 0.0
		for j := max(1, lag-2); j <= min(lag+2, len(row)-1); j++ {
			best = max(best, row[j])
		}
		sum += best / max(0.3, 1-float64(lag)/gramWindow)
	}
	return sum / float64(max(1, len(r)-2))
}

// traits are what a reading is judged by.
func (h *hearing) traits(r reading, alike [][]float64) []float64 {
	gaps := r.gaps()
	p := median(gaps)
	bpm := math.Log2(60 * perSecond / p / 115)
	out := []float64{bpm, bpm * bpm, math.Abs(bpm * bpm * bpm)}
	mids, thirds := r.between(2, 1), r.between(3, 1).with(r.between(3, 2))
	quarters := r.between(4, 1).with(r.between(4, 3))
	even, odd := r.every(2, 0), r.every(2, 1)
	for _, c := range [][]float64{h.bands[0], h.bands[1], h.bands[2], h.bands[3], h.novelty} {
		mean := 0.0
		for _, v := range c {
			mean += v
		}
		mean = mean/float64(len(c)) + 1e-9
		on, mid, third, quarter := h.at(c, r)/mean, h.at(c, mids)/mean, h.at(c, thirds)/mean, h.at(c, quarters)/mean
		e, o := h.at(c, even)/mean, h.at(c, odd)/mean
		out = append(out, on, mid, third, quarter, math.Abs(e-o))
	}
	for _, f := range []float64{0.5, 1, 2, 3, 4} {
		out = append(out, r.alike(alike, f))
	}
	steady := 0.0
	for _, g := range gaps {
		x := math.Log(g / p)
		steady += math.Min(x*x, 0.04)
	}
	return append(out, steady/float64(max(1, len(gaps)))*100)
}

// bpm is a reading's median tempo.
func (r reading) bpm() float64 { return 60 * perSecond / median(r.gaps()) }

func (r reading) gaps() (out []float64) {
	for i := 1; i < len(r); i++ {
		out = append(out, float64(r[i]-r[i-1]))
	}
	return out
}

func (h *hearing) choose(alike [][]float64, all []reading) reading {
	if len(all) == 0 {
		return nil
	}
	best, at := math.Inf(-1), 0
	for i, r := range all {
		if bpm := r.bpm(); bpm < slowest || bpm > fastest {
			continue
		}
		score := 0.0
		for k, v := range h.traits(r, alike) {
			score += v * traitWeight[k]
		}
		if score > best {
			best, at = score, i
		}
	}
	return all[at]
}

// traitWeight was fitted on some 170 songs rendered from scores whose beats are
// known, of thirty styles (logistic regression on the F-measure of the readings of
// each, held out by style).
var traitWeight = []float64{0.467, -0.837, -0.302, 0.091, -0.267, -0.123, -0.205, 0.225, 0.228, -0.014, -0.254, -0.160, 0.103, 0.548, 0.061, -0.386, -0.398, 0.109, 0.647, 0.085, -0.499, -0.516, -0.053, 0.589, -0.606, -1.459, -2.122, 0.688, -1.139, 2.781, -1.159, 6.169, 4.943, -0.980}
