package edit

import (
	"slices"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/texture"
	"nelko/internal/core/transition"
)

// Manner is a way of showing pictures that many films are made in, as one
// choice instead of five. Its figures are common practice, without a source.
type Manner string

// Usual: a still for five seconds with a join of one, so a new picture every
// four. Lively: a new picture every three. Quick: every picture for about a
// second, with joins of a quarter. Prints: pictures at 80 % over a paper, with a
// shadow. Calm: nothing moves, which makes a small file.
const (
	Usual  Manner = "usual"
	Lively Manner = "lively"
	Quick  Manner = "quick"
	Prints Manner = "prints"
	Calm   Manner = "calm"
)

// Manners are all of them.
var Manners = []Manner{Usual, Lively, Quick, Prints, Calm}

// Pace is how often a new picture comes, and how long joins last, in seconds.
type Pace struct{ Every, Join float64 }

// Paces are those of the manners that are a pace.
var Paces = map[Manner]Pace{Usual: {4, 1}, Lively: {3, 0.6}, Quick: {1, 0.25}}

// InManner shows slides in a manner; none named: all pictures of the film.
// Usual, Lively and Quick are for the whole film, since they are a pace.
type InManner struct {
	Manner Manner
	Slides []doc.SlideID
}

// Title implements Op.
func (m InManner) Title() string {
	return map[Manner]string{
		Usual:  "Set the usual pace",
		Lively: "Set a lively pace",
		Quick:  "Made it a quick look",
		Prints: "Showed pictures as prints",
		Calm:   "Let nothing move",
	}[m.Manner]
}

// Apply implements Op.
func (m InManner) Apply(d doc.Slideshow, with Context) (doc.Slideshow, error) {
	slides := m.Slides
	if err := on(&d, slides, func(*doc.Slide) error { return nil }); err != nil {
		return d, err // what was meant for them is not meant for the film
	}
	if len(slides) == 0 {
		for _, s := range d.Slides {
			if s.Kind == doc.Pictures {
				slides = append(slides, s.ID)
			}
		}
	}
	if p, is := Paces[m.Manner]; is {
		return atPace(d, p)
	}
	switch m.Manner {
	case Calm:
		return d, on(&d, slides, func(s *doc.Slide) error {
			s.Motion = &design.Motion{Kind: design.Still}
			return nil
		})
	case Prints:
		return prints(d, slides, with)
	}
	return d, ErrInvalid
}

// atPace shows the whole film at a pace.
func atPace(d doc.Slideshow, p Pace) (doc.Slideshow, error) {
	j := transition.Transition{Kind: "dissolve"}
	if d.Join != nil {
		j = *d.Join
	}
	j.Seconds = p.Join
	d.Join = &j
	d.Slides = slices.Clone(d.Slides)
	for i := range d.Slides {
		if own := d.Slides[i].Join; own != nil {
			own := *own
			own.Seconds = p.Join
			d.Slides[i].Join = &own
		}
	}
	d.Fit.Mode, d.Fit.PaceSeconds, d.Fit.Auto = doc.AtPace, p.Every, false
	return d, nil
}

// printsOn is what prints lie on where the slide has no texture of its own.
var printsOn = design.Backdrop{
	Kind:     design.Texture,
	Texture:  texture.Linen,
	Colour:   raster.RGB{R: 222, G: 212, B: 195},
	Contrast: 0.5,
}

// printScale is how large prints are in their places.
const printScale = 0.8

func prints(d doc.Slideshow, slides []doc.SlideID, with Context) (doc.Slideshow, error) {
	scale, whole := printScale, design.Whole
	var media []doc.MediaID
	err := on(&d, slides, func(s *doc.Slide) error {
		if back := s.Backdrop; back == nil || back.Kind != design.Texture {
			paper := printsOn
			s.Backdrop = &paper
		}
		for _, id := range s.Media {
			if with.Library[id].Kind == doc.PhotoMedia && !slices.Contains(media, id) {
				media = append(media, id)
			}
		}
		return nil
	})
	if err != nil || len(media) == 0 {
		return d, err
	}
	return Shots{Media: media, Scale: &scale, Fit: &whole}.Apply(d, with)
}
