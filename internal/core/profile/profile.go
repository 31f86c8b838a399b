// Package profile is named ways of encoding a film: frame size and rate,
// codecs and their settings, container, and what the file must turn out to
// be. A profile is data; package render knows how each codec and container is
// made.
package profile

import (
	"errors"
	"fmt"
	"strings"

	"nelko/internal/core/timecode"
)

// Profile is a way of encoding.
type Profile struct {
	Name    string        `json:"name"`
	Longer  int           `json:"longer,omitempty"`  // longer side of the frame in pixels at most; 0: the slideshow's own
	Shorter int           `json:"shorter,omitempty"` // shorter side in pixels at most; 0: the slideshow's own
	Rate    timecode.Rate `json:"rate"`
	Video   Video         `json:"video"`
	Audio   Audio         `json:"audio"`
	File    Container     `json:"file"`

	Captions Captions        `json:"captions"`
	Longest  timecode.Frames `json:"longest,omitempty"`   // frames of one segment at most; 0: the usual
	MaxBytes int64           `json:"max_bytes,omitempty"` // of the file; 0: any
}

// Captions says what becomes of captions.
type Captions string

// Burnt captions are part of the picture.
const Burnt Captions = "burnt"

// Video is how the picture is encoded.
type Video struct {
	Codec      string  `json:"codec"`   // as ffprobe names it
	Encoder    string  `json:"encoder"` // as ffmpeg names it
	Preset     string  `json:"preset"`
	CRF        int     `json:"crf"` // constant rate factor, lower is better
	Profile    string  `json:"profile,omitempty"`
	Pixels     string  `json:"pixels"`      // pixel format
	KeySeconds float64 `json:"key_seconds"` // a key frame at least so often
}

// Audio is how the sound is encoded.
type Audio struct {
	Codec   string `json:"codec"`
	Encoder string `json:"encoder"`
	Kbps    int    `json:"kbps"`
}

// Container is the kind of file.
type Container struct {
	Format    string `json:"format"` // as ffmpeg names its muxer
	Extension string `json:"extension"`
	MIME      string `json:"mime"`
}

// H.264 High at 8 bits with AAC plays on anything (common practice, no
// source).
var (
	h264 = Video{Codec: "h264", Encoder: "libx264", Profile: "high", Pixels: "yuv420p", KeySeconds: 2}
	aac  = Audio{Codec: "aac", Encoder: "aac"}
	mp4  = Container{Format: "mp4", Extension: "mp4", MIME: "video/mp4"}
)

func with(v Video, preset string, crf int) Video {
	v.Preset, v.CRF = preset, crf
	return v
}

func at(a Audio, kbps int) Audio {
	a.Kbps = kbps
	return a
}

// Film plays on anything: an MP4 whose index comes first, so that it starts
// before it is loaded. It has the slideshow's own frame.
var Film = Profile{Name: "MP4", Rate: timecode.R30, Video: with(h264, "veryfast", 20), Audio: at(aac, 192), File: mp4, Captions: Burnt}

// draftFrames is the most frames of a preview segment, so that playing starts
// soon.
const draftFrames = 40

// Draft is played in the order's page while one works: quick, and small.
var Draft = Profile{Name: "Draft", Longer: 640, Rate: timecode.R30, Video: with(h264, "ultrafast", 27), Audio: at(aac, 128), File: mp4, Captions: Burnt, Longest: draftFrames}

// Loop is a theme moving with an order's pictures.
var Loop = Profile{Name: "Loop", Longer: 480, Rate: timecode.R25, Video: with(h264, "ultrafast", 27), Audio: at(aac, 128), File: mp4, Captions: Burnt, Longest: 1 << 30}

// Look is single frames at most so many pixels wide or high, for looking at;
// nothing is encoded with it.
func Look(longer int, rate timecode.Rate) Profile {
	return Profile{Name: "Look", Longer: longer, Rate: rate, Captions: Burnt}
}

// Shipped are the profiles a studio starts with.
var Shipped = []Profile{Film}

// longest is the most frames of one segment, so that a long clip too can be
// made by several workers.
const longest = 240

// MostFrames is the most frames of one segment.
func (p Profile) MostFrames() timecode.Frames {
	if p.Longest > 0 {
		return p.Longest
	}
	return longest
}

// Frame shrinks a w×h frame to the profile's size, keeping its shape and its
// sides even. It is never enlarged.
func (p Profile) Frame(w, h int) (int, int) {
	k := 1.0
	if p.Longer > 0 {
		k = min(k, float64(p.Longer)/float64(max(w, h)))
	}
	if p.Shorter > 0 {
		k = min(k, float64(p.Shorter)/float64(min(w, h)))
	}
	if k == 1 {
		return w, h
	}
	return max(2, int(float64(w)*k+1)/2*2), max(2, int(float64(h)*k+1)/2*2)
}

// Validate reports the first thing that cannot be.
func (p Profile) Validate() error {
	switch {
	case strings.TrimSpace(p.Name) == "" || len(p.Name) > 60:
		return errors.New("name: needs 1 to 60 characters")
	case !p.Rate.Valid():
		return fmt.Errorf("rate: %s is not a frame rate Nelko renders at", p.Rate.Fraction())
	case p.Longer < 0 || p.Longer > 4096 || p.Shorter < 0 || p.Shorter > 4096:
		return errors.New("frame: sides must be at most 4096 pixels")
	case p.Video.Codec == "" || p.Video.Encoder == "" || p.Video.Pixels == "":
		return errors.New("video: codec, encoder and pixels must be named")
	case p.Video.CRF < 0 || p.Video.CRF > 51:
		return fmt.Errorf("video.crf: %d; must be 0 to 51", p.Video.CRF)
	case p.Video.KeySeconds <= 0 || p.Video.KeySeconds > 20:
		return fmt.Errorf("video.key_seconds: %g; must be above 0 and at most 20", p.Video.KeySeconds)
	case p.Audio.Kbps < 16 || p.Audio.Kbps > 512:
		return fmt.Errorf("audio.kbps: %d; must be 16 to 512", p.Audio.Kbps)
	case p.File.Format == "" || p.File.Extension == "" || p.File.MIME == "":
		return errors.New("file: format, extension and MIME type must be named")
	case p.Captions != Burnt:
		return fmt.Errorf("captions: %q is not known", p.Captions)
	case p.MaxBytes < 0:
		return errors.New("max_bytes: must not be below 0")
	}
	return nil
}
