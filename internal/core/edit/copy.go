package edit

import (
	"fmt"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/wording"
)

// CopyKinds are the kinds of settings that are copied from one slide to others.
var CopyKinds = []string{"layout", "motion", "transition", "backdrop", "look", "framing", "captions",
	"lettering", "linger"}

// Settings are settings of a slide, of some kinds, that others can be given. What
// is left to the theme is left to the theme where they are given.
type Settings struct {
	Kinds []string  `json:"kinds"`
	Slide doc.Slide `json:"slide"` // what of it belongs to the kinds
	Shot  doc.Shot  `json:"shot"`  // of its first picture, likewise
	Count int       `json:"count"` // its pictures
	Clip  bool      `json:"clip"`
}

// SettingsOf takes settings of a slide, of the kinds named.
func SettingsOf(d doc.Slideshow, id doc.SlideID, kinds []string) (Settings, error) {
	at := d.Index(id)
	if at < 0 {
		return Settings{}, fmt.Errorf("slide %s: %w", id, ErrGone)
	}
	for _, k := range kinds {
		if !slices.Contains(CopyKinds, k) {
			return Settings{}, fmt.Errorf("settings %q: %w", k, ErrInvalid)
		}
	}
	from := d.Slides[at]
	s := Settings{Kinds: kinds, Count: len(from.Media), Clip: from.Kind == doc.Clip,
		Slide: doc.Slide{
			ID:           id,
			Layout:       from.Layout,
			Motion:       from.Motion,
			Join:         from.Join,
			Backdrop:     from.Backdrop,
			CaptionStyle: from.CaptionStyle,
			Lettering:    from.Lettering,
			Linger:       from.Linger,
		}}
	if len(from.Media) > 0 {
		shot := d.Shots[from.Media[0]]
		s.Shot = doc.Shot{Look: shot.Look, Fit: shot.Fit, Scale: shot.Scale, Tilt: shot.Tilt}
	}
	return s, nil
}

func (c Settings) give(d *doc.Slideshow, slides []doc.SlideID) error {
	from := c.Slide
	has := func(kind string) bool { return slices.Contains(c.Kinds, kind) }
	return on(d, slides, func(s *doc.Slide) error {
		if has("layout") && len(s.Media) == c.Count {
			s.Layout = from.Layout
		}
		if has("motion") && len(s.Media) > 0 && c.Count > 0 {
			s.Motion = from.Motion
		}
		if has("transition") {
			s.Join = from.Join
		}
		if has("backdrop") {
			s.Backdrop = from.Backdrop
		}
		if has("captions") && len(s.Media) > 0 {
			s.CaptionStyle = from.CaptionStyle
		}
		if has("lettering") && len(s.Media) == 0 && c.Count == 0 {
			s.Lettering = from.Lettering
		}
		if has("linger") && s.Kind != doc.Clip && !c.Clip {
			s.Linger = from.Linger
		}
		if c.Count == 0 {
			return nil
		}
		for _, m := range s.Media {
			shot := d.Shots[m]
			if has("look") {
				shot.Look = c.Shot.Look
			}
			if has("framing") {
				shot.Fit, shot.Scale, shot.Tilt = c.Shot.Fit, c.Shot.Scale, c.Shot.Tilt
			}
			d.SetShot(m, shot)
		}
		return nil
	})
}

// CopySettings gives slides the settings of another, of the kinds named. A
// layout is given to slides of as many pictures; look and framing are those of
// its first picture, crops are a picture's own and stay.
type CopySettings struct {
	From   doc.SlideID
	Slides []doc.SlideID
	Kinds  []string
}

// Title implements Op.
func (c CopySettings) Title() string {
	return "Copied settings to " + wording.Counted(len(c.Slides), "slide")
}

// Apply implements Op.
func (c CopySettings) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	s, err := SettingsOf(d, c.From, c.Kinds)
	if err != nil {
		return d, err
	}
	return d, s.give(&d, slices.DeleteFunc(slices.Clone(c.Slides), func(id doc.SlideID) bool {
		return id == c.From
	}))
}

// GiveSettings gives slides settings that were kept under a name.
type GiveSettings struct {
	Slides   []doc.SlideID
	Name     string
	Settings Settings
}

// Title implements Op.
func (g GiveSettings) Title() string {
	return fmt.Sprintf("Gave %s “%s”", wording.Counted(len(g.Slides), "slide"), g.Name)
}

// Apply implements Op.
func (g GiveSettings) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	return d, g.Settings.give(&d, g.Slides)
}

// Again shows slides with pictures once more, each right after itself.
type Again struct{ Slides []doc.SlideID }

// Title implements Op.
func (a Again) Title() string { return "Showed " + wording.Counted(len(a.Slides), "slide") + " again" }

// Apply implements Op.
func (a Again) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	for _, id := range a.Slides {
		i := d.Index(id)
		if i < 0 {
			return d, fmt.Errorf("slide %s: %w", id, ErrGone)
		}
		if len(d.Slides[i].Media) == 0 {
			return d, fmt.Errorf("only slides with pictures are shown again: %w", ErrInvalid)
		}
		s := d.Slides[i]
		s.ID, s.Placed, s.Chapter, s.CommonAt, s.Row = d.NextSlide(), true, "", nil, false
		s.Media = slices.Clone(s.Media)
		d.Slides = slices.Insert(slices.Clone(d.Slides), i+1, s)
	}
	return d, nil
}

// Replace puts another picture in the place of one, on a slide, and keeps all
// else: position, time, layout, words, and the look; what was set for what can
// be seen in the old one (turning, crop, focal point) is the new one's own.
type Replace struct {
	Slide    doc.SlideID
	Old, New doc.MediaID
}

// Title implements Op.
func (Replace) Title() string { return "Replaced a picture" }

// Apply implements Op.
func (r Replace) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	was, okOld := with.Library[r.Old]
	is, ok := with.Library[r.New]
	if !ok {
		return d, fmt.Errorf("medium %s: %w", r.New, ErrGone)
	}
	if is.Kind == doc.SongMedia || (okOld && was.Kind != is.Kind) {
		return d, fmt.Errorf("a %s cannot stand in the place of a %s: %w", is.Kind, was.Kind, ErrInvalid)
	}
	err := on(&d, []doc.SlideID{r.Slide}, func(s *doc.Slide) error {
		i := slices.Index(s.Media, r.Old)
		if i < 0 {
			return fmt.Errorf("medium %s: %w", r.Old, ErrGone)
		}
		s.Media = slices.Clone(s.Media)
		s.Media[i] = r.New
		s.Placed = true
		return nil
	})
	if err != nil {
		return d, err
	}
	old := d.Shot(r.Old)
	old.Turn, old.Crop, old.Focal, old.Trim = 0, framing.Rect{}, nil, doc.Trim{}
	if _, own := d.Shots[r.New]; !own {
		d.SetShot(r.New, old)
	}
	d.LeftOut = without(d.LeftOut, r.New)
	if !d.Uses()[r.Old] {
		d.LeftOut = append(d.LeftOut, r.Old)
	}
	return d, nil
}
