package rhythm

import (
	"math"
	"slices"
)

// Section is a passage that sounds like itself, from one bar to another. Those with
// the same label sound alike.
type Section struct {
	At    float64 `json:"at"`    // seconds
	End   float64 `json:"end"`   // seconds
	Label string  `json:"label"` // A, B, …
}

// A moment is what is heard between two beats, or in a second where there are none:
// its notes and the colour of its sound.
type moment struct {
	at, end float64
	sound   []float64
}

// moments are what is heard from beat to beat.
func (l *Listener) moments(beats []Beat) []moment {
	var marks []float64
	seconds := float64(l.frames()) / perSecond
	last := 0.0
	for _, b := range append(slices.Clone(beats), Beat{At: seconds}) {
		for b.At-last > 2 {
			last++
			marks = append(marks, last)
		}
		if b.At-last > 0.05 {
			last = b.At
			marks = append(marks, last)
		}
	}
	var out []moment
	from := 0.0
	for _, m := range marks {
		out = append(out, moment{from, m, l.heardIn(int(from*perSecond), int(m*perSecond))})
		from = m
	}
	return out
}

// heardIn is the mean of what is heard in some frames.
func (l *Listener) heardIn(from, to int) []float64 {
	out := make([]float64, 12+len(groups))
	to = min(max(to, from+1), l.frames())
	for i := from; i < to; i++ {
		for k, v := range l.pitch[i] {
			out[k] += float64(v) / float64(to-from)
		}
		for k, v := range l.timbre[i] {
			out[12+k] += float64(v) / float64(to-from)
		}
	}
	return out
}

// Half a section's edge is heard in so many moments on either side, and a section is
// at least so long.
const (
	edge         = 16
	leastSection = 8.0 // seconds
	plainEdge    = 0.15
)

// sections parts a song where what is heard changes: by a checkerboard moved along
// the diagonal of the moments' likeness to each other (J. Foote, "Automatic audio
// segmentation using a measure of audio novelty", ICME 2000).
func sections(all []moment, even [][]float64, beats []Beat) []Section {
	n := len(all)
	if n < 2*edge {
		if n == 0 {
			return nil
		}
		return []Section{{0, all[n-1].end, "A"}}
	}
	novel := make([]float64, n)
	top := 0.0
	for i := range novel {
		novel[i] = checkerboard(even, i)
		top = math.Max(top, novel[i])
	}
	down := map[float64]bool{}
	for _, b := range beats {
		down[b.At] = b.Down
	}
	cuts := []int{0}
	for i := 1; i < n; i++ {
		if novel[i] < max(0.3*top, plainEdge) || !largest(novel, i, edge/2) {
			continue
		}
		// To the nearest bar, if there is one within two beats.
		at := i
		for d := range 3 {
			if i+d < n && down[all[i+d].at] {
				at = i + d
				break
			}
			if i-d > 0 && down[all[i-d].at] {
				at = i - d
				break
			}
		}
		if all[at].at-all[cuts[len(cuts)-1]].at >= leastSection && all[n-1].end-all[at].at >= leastSection {
			cuts = append(cuts, at)
		}
	}
	return labelled(all, even, cuts)
}

// largest reports whether none within r of i is larger.
func largest(v []float64, i, r int) bool {
	for j := max(0, i-r); j < min(len(v), i+r+1); j++ {
		if v[j] > v[i] || v[j] == v[i] && j < i {
			return false
		}
	}
	return true
}

// centred are moments with the song's mean taken off and of length one.
func centred(all []moment) [][]float64 {
	if len(all) == 0 {
		return nil
	}
	width := len(all[0].sound)
	mean, dev := make([]float64, width), make([]float64, width)
	for _, m := range all {
		for k, v := range m.sound {
			mean[k] += v / float64(len(all))
		}
	}
	for _, m := range all {
		for k, v := range m.sound {
			dev[k] += (v - mean[k]) * (v - mean[k]) / float64(len(all))
		}
	}
	out := make([][]float64, len(all))
	for i, m := range all {
		v := make([]float64, width)
		norm := 0.0
		for k, x := range m.sound {
			if dev[k] > 1e-12 {
				v[k] = (x - mean[k]) / math.Sqrt(dev[k])
			}
			norm += v[k] * v[k]
		}
		if norm > 0 {
			for k := range v {
				v[k] /= math.Sqrt(norm)
			}
		}
		out[i] = v
	}
	return out
}

func likeness(a, b []float64) float64 {
	sum := 0.0
	for k, v := range a {
		sum += v * b[k]
	}
	return sum
}

// checkerboard is how much more alike the moments on each side of i are among
// themselves than to those of the other side.
func checkerboard(v [][]float64, i int) float64 {
	r := min(edge, i, len(v)-i)
	if r < edge/2 {
		return 0
	}
	within, across := 0.0, 0.0
	for a := -r; a < r; a++ {
		for b := -r; b < r; b++ {
			x := likeness(v[i+a], v[i+b])
			if (a < 0) == (b < 0) {
				within += x
			} else {
				across += x
			}
		}
	}
	return (within - across) / float64(2*r*r)
}

// labelled gives sections that sound alike the same label.
func labelled(all []moment, even [][]float64, cuts []int) (out []Section) {
	var means [][]float64
	var labels []int
	for k, c := range cuts {
		end := len(all)
		if k+1 < len(cuts) {
			end = cuts[k+1]
		}
		mean := make([]float64, len(even[0]))
		norm := 0.0
		for _, v := range even[c:end] {
			for j, x := range v {
				mean[j] += x
			}
		}
		for _, x := range mean {
			norm += x * x
		}
		if norm > 0 {
			for j := range mean {
				mean[j] /= math.Sqrt(norm)
			}
		}
		label := -1
		best := 0.75
		for j, m := range means {
			if x := likeness(mean, m); x > best {
				best, label = x, labels[j]
			}
		}
		if label < 0 {
			for _, l := range labels {
				label = max(label, l)
			}
			label++
		}
		means, labels = append(means, mean), append(labels, label)
		out = append(out, Section{all[c].at, all[end-1].end, string(rune('A' + label%26))})
	}
	return out
}
