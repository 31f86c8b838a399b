package fit

import (
	"math"
	"slices"
	"sort"
)

// Beat is a place in the music where a cut is welcome.
type Beat struct {
	At       Frames
	Strength float64 // 0 hardly there to 1 as clear as they get
}

// Grid is where cuts should fall and how much that matters.
type Grid struct {
	Beats []Beat // in order of time
	// 0: lengths are as without; 1: a cut is off the beat only where it would take several slides
	// of half or double their length
	Strict float64
	// Wait, above 0, is the beat that the first cut waits for, if the first slide's
	// limits allow it; a set length gives way to it.
	Wait Frames
}

// How many beats on either side of a cut's own place are tried.
const reach = 12

// The price of a cut off the beat at the strictest: as much as four slides of half
// or double their length.
const dearest = 4.0

// OnBeats finds lengths like Solve and then moves cuts to beats: the middle of each
// join, or the cut itself, goes where the sum of all squared departures from the
// lengths that Solve finds, as shares of the shorter, and of what cuts off the beat
// cost, is least. The film lasts exactly as long, limits hold and slides of set length
// keep it, except that those which may Give depart from it so far. The error is
// Solve's. on is how many cuts lie on a beat, of len(slides)-1.
func OnBeats(slides []Slide, overlaps []Frames, target Frames, g Grid) (s Solution, on int, err error) {
	s, err = Solve(slides, overlaps, target)
	if err != nil || len(slides) < 2 {
		return s, 0, err
	}
	if g.Strict > 0 && len(g.Beats) > 0 {
		newMover(slides, s, target, g).move(&s)
	}
	for _, c := range s.Cuts() {
		if g.on(c) {
			on++
		}
	}
	return s, on, nil
}

// Cuts are where each slide but the first takes over: in the middle of its join.
func (s Solution) Cuts() []Frames {
	starts := s.Starts()
	if len(starts) == 0 {
		return nil
	}
	out := make([]Frames, len(starts)-1)
	for i := range out {
		out[i] = starts[i+1] + s.Overlaps[i]/2
	}
	return out
}

// mover moves the cuts of a solution. Between cuts i-1 and i slide i is in sight;
// the film begins and ends with cuts of its own.
type mover struct {
	grid   Grid
	slides []Slide
	ideal  []Frames  // between cuts
	least  []Frames  // between cuts at least
	most   []Frames  // and at most
	free   []Frames  // the cuts as they are, and the film's end
	beat   []float64 // price of each frame that is a beat, by index into grid.Beats
	off    float64   // price of a frame that is none
	gap    Frames    // beats further apart than this have a passage without beats between them
}

func newMover(slides []Slide, s Solution, target Frames, g Grid) *mover {
	n := len(slides)
	m := &mover{
		grid:   g,
		slides: slides,
		ideal:  make([]Frames, n),
		least:  make([]Frames, n),
		most:   make([]Frames, n),
		free:   append(s.Cuts(), target),
	}
	last := Frames(0)
	for i, sl := range slides {
		m.ideal[i] = m.free[i] - last
		last = m.free[i]
		beside := s.Lengths[i] - m.ideal[i] // of the slide, beyond its cuts
		joins := Frames(0)
		if i > 0 {
			joins += s.Overlaps[i-1]
		}
		if i < n-1 {
			joins += s.Overlaps[i]
		}
		lo, hi := max(1, sl.Least), unbounded
		if sl.Most > 0 {
			hi = max(lo, sl.Most)
		}
		lo, hi = lo+joins, hi+joins
		if sl.Fixed > 0 {
			lo, hi = max(1+joins, sl.Fixed-sl.Give), sl.Fixed+sl.Give
			lo = min(lo, sl.Fixed)
		}
		m.least[i], m.most[i] = max(1, lo-beside), hi-beside
	}
	// From free to strict the price rises evenly in its logarithm.
	m.off = dearest * math.Pow(1e-4, 1-min(1, g.Strict))
	m.beat = make([]float64, len(g.Beats))
	for k, b := range g.Beats {
		m.beat[k] = m.off * 0.1 * (1 - max(0, min(1, b.Strength)))
	}
	m.gap = 2 * usual(g.Beats)
	if w := g.Wait; w > 0 && w != m.free[0] && n > 1 {
		if slides[0].Fixed > 0 {
			m.least[0], m.most[0] = min(m.least[0], w), max(m.most[0], w)
		}
		if w >= m.least[0] && w <= m.most[0] {
			m.ideal[0] = w
		}
	}
	return m
}

// place is where a cut may go.
type place struct {
	at   Frames
	cost float64 // of being there
	sum  float64 // of all up to there
	from int     // the place of the cut before; −1: none leads here
}

// near are beats near a frame.
func (m *mover) near(at Frames) []Beat {
	b := m.grid.Beats
	k := sort.Search(len(b), func(i int) bool { return b[i].At >= at })
	return b[max(0, k-reach):min(len(b), k+reach)]
}

// cost is the price of a cut at a frame.
func (m *mover) cost(at Frames) float64 {
	b := m.grid.Beats
	k := sort.Search(len(b), func(i int) bool { return b[i].At >= at })
	if k < len(b) && b[k].At == at {
		return m.beat[k]
	}
	switch {
	case k == 0 && b[0].At-at > m.gap, k == len(b) && at-b[k-1].At > m.gap, k > 0 && k < len(b) &&
		b[k].At-b[k-1].At > m.gap:
		return 0 // there is no beat to be off
	}
	return m.off
}

