// Package fit solves the lengths of slides so that the film lasts exactly as
// long as it should, to the frame.
//
// A film of slides with lengths L and overlaps o between neighbours lasts
// ΣL − Σo frames. Pinned slides and clips keep their length; the others share
// what is left by their linger.
package fit

import (
	"fmt"
	"math"
	"slices"

	"nelko/internal/core/timecode"
)

// Frames is a length in frames.
type Frames = timecode.Frames

// Slide is what the solver knows of a slide.
type Slide struct {
	Fixed  Frames  // above 0: keeps this length
	Linger float64 // share of the free time, above 0; ignored when Fixed
}

// Solution is the answer: a length for each slide and an overlap for each of
// the joins between them.
type Solution struct {
	Lengths  []Frames
	Overlaps []Frames
	// Shortened says that overlaps had to be made shorter than wanted.
	Shortened bool
}

// Total is the length of the film.
func (s Solution) Total() Frames {
	var t Frames
	for _, l := range s.Lengths {
		t += l
	}
	for _, o := range s.Overlaps {
		t -= o
	}
	return t
}

// Starts lists the frame each slide begins at.
func (s Solution) Starts() []Frames {
	starts := make([]Frames, len(s.Lengths))
	for i := 1; i < len(starts); i++ {
		starts[i] = starts[i-1] + s.Lengths[i-1] - s.Overlaps[i-1]
	}
	return starts
}

// Error says why no lengths add up to the target, and by how much.
type Error struct {
	Target Frames // frames wanted
	Reach  Frames // the nearest length that can be had
	Free   int    // slides whose length could change
	Fixed  Frames // frames taken by slides whose length is set
}

func (e *Error) Error() string {
	switch {
	case e.Free == 0 && e.Reach == 0:
		return "there are no slides to fit"
	case e.Free == 0:
		return fmt.Sprintf("every slide has a set length: together they last %d frames, the music %d; unpin a slide", e.Reach, e.Target)
	case e.Fixed == 0:
		return fmt.Sprintf("%d slides need at least %d frames, the music has %d: %d too few", e.Free, e.Reach, e.Target, e.Reach-e.Target)
	}
	return fmt.Sprintf("slides of set length and %d others need at least %d frames, the music has %d: %d too few",
		e.Free, e.Reach, e.Target, e.Reach-e.Target)
}

// Even is the same overlap at each of the joins of n slides.
func Even(n int, overlap Frames) []Frames {
	o := make([]Frames, max(0, n-1))
	for i := range o {
		o[i] = overlap
	}
	return o
}

// Solve finds lengths that last exactly target frames, with the wanted
// overlaps at the joins. Every slide keeps at least one frame to itself; if
// the slides are too short for that, all overlaps are shortened by the same
// share until they fit. The error is an *Error. There must be one overlap
// fewer than slides.
func Solve(slides []Slide, overlaps []Frames, target Frames) (Solution, error) {
	if target < 1 || len(slides) == 0 || len(overlaps) != len(slides)-1 {
		return Solution{}, &Error{Target: target}
	}
	widest := Frames(0)
	for _, o := range overlaps {
		widest = max(widest, o)
	}
	// k of widest: every overlap is brought to that share of itself.
	try := func(k Frames) (Solution, error) {
		laps := slices.Clone(overlaps)
		for i := range laps {
			if widest > 0 {
				laps[i] = max(0, laps[i]*k/widest)
			}
		}
		return solveWith(slides, laps, target)
	}
	best, err := try(widest)
	if err == nil {
		return best, nil
	}
	// Feasibility only improves as the overlaps shrink, so bisect.
	lo, hi := Frames(0), widest
	best, err = try(0)
	if err != nil {
		return Solution{}, err
	}
	for lo < hi-1 {
		mid := (lo + hi) / 2
		if s, e := try(mid); e == nil {
			best, lo = s, mid
		} else {
			hi = mid
		}
	}
	best.Shortened = true
	return best, nil
}

