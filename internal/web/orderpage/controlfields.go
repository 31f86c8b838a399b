package orderpage

import (
	"fmt"
	"slices"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/raster"
	"nelko/internal/core/transition"
	"nelko/internal/invalid"
	"nelko/internal/web/field"
)

// told makes what a document refuses something to tell the operator.
func told(field, name string, err error) error {
	if err == nil {
		return nil
	}
	return &invalid.Input{Field: field, Problem: name + ": " + err.Error() + "."}
}

// motionFields are how pictures move: what of it is changed. An empty kind
// gives it back to the theme.
type motionFields struct {
	Kind *design.MotionKind `form:"motion"`
	Zoom *field.Share       `form:"zoom"`
	Ease *framing.Ease      `form:"motion-ease"`
}

func (f motionFields) op(slides []doc.SlideID) edit.Op {
	if f.Kind != nil && *f.Kind == "" {
		return edit.Motion{Slides: slides}
	}
	return edit.MotionPart{Slides: slides, Change: func(m *design.Motion) {
		set(&m.Kind, f.Kind)
		set(&m.Ease, f.Ease)
		set(&m.Zoom, (*float64)(f.Zoom))
	}}
}

// set writes what a form has.
func set[T any](to *T, typed *T) {
	if typed != nil {
		*to = *typed
	}
}

// joinFields are a transition: what of it is changed. An empty kind gives it
// back to the theme.
type joinFields struct {
	Kind      *transition.Kind      `form:"join"`
	Direction *transition.Direction `form:"direction"`
	Ease      *framing.Ease         `form:"join-ease"`
	Seconds   *field.Amount         `form:"join-seconds" label:"Length of the transition"`
	Soft      *field.Share          `form:"join-soft" label:"Soft edges"`
	Colour    *raster.RGB           `form:"join-colour" label:"Colour of the transition"`
	Shutter   *field.Amount         `form:"join-shutter" label:"Motion blur"`
}

// whole reports that no transition is chosen.
func (f joinFields) whole() bool { return f.Kind == nil || *f.Kind == "" }

func (f joinFields) change(t *transition.Transition) {
	set(&t.Kind, f.Kind)
	set(&t.Direction, f.Direction)
	set(&t.Ease, f.Ease)
	set(&t.Seconds, (*float64)(f.Seconds))
	set(&t.Shutter, (*float64)(f.Shutter))
	if t.Kind == "cut" {
		t.Seconds = 0
	}
	if t.Kind.Softens() {
		set(&t.Soft, (*float64)(f.Soft))
	}
	if t.Kind.Coloured() {
		set(&t.Colour, f.Colour)
	}
}

func (f joinFields) op(slides []doc.SlideID) edit.Op {
	if f.Kind != nil && *f.Kind == "" {
		return edit.Join{Slides: slides}
	}
	return edit.JoinPart{Slides: slides, All: f.Kind != nil, Change: f.change}
}

func namedLook(id string) (*look.Look, error) {
	l, ok := look.ByID(id)
	if !ok {
		return nil, &invalid.Input{Field: "look", Problem: fmt.Sprintf("There is no look %q.", id)}
	}
	return &l, nil
}

// toneFields are a look by its settings: those that are changed.
type toneFields struct {
	Improve     *bool        `form:"tone-improve"`
	Light       *field.Share `form:"tone-light" label:"Light"`
	Contrast    *field.Share `form:"tone-contrast" label:"Contrast"`
	Temperature *field.Share `form:"tone-temperature" label:"Temperature"`
	Saturation  *field.Share `form:"tone-saturation" label:"Saturation"`
	Tint        *field.Share `form:"tone-tint" label:"Brown print"`
	Fade        *field.Share `form:"tone-fade" label:"Faded"`
	Sharpen     *field.Share `form:"tone-sharpen" label:"Sharpness"`
	Vignette    *field.Share `form:"tone-vignette" label:"Dark corners"`
	Grain       *field.Share `form:"tone-grain" label:"Grain"`
}

func (f toneFields) op(media []doc.MediaID) edit.Op {
	return edit.LookPart{Media: media, Change: func(l *look.Look) {
		set(&l.Improve, f.Improve)
		for _, v := range []struct {
			to    *float64
			typed *field.Share
		}{{&l.Light, f.Light}, {&l.Contrast, f.Contrast}, {&l.Temperature, f.Temperature},
			{&l.Saturation, f.Saturation}, {&l.Tint, f.Tint},
			{&l.Fade, f.Fade}, {&l.Sharpen, f.Sharpen}, {&l.Vignette, f.Vignette}, {&l.Grain, f.Grain}} {
			set(v.to, (*float64)(v.typed))
		}
	}}
}

