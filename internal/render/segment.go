package render

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
)

// EngineVersion changes whenever the same inputs give other frames or other
// files.
const EngineVersion = 3

// Segment is a stretch of frames that is encoded by itself: a slide between
// its joins, or a join. Key names everything its frames and their encoding
// depend on, so that equal segments are made once.
type Segment struct {
	From, To timecode.Frames // To is the frame after the last
	Slide    doc.SlideID     // the slide it shows, of two the first
	Key      string
}

// Frames is the segment's length.
func (s Segment) Frames() timecode.Frames { return s.To - s.From }

// longest is the most frames of one segment; longer slides are cut, so that
// a long clip too can be made by several workers.
const longest = 240

// Segments cuts a film. content gives what names a medium's contents; it may
// be nil where segments are not kept.
func Segments(sc *scene.Scene, p Profile, content func(doc.MediaID) string) ([]Segment, error) {
	return Cut(sc, p, content, longest)
}

// Cut is Segments with a longest segment of one's own, in frames.
func Cut(sc *scene.Scene, p Profile, content func(doc.MediaID) string, most timecode.Frames) ([]Segment, error) {
	var out []Segment
	add := func(from, to timecode.Frames, id doc.SlideID) {
		n := (to - from + most - 1) / most
		for k := range n {
			out = append(out, Segment{From: from + (to-from)*k/n, To: from + (to-from)*(k+1)/n, Slide: id})
		}
	}
	for i := range sc.Slides {
		s := &sc.Slides[i]
		begin := s.Start
		if i > 0 {
			begin += sc.Slides[i-1].Overlap
		}
		if end := s.End() - s.Overlap; end > begin {
			add(begin, end, s.ID)
		}
		if s.Overlap > 0 {
			add(s.End()-s.Overlap, s.End(), s.ID)
		}
	}
	if content == nil {
		return out, nil
	}
	for i := range out {
		k, err := key(sc, p, content, out[i])
		if err != nil {
			return nil, err
		}
		out[i].Key = k
	}
	return out, nil
}

// visible is a layer stack a segment shows, and where in its time.
type visible struct {
	Offset, Length, Overlap timecode.Frames
	Into                    transition.Transition
	Layers                  []scene.Layer
}

// ingredients is all that a segment's frames and encoding depend on.
type ingredients struct {
	Engine   int
	W, H     int
	Rate     timecode.Rate
	Matrix   raster.Matrix
	Profile  Profile
	Frames   timecode.Frames
	Slides   []visible
	Overlays []visible
	FadeIn   [2]timecode.Frames // length, and the segment's place in it
	FadeOut  [2]timecode.Frames
}

func key(sc *scene.Scene, p Profile, content func(doc.MediaID) string, seg Segment) (string, error) {
	in := ingredients{Engine: EngineVersion, W: sc.W, H: sc.H, Rate: sc.Rate, Matrix: sc.Matrix, Profile: p, Frames: seg.Frames()}
	in.Profile.Name = ""
	for i := range sc.Slides {
		s := &sc.Slides[i]
		if s.Start < seg.To && s.End() > seg.From {
			v := visible{Offset: seg.From - s.Start, Length: s.Length, Layers: byContent(s.Layers, content)}
			// How a slide ends matters where the end is seen.
			if s.Overlap > 0 && seg.To > s.End()-s.Overlap {
				v.Overlap, v.Into = s.Overlap, s.Into
			}
			in.Slides = append(in.Slides, v)
		}
	}
	for i := range sc.Overlays {
		o := &sc.Overlays[i]
		if o.Start < seg.To && o.Start+o.Length > seg.From {
			in.Overlays = append(in.Overlays, visible{Offset: seg.From - o.Start, Length: o.Length, Layers: byContent([]scene.Layer{o.Layer}, content)})
		}
	}
	if seg.From < sc.FadeIn {
		in.FadeIn = [2]timecode.Frames{sc.FadeIn, seg.From}
	}
	if seg.To > sc.Frames-sc.FadeOut {
		in.FadeOut = [2]timecode.Frames{sc.FadeOut, sc.Frames - seg.To}
	}
	b, err := json.Marshal(in)
	if err != nil {
		return "", fmt.Errorf("naming a segment: %w", err)
	}
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:]), nil
}

// byContent is a copy of layers in which media are named by their contents.
func byContent(layers []scene.Layer, content func(doc.MediaID) string) []scene.Layer {
	out := make([]scene.Layer, len(layers))
	for i, l := range layers {
		if l.Asset.Media != "" {
			l.Asset.Media = doc.MediaID(content(l.Asset.Media))
		}
		out[i] = l
	}
	return out
}

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

// The frames of the shortest and the longest run.
const (
	shortRun = 60
	longRun  = 900
)

// Runs groups segments that are to be made for so many encoders: long runs
// first, since every process costs something, and ever shorter ones, so that
// all encoders end at about the same time.
func Runs(missing []Segment, encoders int) [][]Segment {
	return Stretches(missing, func(left timecode.Frames) timecode.Frames {
		return max(shortRun, min(longRun, left/timecode.Frames(2*max(1, encoders))))
	})
}

// Threads is how many threads each encoder of so few runs may have, so that
// no processor is idle.
func Threads(runs, encoders int) int { return max(1, encoders/max(1, runs)) }
