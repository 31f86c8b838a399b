package doc

import (
	"math"
	"slices"

	"nelko/internal/core/rhythm"
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
	// integrated loudness the film is brought to; 0: left as it is
	LUFS float64 `json:"lufs"`
	Duck *Duck   `json:"duck,omitempty"` // how music gives way to narration; nil: as usual
}

// The loudness that films are brought to: what services online play at (common
// practice, no source), and EBU R 128 for broadcast, which discs keep to as well.
const (
	OnlineLUFS    = -14
	BroadcastLUFS = -23
)

// Duck is how music gives way while somebody speaks.
type Duck struct {
	DB      float64 `json:"db"`      // by so much, at most 0
	Attack  float64 `json:"attack"`  // seconds to go down
	Release float64 `json:"release"` // and to come back
	Ahead   float64 `json:"ahead"`   // seconds before the first word that it is down
}

// UsualDuck is how music gives way unless said otherwise (common practice, no
// source).
var UsualDuck = Duck{DB: -12, Attack: 0.4, Release: 1.2, Ahead: 0.3}

// Ducked is how music gives way in the film.
func (s Soundtrack) Ducked() Duck {
	if s.Duck != nil {
		return *s.Duck
	}
	return UsualDuck
}

// FadeShape is the curve of a fade.
type FadeShape string

// The shapes: a raised cosine, a straight line in amplitude, and one of equal power.
const (
	SmoothFade FadeShape = ""
	EvenFade   FadeShape = "even"
	PowerFade  FadeShape = "power"
)

// FadeShapes are all shapes.
var FadeShapes = []FadeShape{SmoothFade, EvenFade, PowerFade}

// SongJoin is how a song comes after the one before.
type SongJoin struct {
	Kind    SongJoinKind `json:"kind"`
	Seconds float64      `json:"seconds"`
}

// SongJoinKind is a way one song gives way to the next.
type SongJoinKind string

// Songs follow at once, in each other, or after a silence.
const (
	Segue     SongJoinKind = "segue"
	CrossFade SongJoinKind = "cross-fade"
	Gap       SongJoinKind = "gap"
)

// SongJoins are all kinds.
var SongJoins = []SongJoinKind{Segue, CrossFade, Gap}

// MaxStretches is how many stretches a song may be made of.
const MaxStretches = 100

