package web

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/raster"
	"nelko/internal/core/transition"
	"nelko/internal/store"
	"nelko/internal/studio"
	"nelko/themes"
)

// keepTransition keeps the transition of the form under a name.
func (s *Server) keepTransition(w http.ResponseWriter, r *http.Request) {
	t, err := readJoin(r)
	name := strings.TrimSpace(r.PostFormValue("join-name"))
	if err == nil && t == nil {
		err = &studio.Invalid{Field: "join", Problem: "Choose a transition first."}
	}
	if err == nil {
		err = s.Studio.KeepTransition(r.Context(), name, *t)
	}
	var invalid *studio.Invalid
	if err != nil && !errors.As(err, &invalid) {
		s.fail(w, r, err)
		return
	}
	n := notice{"good", fmt.Sprintf("“%s” is kept. It stands under “Our own” in every order.", name)}
	if invalid != nil {
		n = notice{"bad", invalid.Problem}
	}
	s.render(w, r, http.StatusOK, "notice-text", n)
}

// readDesign makes an edit of the film's look of a form.
func readDesign(r *http.Request, op string, slides []doc.SlideID) (edit.Op, error) {
	f := r.PostFormValue
	switch op {
	case "theme":
		t, err := themes.Get(f("theme"))
		if err != nil {
			return nil, &studio.Invalid{Field: "theme", Problem: err.Error()}
		}
		return edit.SetTheme{Theme: t.ID, Name: t.Name}, nil
	case "shape":
		var frame doc.Frame
		if _, err := fmt.Sscanf(f("frame"), "%dx%d", &frame.W, &frame.H); err != nil {
			return nil, &studio.Invalid{Field: "frame", Problem: fmt.Sprintf("The frame %q is not of the form 1920x1080.", f("frame"))}
		}
		return edit.Shape{Frame: frame}, nil
	case "layout":
		return edit.Layout{Slides: slides, Layout: f("layout")}, nil
	case "caption":
		return edit.Caption{Slides: slides, Text: f("caption")}, nil
	case "motion":
		m, err := readMotion(r)
		return edit.Motion{Slides: slides, Motion: m}, err
	case "backdrop":
		b, err := readBackdrop(f("backdrop"))
		return edit.Backdrop{Slides: slides, Backdrop: b}, err
	case "join":
		j, err := readJoin(r)
		return edit.Join{Slides: slides, Join: j}, err
	case "group":
		return edit.Group{Slides: slides}, nil
	case "split":
		return edit.Split{Slides: slides}, nil
	case "sort":
		return edit.Sort{By: f("by"), Seed: rand.Uint64() >> 12}, nil
	case "addcard":
		before := doc.SlideID("")
		if len(slides) > 0 {
			before = slides[0]
		}
		return edit.AddCard{Words: doc.Words{Kind: "title", Main: "Title"}, Before: before}, nil
	case "words":
		if len(slides) != 1 {
			return nil, &studio.Invalid{Field: "slide", Problem: "Choose one text card to change its words."}
		}
		return edit.Words{Slide: slides[0], Words: doc.Words{Kind: f("kind"), Main: f("main"), Smaller: f("smaller"), Text: strings.ReplaceAll(f("text"), "\r\n", "\n")}}, nil
	case "drift":
		return readDrift(r, slides)
	case "undecorate":
		n, err := readNumber(r, "index", "Decor")
		return edit.Decorate{Index: max(0, int(n))}, err
	}
	return readShot(r, op)
}

func readMotion(r *http.Request) (*design.Motion, error) {
	kind := design.MotionKind(r.PostFormValue("motion"))
	if kind == "" {
		return nil, nil
	}
	m := design.Motion{Kind: kind, Ease: framing.InOut}
	if kind != design.Still {
		z, err := readNumber(r, "zoom", "Zoom")
		if err != nil {
			return nil, err
		}
		m.Zoom = z / 100
	}
	if err := m.Validate(); err != nil {
		return nil, &studio.Invalid{Field: "motion", Problem: "Motion: " + err.Error() + "."}
	}
	return &m, nil
}

