// Package doc is the slideshow as a document: everything an operator decides
// about a film, and nothing that can be computed from it. Documents are
// values; package edit makes new ones from old.
package doc

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"nelko/internal/core/timecode"
)

// Version is the format written today. Older ones are converted on reading;
// newer ones are refused.
const Version = 1

// MediaID names a photo, clip or song of an order.
type MediaID string

// SlideID names a slide within its slideshow, for ever.
type SlideID string

// Kind is what a slide is.
type Kind string

// The kinds of slide.
const (
	Opening  Kind = "opening"
	Pictures Kind = "pictures"
	Clip     Kind = "clip"
	Closing  Kind = "closing"
)

// Slideshow is the film of an order in one frame shape.
type Slideshow struct {
	Version    int               `json:"version"`
	Theme      string            `json:"theme"`
	Seed       uint64            `json:"seed"`
	Frame      Frame             `json:"frame"`
	Rate       timecode.Rate     `json:"rate"`
	Details    map[string]string `json:"details"`
	Slides     []Slide           `json:"slides"`
	LeftOut    []MediaID         `json:"left_out,omitempty"` // taken out of the film by hand
	Soundtrack Soundtrack        `json:"soundtrack"`
	Fit        Fit               `json:"fit"`
	LastSlide  int               `json:"last_slide"` // highest number given to a slide
}

// Frame is the frame size in pixels; both sides are even.
type Frame struct {
	W int `json:"w"`
	H int `json:"h"`
}

// Slide is one step of a slideshow.
type Slide struct {
	ID     SlideID   `json:"id"`
	Kind   Kind      `json:"kind"`
	Layout string    `json:"layout,omitempty"`
	Media  []MediaID `json:"media,omitempty"`
	Linger float64   `json:"linger"`                   // share of time, 1 is normal
	Pinned float64   `json:"pinned_seconds,omitempty"` // above 0: set by hand
	Placed bool      `json:"placed,omitempty"`         // put in this position by hand
}

// Soundtrack is the songs in order and how they begin and end.
type Soundtrack struct {
	Songs          []MediaID `json:"songs"`
	FadeInSeconds  float64   `json:"fade_in_seconds"`
	FadeOutSeconds float64   `json:"fade_out_seconds"`
	LUFS           float64   `json:"lufs"` // integrated loudness every song is brought to
}

// FitMode is the rule the slides' lengths follow.
type FitMode string

// ToMusic makes pictures end with the music to the frame; AtPace gives every
// still the same seconds and lets the music end where it will.
const (
	ToMusic FitMode = "music"
	AtPace  FitMode = "pace"
)

