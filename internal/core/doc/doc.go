// Package doc is the slideshow as a document: everything an operator decides
// about a film, and nothing that can be computed from it. Documents are
// values; package edit makes new ones from old.
package doc

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/raster"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
)

// Version is the format written today. Older ones are converted by Convert;
// newer ones are refused.
const Version = 3

// MediaID names a photo, clip or song by its content: the SHA-256 of the file
// in hexadecimal. Who holds the same file holds the same medium.
type MediaID string

// SlideID names a slide within its slideshow, for ever.
type SlideID string

// Kind is what a slide is.
type Kind string

// The kinds of slide.
const (
	Opening  Kind = "opening"
	Pictures Kind = "pictures"
	Clip     Kind = "clip" // one clip by itself, in its own length
	Card     Kind = "card" // words without pictures
	Closing  Kind = "closing"
)

// Slideshow is the film of an order, in a frame shape and any further ones that
// follow it (see Shape).
type Slideshow struct {
	Version int    `json:"version"`
	Theme   string `json:"theme"`
	// the theme's content; empty: whichever the shelf has
	ThemeVersion string  `json:"theme_version,omitempty"`
	Seed         uint64  `json:"seed"`
	Frame        Frame   `json:"frame"`
	Slides       []Slide `json:"slides"`
	// by what the slides were put in order last; empty: by the cast
	Sorted     string     `json:"sorted,omitempty"`
	Shapes     []Shape    `json:"shapes,omitempty"`   // the further frame shapes it is made in
	LeftOut    []MediaID  `json:"left_out,omitempty"` // taken out of the film by hand
	Soundtrack Soundtrack `json:"soundtrack"`
	Fit        Fit        `json:"fit"`
	LastSlide  int        `json:"last_slide"` // highest number given to a slide

	// What is told from outside and not kept in the document: the order's
	// details, which all its slideshows print, and the rate of the profile it
	// is laid out for.
	Details map[string]string `json:"-"`
	Rate    timecode.Rate     `json:"-"`

	// Names are what media were called before they were named by content.
	// What is chosen by a steady number of a slide was chosen by these, so a
	// film looks as it did.
	Names map[MediaID]string `json:"names,omitempty"`

	// What the operator has set for the whole film; the theme's where nil.
	Join         *transition.Transition `json:"join,omitempty"`
	Motion       *design.Motion         `json:"motion,omitempty"`
	Look         *look.Look             `json:"look,omitempty"`
	CaptionStyle *design.Caption        `json:"caption_style,omitempty"`
	Fades        *Fades                 `json:"fades,omitempty"`
	// motion blur, as the angle of a shutter in degrees; 0: none
	Shutter float64 `json:"shutter,omitempty"`
	Decor   []Laid  `json:"decor,omitempty"`

	// Shots is what has been set for single photos and clips. It goes with
	// them whatever slide they are in.
	Shots map[MediaID]Shot `json:"shots,omitempty"`

	Pattern *Pattern `json:"pattern,omitempty"` // set in the pattern of a Run
	Follows *Follows `json:"follows,omitempty"` // set in the rows of a Run
}

// Pattern is what a pattern leaves to its rows. Its slides marked Row stand for
// those that each row has in their place.
type Pattern struct {
	ByRow []string `json:"by_row,omitempty"` // keys of details
}

// Follows says that the film is as its Run's pattern has it but for some parts
// (see package follow).
type Follows struct {
	Own   []string `json:"own,omitempty"`    // names of parts, in order of the alphabet
	ByRow []string `json:"by_row,omitempty"` // details that every row fills itself, as in Pattern
}

// Frame is the frame size in pixels; both sides are even.
type Frame struct {
	W int `json:"w"`
	H int `json:"h"`
}

// String is the frame's size as 1920x1080.
func (f Frame) String() string { return fmt.Sprintf("%dx%d", f.W, f.H) }

