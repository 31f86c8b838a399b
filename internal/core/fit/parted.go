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

// Share parts slides among songs by their share of time: first[k] is the slide that
// song k begins with. Each song has at least one while there are enough.
func Share(lengths, ends []Frames) (first []int) {
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
