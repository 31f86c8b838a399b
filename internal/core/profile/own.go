package profile

import (
	"fmt"
	"strings"

	"nelko/internal/core/timecode"
)

// Change is what a studio changes of a profile to have one of its own; the zero
// value of a field leaves it.
type Change struct {
	Name     string
	About    string
	Shape    Shape
	Lines    int
	Rate     timecode.Rate
	CRF      int // to a quality
	Kbps     int // to a bit rate, in two passes
	MaxBytes int64
	Captions Captions
	Teaser   float64 // seconds
	LUFS     float64
}

// Own is a profile made of another by a few changes.
func (p Profile) Own(c Change) (Profile, error) {
	p.Name, p.About = strings.TrimSpace(c.Name), strings.TrimSpace(c.About)
	if c.Shape != (Shape{}) {
		p.Shape = c.Shape
	}
	if c.Lines != 0 {
		p.Lines = c.Lines
	}
	if (c.Shape != (Shape{}) || c.Lines != 0) && p.Stored != nil {
		return p, fmt.Errorf("the frame of a disc is fixed")
	}
	if c.Rate.Valid() {
		if p.Stored != nil && c.Rate != p.Rate {
			return p, fmt.Errorf("the rate of a disc is fixed")
		}
		p.Rate = c.Rate
	}
	switch {
	case c.CRF != 0 && c.Kbps != 0:
		return p, fmt.Errorf("either a quality or a bit rate can be set")
	case c.CRF != 0:
		p.Video.CRF, p.Video.Kbps, p.Video.Passes = c.CRF, 0, 0
	case c.Kbps != 0:
		p.Video.Kbps, p.Video.Passes = c.Kbps, 2
		if p.Video.Encoder == "libsvtav1" {
			p.Video.Passes = 1 // ffmpeg hands it no passes
		}
	}
	if c.MaxBytes != 0 {
		p.MaxBytes, p.Video.Passes = c.MaxBytes, 2
		if p.Video.Kbps == 0 {
			p.Video.Kbps = 1000 // worked out for each film
		}
	}
	if c.Captions != "" {
		p.Captions = c.Captions
	}
	if c.LUFS != 0 {
		p.Audio.LUFS = c.LUFS
	}
	if c.Teaser != 0 {
		p.Teaser = &Teaser{From: 4, Seconds: c.Teaser, Fade: min(0.7, c.Teaser/4)}
	}
	return p, p.Validate()
}