// styleFields are how captions are set: what of it is changed.
type styleFields struct {
	Named         string         `form:"cap-style"` // one of design.CaptionStyles
	Font          *string        `form:"cap-font"`
	Anchor        *string        `form:"cap-anchor"`
	Enter         *design.Effect `form:"cap-enter"`
	Size          *field.Share   `form:"cap-size" label:"Size"`
	Width         *field.Share   `form:"cap-width" label:"Width"`
	Outline       *field.Share   `form:"cap-outline" label:"Outline"`
	Shadow        *field.Share   `form:"cap-shadow" label:"Shadow"`
	Plate         *field.Share   `form:"cap-plate" label:"Plate"`
	Colour        *raster.RGB    `form:"cap-colour" label:"Colour of the captions"`
	OutlineColour *raster.RGB    `form:"cap-outline-colour" label:"Colour of the outline"`
	PlateColour   *raster.RGB    `form:"cap-plate-colour" label:"Colour of the plate"`
	At            field.Maybe    `form:"cap" label:"Place of the captions"`
}

// op changes the style of captions. placed says that the place was in the form,
// so that an empty one gives it back to the anchor.
func (f styleFields) op(slides []doc.SlideID, placed, snap bool) (edit.Op, error) {
	at, err := f.At.Point("cap", "Place of the captions")
	if err != nil {
		return nil, err
	}
	var named design.CaptionStyle
	if f.Named != "" {
		i := slices.IndexFunc(design.CaptionStyles, func(c design.CaptionStyle) bool {
			return c.ID == f.Named
		})
		if i < 0 {
			return nil, &invalid.Input{
				Field:   "cap-style",
				Problem: fmt.Sprintf("There is no caption style %q.", f.Named),
			}
		}
		named = design.CaptionStyles[i]
	}
	return edit.CaptionPart{Slides: slides, Snap: snap, Change: func(c *design.Caption) {
		if named.Change != nil {
			named.Change(c)
		}
		set(&c.Font, f.Font)
		set(&c.Anchor, f.Anchor)
		set(&c.Enter, f.Enter)
		set(&c.Size, (*float64)(f.Size))
		set(&c.Width, (*float64)(f.Width))
		set(&c.Outline, (*float64)(f.Outline))
		set(&c.Shadow, (*float64)(f.Shadow))
		set(&c.Plate, (*float64)(f.Plate))
		set(&c.Colour, f.Colour)
		set(&c.OutlineRGB, f.OutlineColour)
		set(&c.PlateColour, f.PlateColour)
		if placed {
			c.At = at
		}
	}}, nil
}

// backdrops are the ones a slide can be given by hand.
var backdrops = []struct {
	ID, Name string
	Backdrop design.Backdrop
}{
	{"soft", "Soft copy of the picture", design.Backdrop{
		Kind:   design.Soft,
		Colour: raster.RGB{R: 16, G: 20, B: 24},
		Tone:   0.35,
		Blur:   0.035,
	}},
	{"photo", "The picture itself, toned", design.Backdrop{
		Kind:   design.Photo,
		Colour: raster.RGB{R: 16, G: 20, B: 24},
		Tone:   0.45,
		Moves:  true,
	}},
	{"dusk", "Dusk, a gradient", design.Backdrop{
		Kind:    design.Gradient,
		Colour:  raster.RGB{R: 58, G: 74, B: 92},
		Second:  raster.RGB{R: 20, G: 22, B: 28},
		Degrees: 90,
	}},
	{"black", "Black", design.Backdrop{Kind: design.Plain}},
	{"white", "White", design.Backdrop{Kind: design.Plain, Colour: raster.RGB{R: 245, G: 245, B: 243}}},
	{"paper", "Paper", design.Backdrop{
		Kind:     design.Texture,
		Texture:  "paper",
		Colour:   raster.RGB{R: 239, G: 232, B: 216},
		Contrast: 0.4,
	}},
	{"linen", "Linen", design.Backdrop{
		Kind:     design.Texture,
		Texture:  "linen",
		Colour:   raster.RGB{R: 222, G: 212, B: 195},
		Contrast: 0.5,
	}},
	{"canvas", "Canvas", design.Backdrop{
		Kind:     design.Texture,
		Texture:  "canvas",
		Colour:   raster.RGB{R: 206, G: 188, B: 154},
		Contrast: 0.5,
	}},
	{"slate", "Slate", design.Backdrop{
		Kind:     design.Texture,
		Texture:  "slate",
		Colour:   raster.RGB{R: 48, G: 56, B: 60},
		Contrast: 0.5,
	}},
	{"wood", "Wood", design.Backdrop{
		Kind:     design.Texture,
		Texture:  "wood",
		Colour:   raster.RGB{R: 126, G: 92, B: 62},
		Contrast: 0.6,
	}},
	{"felt", "Felt", design.Backdrop{
		Kind:     design.Texture,
		Texture:  "felt",
		Colour:   raster.RGB{R: 70, G: 92, B: 78},
		Contrast: 0.5,
	}},
}

// themePicture begins the names of backdrops that are pictures of the theme.
const themePicture = "theme:"

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
	if file, ok := strings.CutPrefix(id, themePicture); ok && file != "" {
		return &design.Backdrop{
			Kind:   design.Image,
			Asset:  file,
			Colour: raster.RGB{R: 16, G: 20, B: 24},
			Tone:   0.2,
		}, nil
	}
	return nil, &invalid.Input{Field: "backdrop", Problem: fmt.Sprintf("There is no backdrop %q.", id)}
}

