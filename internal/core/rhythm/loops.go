package rhythm

import (
	"cmp"
	"math"
	"slices"
)

// Loop is a pair of moments of a song that go on alike: when it comes to To it may go
// on from From again, and at From it may go on at To, without that being heard.
type Loop struct {
	From  float64 `json:"from"` // seconds, before To
	To    float64 `json:"to"`
	Alike float64 `json:"alike"` // 1 the same
}

// Loops: how many are kept, how long they are at least, and how alike.
const (
	mostLoops   = 48
	leastLoop   = 4.0 // seconds
	alikeEnough = 0.35
	before      = 4 // moments that must be alike before the place
	after       = 8 // and after it
)

// loops finds where a song may be joined to itself: from bar to bar, or from beat to
// beat where bars are not known.
func loops(all []moment, even [][]float64, beats []Beat) []Loop {
	n := len(all)
	if n < before+after+2 {
		return nil
	}
	down, some := map[float64]bool{}, false
	for _, b := range beats {
		down[b.At] = b.Down
		some = some || b.Down
	}
	var places []int
	for i := before; i+after < n; i++ {
		if !some || down[all[i].at] {
			places = append(places, i)
		}
	}
	var out []Loop
	for a, i := range places {
		for _, j := range places[a+1:] {
			if all[j].at-all[i].at < leastLoop {
				continue
			}
			sum := 0.0
			for k := -before; k < after; k++ {
				sum += likeness(even[i+k], even[j+k])
			}
			if x := sum / (before + after); x > alikeEnough {
				out = append(out, Loop{all[i].at, all[j].at, math.Round(x*1000) / 1000})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Loop) int { return cmp.Compare(b.Alike, a.Alike) })
	// Of those of like length the best are kept, so that there are many lengths.
	count := map[int]int{}
	out = slices.DeleteFunc(out, func(x Loop) bool {
		k := int(math.Round(x.To - x.From))
		count[k]++
		return count[k] > 2
	})
	return out[:min(len(out), mostLoops)]
}

// Stretch is a part of a song, in seconds of it.
type Stretch struct {
	From float64 `json:"from"`
	To   float64 `json:"to"`
}

// Made is a version of a song of a wanted length.
type Made struct {
	Stretches []Stretch
	Joins     int     // between stretches
	Alike     float64 // of the worst join; 1 without
	Over      float64 // seconds that the song would go on after the wanted length: it fades instead
}

// How much joins, and an end that is not the song's own, count beside each other
// when a version is chosen.
const (
	joinCost = 1.0
	overCost = 0.25 // a second
)

// Arrange makes a version of a song of the given length that lasts want seconds: as
// it is where that is long enough within a second, else with passages left out or
// heard again, joined where it goes on alike, so that its own end comes at the
// wanted length or up to a bar or two after it. Only a song without such places is
// cut short. ok is false if it cannot be made so long.
func Arrange(length float64, loops []Loop, want float64) (m Made, ok bool) {
	best := math.Inf(1)
	consider := func(list []Stretch, alike float64) {
		total := 0.0
		for _, s := range list {
			total += s.To - s.From
		}
		over := total - want
		if over < -1e-6 {
			return
		}
		joins := len(list) - 1
		if cost := over*overCost + float64(joins)*joinCost*(1.2-alike)*2; cost < best {
			best, ok = cost, true
			m = Made{Stretches: list, Joins: joins, Alike: alike, Over: max(0, over)}
		}
	}
	consider([]Stretch{{0, length}}, 1)
	for _, a := range loops {
		d := a.To - a.From
		if length-d >= want {
			consider([]Stretch{{0, a.From}, {a.To, length}}, a.Alike)
		}
		for k := 1; k <= mostTimes && length+float64(k-1)*d < want; k++ {
			list := []Stretch{{0, a.To}}
			for range k - 1 {
				list = append(list, Stretch{a.From, a.To})
			}
			consider(append(list, Stretch{a.From, length}), a.Alike)
		}
		for _, b := range loops {
			// Two passages left out, one after the other.
			if b.From >= a.To+leastLoop {
				consider([]Stretch{{0, a.From}, {a.To, b.From}, {b.To, length}}, min(a.Alike, b.Alike))
			}
			// One heard again and one left out, the later first.
			if a.From >= b.To+leastLoop || b.From >= a.To+leastLoop {
				if first, second := a, b; first.To < second.From {
					consider([]Stretch{{0, first.To}, {first.From, second.From}, {second.To, length}},
						min(a.Alike, b.Alike))
				} else {
					consider([]Stretch{{0, second.From}, {second.To, first.To}, {first.From, length}},
						min(a.Alike, b.Alike))
				}
			}
		}
	}
	if !ok {
		return m, false
	}
	// What is over is cut off at the end.
	for over := m.Over; over > 0; {
		last := &m.Stretches[len(m.Stretches)-1]
		if cut := min(over, last.To-last.From); cut < last.To-last.From {
			last.To -= cut
			break
		} else {
			over -= cut
			m.Stretches = m.Stretches[:len(m.Stretches)-1]
		}
	}
	m.Joins = len(m.Stretches) - 1
	return m, true
}

// mostTimes is how often a passage is heard again at most.
const mostTimes = 60
