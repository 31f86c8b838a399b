package edit

import (
	"fmt"
	"math"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
)

// Song changes one item of the soundtrack; what is nil stays as it is. At is its place
// among the items, Media what is expected there.
type Song struct {
	At    int
	Media doc.MediaID

	Role            *doc.Role
	From, To        *float64 // seconds of the source that are heard; To 0: to its end
	Start           *float64 // seconds into the film; below 0: after the music before it
	Join            *doc.SongJoinKind
	JoinSeconds     *float64
	FadeIn, FadeOut *float64
	Shape           *doc.FadeShape
	LevelDB         *float64
	Points          *[]doc.GainPoint
	Long            *float64 // seconds: a version made so long; 0: as it is
	Hold            *bool    // narration: its slide stays until it ends, and it goes with the slide
}

// Title implements Op.
func (s Song) Title() string {
	switch {
	case s.Role != nil && *s.Role == doc.Narration:
		return "Took a song for narration"
	case s.Role != nil:
		return "Took narration for music"
	case s.Hold != nil && *s.Hold:
		return "Held a slide until the speaking ends"
	case s.Hold != nil:
		return "Let pictures go on under the speaking"
	case s.From != nil || s.To != nil:
		return "Trimmed a song"
	case s.Start != nil:
		return "Moved a song in the film"
	case s.Join != nil || s.JoinSeconds != nil:
		return "Joined a song to the one before"
	case s.FadeIn != nil || s.FadeOut != nil || s.Shape != nil:
		return "Faded a song"
	case s.LevelDB != nil || s.Points != nil:
		return "Set a song’s level"
	case s.Long != nil && *s.Long > 0:
		return "Made a song " + timecode.Clock(*s.Long) + " long"
	case s.Long != nil:
		return "Took a song as it is"
	}
	return "Left a song as it is"
}

// item finds an item of the soundtrack, in a copy.
func item(d *doc.Slideshow, at int, id doc.MediaID) (*doc.Item, error) {
	if at < 0 || at >= len(d.Soundtrack.Items) || d.Soundtrack.Items[at].Media != id {
		return nil, fmt.Errorf("what was heard there: %w", ErrGone)
	}
	d.Soundtrack.Items = slices.Clone(d.Soundtrack.Items)
	return &d.Soundtrack.Items[at], nil
}

// Apply implements Op.
func (s Song) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	it, err := item(&d, s.At, s.Media)
	if err != nil {
		return d, err
	}
	m := with.Library[it.Media]
	set(&it.Role, s.Role)
	if s.Role != nil && *s.Role == doc.Narration && it.At == nil {
		it.At = new(float64)
	}
	if s.From != nil || s.To != nil {
		it.Made = nil
		set(&it.Trim.From, s.From)
		set(&it.Trim.To, s.To)
		if length := float64(m.Length) / timecode.SampleRate; it.Trim.To >= length {
			it.Trim.To = 0
		}
	}
	if s.Hold != nil || s.Start != nil {
		if err := s.place(d, it, with); err != nil {
			return d, err
		}
	}
	if it.Role != doc.Narration {
		it.On, it.Hold = "", false
	}
	if s.Join != nil || s.JoinSeconds != nil {
		j := doc.SongJoin{Kind: doc.Segue, Seconds: 2}
		if it.Join != nil {
			j = *it.Join
		}
		set(&j.Kind, s.Join)
		set(&j.Seconds, s.JoinSeconds)
		it.Join = &j
	}
	set(&it.FadeInSeconds, s.FadeIn)
	set(&it.FadeOutSeconds, s.FadeOut)
	set(&it.Shape, s.Shape)
	set(&it.LevelDB, s.LevelDB)
	if s.Points != nil {
		it.Gain = slices.Clone(*s.Points)
	}
	if s.Long != nil {
		return d, makeLong(it, m, *s.Long)
	}
	return d, nil
}

// place gives an item its place in the film: an own one, or with a slide that waits for
// it.
func (s Song) place(d doc.Slideshow, it *doc.Item, with Context) error {
	unmoor(d, s.At, it, with)
	if s.Start != nil {
		if it.At = nil; *s.Start >= 0 {
			at := *s.Start
			it.At = &at
		}
	}
	hold := it.Hold
	set(&hold, s.Hold)
	it.On, it.Hold = "", false
	if !hold {
		return nil
	}
	if it.Role != doc.Narration || it.At == nil {
		return fmt.Errorf("only narration holds a slide: %w", ErrInvalid)
	}
	p := plan.Build(d, with.Theme, with.Library)
	on := p.SlideAt(*it.At)
	if on < 0 {
		return fmt.Errorf("no slide is seen at %s: %w", timecode.Clock(*it.At), ErrInvalid)
	}
	if sl := p.Slides[on]; sl.Pinned > 0 || sl.Kind == doc.Clip {
		return fmt.Errorf("slide %d has a set length; unpin it first: %w", on+1, ErrInvalid)
	}
	into := max(0, *it.At-p.Rate.Seconds(p.Slides[on].Start))
	it.At, it.On, it.Hold = &into, p.Slides[on].ID, true
	return nil
}