// ParseFrame reads what String writes.
func ParseFrame(s string) (f Frame, err error) {
	if _, err := fmt.Sscanf(s, "%dx%d", &f.W, &f.H); err != nil || f.String() != s {
		return Frame{}, fmt.Errorf("%q is not of the form 1920x1080", s)
	}
	return f, nil
}

// Ratio is the frame's shape as people say it: 16:9, or 2.39:1 where whole
// numbers would be large.
func (f Frame) Ratio() string {
	a, b := f.W, f.H
	for b > 0 {
		a, b = b, a%b
	}
	if a == 0 {
		return ""
	}
	if w, h := f.W/a, f.H/a; max(w, h) <= 21 {
		return fmt.Sprintf("%d:%d", w, h)
	}
	return fmt.Sprintf("%.2f:1", float64(f.W)/float64(f.H))
}

// Slide is one step of a slideshow. What is empty follows the theme's rule.
type Slide struct {
	ID     SlideID   `json:"id"`
	Kind   Kind      `json:"kind"`
	Media  []MediaID `json:"media,omitempty"`
	Linger float64   `json:"linger"`                   // share of time, 1 is normal
	Pinned float64   `json:"pinned_seconds,omitempty"` // above 0: set by hand
	Placed bool      `json:"placed,omitempty"`         // put in this position by hand

	Layout  string `json:"layout,omitempty"`
	Caption string `json:"caption,omitempty"`
	// captions with times of their own, instead of Caption
	Lines []Line `json:"lines,omitempty"`
	// title of the chapter that begins here
	Chapter      string          `json:"chapter,omitempty"`
	CaptionStyle *design.Caption `json:"caption_style,omitempty"` // instead of the film's
	Card         *Words          `json:"card,omitempty"`          // of a Card slide
	// of an opening, closing or card, and behind what stands on any slide; empty: by rule
	Picture   MediaID                `json:"picture,omitempty"`
	Lettering *design.Lettering      `json:"lettering,omitempty"` // of openings, closings and cards
	Motion    *design.Motion         `json:"motion,omitempty"`
	Backdrop  *design.Backdrop       `json:"backdrop,omitempty"`
	Join      *transition.Transition `json:"join,omitempty"` // into the next slide
	// where songs have their own pictures: the next song begins with it
	NewSong bool `json:"new_song,omitempty"`
	// of its clip, which was split: instead of the shot's
	Trim *Trim `json:"trim,omitempty"`

	// In a pattern: one of the slides that stand for each row's own.
	Row bool `json:"row,omitempty"`
	// In a row: a slide of the pattern's, and where it stands among the row's
	// own: 0 before all of them, 1 after all. Its ID is the pattern's.
	CommonAt *float64 `json:"common_at,omitempty"`
}

// Common reports whether the slide is the pattern's.
func (s Slide) Common() bool { return s.CommonAt != nil }

// ByHand reports whether anything of the slide was set by hand, so that a
// recast leaves it alone. What is a pattern's, or stands for a row's, is left
// alone too.
func (s Slide) ByHand() bool {
	return s.Common() || s.Row || s.Placed || s.Pinned > 0 || s.Linger != 1 || s.Layout != "" ||
		s.Caption != "" || len(s.Lines) > 0 || s.Chapter != "" || s.CaptionStyle != nil ||
		s.Lettering != nil || s.Picture != "" || s.Kind == Card || s.Motion != nil || s.Backdrop != nil ||
		s.Join != nil || s.Trim != nil
}

// Fades are how the film comes from a colour at its beginning and goes to one at
// its end.
type Fades struct {
	InSeconds  float64    `json:"in_seconds"`
	OutSeconds float64    `json:"out_seconds"`
	Colour     raster.RGB `json:"colour"`
}

// Line is a caption at a time of its own, in seconds from the slide's first
// frame. To 0 is the slide's end.
type Line struct {
	From float64 `json:"from"`
	To   float64 `json:"to,omitempty"`
	Text string  `json:"text"`
}

