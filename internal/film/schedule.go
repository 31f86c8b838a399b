package film

import "nelko/internal/core/timecode"

// Stretches groups segments that follow one another into runs, each encoded
// by one process. most is how many frames a run may have when so many are
// left, its own included; a single segment may have more.
func Stretches(segs []Segment, most func(left timecode.Frames) timecode.Frames) [][]Segment {
	left := timecode.Frames(0)
	for _, s := range segs {
		left += s.Frames()
	}
	var out [][]Segment
	var run []Segment
	total, room := timecode.Frames(0), most(left)
	flush := func() {
		if len(run) > 0 {
			out = append(out, run)
		}
		left -= total
		run, total, room = nil, 0, most(left)
	}
	for _, s := range segs {
		if len(run) > 0 && (run[len(run)-1].To != s.From || total+s.Frames() > room) {
			flush()
		}
		run, total = append(run, s), total+s.Frames()
	}
	flush()
	return out
}

// The frames of the shortest and the longest run. A run is at most about 20 s of work, so that
// who comes to help gets something and little is lost with who goes: two processors of 2020 draw
// and encode 34 frames of 1920×1080 in a second (nelko bench render).
const (
	shortRun   = 60
	longRun    = 900
	longPixels = 300 * 1920 * 1080
)

// LongestRun is how many frames the film's runs may have; a single segment may have more.
func (f *Film) LongestRun() timecode.Frames {
	return max(shortRun, min(longRun, longPixels/timecode.Frames(max(1, f.Scene.W*f.Scene.H))))
}

// Runs groups segments that are to be made for so many encoders: long runs
// first, since every process costs something, and ever shorter ones, so that
// all encoders end at about the same time.
func Runs(missing []Segment, encoders int, longest timecode.Frames) [][]Segment {
	return Stretches(missing, func(left timecode.Frames) timecode.Frames {
		return max(shortRun, min(longest, left/timecode.Frames(2*max(1, encoders))))
	})
}

// Part is a run of segments, from First to Last by their place in the film,
// that one encoder makes.
type Part struct {
	Number, First, Last int
	Frames              timecode.Frames
}

// Divide makes parts, for so many encoders and of at most so many frames, of the segments that are not had
// already. A segment that the film shows twice is made once.
func Divide(segs []Segment, had func(Segment) bool, encoders int, longest timecode.Frames) []Part {
	var missing []Segment
	at, named := map[timecode.Frames]int{}, map[string]bool{}
	for i, s := range segs {
		at[s.From] = i
		if !had(s) && !named[s.Key] {
			named[s.Key] = true
			missing = append(missing, s)
		}
	}
	var parts []Part
	for i, run := range Runs(missing, encoders, longest) {
		p := Part{Number: i, First: at[run[0].From], Last: at[run[len(run)-1].From]}
		for _, s := range run {
			p.Frames += s.Frames()
		}
		parts = append(parts, p)
	}
	return parts
}

// Keys lists the keys of segments, in order.
func Keys(segs []Segment) []string {
	keys := make([]string, len(segs))
	for i, s := range segs {
		keys[i] = s.Key
	}
	return keys
}
