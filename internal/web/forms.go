package web

import (
	"fmt"
	"net/http"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/raster"
	"nelko/internal/core/transition"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Forms give shares as per cent, colours as #rrggbb, and places as per cent of
// the frame or picture.

func readPercent(r *http.Request, field, name string) (float64, error) {
	v, err := readNumber(r, field, name)
	return v / 100, err
}

// share is a field of a form and the share it sets.
type share struct {
	field string
	to    *float64
}

// readShares reads several fields given as per cent. What they belong to is
// named in errors; without a name each field has its own.
func readShares(r *http.Request, prefix, name string, shares ...share) error {
	for _, s := range shares {
		called := name
		if called == "" {
			called = strings.ToUpper(s.field[:1]) + s.field[1:]
		}
		v, err := readPercent(r, prefix+s.field, called)
		if err != nil {
			return err
		}
		*s.to = v
	}
	return nil
}

func readColour(r *http.Request, field, name string) (raster.RGB, error) {
	c, err := raster.ParseRGB(r.PostFormValue(field))
	if err != nil {
		return c, &invalid.Input{Field: field, Problem: fmt.Sprintf("%s: %q is not a colour like #1f6f78.", name, r.PostFormValue(field))}
	}
	return c, nil
}

// readPoint reads a place of two fields; nil if both are empty.
func readPoint(r *http.Request, prefix, name string) (*framing.Point, error) {
	if strings.TrimSpace(r.PostFormValue(prefix+"-x")+r.PostFormValue(prefix+"-y")) == "" {
		return nil, nil
	}
	var p framing.Point
	if err := readShares(r, prefix+"-", name, share{"x", &p.X}, share{"y", &p.Y}); err != nil {
		return nil, err
	}
	return &p, nil
}

// readRect reads a rectangle of four fields.
func readRect(r *http.Request, prefix, name string) (framing.Rect, error) {
	var c framing.Rect
	err := readShares(r, prefix+"-", name, share{"x", &c.X}, share{"y", &c.Y}, share{"w", &c.W}, share{"h", &c.H})
	return c, err
}

// told makes what a document refuses something to tell the operator.
func told(field, name string, err error) error {
	if err == nil {
		return nil
	}
	return &invalid.Input{Field: field, Problem: name + ": " + err.Error() + "."}
}

func readMotion(r *http.Request) (*design.Motion, error) {
	kind := design.MotionKind(r.PostFormValue("motion"))
	if kind == "" {
		return nil, nil
	}
	m := design.Motion{Kind: kind, Ease: readEase(r, "motion-ease")}
	if kind != design.Still {
		var err error
		if m.Zoom, err = readPercent(r, "zoom", "Zoom"); err != nil {
			return nil, err
		}
	}
	return &m, told("motion", "Motion", m.Validate())
}

// readEase reads an easing; InOut if none was chosen.
func readEase(r *http.Request, field string) framing.Ease {
	if e := framing.Ease(r.PostFormValue(field)); e != "" {
		return e
	}
	return framing.InOut
}

// readFraming reads a motion from one framing to another.
func readFraming(r *http.Request) (edit.Op, error) {
	f := edit.Framing{Slides: []doc.SlideID{doc.SlideID(r.PostFormValue("framed"))}, Ease: readEase(r, "framing-ease")}
	var err error
	if f.From, err = readRect(r, "begins", "Begins with"); err != nil {
		return nil, err
	}
	if f.To, err = readRect(r, "ends", "Ends with"); err != nil {
		return nil, err
	}
	return f, nil
}

// backdrops are the ones a slide can be given by hand.
var backdrops = []struct {
	ID, Name string
	Backdrop design.Backdrop
}{
	{"soft", "Soft copy of the picture", design.Backdrop{Kind: design.Soft, Colour: raster.RGB{R: 16, G: 20, B: 24}, Tone: 0.35, Blur: 0.035}},
	{"dusk", "Dusk, a gradient", design.Backdrop{Kind: design.Gradient, Colour: raster.RGB{R: 58, G: 74, B: 92}, Second: raster.RGB{R: 20, G: 22, B: 28}, Degrees: 90}},
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
	return nil, &invalid.Input{Field: "backdrop", Problem: fmt.Sprintf("There is no backdrop %q.", id)}
}

// readBackdropDetail reads a backdrop with all it has.
func readBackdropDetail(r *http.Request) (*design.Backdrop, error) {
	preset, err := readBackdrop(r.PostFormValue("back-base"))
	if err != nil {
		return nil, err
	}
	if preset == nil {
		return nil, &invalid.Input{Field: "backdrop", Problem: "Choose a backdrop first."}
	}
	b := *preset
	b.Moves = r.PostFormValue("back-moves") != ""
	if b.Colour, err = readColour(r, "back-colour", "Colour of the backdrop"); err != nil {
		return nil, err
	}
	switch b.Kind {
	case design.Texture:
		b.Contrast, err = readPercent(r, "back-contrast", "Contrast")
	case design.Soft:
		b.Tone, err = readPercent(r, "back-tone", "Tone")
	case design.Gradient:
		if b.Second, err = readColour(r, "back-second", "Second colour"); err == nil {
			b.Degrees, err = readNumber(r, "back-degrees", "Direction")
		}
	}
	if err != nil {
		return nil, err
	}
	return &b, told("backdrop", "Backdrop", b.Validate())
}

// readJoin reads a transition; nil leaves it to the theme.
func readJoin(r *http.Request) (*transition.Transition, error) {
	kind := transition.Kind(r.PostFormValue("join"))
	if kind == "" {
		return nil, nil
	}
	t := transition.Transition{Kind: kind, Direction: transition.Direction(r.PostFormValue("direction")), Ease: readEase(r, "join-ease")}
	var err error
	if kind != "cut" {
		if t.Seconds, err = readNumber(r, "join-seconds", "Length of the transition"); err != nil {
			return nil, err
		}
	}
	if kind.Softens() && r.PostFormValue("join-soft") != "" {
		if t.Soft, err = readPercent(r, "join-soft", "Soft edges"); err != nil {
			return nil, err
		}
	}
	if kind.Coloured() && r.PostFormValue("join-colour") != "" {
		if t.Colour, err = readColour(r, "join-colour", "Colour of the transition"); err != nil {
			return nil, err
		}
	}
	return &t, told("join", "Transition", t.Validate())
}

func namedLook(id string) (*look.Look, error) {
	l, ok := look.ByID(id)
	if !ok {
		return nil, &invalid.Input{Field: "look", Problem: fmt.Sprintf("There is no look %q.", id)}
	}
	return &l, nil
}

// readTone reads a look by its settings.
func readTone(r *http.Request) (*look.Look, error) {
	l := look.Look{Improve: r.PostFormValue("tone-improve") != ""}
	err := readShares(r, "tone-", "", share{"light", &l.Light}, share{"contrast", &l.Contrast}, share{"temperature", &l.Temperature}, share{"saturation", &l.Saturation},
		share{"tint", &l.Tint}, share{"fade", &l.Fade}, share{"sharpen", &l.Sharpen}, share{"vignette", &l.Vignette}, share{"grain", &l.Grain})
	if err != nil {
		return nil, err
	}
	return &l, told("look", "Look", l.Validate())
}

func readCaptionStyle(r *http.Request) (*design.Caption, error) {
	f := r.PostFormValue
	c := design.Caption{Anchor: f("cap-anchor"), Enter: design.Effect(f("cap-enter"))}
	c.Font = f("cap-font")
	err := readShares(r, "cap-", "", share{"size", &c.Size}, share{"width", &c.Width}, share{"outline", &c.Outline}, share{"shadow", &c.Shadow}, share{"plate", &c.Plate})
	if err != nil {
		return nil, err
	}
	for field, to := range map[string]*raster.RGB{"cap-colour": &c.Colour, "cap-outline-colour": &c.OutlineRGB, "cap-plate-colour": &c.PlateColour} {
		if *to, err = readColour(r, field, "Colour of the captions"); err != nil {
			return nil, err
		}
	}
	if c.At, err = readPoint(r, "cap", "Place of the captions"); err != nil {
		return nil, err
	}
	return &c, told("caption", "Caption style", c.Validate())
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
			return nil, &invalid.Input{Field: "focal", Problem: "The focal point must be two numbers from 0 to 1."}
		}
		s.Called, s.Focal = "Set the focal point", &framing.Point{X: x, Y: y}
	case "look":
		l, err := namedLook(f("look"))
		if err != nil {
			return nil, err
		}
		s.Called, s.Look = "Changed the look", l
	case "tone":
		l, err := readTone(r)
		if err != nil {
			return nil, err
		}
		s.Called, s.Look = "Changed light and colour", l
	case "crop":
		c, err := readRect(r, "crop", "Crop")
		if err != nil {
			return nil, err
		}
		s.Called, s.Crop = "Cropped", &c
	case "uncrop":
		s.Called, s.Crop = "Took off the crop", &framing.Rect{}
	case "scale":
		v, err := readPercent(r, "scale", "Size in its place")
		if err != nil {
			return nil, err
		}
		s.Called, s.Scale = "Changed the size", &v
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