// Words is what a text card says.
type Words struct {
	Kind    string `json:"kind"` // title, text or credits
	Main    string `json:"main,omitempty"`
	Smaller string `json:"smaller,omitempty"`
	Text    string `json:"text,omitempty"` // credits: a line each, columns apart by a bar |

	// the words' middle in fractions of the frame; the theme's place if nil
	At *framing.Point `json:"at,omitempty"`
}

// Laid is decor over the slides from one to another, both included: a drift, a
// picture, or a clip that plays there.
type Laid struct {
	From SlideID `json:"from"`
	To   SlideID `json:"to"`
	design.Decor
	Timing
}

// Validate reports the first value that cannot be.
func (l Laid) Validate() error {
	if err := l.Timing.Validate(); err != nil {
		return err
	}
	return l.Decor.Validate()
}

// Timing is when something laid over slides is there, in seconds. The zero value
// is all the time, with a clip from its beginning and without its sound.
type Timing struct {
	After float64 `json:"after_seconds,omitempty"` // it comes so long after the first slide begins
	Lasts float64 `json:"lasts_seconds,omitempty"` // 0: to the end of the last slide
	Begin float64 `json:"begin_seconds,omitempty"` // a clip: where it begins to play
	Sound float64 `json:"sound,omitempty"`         // a clip: gain of its own sound, 0 is off
}

// Validate reports the first value that cannot be.
func (t Timing) Validate() error {
	if !between(t.After, 0, MaxSeconds) || !between(t.Lasts, 0, MaxSeconds) || !between(t.Begin, 0, 86400) ||
		!between(t.Sound, 0, 4) {
		return fmt.Errorf("timing: times must be 0 to %d s and sound 0 to 4", MaxSeconds)
	}
	return nil
}

// FitMode is the rule the slides' lengths follow.
type FitMode string

// ToMusic makes pictures end with the music to the frame; AtPace gives every
// still the same seconds and lets the music end where it will.
const (
	ToMusic FitMode = "music"
	AtPace  FitMode = "pace"
	// MusicToPictures is AtPace with the last song made as long as the pictures last.
	MusicToPictures FitMode = "pictures"
)

// Fit is the rule for the slides' lengths.
type Fit struct {
	Mode        FitMode `json:"mode"`
	PaceSeconds float64 `json:"pace_seconds"`
	// a picture is wholly seen, between its joins, at least so long; 0: a frame
	Shortest float64 `json:"shortest_seconds,omitempty"`
	Longest  float64 `json:"longest_seconds,omitempty"` // and at most so long; 0: any time
	Beat     Beat    `json:"beat,omitempty"`            // where cuts should fall; empty: anywhere
	Strict   float64 `json:"strict,omitempty"`          // how much: 0 not at all to 1 wherever it can be
	// at pace: the last slide stays until the music ends
	Hold bool `json:"hold,omitempty"`
	// a song's change is a change of slides: each has its own
	OwnPictures bool `json:"own_pictures,omitempty"`
	// music to pictures: all songs share the time evenly, not only the last is made longer or shorter
	EvenSongs bool `json:"even_songs,omitempty"`
	// nobody chose the rule yet: a fit to the music is taken as soon as there is one
	Auto bool `json:"auto,omitempty"`
}

// Beat is what cuts are put on.
type Beat string

// Cuts fall on every beat, on the first of each bar, or between beats too.
const (
	AnyBeat  Beat = "beats"
	Downbeat Beat = "bars"
	HalfBeat Beat = "halves"
)

// UsualStrict is how strictly cuts follow the beat unless said otherwise.
const UsualStrict = 0.8

// The limits of the time a picture is wholly seen (common practice, no source).
const (
	UsualShortest = 1.5
	UsualLongest  = 10
)

// ParsePace reads seconds a picture as people write them, with a point or a
// comma, within the limits of a pace.
func ParsePace(s string) (float64, error) {
	v, err := strconv.ParseFloat(strings.Replace(strings.TrimSuffix(strings.TrimSpace(s), " s"), ",", ".", 1),
		64)
	if err != nil || !between(v, MinPace, MaxPace) {
		return 0, fmt.Errorf("%q is no pace: it is %g to %d seconds a picture", s, MinPace, MaxPace)
	}
	return v, nil
}