// Lay gives lengths without a target: every free slide lasts pace frames
// times its linger, and overlaps are at most what the slides can bear.
func Lay(slides []Slide, overlaps []Frames, pace Frames) Solution {
	s := Solution{Lengths: make([]Frames, len(slides)), Overlaps: slices.Clone(overlaps)}
	for i, sl := range slides {
		s.Lengths[i] = sl.Fixed
		if sl.Fixed <= 0 {
			// Neighbours overlap, so a new picture comes every pace frames.
			lap := Frames(0)
			if len(overlaps) > 0 {
				lap = overlaps[min(i, len(overlaps)-1)]
			}
			s.Lengths[i] = max(1, Frames(math.Round(float64(pace)*sl.Linger))) + min(lap, pace/2)
		}
	}
	for i, wanted := range overlaps {
		s.Overlaps[i] = min(wanted, (s.Lengths[i]-1)/2, (s.Lengths[i+1]-1)/2)
		s.Shortened = s.Shortened || s.Overlaps[i] < wanted
	}
	return s
}

func solveWith(slides []Slide, overlaps []Frames, target Frames) (Solution, error) {
	n := len(slides)
	s := Solution{Lengths: make([]Frames, n), Overlaps: overlaps}
	free := []int{}
	least := make([]Frames, n)
	room, need, fixed := target, Frames(0), Frames(0)
	for _, o := range overlaps {
		room += o
	}
	for i, sl := range slides {
		least[i] = 1
		if i > 0 {
			least[i] += overlaps[i-1]
		}
		if i < n-1 {
			least[i] += overlaps[i]
		}
		if sl.Fixed > 0 {
			s.Lengths[i] = sl.Fixed
			room -= sl.Fixed
			fixed += sl.Fixed
			if sl.Fixed < least[i] && least[i] > 1 {
				return s, &Error{Target: target, Reach: target + 1, Free: len(free), Fixed: fixed}
			}
			continue
		}
		free = append(free, i)
		need += least[i]
	}
	if need > room || (len(free) == 0 && room != 0) {
		return s, &Error{Target: target, Reach: target + need - room, Free: len(free), Fixed: fixed}
	}
	if len(free) > 0 {
		share(slides, free, least, room, s.Lengths)
	}
	return s, nil
}

// share splits room among the free slides by linger. Slides whose share would
// be under their least get the least, and the rest is split again. Whole
// frames go by largest remainder, ties to the earlier slide.
func share(slides []Slide, free []int, least []Frames, room Frames, out []Frames) {
	open := slices.Clone(free)
	for {
		weight := 0.0
		for _, i := range open {
			weight += slides[i].Linger
		}
		keep := open[:0:0]
		left := room
		for _, i := range open {
			if float64(room)*slides[i].Linger/weight < float64(least[i]) {
				out[i] = least[i]
				left -= least[i]
			} else {
				keep = append(keep, i)
			}
		}
		if len(keep) == len(open) {
			byRemainder(slides, open, weight, room, out)
			return
		}
		open, room = keep, left
		if len(open) == 0 {
			// All at their least with frames to spare cannot be: the last
			// slide's share is at least its part of the room.
			out[free[len(free)-1]] += room
			return
		}
	}
}

func byRemainder(slides []Slide, open []int, weight float64, room Frames, out []Frames) {
	type part struct {
		i    int
		rest float64
	}
	parts := make([]part, 0, len(open))
	given := Frames(0)
	for _, i := range open {
		exact := float64(room) * slides[i].Linger / weight
		// Shares that are whole but for rounding count as whole.
		whole := math.Floor(exact + 1e-9)
		out[i] = Frames(whole)
		given += out[i]
		parts = append(parts, part{i, exact - whole})
	}
	slices.SortStableFunc(parts, func(a, b part) int {
		if d := b.rest - a.rest; math.Abs(d) > 1e-9 {
			return int(math.Copysign(1, d))
		}
		return a.i - b.i
	})
	for k := Frames(0); k < room-given; k++ {
		out[parts[int(k)%len(parts)].i]++
	}
}
