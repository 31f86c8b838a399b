// Package profile is named ways of encoding a film: frame size and rate,
// codecs and their settings, container, and what the file must turn out to
// be. A profile is data; package render knows how each codec and container is
// made.
package profile

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"nelko/internal/core/timecode"
)

// Profile is a way of encoding.
type Profile struct {
	Name  string `json:"name"`
	About string `json:"about,omitempty"` // what it is for, in a few words
	Kind  Kind   `json:"kind,omitempty"`
	Shape Shape  `json:"shape,omitzero"` // the frame's; zero: the slideshow's own
	// the frame's shorter side in pixels; 0: the slideshow's own
	Lines  int `json:"lines,omitempty"`
	Longer int `json:"longer,omitempty"` // longer side in pixels at most; 0: any
	// frames are drawn so large and scaled to the profile's; nil: drawn as they are kept
	Drawn  *Size         `json:"drawn,omitempty"`
	Stored *Stored       `json:"stored,omitempty"` // the frame in the file where its pixels are not square
	Rate   timecode.Rate `json:"rate"`
	Video  Video         `json:"video"`
	Audio  Audio         `json:"audio"`
	File   Container     `json:"file"`

	Captions Captions        `json:"captions"`
	Teaser   *Teaser         `json:"teaser,omitempty"`    // only so much of the film
	Longest  timecode.Frames `json:"longest,omitempty"`   // frames of one segment at most; 0: the usual
	MaxBytes int64           `json:"max_bytes,omitempty"` // of the file; 0: any
}

// Kind is what a profile makes.
type Kind string

// The kinds of profile. A film has picture and sound.
const (
	OfFilm  Kind = ""
	OfSound Kind = "sound" // the soundtrack alone
	OfStill Kind = "still" // the poster frame, as a JPEG
)

// Shape is a frame's shape, width to height.
type Shape struct {
	W int `json:"w"`
	H int `json:"h"`
}

// Size is a frame's size in pixels.
type Size struct {
	W int `json:"w"`
	H int `json:"h"`
}

// Stored is how a frame is kept in a file whose pixels are not square: so many
// of them, to be shown in a shape.
type Stored struct {
	Size
	Shown Shape `json:"shown"`
}

// Teaser is a part of a film with a fade from and to black of its own.
type Teaser struct {
	From    float64 `json:"from"` // seconds into the film
	Seconds float64 `json:"seconds"`
	Fade    float64 `json:"fade"` // seconds
}

// Captions says what becomes of captions.
type Captions string

// What can become of captions.
const (
	Burnt  Captions = "burnt"  // part of the picture
	Track  Captions = "track"  // a track of the file that can be switched on
	Beside Captions = "beside" // files beside it, as SRT and WebVTT
	None   Captions = "none"
)

// Video is how the picture is encoded, to a quality or to a bit rate.
type Video struct {
	Codec   string `json:"codec"`   // as ffprobe names it
	Encoder string `json:"encoder"` // as ffmpeg names it
	Preset  string `json:"preset"`
	CRF     int    `json:"crf"`            // constant rate factor, lower is better; without Kbps
	Kbps    int    `json:"kbps,omitempty"` // bit rate on average, in 1000 bits a second
	// 2: looked through once before it is encoded to the bit rate
	Passes int `json:"passes,omitempty"`
	// H.264 in two passes: the rate factor that is enough, where the film is then no larger than
	// its bit rate makes it
	EnoughCRF  int     `json:"enough_crf,omitempty"`
	MaxKbps    int     `json:"max_kbps,omitempty"`
	BufferKbit int     `json:"buffer_kbit,omitempty"` // of the decoder, in 1000 bits, which MaxKbps fills
	Tuning     string  `json:"tuning,omitempty"`      // of the preset, as the encoder's own parameters
	Profile    string  `json:"profile,omitempty"`
	Pixels     string  `json:"pixels"`          // pixel format
	BT709      bool    `json:"bt709,omitempty"` // its colours are BT.709 whatever its size
	KeySeconds float64 `json:"key_seconds"`     // a key frame at least so often
}

// Audio is how the sound is encoded.
type Audio struct {
	Codec   string `json:"codec"`
	Encoder string `json:"encoder"`
	Kbps    int    `json:"kbps,omitempty"` // 0: lossless

	// Integrated loudness that films are brought to which are not left as they are; 0:
	// each film's own.
	LUFS float64 `json:"lufs,omitempty"`
}

