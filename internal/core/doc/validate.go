package doc

import (
	"fmt"
	"slices"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/framing"
	"nelko/internal/core/transition"
)

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
	MaxCaption    = 500  // bytes
	MaxChapter    = 100  // bytes
	MaxLines      = 20   // of a slide
	shortestLine  = 0.1  // seconds
	MaxWords      = 8000 // bytes of a text card
	MaxDecor      = 64
	MaxItems      = 200 // of a soundtrack
	MaxGainPoints = 200 // of an item
	minGain       = -96 // dB
	maxGain       = 24
	minSide       = 64
	minLUFS, zero = -40, 0
)

// Validate reports the first thing in the document that cannot be.
func (s Slideshow) Validate() error {
	if s.Theme == "" {
		return fmt.Errorf("theme: missing")
	}
	if f := s.Frame; f.W < minSide || f.H < minSide || f.W > MaxSide || f.H > MaxSide || f.W%2 != 0 ||
		f.H%2 != 0 {
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
	if err := s.validateFilm(); err != nil {
		return err
	}
	if !between(s.Fit.PaceSeconds, MinPace, MaxPace) {
		return fmt.Errorf("fit.pace_seconds: %g; must be %g to %d", s.Fit.PaceSeconds, MinPace, MaxPace)
	}
	if f := s.Fit; !between(f.Shortest, 0, MaxPace) || !between(f.Longest, 0, MaxPace) || f.Longest > 0 &&
		f.Longest < f.Shortest {
		return fmt.Errorf("fit.shortest_seconds: limits must be 0 to %d s, the longest not below the shortest", MaxPace)
	}
	if m := s.Fit.Mode; m != ToMusic && m != AtPace && m != MusicToPictures {
		return fmt.Errorf("fit.mode: %q is not music, pace or pictures", m)
	}
	if b := s.Fit.Beat; b != "" && b != AnyBeat && b != Downbeat && b != HalfBeat {
		return fmt.Errorf("fit.beat: %q is not beats, bars or halves", b)
	}
	if !between(s.Fit.Strict, 0, 1) {
		return fmt.Errorf("fit.strict: %g; must be 0 to 1", s.Fit.Strict)
	}
	if err := s.Soundtrack.validate(); err != nil {
		return fmt.Errorf("soundtrack.%w", err)
	}
	return s.validateShapes()
}

func (t Soundtrack) validate() error {
	if d := t.Duck; d != nil && (!between(d.DB, minGain, 0) || !between(d.Attack, 0, 10) ||
		!between(d.Release, 0, 10) || !between(d.Ahead, 0, 2)) {
		return fmt.Errorf("duck: must be %d to 0 dB, within 10 s, at most 2 s ahead", minGain)
	}
	if !between(t.FadeInSeconds, 0, MaxFade) || !between(t.FadeOutSeconds, 0, MaxFade) ||
		!between(t.LUFS, minLUFS, zero) {
		return fmt.Errorf("fade_in_seconds: fades must be 0 to %d s and loudness %d to 0 LUFS", MaxFade,
			minLUFS)
	}
	if len(t.Items) > MaxItems {
		return fmt.Errorf("items: %d; at most %d", len(t.Items), MaxItems)
	}
	for i, it := range t.Items {
		if err := it.validate(); err != nil {
			return fmt.Errorf("items[%d].%w", i, err)
		}
	}
	return nil
}

func (it Item) validate() error {
	switch {
	case it.Media == "":
		return fmt.Errorf("media: missing")
	case it.Role != Music && it.Role != Narration && it.Role != ClipSound:
		return fmt.Errorf("role: %q is not music, narration or clip", it.Role)
	case it.At != nil && !between(*it.At, 0, 86400):
		return fmt.Errorf("at_seconds: %g; must be 0 to 86400", *it.At)
	case (it.On != "" || it.Hold) && (it.Role != Narration || it.At == nil || it.On == ""):
		return fmt.Errorf("on: only narration with a time goes with a slide")
	case !between(it.FadeInSeconds, 0, MaxFade) || !between(it.FadeOutSeconds, 0, MaxFade):
		return fmt.Errorf("fade_in_seconds: fades must be 0 to %d s", MaxFade)
	case !slices.Contains(FadeShapes, it.Shape):
		return fmt.Errorf("shape: %q is not one of %q", it.Shape, FadeShapes)
	case !between(it.LevelDB, minGain, maxGain):
		return fmt.Errorf("level_db: %g; must be %d to %d", it.LevelDB, minGain, maxGain)
	case len(it.Made) > MaxStretches:
		return fmt.Errorf("made: %d; at most %d", len(it.Made), MaxStretches)
	case it.Join != nil && (!slices.Contains(SongJoins, it.Join.Kind) ||
		!between(it.Join.Seconds, 0, MaxFade)):
		return fmt.Errorf("join: must be one of %q, of 0 to %d s", SongJoins, MaxFade)
	case len(it.Gain) > MaxGainPoints:
		return fmt.Errorf("gain: %d points; at most %d", len(it.Gain), MaxGainPoints)
	}
	last := 0.0
	for _, g := range it.Gain {
		if !between(g.AtSeconds, last, 86400) || !between(g.DB, minGain, maxGain) {
			return fmt.Errorf("gain: points must follow in time, %d to %d dB", minGain, maxGain)
		}
		last = g.AtSeconds
	}
	for _, m := range it.Made {
		if !between(m.From, 0, 86400) || !between(m.To, 0, 86400) || m.To <= m.From {
			return fmt.Errorf("made: each stretch must end after it begins")
		}
	}
	return it.Trim.validate()
}

func (t Trim) validate() error {
	if !between(t.From, 0, 86400) || !between(t.To, 0, 86400) || (t.To > 0 && t.To < t.From+0.04) {
		return fmt.Errorf("trim: must end after it begins")
	}
	return nil
}

// validateFilm checks what is set for the whole film and for single pictures.
func (s Slideshow) validateFilm() error {
	if s.Join != nil {
		if err := s.Join.Validate(); err != nil {
			return fmt.Errorf("join.%w", err)
		}
	}
	if s.Motion != nil {
		if err := s.Motion.Validate(); err != nil {
			return fmt.Errorf("motion.%w", err)
		}
	}
	if s.Look != nil {
		if err := s.Look.Validate(); err != nil {
			return err
		}
	}
	if !between(s.Shutter, 0, transition.MaxShutter) {
		return fmt.Errorf("shutter: %g; must be 0 to %d degrees", s.Shutter, transition.MaxShutter)
	}
	if f := s.Fades; f != nil && (!between(f.InSeconds, 0, MaxFade) || !between(f.OutSeconds, 0, MaxFade)) {
		return fmt.Errorf("fades: must be 0 to %d s", MaxFade)
	}
	if s.CaptionStyle != nil {
		if err := s.CaptionStyle.Validate(); err != nil {
			return fmt.Errorf("caption_style.%w", err)
		}
	}
	if len(s.Decor) > MaxDecor {
		return fmt.Errorf("decor: %d; at most %d", len(s.Decor), MaxDecor)
	}
	for i, d := range s.Decor {
		if err := d.Validate(); err != nil {
			return fmt.Errorf("decor[%d].%w", i, err)
		}
	}
	if s.Pattern != nil && s.Follows != nil {
		return fmt.Errorf("pattern: a pattern follows none")
	}
	for id, shot := range s.Shots {
		if err := shot.validate(); err != nil {
			return fmt.Errorf("shots.%s.%w", id, err)
		}
	}
	return nil
}

func (s Shot) validate() error {
	unit := framing.Rect{W: 1, H: 1}
	switch {
	case s.Turn < 0 || s.Turn > 3:
		return fmt.Errorf("turn: %d; must be 0 to 3 quarter turns", s.Turn)
	case s.Crop != (framing.Rect{}) && (s.Crop.W < 0.02 || s.Crop.H < 0.02 || !unit.Contains(s.Crop, 1e-6)):
		return fmt.Errorf("crop: must lie in the picture and be at least a fiftieth of its sides")
	case s.Focal != nil && (!between(s.Focal.X, 0, 1) || !between(s.Focal.Y, 0, 1)):
		return fmt.Errorf("focal: must lie in the picture")
	case s.Fit != "" && !s.Fit.Valid():
		return fmt.Errorf("fit: %q is not fill, whole, native or stretch", s.Fit)
	case s.Scale != 0 && !between(s.Scale, 0.1, 1):
		return fmt.Errorf("scale: %g; must be 0.1 to 1", s.Scale)
	case s.Tilt != nil && !between(*s.Tilt, -180, 180):
		return fmt.Errorf("tilt: %g; must be -180 to 180 degrees", *s.Tilt)
	case s.Trim.validate() != nil:
		return s.Trim.validate()
	case !between(s.Sound, 0, 4):
		return fmt.Errorf("sound: %g; must be 0 to 4", s.Sound)
	}
	if s.Look != nil {
		return s.Look.Validate()
	}
	return nil
}

func (sl Slide) validate() error {
	if err := sl.validateDesign(); err != nil {
		return err
	}
	switch {
	case sl.ID == "":
		return fmt.Errorf("id: missing")
	case !slices.Contains([]Kind{Opening, Pictures, Clip, Card, Closing}, sl.Kind):
		return fmt.Errorf("kind: %q", sl.Kind)
	case sl.Kind == Clip && len(sl.Media) != 1:
		return fmt.Errorf("media: a clip slide holds exactly one clip, not %d", len(sl.Media))
	case sl.Kind == Pictures && (len(sl.Media) < 1 || len(sl.Media) > 6):
		return fmt.Errorf("media: a picture slide holds one to six pictures, not %d", len(sl.Media))
	case sl.Kind == Card && (sl.Card == nil || !slices.Contains([]string{"title", "text", "credits"},
		sl.Card.Kind)):
		return fmt.Errorf("card: a text card needs words of kind title, text or credits")
	case sl.Card != nil && len(sl.Card.Main)+len(sl.Card.Smaller)+len(sl.Card.Text) > MaxWords:
		return fmt.Errorf("card: longer than %d bytes", MaxWords)
	case len(sl.Chapter) > MaxChapter:
		return fmt.Errorf("the title of the chapter has %d bytes; at most %d", len(sl.Chapter), MaxChapter)
	case len(sl.Caption) > MaxCaption:
		return fmt.Errorf("caption: longer than %d bytes", MaxCaption)
	case len(sl.Lines) > MaxLines:
		return fmt.Errorf("lines: %d; at most %d on a slide", len(sl.Lines), MaxLines)
	case sl.Trim != nil && sl.Trim.validate() != nil:
		return sl.Trim.validate()
	case !between(sl.Linger, MinLinger, MaxLinger):
		return fmt.Errorf("linger: %g; must be %g to %d", sl.Linger, MinLinger, MaxLinger)
	case sl.CommonAt != nil && !between(*sl.CommonAt, 0, 1):
		return fmt.Errorf("common_at: %g; must be 0 to 1", *sl.CommonAt)
	case sl.Pinned != 0 && !between(sl.Pinned, 0.04, MaxSeconds):
		return fmt.Errorf("pinned_seconds: %g; must be 0.04 to %d", sl.Pinned, MaxSeconds)
	}
	for i, l := range sl.Lines {
		if len(l.Text) > MaxCaption || strings.TrimSpace(l.Text) == "" || !between(l.From, 0, MaxSeconds) ||
			(l.To != 0 && !between(l.To, l.From+shortestLine, MaxSeconds)) {
			return fmt.Errorf("line %d: has 1 to %d bytes, and ends at least %g s after it begins", i+1,
				MaxCaption, shortestLine)
		}
	}
	return nil
}

// validateDesign checks what was set by hand of the slide's look.
func (sl Slide) validateDesign() error {
	if sl.Motion != nil {
		if err := sl.Motion.Validate(); err != nil {
			return fmt.Errorf("motion.%w", err)
		}
	}
	if sl.Backdrop != nil {
		if err := sl.Backdrop.Validate(); err != nil {
			return fmt.Errorf("backdrop.%w", err)
		}
	}
	if sl.Join != nil {
		if err := sl.Join.Validate(); err != nil {
			return fmt.Errorf("join.%w", err)
		}
	}
	if sl.Lettering != nil {
		if err := sl.Lettering.Validate(); err != nil {
			return fmt.Errorf("lettering.%w", err)
		}
	}
	if sl.CaptionStyle != nil {
		if err := sl.CaptionStyle.Validate(); err != nil {
			return fmt.Errorf("caption_style.%w", err)
		}
	}
	if sl.Card != nil {
		if err := design.InFrame(sl.Card.At); err != nil {
			return fmt.Errorf("card.%w", err)
		}
	}
	return nil
}

func between(v, lo, hi float64) bool { return v >= lo && v <= hi }