// Item is one stretch of sound.
type Item struct {
	Media MediaID `json:"media"`
	Role  Role    `json:"role"`
	Trim  Trim    `json:"trim,omitzero"`
	// what is heard of it, joined where it goes on alike; none: Trim
	Made []rhythm.Stretch `json:"made,omitempty"`
	// into the film, or from the beginning of On; nil: after the music before it
	At *float64 `json:"at_seconds,omitempty"`
	// narration that goes where this slide goes; empty, or not in the film: it stays where it is
	On SlideID `json:"on,omitempty"`
	// narration on a slide, which stays until it ends
	Hold bool `json:"hold,omitempty"`
	// to the music before it, where it has no place of its own; nil: at once
	Join           *SongJoin   `json:"join,omitempty"`
	Gain           []GainPoint `json:"gain,omitempty"` // in order of time; none: as it is
	LevelDB        float64     `json:"level_db,omitempty"`
	FadeInSeconds  float64     `json:"fade_in_seconds,omitempty"`
	FadeOutSeconds float64     `json:"fade_out_seconds,omitempty"`
	Shape          FadeShape   `json:"shape,omitempty"` // of its fades
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

// Receive puts a whole song at the end of the music, but before the last songs if
// they came in later: songs that are brought in together keep their order, whichever
// was read first.
func (s *Soundtrack) Receive(m Media, lib Library) {
	at := len(s.Items)
	for at > 0 && s.Items[at-1].Role == Music && lib[s.Items[at-1].Media].Came > m.Came {
		at--
	}
	s.Items = slices.Insert(slices.Clone(s.Items), at, Item{Media: m.ID, Role: Music})
}

// Fade is how sound comes in or goes out.
type Fade struct {
	Length timecode.Samples
	Shape  FadeShape
}

// Placed is an item at its place.
type Placed struct {
	Item
	Index         int              // of the item
	Start, Length timecode.Samples // in the film
	Begin         timecode.Samples // in the source, of its first stretch
	In, Out       Fade
	Pieces        []Piece // one after another, from Start to End
}

// Piece is a stretch of an item that is heard without a break.
type Piece struct {
	Begin         timecode.Samples // in the source
	Start, Length timecode.Samples // in the film
}

// End is the sample after the item's last.
func (p Placed) End() timecode.Samples { return p.Start + p.Length }

// InFilm is the sample of the film at which the piece plays a moment of its source.
func (p Piece) InFilm(source timecode.Samples) (timecode.Samples, bool) {
	at := p.Start + source - p.Begin
	return at, source >= p.Begin && source < p.Begin+p.Length
}

func samplesIn(seconds float64) timecode.Samples {
	return timecode.Samples(math.Round(seconds * timecode.SampleRate))
}

// pieces are what is heard of an item, from the film's beginning.
func (it Item) pieces(m Media) (out []Piece) {
	if len(it.Made) == 0 {
		from, to := it.Trim.bounds(m)
		return []Piece{{Begin: from, Length: to - from}}
	}
	at := timecode.Samples(0)
	for _, s := range it.Made {
		from, to := Trim(s).bounds(m)
		out = append(out, Piece{Begin: from, Start: at, Length: to - from})
		at += to - from
	}
	return out
}

// Version is what of a song is heard when it is made want seconds long, out of the
// length seconds from begin on. ok is false if it cannot be made so long.
func (m Media) Version(begin, length, want float64) (made rhythm.Made, ok bool) {
	var loops []rhythm.Loop
	if m.Heard != nil {
		for _, l := range m.Heard.Rhythm.Loops {
			if l.From > begin && l.To < begin+length {
				loops = append(loops, rhythm.Loop{From: l.From - begin, To: l.To - begin, Alike: l.Alike})
			}
		}
	}
	made, ok = rhythm.Arrange(length, loops, want)
	for i := range made.Stretches {
		made.Stretches[i].From += begin
		made.Stretches[i].To += begin
	}
	return made, ok
}

// Placed gives every item its place: music one after another, as its joins have it,
// unless it has a place of its own.
func (s Soundtrack) Placed(lib Library) []Placed {
	var out []Placed
	var next timecode.Samples
	last := -1 // the music before, in out
	for i, it := range s.Items {
		p := Placed{
			Item:   it,
			Index:  i,
			Pieces: it.pieces(lib[it.Media]),
			In:     Fade{samplesIn(it.FadeInSeconds), it.Shape},
			Out:    Fade{samplesIn(it.FadeOutSeconds), it.Shape},
		}
		p.Begin = p.Pieces[0].Begin
		for _, piece := range p.Pieces {
			p.Length += piece.Length
		}
		switch {
		case it.At != nil:
			p.Start = samplesIn(*it.At)
		case it.Role == Music && last >= 0:
			p.Start = next
			p.joined(&out[last])
		}
		for k := range p.Pieces {
			p.Pieces[k].Start += p.Start
		}
		if it.Role == Music {
			next, last = p.End(), len(out)
		}
		out = append(out, p)
	}
	return out
}

// joined puts a song after the one before: into it, with fades of equal power, or
// after a silence.
func (p *Placed) joined(before *Placed) {
	if p.Join == nil {
		return
	}
	long := samplesIn(p.Join.Seconds)
	switch p.Join.Kind {
	case Gap:
		p.Start += long
	case CrossFade:
		long = min(long, p.Length, before.Length)
		p.Start -= long
		p.In, before.Out = Fade{long, PowerFade}, Fade{long, PowerFade}
	}
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