// Fit is the rule for the slides' lengths.
type Fit struct {
	Mode        FitMode `json:"mode"`
	PaceSeconds float64 `json:"pace_seconds"`
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

// New is an empty slideshow at 1080p30, at pace until it is fitted.
func New(theme string, seed uint64) Slideshow {
	return Slideshow{
		Version: Version, Theme: theme, Seed: seed,
		Frame: Frame{1920, 1080}, Rate: timecode.R30,
		Details:    map[string]string{},
		Soundtrack: Soundtrack{FadeInSeconds: 0.5, FadeOutSeconds: 3, LUFS: -16},
		Fit:        Fit{Mode: AtPace, PaceSeconds: 4},
	}
}

// Clone is a deep copy.
func (s Slideshow) Clone() Slideshow {
	c := s
	c.Details = maps.Clone(s.Details)
	if c.Details == nil {
		c.Details = map[string]string{}
	}
	c.Slides = slices.Clone(s.Slides)
	for i := range c.Slides {
		c.Slides[i].Media = slices.Clone(s.Slides[i].Media)
	}
	c.LeftOut = slices.Clone(s.LeftOut)
	c.Soundtrack.Songs = slices.Clone(s.Soundtrack.Songs)
	return c
}

// Index is the position of the slide, or -1.
func (s Slideshow) Index(id SlideID) int {
	return slices.IndexFunc(s.Slides, func(x Slide) bool { return x.ID == id })
}

// Uses reports every picture and clip in the running order.
func (s Slideshow) Uses() map[MediaID]bool {
	used := map[MediaID]bool{}
	for _, sl := range s.Slides {
		for _, m := range sl.Media {
			used[m] = true
		}
	}
	return used
}

// NextSlide hands out a new slide identifier.
func (s *Slideshow) NextSlide() SlideID {
	s.LastSlide++
	return SlideID(fmt.Sprintf("s%d", s.LastSlide))
}

// Limits on what a document may say.
const (
	MaxSlides     = 2000
	MaxSide       = 4096 // pixels
	MaxDetail     = 2000 // bytes of one detail
	MaxSeconds    = 3600 // of one pinned slide
	MinLinger     = 0.1
	MaxLinger     = 20
	MinPace       = 0.2 // seconds
	MaxPace       = 120
	MaxFade       = 30
	minSide       = 64
	minLUFS, zero = -40, 0
)

// Validate reports the first thing in the document that cannot be.
func (s Slideshow) Validate() error {
	if s.Theme == "" {
		return fmt.Errorf("theme: missing")
	}
	if f := s.Frame; f.W < minSide || f.H < minSide || f.W > MaxSide || f.H > MaxSide || f.W%2 != 0 || f.H%2 != 0 {
		return fmt.Errorf("frame: %d×%d; sides must be even, %d to %d pixels", f.W, f.H, minSide, MaxSide)
	}
	if !s.Rate.Valid() {
		return fmt.Errorf("rate: %s is not a frame rate Nelko renders at", s.Rate.Fraction())
	}
	if len(s.Slides) > MaxSlides {
		return fmt.Errorf("slides: %d; at most %d", len(s.Slides), MaxSlides)
	}
	for k, v := range s.Details {
		if len(v) > MaxDetail {
			return fmt.Errorf("details.%s: longer than %d bytes", k, MaxDetail)
		}
	}
	seen := map[SlideID]bool{}
	for i, sl := range s.Slides {
		if err := sl.validate(); err != nil {
			return fmt.Errorf("slides[%d].%w", i, err)
		}
		if seen[sl.ID] {
			return fmt.Errorf("slides[%d].id: %q is used twice", i, sl.ID)
		}
		seen[sl.ID] = true
	}
	if !between(s.Fit.PaceSeconds, MinPace, MaxPace) {
		return fmt.Errorf("fit.pace_seconds: %g; must be %g to %d", s.Fit.PaceSeconds, MinPace, MaxPace)
	}
	if s.Fit.Mode != ToMusic && s.Fit.Mode != AtPace {
		return fmt.Errorf("fit.mode: %q", s.Fit.Mode)
	}
	t := s.Soundtrack
	if !between(t.FadeInSeconds, 0, MaxFade) || !between(t.FadeOutSeconds, 0, MaxFade) || !between(t.LUFS, minLUFS, zero) {
		return fmt.Errorf("soundtrack: fades must be 0 to %d s and loudness %d to 0 LUFS", MaxFade, minLUFS)
	}
	return nil
}

func (sl Slide) validate() error {
	switch {
	case sl.ID == "":
		return fmt.Errorf("id: missing")
	case !slices.Contains([]Kind{Opening, Pictures, Clip, Closing}, sl.Kind):
		return fmt.Errorf("kind: %q", sl.Kind)
	case sl.Kind == Clip && len(sl.Media) != 1:
		return fmt.Errorf("media: a clip slide holds exactly one clip, not %d", len(sl.Media))
	case sl.Kind == Pictures && (len(sl.Media) < 1 || len(sl.Media) > 6):
		return fmt.Errorf("media: a picture slide holds one to six pictures, not %d", len(sl.Media))
	case !between(sl.Linger, MinLinger, MaxLinger):
		return fmt.Errorf("linger: %g; must be %g to %d", sl.Linger, MinLinger, MaxLinger)
	case sl.Pinned != 0 && !between(sl.Pinned, 0.04, MaxSeconds):
		return fmt.Errorf("pinned_seconds: %g; must be 0.04 to %d", sl.Pinned, MaxSeconds)
	}
	return nil
}

func between(v, lo, hi float64) bool { return v >= lo && v <= hi }

// Marshal writes the document as JSON.
func (s Slideshow) Marshal() ([]byte, error) { return json.Marshal(s) }

// Parse reads and validates a document.
func Parse(b []byte) (Slideshow, error) {
	var head struct {
		Version int `json:"version"`
	}
	if err := json.Unmarshal(b, &head); err != nil {
		return Slideshow{}, fmt.Errorf("slideshow document: %w", err)
	}
	if head.Version < 1 || head.Version > Version {
		return Slideshow{}, fmt.Errorf("slideshow document: version %d; this program reads 1 to %d", head.Version, Version)
	}
	var s Slideshow
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	if err := d.Decode(&s); err != nil {
		return Slideshow{}, fmt.Errorf("slideshow document: %w", err)
	}
	if s.Details == nil {
		s.Details = map[string]string{}
	}
	if err := s.Validate(); err != nil {
		return Slideshow{}, fmt.Errorf("slideshow document: %w", err)
	}
	return s, nil
}
