package rhythm

import "math"

// metres are the beats a bar that are looked for.
var metres = []int{4, 3}

// leap is how dear it is for bars to begin anew in the middle of one, in deviations.
const leap = 8.0

// bars marks the beats that are the first of a bar: where the harmony changes and
// the bass is strong, every three or four beats.
func (h *hearing) bars(beats []Beat) {
	n := len(beats)
	if n < 8 {
		return
	}
	d := h.weight(beats)
	best := math.Inf(-1)
	for _, m := range metres {
		down, score := bar(d, m)
		score /= float64(n)
		score += metreWeight * (selfAlike(d, m) + selfAlike(d, 2*m))
		if score > best {
			best = score
			for i := range beats {
				beats[i].Down = down[i]
			}
		}
	}
}

const metreWeight = 0.5

// weight is how much each beat sounds like the first of a bar, in deviations from
// the mean.
func (h *hearing) weight(beats []Beat) []float64 {
	out := make([]float64, len(beats))
	add := func(curve []float64, share float64) {
		v := make([]float64, len(beats))
		mean, dev := 0.0, 0.0
		for i, b := range beats {
			at := min(len(curve)-1, int(math.Round(b.At*perSecond)))
			for k := max(0, at-3); k < min(len(curve), at+4); k++ {
				v[i] = max(v[i], curve[k])
			}
			mean += v[i] / float64(len(v))
		}
		for _, x := range v {
			dev += (x - mean) * (x - mean) / float64(len(v))
		}
		if dev == 0 {
			return
		}
		for i, x := range v {
			out[i] += share * (x - mean) / math.Sqrt(dev)
		}
	}
	add(h.bands[0], bassShare)
	add(h.all, allShare)
	add(h.novelty, noveltyShare)
	add(h.loud, loudShare)
	return out
}

// What they count for, beside each other.
const bassShare, allShare, noveltyShare, loudShare = 0.5, 0.3, 1.0, 0.4

// bar is the likeliest way to part beats into bars of m, and how likely.
func bar(d []float64, m int) (down []bool, score float64) {
	n := len(d)
	sums := make([]float64, m)
	from := make([][]int, n)
	for i := range n {
		next := make([]float64, m)
		from[i] = make([]int, m)
		top := 0
		for p := range sums {
			if sums[p] > sums[top] {
				top = p
			}
		}
		for p := range m {
			before := (p + m - 1) % m
			next[p], from[i][p] = sums[before], before
			if i > 0 && sums[top]-leap > sums[before] {
				next[p], from[i][p] = sums[top]-leap, top
			}
			if p == 0 {
				next[p] += d[i]
			} else {
				next[p] -= d[i] / float64(m-1)
			}
		}
		sums = next
	}
	at := 0
	for p := range sums {
		if sums[p] > sums[at] {
			at = p
		}
	}
	score = sums[at]
	down = make([]bool, n)
	for i := n - 1; i >= 0; i-- {
		down[i] = at == 0
		at = from[i][at]
	}
	return down, score
}

// selfAlike is how alike a row is to itself so many places later.
func selfAlike(d []float64, lag int) float64 {
	sum, all := 0.0, 0.0
	for i, v := range d {
		all += v * v
		if i >= lag {
			sum += v * d[i-lag]
		}
	}
	if all == 0 || len(d) <= lag {
		return 0
	}
	return sum / all * float64(len(d)) / float64(len(d)-lag)
}
