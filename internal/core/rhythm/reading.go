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
	for _, f := range []float64{1, 2.0 / 3, 1.5, 0.75, 4.0 / 3} {
		for _, t := range []float64{tight, firm} {
			b := reading(place(h.all, scaled(f), t))
			mid := b.between(2, 1)
			first, second := b.between(3, 1), b.between(3, 2)
			for _, r := range []reading{b, mid, first, second} {
				add(r)
				add(r.every(2, 0))
				add(r.every(2, 1))
			}
			if f == 1 {
				add(b.with(mid))
				for k := range 3 {
					add(b.every(3, k))
				}
				add(b.with(first.with(second)))
			}
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
	mids, first, second := r.between(2, 1), r.between(3, 1), r.between(3, 2)
	early, late := r.between(4, 1), r.between(4, 3)
	even, odd := r.every(2, 0), r.every(2, 1)
	for _, c := range [][]float64{h.bands[0], h.bands[1], h.bands[2], h.bands[3], h.novelty} {
		mean := 0.0
		for _, v := range c {
			mean += v
		}
		mean = mean/float64(len(c)) + 1e-9
		at := func(r reading) float64 { return h.at(c, r) / mean }
		one, two, three, four := at(first), at(second), at(early), at(late)
		out = append(out, at(r), at(mids), (one+two)/2, (three+four)/2, math.Abs(at(even)-at(odd)), two-one,
			four-three)
	}
	// Low drums and basses on one beat, what is high on the next.
	apart := func(c []float64) float64 {
		e, o := h.at(c, even), h.at(c, odd)
		return (e - o) / (e + o + 0.01)
	}
	for _, high := range [][]float64{h.bands[1], h.bands[2], h.bands[3]} {
		out = append(out, apart(h.bands[0])*apart(high))
	}
	for _, c := range [][]float64{h.bands[0], h.novelty} {
		most, sum := 0.0, 0.0
		for k := range 4 {
			v := h.at(c, r.every(4, k))
			most, sum = max(most, v), sum+v/4
		}
		out = append(out, (most-sum)/(sum+0.01))
	}
	out = append(out, h.at(h.all, r), h.at(h.all, mids))
	for _, f := range []float64{1. / 3, 0.5, 2. / 3, 0.75, 1, 1.5, 2, 3, 4} {
		out = append(out, r.alike(alike, f))
	}
	out = append(out, r.straying(8), r.leaps())
	steady := 0.0
	for _, g := range gaps {
		x := math.Log(g / p)
		steady += math.Min(x*x, 0.04)
	}
	return append(out, steady/float64(max(1, len(gaps)))*100)
}

// straying is how far beats lie from a line through those around them, in hundredths
// of their distance squared.
func (r reading) straying(around int) float64 {
	sum, count := 0.0, 0
	for k := around; k+around < len(r); k += 2 {
		n := float64(2*around + 1)
		var my, sxy, sxx float64
		for d := -around; d <= around; d++ {
			my += float64(r[k+d]) / n
		}
		for d := -around; d <= around; d++ {
			sxy += float64(d) * (float64(r[k+d]) - my)
			sxx += float64(d * d)
		}
		slope := sxy / sxx
		for d := -around; d <= around; d++ {
			x := (float64(r[k+d]) - my - slope*float64(d)) / slope
			sum, count = sum+min(x*x, 0.1), count+1
		}
	}
	return 100 * sum / float64(max(1, count))
}

// leaps is the share of distances that are otherwise than those before by a tenth.
func (r reading) leaps() float64 {
	g := r.gaps()
	n := 0
	for i := 1; i < len(g); i++ {
		if math.Abs(math.Log(g[i]/g[i-1])) > 0.1 {
			n++
		}
	}
	return float64(n) / float64(max(1, len(g)))
}

// bpm is a reading's median tempo.
func (r reading) bpm() float64 { return 60 * perSecond / median(r.gaps()) }

func (r reading) gaps() (out []float64) {
	for i := 1; i < len(r); i++ {
		out = append(out, float64(r[i]-r[i-1]))
	}
	return out
}

// choose is the reading that is judged best, of those whose tempo can be one.
func (h *hearing) choose(alike [][]float64, all []reading) reading {
	var can []reading
	var traits [][]float64
	for _, r := range all {
		if bpm := r.bpm(); bpm >= slowest && bpm <= fastest {
			can, traits = append(can, r), append(traits, h.traits(r, alike))
		}
	}
	if len(can) == 0 {
		return nil
	}
	best := 0
	scores := usual().scores(traits)
	for i, v := range scores {
		if v > scores[best] {
			best = i
		}
	}
	return can[best]
}
