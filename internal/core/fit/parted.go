package fit

import "fmt"

// Parted fits slides in parts that follow each other, each with its own end: part k
// begins with slide first[k] and its last slide gives way to the next part's first at
// ends[k], in the middle of their join; the last of ends is the film's. first[0] is
// 0. Each part is OnBeats of its own; an *Error is wrapped with the number of its
// part, from 1.
func Parted(slides []Slide, overlaps, ends []Frames, first []int, g Grid) (s Solution, on int, err error) {
	if len(ends) == 0 || len(first) != len(ends) || len(overlaps) != len(slides)-1 {
		return s, 0, &Error{}
	}
	begin := Frames(0)
	for k, end := range ends {
		a, b := first[k], len(slides)
		if k+1 < len(first) {
			b = first[k+1]
		}
		if a >= b {
			return s, 0, fmt.Errorf("song %d: %w", k+1, &Error{Target: end - begin})
		}
		part := append([]Slide{}, slides[a:b]...)
		lead, tail := Frames(0), Frames(0)
		if a > 0 {
			lead = overlaps[a-1] / 2
			part[0] = part[0].within(overlaps[a-1])
			s.Overlaps = append(s.Overlaps, overlaps[a-1])
		}
		if b < len(slides) {
			tail = overlaps[b-1] - overlaps[b-1]/2
			part[len(part)-1] = part[len(part)-1].within(overlaps[b-1])
		}
		grid := Grid{Strict: g.Strict}
		if k == 0 {
			grid.Wait = g.Wait
		}
		for _, beat := range g.Beats {
			if beat.At > begin && beat.At < end {
				grid.Beats = append(grid.Beats, Beat{beat.At - begin + lead, beat.Strength})
			}
		}
		got, there, err := OnBeats(part, overlaps[a:b-1], end-begin+lead+tail, grid)
		if err != nil {
			return s, 0, fmt.Errorf("song %d: %w", k+1, err)
		}
		s.Lengths, s.Overlaps = append(s.Lengths, got.Lengths...), append(s.Overlaps, got.Overlaps...)
		s.Shortened = s.Shortened || got.Shortened
		on += there
		begin = end
	}
	return s, on, nil
}

// within is a slide that is not wholly seen for so long besides.
func (s Slide) within(join Frames) Slide {
	s.Least = max(1, s.Least) + join
	if s.Most > 0 {
		s.Most += join
	}
	return s
}

// Share parts slides among songs: first[k] is the slide that song k begins with. Each
// song gets a number of slides that can last as long as it does, as near as can be to
// its share of lengths, how long slides would be by themselves; where that cannot be,
// its share. Each has at least one slide while there are enough.
func Share(slides []Slide, overlaps, lengths, ends []Frames) (first []int) {
	n, songs := len(slides), len(ends)
	if songs > n {
		return make([]int, songs)
	}
	by := byTime(lengths, ends)
	// How long the slides before each last at least and at most, from cut to cut.
	least, most := make([]Frames, n+1), make([]Frames, n+1)
	for i, s := range slides {
		joins := Frames(0)
		if i > 0 {
			joins += overlaps[i-1] - overlaps[i-1]/2
		}
		if i < n-1 {
			joins += overlaps[i] / 2
		}
		lo, hi := max(1, s.Least)+joins, unbounded
		if s.Most > 0 {
			hi = max(1, s.Least, s.Most) + joins
		}
		if s.Fixed > 0 {
			lo, hi = s.Fixed-joins, s.Fixed-joins
		}
		least[i+1], most[i+1] = least[i]+lo, min(unbounded, most[i]+hi)
	}
	const far = int(1) << 40
	cost, from := make([][]int, songs+1), make([][]int, songs+1)
	for k := range cost {
		cost[k], from[k] = make([]int, n+1), make([]int, n+1)
		for i := range cost[k] {
			cost[k][i] = far
		}
	}
	cost[0][0] = 0
	begin := Frames(0)
	for k, end := range ends {
		for i := k + 1; i <= n; i++ {
			for j := k; j < i; j++ {
				if cost[k][j] == far || least[i]-least[j] > end-begin || most[i] < unbounded &&
					most[i]-most[j] < end-begin {
					continue
				}
				c := cost[k][j]
				if k+1 < songs {
					c += max(i-by[k+1], by[k+1]-i)
				}
				if c < cost[k+1][i] {
					cost[k+1][i], from[k+1][i] = c, j
				}
			}
		}
		begin = end
	}
	if cost[songs][n] == far {
		return by
	}
	first = make([]int, songs)
	for k, i := songs, n; k > 0; k-- {
		i = from[k][i]
		first[k-1] = i
	}
	return first
}

// byTime parts slides by their songs' shares of time alone.
func byTime(lengths, ends []Frames) (first []int) {
	total := Frames(0)
	for _, l := range lengths {
		total += l
	}
	first = []int{0}
	sum, i := Frames(0), 0
	last := ends[len(ends)-1]
	for k := range len(ends) - 1 {
		for i < len(lengths)-(len(ends)-1-k) && (i <= first[k] || (2*sum+lengths[i])*last < 2*ends[k]*total) {
			sum += lengths[i]
			i++
		}
		first = append(first, i)
	}
	return first
}
