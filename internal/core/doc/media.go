package doc

import (
	"time"

	"nelko/internal/core/design"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/rhythm"
	"nelko/internal/core/timecode"
)

// Shot is what has been set by hand for one photo or clip. The zero value
// leaves all to the theme.
type Shot struct {
	Turn  int            `json:"turn,omitempty"`  // quarter turns clockwise, 0 to 3
	Crop  framing.Rect   `json:"crop,omitzero"`   // in fractions, after turning; empty is all
	Focal *framing.Point `json:"focal,omitempty"` // in fractions, after turning
	Fit   design.Fit     `json:"fit,omitempty"`
	Scale float64        `json:"scale,omitempty"` // within its place, 0 is 1
	Tilt  *float64       `json:"tilt,omitempty"`  // degrees
	Look  *look.Look     `json:"look,omitempty"`
	Trim  Trim           `json:"trim,omitzero"`   // clips
	Sound float64        `json:"sound,omitempty"` // clips: gain of their own sound, 0 is off
}

// Trim cuts a clip, in seconds from its start; To 0 is its end.
type Trim struct {
	From float64 `json:"from"`
	To   float64 `json:"to"`
}

// MediaKind is what a received file is.
type MediaKind string

// The kinds of media.
const (
	PhotoMedia MediaKind = "photo"
	ClipMedia  MediaKind = "clip"
	SongMedia  MediaKind = "song"
)

// Media is what casting, fitting and the scene need to know of a file.
type Media struct {
	ID       MediaID
	Kind     MediaKind
	Name     string           // file name as received
	W, H     int              // pixels, upright (after orientation)
	Captured time.Time        // zero if unknown
	Length   timecode.Samples // clips and songs
	LUFS     float64          // songs: measured integrated loudness
	PeakDB   float64          // songs: measured true peak, dBTP
	Came     int64            // songs: when the file was sent, in milliseconds; 0 if unknown
	Spoken   *float64         // songs: narration, spoken at this second of the film; nil: music
	Heard    *Heard           // songs: what else was heard; nil: not listened to yet
	Faces    []framing.Rect   // photos: faces, in fractions of the upright picture
	Focus    framing.Point    // photos: where the eye goes, in fractions; zero if unknown
	// photos: the part that holds what stands out, in fractions; empty if unknown
	Interest    framing.Rect
	Print       uint64  // photos: difference hash, 0 if unknown
	Sound       bool    // clips: has sound of its own
	Track       int     // clips: which of its picture tracks is shown, from 0; covers are none
	Starts      Starts  // clips: where decoding may begin
	Faulty      string  // clips: what the decoder complained of; empty: nothing known
	Clear       bool    // photos: lets what is behind show through somewhere
	Camera      string  // photos: what the camera calls itself; empty if unknown
	Description string  // photos: in words, as the file has it; empty if it has none
	Light       float64 // photos: mean lightness, 0 black to 1 white; 0 if unknown
	Sharp       float64 // photos: see focus.Sharpness; 0 if unknown or without edges
	Small       MediaID // photos: content of a smaller copy, for previews; empty: none
}

// Starts says where decoding a clip may begin to give what decoding it from its
// start gives.
type Starts string

// Where decoding a clip may begin.
const (
	AtStart  Starts = ""         // only there, or it is not known
	Anywhere Starts = "anywhere" // at any key frame
	Rough    Starts = "rough"    // at any key frame, though the decoder misses what came before and says so
)

// Heard is what was heard in a song beside its loudness.
type Heard struct {
	Rhythm  rhythm.Analysis `json:"rhythm"`
	RangeLU float64         `json:"range_lu"`     // loudness range, EBU Tech 3342
	Lead    float64         `json:"lead_seconds"` // silent at the beginning
	Tail    float64         `json:"tail_seconds"` // silent at the end
}

// Aspect is width over height, 1 if unknown.
func (m Media) Aspect() float64 {
	if m.W == 0 || m.H == 0 {
		return 1
	}
	return float64(m.W) / float64(m.H)
}

// Library is the media a slideshow may use, by ID.
type Library map[MediaID]Media

func (t Trim) bounds(m Media) (from, to timecode.Samples) {
	from, to = timecode.Samples(t.From*timecode.SampleRate), m.Length
	if t.To > 0 {
		to = min(to, timecode.Samples(t.To*timecode.SampleRate))
	}
	from = max(0, min(from, to-1))
	return from, to
}
