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
	"nelko/internal/store"
	"nelko/internal/studio"
)

// Forms give shares as per cent, colours as #rrggbb, and places as per cent of
// the frame or picture.

func readPercent(r *http.Request, field, name string) (float64, error) {
	v, err := readNumber(r, field, name)
	return v / 100, err
}

// percents reads several fields into the values they belong to.
func percents(r *http.Request, prefix string, fields map[string]*float64) error {
	for field, to := range fields {
		v, err := readPercent(r, prefix+field, strings.ToUpper(field[:1])+field[1:])
		if err != nil {
			return err
		}
		*to = v
	}
	return nil
}

func readColour(r *http.Request, field, name string) (raster.RGB, error) {
	c, err := raster.ParseRGB(r.PostFormValue(field))
	if err != nil {
		return c, &studio.Invalid{Field: field, Problem: fmt.Sprintf("%s: %q is not a colour like #1f6f78.", name, r.PostFormValue(field))}
	}
	return c, nil
}

// readPoint reads a place of two fields; nil if both are empty.
func readPoint(r *http.Request, prefix, name string) (*framing.Point, error) {
	if strings.TrimSpace(r.PostFormValue(prefix+"-x")+r.PostFormValue(prefix+"-y")) == "" {
		return nil, nil
	}
	var p framing.Point
	for field, to := range map[string]*float64{"-x": &p.X, "-y": &p.Y} {
		v, err := readPercent(r, prefix+field, name)
		if err != nil {
			return nil, err
		}
		*to = v
	}
	if r.PostFormValue("snap") != "" {
		p = framing.Snap(p, 0, 0, snapWords)
	}
	return &p, nil
}

// snapWords is how near words must be to the middle lines to snap to them, as
// a share of the frame.
const snapWords = 0.02

// readRect reads a rectangle of four fields.
func readRect(r *http.Request, prefix, name string) (framing.Rect, error) {
	var c framing.Rect
	for field, to := range map[string]*float64{"-x": &c.X, "-y": &c.Y, "-w": &c.W, "-h": &c.H} {
		v, err := readPercent(r, prefix+field, name)
		if err != nil {
			return c, err
		}
		*to = v
	}
	return c, nil
}

// told makes what a document refuses something to tell the operator.
func told(field, name string, err error) error {
	if err == nil {
		return nil
	}
	return &studio.Invalid{Field: field, Problem: name + ": " + err.Error() + "."}
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
	return nil, &studio.Invalid{Field: "backdrop", Problem: fmt.Sprintf("There is no backdrop %q.", id)}
}

// readBackdropDetail reads a backdrop with all it has.
func readBackdropDetail(r *http.Request) (*design.Backdrop, error) {
	preset, err := readBackdrop(r.PostFormValue("back-base"))
	if err != nil {
		return nil, err
	}
	if preset == nil {
		return nil, &studio.Invalid{Field: "backdrop", Problem: "Choose a backdrop first."}
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
		return nil, &studio.Invalid{Field: "look", Problem: fmt.Sprintf("There is no look %q.", id)}
	}
	return &l, nil
}

// readTone reads a look by its settings.
func readTone(r *http.Request) (*look.Look, error) {
	l := look.Look{Improve: r.PostFormValue("tone-improve") != ""}
	err := percents(r, "tone-", map[string]*float64{"light": &l.Light, "contrast": &l.Contrast, "temperature": &l.Temperature, "saturation": &l.Saturation,
		"tint": &l.Tint, "fade": &l.Fade, "sharpen": &l.Sharpen, "vignette": &l.Vignette, "grain": &l.Grain})
	if err != nil {
		return nil, err
	}
	return &l, told("look", "Look", l.Validate())
}