// New is an empty slideshow at 1080p30, at pace until it is fitted.
func New(theme string, seed uint64) Slideshow {
	return Slideshow{
		Version: Version, Theme: theme, Seed: seed,
		Frame: Frame{1920, 1080}, Rate: timecode.R30,
		Details:    map[string]string{},
		Soundtrack: Soundtrack{FadeInSeconds: 0.5, FadeOutSeconds: 3, LUFS: OnlineLUFS},
		Fit: Fit{
			Mode:        AtPace,
			PaceSeconds: 4,
			Shortest:    UsualShortest,
			Longest:     UsualLongest,
			Auto:        true,
		},
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
	c.Shapes = slices.Clone(s.Shapes)
	c.LeftOut = slices.Clone(s.LeftOut)
	c.Decor = slices.Clone(s.Decor)
	c.Shots = maps.Clone(s.Shots)
	c.Soundtrack.Items = slices.Clone(s.Soundtrack.Items)
	c.Names = maps.Clone(s.Names)
	if s.Pattern != nil {
		c.Pattern = &Pattern{slices.Clone(s.Pattern.ByRow)}
	}
	if s.Follows != nil {
		c.Follows = &Follows{slices.Clone(s.Follows.Own), slices.Clone(s.Follows.ByRow)}
	}
	return c
}

// Index is the position of the slide, or -1.
func (s Slideshow) Index(id SlideID) int {
	return slices.IndexFunc(s.Slides, func(x Slide) bool { return x.ID == id })
}

// Size is a medium's size in pixels once turned and cropped; 1×1 if unknown.
func (s Slideshow) Size(m Media) (w, h float64) {
	w, h = float64(m.W), float64(m.H)
	if m.W == 0 || m.H == 0 {
		return 1, 1
	}
	shot := s.Shots[m.ID]
	if shot.Turn%2 == 1 {
		w, h = h, w
	}
	if shot.Crop != (framing.Rect{}) {
		w, h = w*shot.Crop.W, h*shot.Crop.H
	}
	return w, h
}

// Aspect is width over height of a medium once turned and cropped.
func (s Slideshow) Aspect(m Media) float64 {
	w, h := s.Size(m)
	return w / h
}

// Needs is how much of a picture's width and height, once turned and cropped, a
// framing must show to keep its faces and what stands out; 0 if unknown.
func (s Slideshow) Needs(m Media) (w, h float64) {
	r := m.Interest
	for _, f := range m.Faces {
		if r == (framing.Rect{}) {
			r = f
		}
		r = r.Union(f)
	}
	shot := s.Shots[m.ID]
	if c := shot.Crop; c != (framing.Rect{}) || r == (framing.Rect{}) {
		return 0, 0 // cropped by hand, it is as it is meant
	}
	if shot.Turn%2 == 1 {
		return r.H, r.W
	}
	return r.W, r.H
}

// Shot is what is set for a medium.
func (s Slideshow) Shot(id MediaID) Shot { return s.Shots[id] }

// Cut is where a clip begins to play in one of the slides, and how long it
// plays once trimmed.
func (s Slideshow) Cut(in Slide, m Media) (begin, length timecode.Samples) {
	from, to := s.TrimIn(in, m.ID).bounds(m)
	return from, to - from
}

// TrimIn is the trim of a clip in one of the slides.
func (s Slideshow) TrimIn(in Slide, id MediaID) Trim {
	if in.Trim != nil {
		return *in.Trim
	}
	return s.Shots[id].Trim
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

// Called is what counts as a medium's name where chance decides: what it was
// called before media were named by content, else its content.
func (s Slideshow) Called(id MediaID) string {
	if n, ok := s.Names[id]; ok {
		return n
	}
	return string(id)
}