// backdrops are the ones a slide can be given by hand.
var backdrops = []struct {
	ID, Name string
	Backdrop design.Backdrop
}{
	{"soft", "Soft copy of the picture", design.Backdrop{Kind: design.Soft, Colour: raster.RGB{R: 16, G: 20, B: 24}, Tone: 0.35, Blur: 0.035}},
	{"black", "Black", design.Backdrop{Kind: design.Plain}},
	{"white", "White", design.Backdrop{Kind: design.Plain, Colour: raster.RGB{R: 245, G: 245, B: 243}}},
	{"paper", "Paper", design.Backdrop{Kind: design.Texture, Texture: "paper", Colour: raster.RGB{R: 239, G: 232, B: 216}, Contrast: 0.4}},
	{"linen", "Linen", design.Backdrop{Kind: design.Texture, Texture: "linen", Colour: raster.RGB{R: 222, G: 212, B: 195}, Contrast: 0.5}},
	{"canvas", "Canvas", design.Backdrop{Kind: design.Texture, Texture: "canvas", Colour: raster.RGB{R: 206, G: 188, B: 154}, Contrast: 0.5}},
	{"slate", "Slate", design.Backdrop{Kind: design.Texture, Texture: "slate", Colour: raster.RGB{R: 48, G: 56, B: 60}, Contrast: 0.5}},
	{"wood", "Wood", design.Backdrop{Kind: design.Texture, Texture: "wood", Colour: raster.RGB{R: 126, G: 92, B: 62}, Contrast: 0.6}},
	{"felt", "Felt", design.Backdrop{Kind: design.Texture, Texture: "felt", Colour: raster.RGB{R: 70, G: 92, B: 78}, Contrast: 0.5}},
}

func readBackdrop(id string) (*design.Backdrop, error) {
	if id == "" {
		return nil, nil
	}
	for _, b := range backdrops {
		if b.ID == id {
			back := b.Backdrop
			return &back, nil
		}
	}
	return nil, &studio.Invalid{Field: "backdrop", Problem: fmt.Sprintf("There is no backdrop %q.", id)}
}

func readJoin(r *http.Request) (*transition.Transition, error) {
	kind := transition.Kind(r.PostFormValue("join"))
	if kind == "" {
		return nil, nil
	}
	t := transition.Transition{Kind: kind, Direction: transition.Direction(r.PostFormValue("direction")), Ease: framing.InOut}
	if kind != "cut" {
		var err error
		if t.Seconds, err = readNumber(r, "join-seconds", "Length of the transition"); err != nil {
			return nil, err
		}
	}
	if err := t.Validate(); err != nil {
		return nil, &studio.Invalid{Field: "join", Problem: "Transition: " + err.Error() + "."}
	}
	return &t, nil
}

func readDrift(r *http.Request, slides []doc.SlideID) (edit.Op, error) {
	if len(slides) == 0 {
		return nil, &studio.Invalid{Field: "slide", Problem: "Choose the slides the drift is to fall over."}
	}
	d := design.Decor{Kind: design.Drift, Particles: design.Particles(r.PostFormValue("particles")), Density: 1, Size: 1, Opacity: 0.9, FadeIn: 0.8, FadeOut: 0.8}
	if err := d.Validate(); err != nil {
		return nil, &studio.Invalid{Field: "particles", Problem: "Drift: " + err.Error() + "."}
	}
	return edit.Decorate{Index: -1, Laid: &doc.Laid{From: slides[0], To: slides[len(slides)-1], Decor: d}}, nil
}

// readShot makes an edit of single pictures.
func readShot(r *http.Request, op string) (edit.Op, error) {
	f := r.PostFormValue
	s := edit.Shots{}
	for _, id := range r.PostForm["media"] {
		s.Media = append(s.Media, doc.MediaID(id))
	}
	switch op {
	case "turn":
		s.Called, s.Turn = "Turned", 1
		if f("turn") == "-1" {
			s.Turn = -1
		}
	case "focal":
		x, errX := readNumber(r, "x", "Focal point")
		y, errY := readNumber(r, "y", "Focal point")
		if errX != nil || errY != nil {
			return nil, &studio.Invalid{Field: "focal", Problem: "The focal point must be two numbers from 0 to 1."}
		}
		s.Called, s.Focal = "Set the focal point", &framing.Point{X: x, Y: y}
	case "look":
		l, ok := look.ByID(f("look"))
		if !ok {
			return nil, &studio.Invalid{Field: "look", Problem: fmt.Sprintf("There is no look %q.", f("look"))}
		}
		s.Called, s.Look = "Changed the look", &l
	case "fitin":
		fit := design.Fit(f("fit"))
		s.Called, s.Fit = "Changed the framing", &fit
	case "tilt":
		v, err := readNumber(r, "tilt", "Tilt")
		if err != nil {
			return nil, err
		}
		s.Called, s.Tilt = "Tilted", &v
	case "trim":
		from, err := readNumber(r, "from", "From")
		if err != nil {
			return nil, err
		}
		to, err := readNumber(r, "to", "To")
		if err != nil {
			return nil, err
		}
		s.Called, s.Trim = "Trimmed", &doc.Trim{From: from, To: to}
	case "sound":
		v, err := readNumber(r, "sound", "Sound")
		if err != nil {
			return nil, err
		}
		v /= 100
		s.Called, s.Sound = "Changed the sound", &v
	case "anew":
		s.Called, s.Anew = "Put back as received", true
	default:
		return nil, fmt.Errorf("edit %q: %w", op, store.ErrNotFound)
	}
	return s, nil
}