// Container is the kind of file.
type Container struct {
	Format    string `json:"format"` // as ffmpeg names its muxer
	Extension string `json:"extension"`
	MIME      string `json:"mime"`
}

// draftFrames is the most frames of a preview segment, so that playing starts
// soon.
const draftFrames = 40

// Draft is played in the order's page while one works: quick, and small.
var Draft = Profile{
	Name:     "Draft",
	Longer:   640,
	Rate:     timecode.R30,
	Video:    with(h264, "ultrafast", 27),
	Audio:    at(aac, 128),
	File:     mp4,
	Captions: Burnt,
	Longest:  draftFrames,
}

// Loop is a theme moving with an order's pictures.
var Loop = Profile{
	Name:     "Loop",
	Longer:   480,
	Rate:     timecode.R25,
	Video:    with(h264, "ultrafast", 27),
	Audio:    at(aac, 128),
	File:     mp4,
	Captions: Burnt,
	Longest:  1 << 30,
}

// Look is single frames at most so many pixels wide or high, for looking at;
// nothing is encoded with it.
func Look(longer int, rate timecode.Rate) Profile {
	return Profile{Name: "Look", Longer: longer, Rate: rate, Captions: Burnt}
}

// longest is the most frames of one segment, so that a long clip too can be
// made by several workers.
const longest = 240

// Whole reports whether a film is encoded in one piece: to a bit rate, or by an
// encoder whose segments cannot be put end to end. Segments are shared between
// films only where this is not so.
func (p Profile) Whole() bool { return p.Video.Encoder != "libx264" || p.Video.Kbps > 0 }

// Plays reports whether the profile's files are whole films that browsers play
// and that begin before they are loaded.
func (p Profile) Plays() bool {
	return p.Kind == OfFilm && p.Teaser == nil && p.File.Format == mp4.Format && p.Stored == nil
}

// whole is more frames than any film has.
const whole = 1 << 40

// MostFrames is the most frames of one segment.
func (p Profile) MostFrames() timecode.Frames {
	switch {
	case p.Whole():
		return whole
	case p.Longest > 0:
		return p.Longest
	}
	return longest
}

func even(v float64) int { return max(2, int(v/2+0.5)*2) }

// Frame is the size at which a slideshow of w×h is drawn and, if its pixels
// are square, kept: of the profile's shape and lines, or the slideshow's own;
// both sides are even.
func (p Profile) Frame(w, h int) (int, int) {
	if p.Drawn != nil {
		return p.Drawn.W, p.Drawn.H
	}
	return p.Size(w, h)
}

// Size is Frame for a film that is drawn as it is kept.
func (p Profile) Size(w, h int) (int, int) {
	lines := min(w, h)
	if p.Lines > 0 {
		lines = p.Lines
	}
	if s := p.Shape; s != (Shape{}) {
		w, h = s.W, s.H
	} else if lines == min(w, h) && (p.Longer == 0 || max(w, h) <= p.Longer) {
		return w, h
	}
	k := float64(lines) / float64(min(w, h))
	if p.Longer > 0 {
		k = min(k, float64(p.Longer)/float64(max(w, h)))
	}
	return even(float64(w) * k), even(float64(h) * k)
}

// together reports whether films in both profiles show the same frames, but
// for their size, in segments.
func together(a, b Profile, w, h int) bool {
	shape := func(p Profile) float64 { x, y := p.Size(w, h); return float64(x) / float64(y) }
	// Sides are even, so shapes are equal to within two pixels of 360.
	return a.Kind == OfFilm && b.Kind == OfFilm && !a.Whole() && !b.Whole() && a.Stored == nil &&
		b.Stored == nil &&
		a.Rate == b.Rate && a.Captions == b.Captions && a.Longest == b.Longest &&
		(a.Teaser == nil) == (b.Teaser == nil) && (a.Teaser == nil || *a.Teaser == *b.Teaser) &&
		math.Abs(shape(a)/shape(b)-1) < 0.01
}

// Together are profiles for films of a slideshow of w×h that are made at
// once: those that show the same frames in several sizes are drawn once, in
// the largest, and leads[i] is the place of the profile that i is drawn with,
// its own if it is drawn by itself. A film that is drawn larger than it is kept
// is not the same, byte for byte, as one that is not, so the profile says so.
func Together(all []Profile, w, h int) (drawn []Profile, leads []int) {
	drawn, leads = slices.Clone(all), make([]int, len(all))
	area := func(i int) int { x, y := all[i].Size(w, h); return x * y }
	for i := range all {
		leads[i] = i
		for k := range all {
			if k == i || !together(all[i], all[k], w, h) {
				continue
			}
			if larger := area(k) - area(leads[i]); larger > 0 || larger == 0 && k < leads[i] {
				leads[i] = k
			}
		}
	}
	for i, lead := range leads {
		if lead != i {
			x, y := all[lead].Size(w, h)
			drawn[i].Drawn = &Size{x, y}
		}
	}
	return drawn, leads
}