// backdropFields are parts of a backdrop.
type backdropFields struct {
	Moves    *bool         `form:"back-moves"`
	Colour   *raster.RGB   `form:"back-colour" label:"Colour of the backdrop"`
	Second   *raster.RGB   `form:"back-second" label:"Second colour"`
	Contrast *field.Share  `form:"back-contrast" label:"Contrast"`
	Tone     *field.Share  `form:"back-tone" label:"Tone"`
	Degrees  *field.Amount `form:"back-degrees" label:"Direction"`
}

func (f backdropFields) op(slides []doc.SlideID) edit.Op {
	return edit.BackdropPart{Slides: slides, Change: func(b *design.Backdrop) {
		set(&b.Moves, f.Moves)
		set(&b.Colour, f.Colour)
		switch b.Kind {
		case design.Texture:
			set(&b.Contrast, (*float64)(f.Contrast))
		case design.Soft, design.Photo, design.Image:
			set(&b.Tone, (*float64)(f.Tone))
		case design.Gradient:
			set(&b.Second, f.Second)
			set(&b.Degrees, (*float64)(f.Degrees))
		}
	}}
}

// layOver lays a piece of decor over slides, to be set afterwards.
func layOver(slides []doc.SlideID, d design.Decor) (edit.Op, error) {
	if len(slides) == 0 {
		return nil, &invalid.Input{Field: "slide", Problem: "Choose the slides the decor is to lie over."}
	}
	if err := d.Validate(); err != nil {
		return nil, told("decor", "Decor", err)
	}
	return edit.Decorate{
		Index: -1,
		Laid:  &doc.Laid{From: slides[0], To: slides[len(slides)-1], Decor: d},
		Snap:  true,
	}, nil
}

// decorFields are a piece of decor with all it has. The rows of its path come
// as lists.
type decorFields struct {
	Index     field.Amount     `form:"index" label:"Decor"`
	First     doc.SlideID      `form:"first"`
	Last      doc.SlideID      `form:"last"`
	Kind      design.DecorKind `form:"decor-kind"`
	Media     string           `form:"decor-media"`
	Particles design.Particles `form:"decor-particles"`
	Ease      framing.Ease     `form:"decor-ease"`
	Size      field.Share      `form:"decor-size" label:"Size"`
	Opacity   field.Share      `form:"decor-opacity" label:"Opacity"`
	FadeIn    field.Amount     `form:"decor-in" label:"Fade"`
	FadeOut   field.Amount     `form:"decor-out" label:"Fade"`
	Density   *field.Share     `form:"decor-density" label:"Density"`
	Colour    *raster.RGB      `form:"decor-colour" label:"Colour of the drift"`
	OwnColour bool             `form:"decor-own-colour"`
	After     *field.Amount    `form:"decor-after" label:"Comes after"`
	Lasts     string           `form:"decor-lasts"`
	Begin     *field.Amount    `form:"decor-begin" label:"Begins at"`
	Sound     *field.Share     `form:"decor-sound" label:"Its own sound"`
	Snap      bool             `form:"snap"`
	At        []string         `form:"p-at"`
	X         []string         `form:"p-x"`
	Y         []string         `form:"p-y"`
	Sizes     []string         `form:"p-size"`
	Turns     []string         `form:"p-turn"`
}

func (f decorFields) op() (edit.Op, error) {
	l := doc.Laid{
		From: f.First,
		To:   f.Last,
		Decor: design.Decor{
			Kind:      f.Kind,
			Media:     f.Media,
			Particles: f.Particles,
			Ease:      f.Ease,
			Size:      float64(f.Size),
			Opacity:   float64(f.Opacity),
			FadeIn:    float64(f.FadeIn),
			FadeOut:   float64(f.FadeOut),
		},
	}
	set(&l.After, (*float64)(f.After))
	set(&l.Begin, (*float64)(f.Begin))
	set(&l.Sound, (*float64)(f.Sound))
	var err error
	if text := strings.TrimSpace(f.Lasts); text != "" {
		if l.Lasts, err = field.Number(text); err != nil {
			return nil, &invalid.Input{Field: "decor-lasts", Problem: fmt.Sprintf("Stays: %s.", err)}
		}
	}
	switch l.Kind {
	case design.Drift:
		if l.Density, err = field.Need(f.Density, "decor-density", "Density"); err != nil {
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
		}{{"p-at", f.At, &w.At, 0, 100}, {"p-x", f.X, &w.X, 50, 100}, {"p-y", f.Y, &w.Y, 50, 100},
			{"p-size", f.Sizes, &w.Size, 100, 100}, {"p-turn", f.Turns, &w.Degrees, 0, 1}} {
			*v.to = v.otherwise / v.by
			if i >= len(v.typed) || strings.TrimSpace(v.typed[i]) == "" {
				continue
			}
			n, err := field.Number(v.typed[i])
			if err != nil {
				return nil, &invalid.Input{
					Field:   v.field,
					Problem: fmt.Sprintf("Path, row %d: %s.", i+1, err),
				}
			}
			*v.to = n / v.by
		}
		path = append(path, w)
	}
	return path, nil
}
