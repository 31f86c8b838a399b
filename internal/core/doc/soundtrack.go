package doc

import (
	"slices"

	"nelko/internal/core/timecode"
)

// Role is what an item of a soundtrack is for.
type Role string

// The roles. Music without a place of its own follows the music before it and
// is brought to the soundtrack's loudness; the others are heard beside it.
const (
	Music     Role = "music"
	Narration Role = "narration"
	ClipSound Role = "clip" // a clip's own sound, away from its picture
)

// Soundtrack is what is heard: placed items, and how the whole begins and
// ends. Clips' own sound, where it goes with their picture, is set by Shot.
type Soundtrack struct {
	Items          []Item  `json:"items"`
	FadeInSeconds  float64 `json:"fade_in_seconds"`
	FadeOutSeconds float64 `json:"fade_out_seconds"`
	LUFS           float64 `json:"lufs"` // integrated loudness music is brought to
}

// Item is one stretch of sound.
type Item struct {
	Media          MediaID     `json:"media"`
	Role           Role        `json:"role"`
	Trim           Trim        `json:"trim,omitzero"`
	At             *float64    `json:"at_seconds,omitempty"` // into the film; nil: after the music before it
	Gain           []GainPoint `json:"gain,omitempty"`       // in order of time; none: as it is
	FadeInSeconds  float64     `json:"fade_in_seconds,omitempty"`
	FadeOutSeconds float64     `json:"fade_out_seconds,omitempty"`
}

// GainPoint is a point on an item's volume line, which runs straight from
// point to point and level before the first and after the last.
type GainPoint struct {
	AtSeconds float64 `json:"at_seconds"` // into the item, once trimmed
	DB        float64 `json:"db"`
}

// Songs lists the music in order.
func (s Soundtrack) Songs() []MediaID {
	var out []MediaID
	for _, it := range s.Items {
		if it.Role == Music {
			out = append(out, it.Media)
		}
	}
	return out
}

// Plays reports whether the soundtrack holds a medium.
func (s Soundtrack) Plays(id MediaID) bool {
	return slices.ContainsFunc(s.Items, func(it Item) bool { return it.Media == id })
}

// AddSong puts a whole song at the end of the music.
func (s *Soundtrack) AddSong(id MediaID) { s.Items = append(s.Items, Item{Media: id, Role: Music}) }

// Placed is an item at its place.
type Placed struct {
	Item
	Start, Length timecode.Samples // in the film
	Begin         timecode.Samples // in the source
}

// End is the sample after the item's last.
func (p Placed) End() timecode.Samples { return p.Start + p.Length }

// Placed gives every item its place: music one after another, unless it has a
// place of its own.
func (s Soundtrack) Placed(lib Library) []Placed {
	var out []Placed
	var next timecode.Samples
	for _, it := range s.Items {
		from, to := it.Trim.bounds(lib[it.Media])
		p := Placed{Item: it, Length: to - from, Begin: from}
		switch {
		case it.At != nil:
			p.Start = timecode.Samples(*it.At * timecode.SampleRate)
		case it.Role == Music:
			p.Start = next
		}
		if it.Role == Music {
			next = p.End()
		}
		out = append(out, p)
	}
	return out
}

// MusicEnd is where the last music ends, as long as it is.
func (s Soundtrack) MusicEnd(lib Library) timecode.Samples {
	var end timecode.Samples
	for _, p := range s.Placed(lib) {
		if p.Role == Music {
			end = max(end, p.End())
		}
	}
	return end
}
