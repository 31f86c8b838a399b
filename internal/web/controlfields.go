package web

import (
	"fmt"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/raster"
	"nelko/internal/core/transition"
	"nelko/internal/invalid"
)

// told makes what a document refuses something to tell the operator.
func told(field, name string, err error) error {
	if err == nil {
		return nil
	}
	return &invalid.Input{Field: field, Problem: name + ": " + err.Error() + "."}
}

// motionFields are how pictures move; without a kind the theme rules.
type motionFields struct {
	Kind design.MotionKind `form:"motion"`
	Zoom *share            `form:"zoom"`
	Ease ease              `form:"motion-ease"`
}

func (f motionFields) motion() (*design.Motion, error) {
	if f.Kind == "" {
		return nil, nil
	}
	m := design.Motion{Kind: f.Kind, Ease: f.Ease.or()}
	if f.Kind != design.Still {
		var err error
		if m.Zoom, err = need(f.Zoom, "zoom", "Zoom"); err != nil {
			return nil, err
		}
	}
	return &m, told("motion", "Motion", m.Validate())
}

// joinFields are a transition; without a kind the theme rules.
type joinFields struct {
	Kind      transition.Kind      `form:"join"`
	Direction transition.Direction `form:"direction"`
	Ease      ease                 `form:"join-ease"`
	Seconds   *amount              `form:"join-seconds" label:"Length of the transition"`
	Soft      *share               `form:"join-soft" label:"Soft edges"`
	Colour    *raster.RGB          `form:"join-colour" label:"Colour of the transition"`
}

