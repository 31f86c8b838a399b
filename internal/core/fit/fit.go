// Package fit solves the lengths of slides so that the film lasts exactly as
// long as it should, to the frame.
//
// A film of slides with lengths L and overlaps o between neighbours lasts
// ΣL − Σo frames. Pinned slides and clips keep their length; the others share
// what is left by their linger.
package fit

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"

	"nelko/internal/core/timecode"
)

// Frames is a length in frames.
type Frames = timecode.Frames

// unbounded is longer than any film.
const unbounded = Frames(1) << 40

// Slide is what the solver knows of a slide.
type Slide struct {
	Fixed  Frames  // above 0: keeps this length
	Linger float64 // share of the free time, above 0; ignored when Fixed
	Least  Frames  // wholly seen, between its joins, at least so long; 0: one frame
	Most   Frames  // wholly seen at most so long; 0: any time
	Give   Frames  // a Fixed length may differ so much, if a cut then falls on a beat
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
		return fmt.Sprintf("every slide has a set length: together they last %d frames, the music %d; "+
			"unpin a slide", e.Reach, e.Target)
	case e.Reach < e.Target:
		return fmt.Sprintf("%d slides last at most %d frames, the music has %d: %d too many", e.Free, e.Reach,
			e.Target, e.Target-e.Reach)
	case e.Fixed == 0:
		return fmt.Sprintf("%d slides need at least %d frames, the music has %d: %d too few", e.Free, e.Reach,
			e.Target, e.Reach-e.Target)
	}
	return fmt.Sprintf("slides of set length and %d others need at least %d frames, the music has %d: %d "+
		"too few",
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
	var cannot *Error
	if err == nil || errors.As(err, &cannot) && cannot.Reach < cannot.Target && cannot.Free > 0 {
		return best, err // shorter joins would make the film no longer
	}
	// The shorter the overlaps, the less room slides need: the longest at which they
	// do not need too much is looked for.
	tooMuch := func(err error) bool {
		return err != nil && (!errors.As(err, &cannot) || cannot.Reach > cannot.Target || cannot.Free == 0)
	}
	lo, hi := Frames(0), widest
	if best, err = try(0); tooMuch(err) {
		return Solution{}, err
	}
	for lo < hi-1 {
		mid := (lo + hi) / 2
		if s, e := try(mid); !tooMuch(e) {
			best, err, lo = s, e, mid
		} else {
			hi = mid
		}
	}
	if err != nil {
		return Solution{}, err
	}
	best.Shortened = true
	return best, nil
}

// Nearest finds lengths that come as near to target as slides and the wanted overlaps let
// them: all at their longest, or at their shortest. The error is an *Error.
func Nearest(slides []Slide, overlaps []Frames, target Frames) (Solution, error) {
	laps := slices.Clone(overlaps)
	s, err := solveWith(slides, laps, target)
	var e *Error
	if errors.As(err, &e) && e.Free > 0 && e.Reach > 0 {
		return solveWith(slides, laps, e.Reach)
	}
	return s, err
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
	if target < 1 || len(slides) == 0 || len(overlaps) != len(slides)-1 {
		return Solution{}, &Error{Target: target}
	}
	n := len(slides)
	s := Solution{Lengths: make([]Frames, n), Overlaps: overlaps}
	free := []int{}
	least, most := make([]Frames, n), make([]Frames, n)
	reach := Frames(0) // of all free slides together, at most
	room, need, fixed := target, Frames(0), Frames(0)
	for _, o := range overlaps {
		room += o
	}
	for i, sl := range slides {
		least[i] = max(1, sl.Least)
		if sl.Fixed > 0 {
			least[i] = 1 // it is as long as it is
		}
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
		if most[i] = unbounded; sl.Most > 0 {
			most[i] = max(least[i], least[i]-max(1, sl.Least)+sl.Most)
		}
		reach = min(unbounded, reach+most[i])
	}
	if need > room || (len(free) == 0 && room != 0) {
		return s, &Error{Target: target, Reach: target + need - room, Free: len(free), Fixed: fixed}
	}
	if len(free) > 0 && reach < room {
		return s, &Error{Target: target, Reach: target - room + reach, Free: len(free), Fixed: fixed}
	}
	if len(free) > 0 {
		share(slides, free, least, most, room, s.Lengths)
	}
	return s, nil
}

// share splits room among the free slides by linger, each between its least and
// its most: λ·linger held to these, with the one λ at which all add up. Whole
// frames go by largest remainder, ties to the earlier slide, so that no slide is a
// frame from what it should be.
func share(slides []Slide, free []int, least, most []Frames, room Frames, out []Frames) {
	// Between neighbouring values of λ at which a slide leaves its least or
	// reaches its most, the sum is a line.
	type turn struct{ at, slope, base float64 }
	turns := make([]turn, 0, 2*len(free))
	base, slope := 0.0, 0.0
	for _, i := range free {
		w := slides[i].Linger
		base += float64(least[i])
		turns = append(turns, turn{float64(least[i]) / w, w, -float64(least[i])})
		if most[i] < unbounded {
			turns = append(turns, turn{float64(most[i]) / w, -w, float64(most[i])})
		}
	}
	slices.SortFunc(turns, func(a, b turn) int { return cmp.Compare(a.at, b.at) })
	level := 0.0
	for k, t := range turns {
		if base+slope*t.at >= float64(room) && slope > 0 {
			break
		}
		base, slope, level = base+t.base, slope+t.slope, t.at
		if k == len(turns)-1 || base+slope*turns[k+1].at >= float64(room) {
			break
		}
	}
	if slope > 1e-9 {
		level = (float64(room) - base) / slope
	}
	exact := make(map[int]float64, len(free))
	for _, i := range free {
		exact[i] = math.Max(float64(least[i]), math.Min(level*slides[i].Linger, float64(most[i])))
	}
	byRemainder(free, exact, room, out)
}

// byRemainder makes lengths whole so that they add up to room.
func byRemainder(free []int, exact map[int]float64, room Frames, out []Frames) {
	type part struct {
		i    int
		rest float64
	}
	parts := make([]part, 0, len(free))
	given := Frames(0)
	for _, i := range free {
		// Lengths that are whole but for rounding count as whole.
		whole := math.Floor(exact[i] + 1e-7)
		out[i] = Frames(whole)
		given += out[i]
		if rest := exact[i] - whole; rest > 1e-7 {
			parts = append(parts, part{i, rest})
		}
	}
	slices.SortStableFunc(parts, func(a, b part) int {
		if d := b.rest - a.rest; math.Abs(d) > 1e-9 {
			return int(math.Copysign(1, d))
		}
		return a.i - b.i
	})
	if len(parts) == 0 {
		out[free[len(free)-1]] += room - given // nothing, unless lengths are huge
		return
	}
	for k := Frames(0); k < room-given; k++ {
		out[parts[int(k)%len(parts)].i]++
	}
}