// unmoor gives item i of d, which goes with a slide, the time in the film that it has.
func unmoor(d doc.Slideshow, i int, it *doc.Item, with Context) {
	if it.On == "" {
		return
	}
	at := *plan.Build(d, with.Theme, with.Library).Sound.Items[i].At
	it.At, it.On = &at, ""
}

// unmoorLost gives narration whose slide an edit took away the time that it had.
func unmoorLost(before, after doc.Slideshow, with Context) doc.Slideshow {
	for i, it := range after.Soundtrack.Items {
		if it.On == "" || after.Index(it.On) >= 0 || before.Index(it.On) < 0 {
			continue
		}
		was := slices.IndexFunc(before.Soundtrack.Items, func(b doc.Item) bool {
			return b.Media == it.Media && b.On == it.On
		})
		if was < 0 {
			continue
		}
		after.Soundtrack.Items = slices.Clone(after.Soundtrack.Items)
		lost := &after.Soundtrack.Items[i]
		unmoor(before, was, lost, with)
		lost.Hold = false
	}
	return after
}

// makeLong makes an item a version of its song so many seconds long, or the song as it
// is for 0.
func makeLong(it *doc.Item, m doc.Media, seconds float64) error {
	it.Made, it.Trim = nil, doc.Trim{}
	if seconds == 0 {
		return nil
	}
	length := float64(m.Length) / timecode.SampleRate
	made, ok := m.Version(0, length, math.Round(seconds*1000)/1000)
	if !ok {
		return fmt.Errorf("%s has %s, and no place where it could go on unheard: %w", m.Name,
			timecode.Clock(length), ErrInvalid)
	}
	it.Made = made.Stretches
	return nil
}

// DropItem takes one item out of the soundtrack.
type DropItem struct {
	At    int
	Media doc.MediaID
}

// Title implements Op.
func (DropItem) Title() string { return "Took sound out" }

// Apply implements Op.
func (x DropItem) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	if _, err := item(&d, x.At, x.Media); err != nil {
		return d, err
	}
	d.Soundtrack.Items = slices.Delete(d.Soundtrack.Items, x.At, x.At+1)
	if !d.Soundtrack.Plays(x.Media) {
		d.LeftOut = append(without(d.LeftOut, x.Media), x.Media)
	}
	return d, nil
}

// Sound changes how the whole soundtrack begins, ends and sounds; what is nil stays.
type Sound struct {
	FadeIn, FadeOut *float64
	LUFS            *float64 // 0: left as it is
	DuckDB          *float64
	Attack, Release *float64
	Ahead           *float64
}

// Title implements Op.
func (s Sound) Title() string {
	switch {
	case s.LUFS != nil && *s.LUFS == 0:
		return "Left the loudness as it is"
	case s.LUFS != nil:
		return fmt.Sprintf("Set the loudness to %g LUFS", *s.LUFS)
	case s.FadeIn != nil || s.FadeOut != nil:
		return "Set how the music begins and ends"
	}
	return "Set how music gives way to narration"
}

// Apply implements Op.
func (s Sound) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	set(&d.Soundtrack.FadeInSeconds, s.FadeIn)
	set(&d.Soundtrack.FadeOutSeconds, s.FadeOut)
	set(&d.Soundtrack.LUFS, s.LUFS)
	if s.DuckDB != nil || s.Attack != nil || s.Release != nil || s.Ahead != nil {
		duck := d.Soundtrack.Ducked()
		set(&duck.DB, s.DuckDB)
		set(&duck.Attack, s.Attack)
		set(&duck.Release, s.Release)
		set(&duck.Ahead, s.Ahead)
		d.Soundtrack.Duck = &duck
	}
	return d, nil
}

// NewSong says that the next song begins with a slide, where songs have their own
// pictures.
type NewSong struct {
	Slide  doc.SlideID
	Begins bool
}

// Title implements Op.
func (n NewSong) Title() string {
	if n.Begins {
		return "Let the next song begin with a slide"
	}
	return "Let no song begin with a slide"
}

// Apply implements Op.
func (n NewSong) Apply(d doc.Slideshow, _ Context) (doc.Slideshow, error) {
	i := d.Index(n.Slide)
	if i < 0 {
		return d, fmt.Errorf("slide %s: %w", n.Slide, ErrGone)
	}
	d.Slides = slices.Clone(d.Slides)
	d.Slides[i].NewSong = n.Begins
	if n.Begins {
		d.Fit.OwnPictures = true
	}
	return d, nil
}