// usual is the median distance of beats.
func usual(beats []Beat) Frames {
	gaps := make([]Frames, 0, len(beats))
	for i := 1; i < len(beats); i++ {
		gaps = append(gaps, beats[i].At-beats[i-1].At)
	}
	if len(gaps) == 0 {
		return 0
	}
	slices.Sort(gaps)
	return gaps[len(gaps)/2]
}

// places lists where each cut may go: as it is, to beats near it, and so that a
// slide of set length that follows or goes before ends at one.
func (m *mover) places() [][]place {
	n := len(m.free)
	at := make([][]Frames, n)
	end := m.free[n-1]
	for i := range n - 1 {
		at[i] = append(at[i], m.free[i])
		for _, b := range m.near(m.free[i]) {
			at[i] = append(at[i], b.At)
		}
		if i == 0 && m.grid.Wait > 0 {
			at[i] = append(at[i], m.grid.Wait)
		}
		if m.cost(m.free[i]) == 0 || m.cost(m.free[i]-m.ideal[i]) == 0 || m.cost(m.free[i]+m.ideal[i]) == 0 {
			// Where there is no beat near it may be anywhere: in twelfths of a slide.
			for k := Frames(-reach); k <= reach; k++ {
				at[i] = append(at[i], m.free[i]+k*max(1, m.ideal[i]/reach))
			}
		}
		// The slides after it up to the next that is free.
		shift := Frames(0)
		for j := i + 1; j < n-1 && m.least[j] == m.most[j]; j++ {
			shift += m.least[j]
			for _, b := range m.near(m.free[j]) {
				at[i] = append(at[i], b.At-shift)
			}
		}
	}
	at[n-1] = []Frames{end}
	// What is of set length takes its end along.
	for i := 1; i < n-1; i++ {
		if m.least[i] == m.most[i] {
			at[i] = at[i][:1]
			for _, a := range at[i-1] {
				at[i] = append(at[i], a+m.least[i])
			}
		}
	}
	out := make([][]place, n)
	for i, list := range at {
		slices.Sort(list)
		for _, a := range slices.Compact(list) {
			if a > 0 && a <= end {
				p := place{at: a, from: -1}
				if i < n-1 {
					p.cost = m.cost(a)
				}
				out[i] = append(out[i], p)
			}
		}
	}
	return out
}

// departure is the square of what a length differs from slide i's ideal by, as a
// share of the shorter of the two: half and double are equally far.
func (m *mover) departure(i int, length Frames) float64 {
	x := float64(length-m.ideal[i]) / float64(max(1, min(length, m.ideal[i])))
	return x * x
}

// move finds the cheapest cuts and gives the solution their lengths.
func (m *mover) move(s *Solution) {
	all := m.places()
	for k := range all[0] {
		p := &all[0][k]
		if p.at >= m.least[0] && p.at <= m.most[0] {
			p.from, p.sum = 0, p.cost+m.departure(0, p.at)
		}
	}
	for i := 1; i < len(all); i++ {
		before := all[i-1]
		for k := range all[i] {
			p := &all[i][k]
			p.sum = math.Inf(1)
			lo := sort.Search(len(before), func(j int) bool { return before[j].at >= p.at-m.most[i] })
			for j := lo; j < len(before) && before[j].at <= p.at-m.least[i]; j++ {
				if before[j].from < 0 {
					continue
				}
				if sum := before[j].sum + p.cost + m.departure(i, p.at-before[j].at); sum < p.sum {
					p.sum, p.from = sum, j
				}
			}
		}
	}
	k := 0 // the only place of the film's end
	for i := len(all) - 1; i >= 0; i-- {
		p := all[i][k]
		if p.from < 0 {
			return // never: the cuts as they are lead here
		}
		before := Frames(0)
		if i > 0 {
			before = all[i-1][p.from].at
		}
		s.Lengths[i] += p.at - before - (m.free[i] - m.before(i))
		k = p.from
	}
	m.evenly(s)
}

// evenly shares the time between neighbouring cuts on beats anew among the slides
// there, by linger: cuts that lie on no beat are not bound to where they were tried.
func (m *mover) evenly(s *Solution) {
	cuts := append(s.Cuts(), m.free[len(m.free)-1])
	least, most := make([]Frames, len(m.slides)), make([]Frames, len(m.slides))
	from := 0
	for i, c := range cuts {
		if i < len(cuts)-1 && !m.grid.on(c) && !(i == 0 && c == m.grid.Wait) {
			continue
		}
		var free []int
		room := Frames(0)
		for k := from; k <= i; k++ {
			if m.slides[k].Fixed == 0 {
				beside := s.Lengths[k] - cuts[k]
				if k > 0 {
					beside += cuts[k-1]
				}
				free, room = append(free, k), room+s.Lengths[k]
				least[k], most[k] = m.least[k]+beside, min(unbounded, m.most[k]+beside)
			}
		}
		if len(free) > 1 {
			share(m.slides, free, least, most, room, s.Lengths)
		}
		from = i + 1
	}
}

// on reports whether a frame is a beat.
func (g Grid) on(at Frames) bool {
	_, ok := slices.BinarySearchFunc(g.Beats, at, func(b Beat, at Frames) int { return int(b.At - at) })
	return ok
}

// before is the cut before slide i, as it was.
func (m *mover) before(i int) Frames {
	if i == 0 {
		return 0
	}
	return m.free[i-1]
}
