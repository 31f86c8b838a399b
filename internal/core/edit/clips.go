package edit

import (
	"fmt"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
)

// clipOf is a slide that shows nothing but one clip.
func clipOf(d doc.Slideshow, id doc.SlideID, with Context) (at int, m doc.Media, err error) {
	if at = d.Index(id); at < 0 {
		return at, m, fmt.Errorf("slide %s: %w", id, ErrGone)
	}
	s := d.Slides[at]
	if s.Kind != doc.Clip || len(s.Media) != 1 {
		return at, m, fmt.Errorf("slide %s is no clip: %w", id, ErrInvalid)
	}
	m, ok := with.Library[s.Media[0]]
	if !ok {
		return at, m, fmt.Errorf("medium %s: %w", s.Media[0], ErrGone)
	}
	return at, m, nil
}

// shortestCut is the least that either part of a clip may have, in seconds.
const shortestCut = 0.2

// SplitClip cuts a clip in two slides at a moment, in seconds from where it
// begins to play. What is set for the slide stands for both.
type SplitClip struct {
	Slide doc.SlideID
	At    float64
}

// Title implements Op.
func (SplitClip) Title() string { return "Split a clip" }

// Apply implements Op.
func (c SplitClip) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	i, m, err := clipOf(d, c.Slide, with)
	if err != nil {
		return d, err
	}
	begin, length := d.Cut(d.Slides[i], m)
	from, lasts := float64(begin)/timecode.SampleRate, float64(length)/timecode.SampleRate
	if c.At < shortestCut || c.At > lasts-shortestCut {
		return d, fmt.Errorf("a clip is split where at least %g s are left on either side: %w", shortestCut,
			ErrInvalid)
	}
	d.Slides = slices.Clone(d.Slides)
	first, second := &d.Slides[i], d.Slides[i]
	second.ID, second.Chapter, second.Placed = d.NextSlide(), "", true
	first.Trim, first.Join, first.Placed = &doc.Trim{From: from, To: from + c.At}, nil, true
	second.Trim = &doc.Trim{From: from + c.At, To: from + lasts}
	d.Slides = slices.Insert(d.Slides, i+1, second)
	return d, nil
}

// TrimClip trims the clip of one slide. A clip that is shown in several slides
// is trimmed in this one only.
type TrimClip struct {
	Slide doc.SlideID
	Trim  doc.Trim
}

// Title implements Op.
func (TrimClip) Title() string { return "Trimmed a clip" }

// Apply implements Op.
func (c TrimClip) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	i, m, err := clipOf(d, c.Slide, with)
	if err != nil {
		return d, err
	}
	shown := 0
	for _, s := range d.Slides {
		if slices.Contains(s.Media, m.ID) {
			shown++
		}
	}
	if shown == 1 && d.Slides[i].Trim == nil {
		return Shots{Media: []doc.MediaID{m.ID}, Trim: &c.Trim}.Apply(d, with)
	}
	d.Slides = slices.Clone(d.Slides)
	d.Slides[i].Trim = &c.Trim
	return d, nil
}

// Pause puts a slide with nothing but a backdrop before another, or at the end:
// a breath between two parts.
type Pause struct{ Before doc.SlideID }

// pauseSeconds is how long a pause is (common practice, no source).
const pauseSeconds = 2

// Title implements Op.
func (Pause) Title() string { return "Put a pause in" }

// Apply implements Op.
func (p Pause) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	return insert(d, doc.Slide{
		Kind:   doc.Card,
		Card:   &doc.Words{Kind: "title"},
		Linger: 1,
		Pinned: pauseSeconds,
	}, p.Before)
}
