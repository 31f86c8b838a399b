package film

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
)

// EngineVersion changes whenever the same inputs give other frames or other
// files.
const EngineVersion = 10

// Segment is a stretch of frames that is encoded by itself: a slide between
// its joins, or a join, or several of them that are short. Where a film is cut
// follows from the film alone. Key names everything its frames and their encoding
// depend on, so that equal segments are made once.
type Segment struct {
	From, To timecode.Frames // To is the frame after the last
	Slide    doc.SlideID     // the slide it shows, of two the first
	Key      string
}

// Frames is the segment's length.
func (s Segment) Frames() timecode.Frames { return s.To - s.From }

// cut cuts a film into segments and names them. Slides longer than the profile
// allows are cut again.
func cut(f *Film) ([]Segment, error) {
	var out []Segment
	sc, most := f.Scene, f.Profile.MostFrames()
	if f.Profile.Kind != profile.OfFilm {
		return nil, nil // nothing is encoded picture by picture
	}
	if f.Profile.Whole() {
		seg := Segment{To: sc.Frames, Slide: sc.Slides[0].ID}
		k, err := f.key(seg)
		seg.Key = k
		return []Segment{seg}, err
	}
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
		// Of teasers, slides reach beyond the film.
		inside := func(n timecode.Frames) timecode.Frames { return max(0, min(n, sc.Frames)) }
		if from, to := inside(begin), inside(s.End()-s.Overlap); to > from {
			add(from, to, s.ID)
		}
		if from, to := inside(s.End()-s.Overlap), inside(s.End()); to > from {
			add(from, to, s.ID)
		}
	}
	out = together(out, most)
	for i := range out {
		k, err := f.key(out[i])
		if err != nil {
			return nil, err
		}
		out[i].Key = k
	}
	return out, nil
}

// shortest is how few frames a segment has at least, in a film that has more: every encoder costs
// something to begin, and some hold back as many as four frames, to put them in another order.
const shortest = 12

// together puts segments that are too short to the one before or behind. Where both are as long as
// may be, frames of the one before go to it.
func together(segs []Segment, most timecode.Frames) (out []Segment) {
	least := min(shortest, max(1, most/2))
	for _, s := range segs {
		if len(out) == 0 {
			out = append(out, s)
			continue
		}
		last := &out[len(out)-1]
		if (last.Frames() < least || s.Frames() < least) && last.Frames()+s.Frames() <= most {
			last.To = s.To
			continue
		}
		if lacks := least - s.Frames(); lacks > 0 {
			s.From, last.To = s.From-lacks, last.To-lacks
		}
		if lacks := least - last.Frames(); lacks > 0 {
			last.To, s.From = last.To+lacks, s.From+lacks
		}
		out = append(out, s)
	}
	return out
}

// visible is a layer stack a segment shows, and where in its time.
type visible struct {
	Offset, Length, Overlap timecode.Frames
	Into                    transition.Transition
	Layers                  []scene.Layer
}

// ingredients is all that a segment's frames and encoding depend on. Layers
// name media, and files and fonts of themes, by content.
type ingredients struct {
	Engine   int
	Tools    Tools
	W, H     int
	Rate     timecode.Rate
	Matrix   raster.Matrix
	Video    profile.Video
	Kept     *Kept `json:",omitempty"` // of films whose frames are scaled
	Frames   timecode.Frames
	Slides   []visible
	Overlays []visible
	FadeIn   [2]timecode.Frames // length, and the segment's place in it
	FadeOut  [2]timecode.Frames
	Shutter  float64     `json:",omitempty"`
	FadeRGB  *raster.RGB `json:",omitempty"` // where it is faded, to another colour than black
}

func (f *Film) key(seg Segment) (string, error) {
	sc := f.Scene
	in := ingredients{
		Engine: EngineVersion,
		Tools:  f.tools,
		W:      sc.W,
		H:      sc.H,
		Rate:   sc.Rate,
		Matrix: sc.Matrix,
		Video:  f.Profile.Video,
		Frames: seg.Frames(),
	}
	if f.Kept.Scaled {
		in.Kept = &f.Kept
	}
	for i := range sc.Slides {
		s := &sc.Slides[i]
		if s.Start < seg.To && s.End() > seg.From {
			v := visible{Offset: seg.From - s.Start, Length: s.Length, Layers: s.Layers}
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
			in.Overlays = append(in.Overlays, visible{
				Offset: seg.From - o.Start,
				Length: o.Length,
				Layers: []scene.Layer{o.Layer},
			})
		}
	}
	if seg.From < sc.FadeIn {
		in.FadeIn = [2]timecode.Frames{sc.FadeIn, seg.From}
	}
	if seg.To > sc.Frames-sc.FadeOut {
		in.FadeOut = [2]timecode.Frames{sc.FadeOut, sc.Frames - seg.To}
	}
	in.Shutter = sc.Shutter
	if sc.FadeRGB != (raster.RGB{}) && (in.FadeIn != [2]timecode.Frames{} ||
		in.FadeOut != [2]timecode.Frames{}) {
		in.FadeRGB = &sc.FadeRGB
	}
	b, err := json.Marshal(in)
	if err != nil {
		return "", fmt.Errorf("naming a segment: %w", err)
	}
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:]), nil
}
