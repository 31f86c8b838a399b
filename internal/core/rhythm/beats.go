package rhythm

import (
	"math"
	"slices"
)

// Beat is one beat of a song.
type Beat struct {
	At       float64 `json:"at"`       // seconds
	Strength float64 `json:"strength"` // 0 hardly there to 1 as clear as they get
	Down     bool    `json:"down"`     // the first of a bar
}

// Analysis is what was heard.
type Analysis struct {
	BPM      float64 // median tempo; 0 without beats
	Beats    []Beat
	Sections []Section
	Loops    []Loop
	Key      string // as "E flat minor"; empty where none stands out
}

// shortest is how long a song must be for a beat to be heard in it, in frames.
const shortest = 3 * perSecond

// Analyse finds the rhythm of what was heard.
func (l *Listener) Analyse() Analysis {
	n := l.frames()
	if n < shortest {
		return Analysis{}
	}
	var bands [][]float64
	for _, o := range l.flux {
		bands = append(bands, even(o))
	}
	strength, alike := gram(append(bands, l.novelty(4)))
	h := l.hearing(bands)
	r := h.choose(alike, h.readings(tempi(strength, n)))
	out := Analysis{Beats: h.beats(r, alike), Key: l.key()}
	out.BPM = tempo(out.Beats)
	h.bars(out.Beats)
	all := l.moments(out.Beats)
	even := centred(all)
	out.Sections, out.Loops = sections(all, even, out.Beats), loops(all, even, out.Beats)
	return out
}

// tempi is the period at each of n frames, from the way through a tempogram.
func tempi(g [][]float64, n int) []float64 {
	path := follow(g)
	out := make([]float64, n)
	for i := range out {
		x := float64(i) / gramHop
		s := min(int(x), len(path)-1)
		t := min(s+1, len(path)-1)
		f := x - float64(s)
		a, b := peak(g[s], path[s]), peak(g[t], path[t])
		switch leap := path[s]-path[t] > 5 || path[t]-path[s] > 5; {
		case leap && f > 0.5:
			out[i] = b
		case leap:
			out[i] = a
		default:
			out[i] = a*(1-f) + b*f
		}
	}
	return out
}

// tempo is the median tempo of beats that follow each other.
func tempo(beats []Beat) float64 {
	var gaps []float64
	for i := 1; i < len(beats); i++ {
		gaps = append(gaps, beats[i].At-beats[i-1].At)
	}
	usual := median(gaps)
	if usual == 0 {
		return 0
	}
	// A frame is a hundredth of a second: the mean of those near the median is finer.
	sum, count := 0.0, 0
	for _, g := range gaps {
		if math.Abs(g-usual) < 0.06*usual {
			sum, count = sum+g, count+1
		}
	}
	return 60 * float64(count) / sum
}

// beats are a reading's, each with how clear it is; passages without a beat are
// left out.
func (h *hearing) beats(r reading, alike [][]float64) (out []Beat) {
	if len(r) == 0 {
		return nil
	}
	near := widest(h.all, 3)
	var on []float64
	for _, i := range r {
		on = append(on, near[i])
	}
	usual := median(on)
	if usual == 0 {
		return nil
	}
	clear := clarity(r, alike)
	for k, i := range r {
		c := max(0, min(1, (clear[k]-vague)/(plain-vague)))
		if c == 0 || h.quiet(i) {
			continue
		}
		s := math.Sqrt(c) * min(1, 0.5+0.5*on[k]/usual)
		out = append(out, Beat{
			At:       math.Round(max(0, fine(h.all, i)/perSecond)*1e4) / 1e4,
			Strength: math.Round(s*100) / 100,
		})
	}
	return together(out)
}

// together leaves out beats that stand alone: fewer than some, with nothing for long
// before and after.
func together(beats []Beat) (out []Beat) {
	const few, long = 6, 2.5 // beats, seconds
	for from := 0; from < len(beats); {
		to := from + 1
		for to < len(beats) && beats[to].At-beats[to-1].At < long {
			to++
		}
		if to-from >= few {
			out = append(out, beats[from:to]...)
		}
		from = to
	}
	return out
}

// clarity is how alike the onsets around each beat are to those one, two or four beats before, as
// the median of some beats: a figure over two beats or a bar is as clear as one that is on each.
func clarity(r reading, alike [][]float64) []float64 {
	const around = 5
	raw := make([]float64, len(r))
	for k, i := range r {
		gap := r[min(len(r)-1, k+1)] - r[max(0, k-1)]
		gap /= max(1, min(len(r)-1, k+1)-max(0, k-1))
		row := alike[min(i/gramHop, len(alike)-1)]
		for _, beats := range []int{1, 2, 4} {
			middle := beats * gap
			for lag := max(1, middle-2); lag <= min(middle+2, len(row)-1); lag++ {
				raw[k] = max(raw[k], row[lag])
			}
		}
	}
	out := make([]float64, len(r))
	for k := range raw {
		out[k] = median(raw[max(0, k-around):min(len(raw), k+around+1)])
	}
	return out
}

// How alike onsets are to those a beat before where there is none, and where it is
// plain.
const vague, plain = 0.05, 0.4

var groupWeight = []float64{1, 1, 0.7, 0.5}

// tight is how dear it is for beats to be otherwise apart than the tempo says.
const tight, firm = 100.0, 1000.0

// place finds beats by dynamic programming: where onsets are, as far apart as the
// tempo has it.
func place(o, period []float64, tight float64) []int {
	n := len(o)
	smooth := make([]float64, n)
	for i := range o {
		for d := -3; d <= 3; d++ {
			if i+d >= 0 && i+d < n {
				smooth[i] += o[i+d] * math.Exp(-float64(d*d)/2/1.5)
			}
		}
	}
	sum := 0.0
	for _, v := range smooth {
		sum += v * v
	}
	scale := math.Sqrt(sum / float64(n))
	if scale == 0 {
		return nil
	}
	score := make([]float64, n)
	from := make([]int, n)
	for i := range score {
		p := period[i]
		best, at := 0.0, -1
		first := true
		for j := i - int(2*p); j <= i-int(p/2); j++ {
			if j < 0 {
				continue
			}
			x := math.Log(float64(i-j) / p)
			if v := score[j] - tight*x*x; first || v > best {
				best, at, first = v, j, false
			}
		}
		if first || best < 0 && i < int(2*p) {
			best, at = 0, -1
		}
		score[i], from[i] = smooth[i]/scale+best, at
	}
	// The last beat: the best of the last two beats' time.
	end := n - 1
	for i := max(0, n-int(1.5*period[n-1])); i < n; i++ {
		if score[i] > score[end] {
			end = i
		}
	}
	var out []int
	for i := end; i >= 0; i = from[i] {
		out = append(out, i)
	}
	slices.Reverse(out)
	return out
}

// fine is where the onset near frame i is greatest, between frames.
func fine(o []float64, i int) float64 {
	if i <= 0 || i+1 >= len(o) {
		return float64(i)
	}
	best := i
	for d := -2; d <= 2; d++ {
		if j := i + d; j > 0 && j+1 < len(o) && o[j] > o[best] {
			best = j
		}
	}
	if best <= 0 || best+1 >= len(o) {
		return float64(best)
	}
	a, b, c := o[best-1], o[best], o[best+1]
	if d := a - 2*b + c; d < 0 {
		return float64(best) + max(-0.5, min(0.5, (a-c)/(2*d)))
	}
	return float64(best)
}

// quiet reports whether there is hardly anything to be heard at a frame.
func (h *hearing) quiet(i int) bool { return h.loud[i] < h.silent }