func readCaptionStyle(r *http.Request) (*design.Caption, error) {
	f := r.PostFormValue
	c := design.Caption{Anchor: f("cap-anchor"), Enter: design.Effect(f("cap-enter"))}
	c.Font = f("cap-font")
	err := percents(r, "cap-", map[string]*float64{"size": &c.Size, "width": &c.Width, "outline": &c.Outline, "shadow": &c.Shadow, "plate": &c.Plate})
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

// newDecor lays a drift or a picture over the selected slides, to be set
// afterwards.
func newDecor(r *http.Request, op string, slides []doc.SlideID) (edit.Op, error) {
	if len(slides) == 0 {
		return nil, &studio.Invalid{Field: "slide", Problem: "Choose the slides the decor is to lie over."}
	}
	d := design.Decor{Kind: design.Drift, Particles: design.Particles(r.PostFormValue("particles")), Density: 1, Size: 1, Opacity: 0.9, FadeIn: 0.8, FadeOut: 0.8}
	if op == "laypicture" {
		d = design.Decor{Kind: design.Sprite, Media: r.PostFormValue("decor-picture"), Size: 0.2, Opacity: 1, FadeIn: 0.5, FadeOut: 0.5,
			Path: []design.Waypoint{{X: 0.85, Y: 0.8}}, Ease: framing.InOut}
	}
	if err := d.Validate(); err != nil {
		return nil, told("decor", "Decor", err)
	}
	return edit.Decorate{Index: -1, Laid: &doc.Laid{From: slides[0], To: slides[len(slides)-1], Decor: d}, Snap: true}, nil
}

// readDecor reads a piece of decor with all it has.
func readDecor(r *http.Request) (edit.Op, error) {
	f := r.PostFormValue
	index, err := readNumber(r, "index", "Decor")
	if err != nil {
		return nil, err
	}
	l := doc.Laid{From: doc.SlideID(f("first")), To: doc.SlideID(f("last"))}
	l.Kind, l.Media, l.Particles, l.Ease = design.DecorKind(f("decor-kind")), f("decor-media"), design.Particles(f("decor-particles")), framing.Ease(f("decor-ease"))
	fields := map[string]*float64{"size": &l.Size, "opacity": &l.Opacity}
	if l.Kind == design.Drift {
		fields["density"] = &l.Density
		if l.Colour, err = readColour(r, "decor-colour", "Colour of the drift"); err != nil {
			return nil, err
		}
		if f("decor-own-colour") != "" {
			l.Colour = raster.RGB{}
		}
	}
	if err := percents(r, "decor-", fields); err != nil {
		return nil, err
	}
	for field, to := range map[string]*float64{"decor-in": &l.FadeIn, "decor-out": &l.FadeOut} {
		if *to, err = readNumber(r, field, "Fade"); err != nil {
			return nil, err
		}
	}
	if l.Kind == design.Sprite {
		if l.Path, err = readPath(r); err != nil {
			return nil, err
		}
	}
	if err := l.Validate(); err != nil {
		return nil, told("decor", "Decor", err)
	}
	return edit.Decorate{Index: max(0, int(index)), Laid: &l, Snap: f("snap") != ""}, nil
}

// readPath reads the rows of a path; a row without a place is left out.
func readPath(r *http.Request) ([]design.Waypoint, error) {
	var path []design.Waypoint
	rows := r.PostForm["p-x"]
	for i := range rows {
		value := func(field string, otherwise float64) (float64, error) {
			all := r.PostForm[field]
			if i >= len(all) || strings.TrimSpace(all[i]) == "" {
				return otherwise, nil
			}
			return parseNumber(field, "Path, row "+fmt.Sprint(i+1), all[i])
		}
		if strings.TrimSpace(rows[i]) == "" {
			continue
		}
		var w design.Waypoint
		var err error
		for _, v := range []struct {
			field     string
			to        *float64
			otherwise float64
			by        float64
		}{{"p-at", &w.At, 0, 100}, {"p-x", &w.X, 50, 100}, {"p-y", &w.Y, 50, 100}, {"p-size", &w.Size, 100, 100}, {"p-turn", &w.Degrees, 0, 1}} {
			if *v.to, err = value(v.field, v.otherwise); err != nil {
				return nil, err
			}
			*v.to /= v.by
		}
		path = append(path, w)
	}
	return path, nil
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