// Kept is the size of the frames in the file of a slideshow of w×h, and
// whether they are scaled to it from the size they are drawn at.
func (p Profile) Kept(w, h int) (kw, kh int, scaled bool) {
	if p.Stored != nil {
		return p.Stored.W, p.Stored.H, true
	}
	kw, kh = p.Size(w, h)
	dw, dh := p.Frame(w, h)
	return kw, kh, kw != dw || kh != dh
}

// Validate reports the first thing that cannot be.
func (p Profile) Validate() error {
	switch {
	case strings.TrimSpace(p.Name) == "" || len(p.Name) > 60:
		return errors.New("name: needs 1 to 60 characters")
	case len(p.About) > 200:
		return errors.New("about: at most 200 characters")
	case p.Kind != OfFilm && p.Kind != OfSound && p.Kind != OfStill:
		return fmt.Errorf("kind: %q is not known", p.Kind)
	case !p.Rate.Valid():
		return fmt.Errorf("rate: %s is not a frame rate Nelko renders at", p.Rate.Fraction())
	case p.Longer < 0 || p.Longer > 4096 || p.Lines != 0 && (p.Lines < 96 || p.Lines > 2304):
		return errors.New("frame: its shorter side must have 96 to 2304 pixels, its longer at most 4096")
	case p.Shape != (Shape{}) && (p.Shape.W < 1 || p.Shape.H < 1 || p.Shape.W > 4*p.Shape.H ||
		p.Shape.H > 4*p.Shape.W):
		return errors.New("shape: at most four times as long as wide")
	case p.Lines > 0 && p.Shape != (Shape{}) &&
		float64(p.Lines)*float64(max(p.Shape.W, p.Shape.H))/float64(min(p.Shape.W, p.Shape.H)) > 4096:
		return errors.New("frame: its longer side would have more than 4096 pixels")
	case p.File.Format == "" || p.File.Extension == "" || p.File.MIME == "":
		return errors.New("file: format, extension and MIME type must be named")
	case p.MaxBytes < 0:
		return errors.New("max_bytes: must not be below 0")
	case p.Teaser != nil && (p.Teaser.From < 0 || p.Teaser.Seconds < 1 || p.Teaser.Seconds > 600 ||
		p.Teaser.Fade < 0 || 2*p.Teaser.Fade > p.Teaser.Seconds):
		return errors.New("teaser: needs 1 to 600 seconds, of which the fades take no more than all")
	}
	if p.Kind == OfStill {
		return nil
	}
	if a := p.Audio; a.Codec == "" || a.Encoder == "" || a.Kbps != 0 && (a.Kbps < 16 || a.Kbps > 1536) {
		return fmt.Errorf("audio.kbps: %d of %q; must be 16 to 1536, or 0 for lossless sound", p.Audio.Kbps,
			p.Audio.Codec)
	}
	if l := p.Audio.LUFS; l != 0 && (l < -40 || l > -5) {
		return fmt.Errorf("audio.lufs: %g; must be −40 to −5, or 0 for the film's own", l)
	}
	if p.Kind == OfSound {
		return nil
	}
	v := p.Video
	switch {
	case v.Codec == "" || v.Encoder == "" || v.Pixels == "":
		return errors.New("video: codec, encoder and pixels must be named")
	case v.CRF < 0 || v.CRF > 63:
		return fmt.Errorf("video.crf: %d; must be 0 to 63", v.CRF)
	case v.Kbps < 0 || v.Kbps > 1_000_000 || v.MaxKbps < 0 || v.BufferKbit < 0 || v.Passes < 0 ||
		v.Passes > 2:
		return errors.New("video.kbps: must be at most 1,000,000, in one or two passes")
	case v.KeySeconds <= 0 || v.KeySeconds > 20:
		return fmt.Errorf("video.key_seconds: %g; must be above 0 and at most 20", v.KeySeconds)
	case p.Captions != Burnt && p.Captions != Track && p.Captions != Beside && p.Captions != None:
		return fmt.Errorf("captions: %q is not known", p.Captions)
	}
	return nil
}