func (f joinFields) join() (*transition.Transition, error) {
	if f.Kind == "" {
		return nil, nil
	}
	t := transition.Transition{Kind: f.Kind, Direction: f.Direction, Ease: f.Ease.or()}
	if f.Kind != "cut" {
		var err error
		if t.Seconds, err = need(f.Seconds, "join-seconds", "Length of the transition"); err != nil {
			return nil, err
		}
	}
	if f.Kind.Softens() && f.Soft != nil {
		t.Soft = float64(*f.Soft)
	}
	if f.Kind.Coloured() && f.Colour != nil {
		t.Colour = *f.Colour
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

// toneFields are a look by its settings.
type toneFields struct {
	Improve     bool  `form:"tone-improve"`
	Light       share `form:"tone-light" label:"Light"`
	Contrast    share `form:"tone-contrast" label:"Contrast"`
	Temperature share `form:"tone-temperature" label:"Temperature"`
	Saturation  share `form:"tone-saturation" label:"Saturation"`
	Tint        share `form:"tone-tint" label:"Brown print"`
	Fade        share `form:"tone-fade" label:"Faded"`
	Sharpen     share `form:"tone-sharpen" label:"Sharpness"`
	Vignette    share `form:"tone-vignette" label:"Dark corners"`
	Grain       share `form:"tone-grain" label:"Grain"`
}

func (f toneFields) look() (*look.Look, error) {
	l := look.Look{Improve: f.Improve, Light: float64(f.Light), Contrast: float64(f.Contrast), Temperature: float64(f.Temperature), Saturation: float64(f.Saturation),
		Tint: float64(f.Tint), Fade: float64(f.Fade), Sharpen: float64(f.Sharpen), Vignette: float64(f.Vignette), Grain: float64(f.Grain)}
	return &l, told("look", "Look", l.Validate())
}

// styleFields are how captions are set.
type styleFields struct {
	Font          string        `form:"cap-font"`
	Anchor        string        `form:"cap-anchor"`
	Enter         design.Effect `form:"cap-enter"`
	Size          share         `form:"cap-size" label:"Size"`
	Width         share         `form:"cap-width" label:"Width"`
	Outline       share         `form:"cap-outline" label:"Outline"`
	Shadow        share         `form:"cap-shadow" label:"Shadow"`
	Plate         share         `form:"cap-plate" label:"Plate"`
	Colour        raster.RGB    `form:"cap-colour" label:"Colour of the captions"`
	OutlineColour raster.RGB    `form:"cap-outline-colour" label:"Colour of the outline"`
	PlateColour   raster.RGB    `form:"cap-plate-colour" label:"Colour of the plate"`
	At            maybe         `form:"cap" label:"Place of the captions"`
}

func (f styleFields) style() (*design.Caption, error) {
	at, err := f.At.point("cap", "Place of the captions")
	if err != nil {
		return nil, err
	}
	c := design.Caption{Anchor: f.Anchor, Enter: f.Enter, Width: float64(f.Width), At: at}
	c.Plate, c.PlateColour = float64(f.Plate), f.PlateColour
	c.Font, c.Size, c.Outline, c.Shadow, c.Colour, c.OutlineRGB = f.Font, float64(f.Size), float64(f.Outline), float64(f.Shadow), f.Colour, f.OutlineColour
	return &c, told("caption", "Caption style", c.Validate())
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

func namedBackdrop(id string) (*design.Backdrop, error) {
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

// backdropFields are a backdrop with all it has.
type backdropFields struct {
	Base     string      `form:"back-base"`
	Moves    bool        `form:"back-moves"`
	Colour   *raster.RGB `form:"back-colour" label:"Colour of the backdrop"`
	Second   *raster.RGB `form:"back-second" label:"Second colour"`
	Contrast *share      `form:"back-contrast" label:"Contrast"`
	Tone     *share      `form:"back-tone" label:"Tone"`
	Degrees  *amount     `form:"back-degrees" label:"Direction"`
}

func (f backdropFields) backdrop() (*design.Backdrop, error) {
	preset, err := namedBackdrop(f.Base)
	if err != nil {
		return nil, err
	}
	if preset == nil {
		return nil, &invalid.Input{Field: "backdrop", Problem: "Choose a backdrop first."}
	}
	if f.Colour == nil {
		return nil, &invalid.Input{Field: "back-colour", Problem: "Choose the colour of the backdrop."}
	}
	b := *preset
	b.Moves, b.Colour = f.Moves, *f.Colour
	switch b.Kind {
	case design.Texture:
		b.Contrast, err = need(f.Contrast, "back-contrast", "Contrast")
	case design.Soft:
		b.Tone, err = need(f.Tone, "back-tone", "Tone")
	case design.Gradient:
		if f.Second == nil {
			return nil, &invalid.Input{Field: "back-second", Problem: "Choose the second colour."}
		}
		b.Second = *f.Second
		b.Degrees, err = need(f.Degrees, "back-degrees", "Direction")
	}
	if err != nil {
		return nil, err
	}
	return &b, told("backdrop", "Backdrop", b.Validate())
}

// layOver lays a piece of decor over slides, to be set afterwards.
func layOver(slides []doc.SlideID, d design.Decor) (edit.Op, error) {
	if len(slides) == 0 {
		return nil, &invalid.Input{Field: "slide", Problem: "Choose the slides the decor is to lie over."}
	}
	if err := d.Validate(); err != nil {
		return nil, told("decor", "Decor", err)
	}
	return edit.Decorate{Index: -1, Laid: &doc.Laid{From: slides[0], To: slides[len(slides)-1], Decor: d}, Snap: true}, nil
}

// decorFields are a piece of decor with all it has. The rows of its path come
// as lists.
type decorFields struct {
	Index     amount           `form:"index" label:"Decor"`
	First     doc.SlideID      `form:"first"`
	Last      doc.SlideID      `form:"last"`
	Kind      design.DecorKind `form:"decor-kind"`
	Media     string           `form:"decor-media"`
	Particles design.Particles `form:"decor-particles"`
	Ease      framing.Ease     `form:"decor-ease"`
	Size      share            `form:"decor-size" label:"Size"`
	Opacity   share            `form:"decor-opacity" label:"Opacity"`
	FadeIn    amount           `form:"decor-in" label:"Fade"`
	FadeOut   amount           `form:"decor-out" label:"Fade"`
	Density   *share           `form:"decor-density" label:"Density"`
	Colour    *raster.RGB      `form:"decor-colour" label:"Colour of the drift"`
	OwnColour bool             `form:"decor-own-colour"`
	Snap      bool             `form:"snap"`
	At        []string         `form:"p-at"`
	X         []string         `form:"p-x"`
	Y         []string         `form:"p-y"`
	Sizes     []string         `form:"p-size"`
	Turns     []string         `form:"p-turn"`
}

func (f decorFields) op() (edit.Op, error) {
	l := doc.Laid{From: f.First, To: f.Last, Decor: design.Decor{Kind: f.Kind, Media: f.Media, Particles: f.Particles, Ease: f.Ease,
		Size: float64(f.Size), Opacity: float64(f.Opacity), FadeIn: float64(f.FadeIn), FadeOut: float64(f.FadeOut)}}
	var err error
	switch l.Kind {
	case design.Drift:
		if l.Density, err = need(f.Density, "decor-density", "Density"); err != nil {
			return nil, err
		}
		if f.Colour != nil && !f.OwnColour {
			l.Colour = *f.Colour
		}
	case design.Sprite:
		if l.Path, err = f.path(); err != nil {
			return nil, err
		}
	}
	if err := l.Validate(); err != nil {
		return nil, told("decor", "Decor", err)
	}
	return edit.Decorate{Index: max(0, int(f.Index)), Laid: &l, Snap: f.Snap}, nil
}

// path reads the rows of a path; a row without a place is left out.
func (f decorFields) path() ([]design.Waypoint, error) {
	var path []design.Waypoint
	for i := range f.X {
		if strings.TrimSpace(f.X[i]) == "" {
			continue
		}
		var w design.Waypoint
		for _, v := range []struct {
			field         string
			typed         []string
			to            *float64
			otherwise, by float64
		}{{"p-at", f.At, &w.At, 0, 100}, {"p-x", f.X, &w.X, 50, 100}, {"p-y", f.Y, &w.Y, 50, 100}, {"p-size", f.Sizes, &w.Size, 100, 100}, {"p-turn", f.Turns, &w.Degrees, 0, 1}} {
			*v.to = v.otherwise / v.by
			if i >= len(v.typed) || strings.TrimSpace(v.typed[i]) == "" {
				continue
			}
			n, err := parseNumber(v.typed[i])
			if err != nil {
				return nil, &invalid.Input{Field: v.field, Problem: fmt.Sprintf("Path, row %d: %s.", i+1, err)}
			}
			*v.to = n / v.by
		}
		path = append(path, w)
	}
	return path, nil
}
