package orderpage

import (
	"fmt"
	"maps"
	"net/url"
	"path"
	"slices"
	"strings"

	"nelko/internal/core/cast"
	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/look"
	"nelko/internal/core/theme"
	"nelko/internal/core/transition"
	"nelko/internal/orders"
	"nelko/internal/web/parts"
)

// pick is one of several things that can be chosen, shown by a picture of the
// very slide with it.
type pick struct {
	Op, Field, Value, Name string
	Chosen                 bool
	Src, Moving            string // addresses of the picture, and of the same in motion
}

// picks are the pictures of one kind of choice. Several says that the slides
// chosen differ in it, Later that the pictures come when the panel is opened.
type picks struct {
	Label   string
	Several bool
	Later   bool
	List    []pick
}

// taster makes the pictures of a slide's choices.
type taster struct {
	order string
	about string
	on    doc.SlideID
	media []doc.MediaID // of the slide
}

// tasteWidth is the longer side of a choice's picture.
const tasteWidth = 168

// address is where the slide is shown as it would be with one more value.
func (t taster) address(op, show string, field, value string) string {
	v := url.Values{"about": {t.about}, "on": {string(t.on)}, "w": {fmt.Sprint(tasteWidth)}, field: {value}}
	if show != "" {
		v.Set("show", show)
	}
	if op == "look" {
		for _, m := range t.media {
			v.Add("media", string(m))
		}
	} else if op != "filmlook" {
		v.Set("slide", string(t.on))
	}
	return fmt.Sprintf("/orders/%s/try/%s?%s", t.order, op, v.Encode())
}

// pick adds a choice.
func (p *picks) pick(t taster, op, field, value, name string, chosen bool) {
	still, moving := "", "moving"
	switch op {
	case "motion":
		still = "end"
	case "join":
		still, moving = "join", "into"
	}
	p.List = append(p.List, pick{
		Op:     op,
		Field:  field,
		Value:  value,
		Name:   name,
		Chosen: chosen && !p.Several,
		Src:    t.address(op, still, field, value),
		Moving: t.address(op, moving, field, value),
	})
}

// agreed is what all say, and whether they do.
func agreed[T any](of []T, say func(T) string) (value string, all bool) {
	for i, x := range of {
		if i > 0 && say(x) != value {
			return "", false
		}
		value = say(x)
	}
	return value, true
}

// motions are the ways pictures move that can be chosen.
var motions = []parts.Choice{{
	ID:   "in",
	Name: "Zoom in",
}, {ID: "out", Name: "Zoom out"}, {ID: "alternate", Name: "In and out by turns"},
	{ID: "pan", Name: "Pan"}, {ID: "none", Name: "Still"}}

// pictured fills in what is chosen by pictures: for the slides chosen, or for
// the whole film if none are; then the slide at the playhead shows it.
func (v *deskView) pictured(wk *orders.Dossier, own []string, about func(doc.SlideID) string) {
	slides := wk.Doc.Slides
	if len(v.IDs) > 0 {
		slides = nil
		for _, id := range v.IDs {
			slides = append(slides, wk.Doc.Slides[wk.Doc.Index(id)])
		}
	} else if first, second := wk.Plan.At(v.Frame); second >= 0 {
		slides = slides[second:]
	} else if first >= 0 {
		slides = slides[first:]
	}
	if len(slides) == 0 {
		return
	}
	on := slides[0]
	if i := slices.IndexFunc(slides, func(s doc.Slide) bool {
		return len(s.Media) > 0
	}); i > 0 && len(v.IDs) > 0 {
		on = slides[i] // of a mixed choice, one that shows most of what can be chosen
	}
	v.On, v.About, v.Starts = on.ID, about(on.ID), int64(wk.Plan.Slides[wk.Doc.Index(on.ID)].Start)
	t := taster{order: v.At, about: v.About, on: on.ID, media: on.Media}
	film := len(v.IDs) == 0
	the, pictured := slides, slices.DeleteFunc(slices.Clone(slides), func(s doc.Slide) bool {
		return len(s.Media) == 0
	})
	if film {
		the, pictured = nil, nil
	}
	if len(v.Layouts) > 0 {
		v.LayoutPicks = t.picks("Layout", "layout", v.LayoutIs, v.Layouts, pictured,
			func(s doc.Slide) string {
				return s.Layout
			}, "")
	}
	if v.Pictures || film {
		v.MotionPicks = t.picks("Motion", "motion", asTheme, motions, pictured, func(s doc.Slide) string {
			return motionKind(s.Motion)
		}, motionKind(wk.Doc.Motion))
		v.LookPicks = v.tonePicks(wk, t)
		v.StylePicks = stylePicks(t)
	}
	v.JoinPicks = t.picks("Transition", "join", asTheme, joinChoices(own), the, func(s doc.Slide) string {
		return joinKind(s.Join)
	}, joinKind(wk.Doc.Join))
	if !film {
		v.BackdropPicks = t.picks("Backdrop", "backdrop", asTheme, backdropChoices(wk.Theme), the,
			func(s doc.Slide) string {
				return backdropID(s.Backdrop)
			}, "")
	}
	for panel, p := range map[string]*picks{
		"layout":   &v.LayoutPicks,
		"motion":   &v.MotionPicks,
		"join":     &v.JoinPicks,
		"backdrop": &v.BackdropPicks,
		"look":     &v.LookPicks,
		"captions": &v.StylePicks,
	} {
		if panel != v.Panel {
			p.Later, p.List = true, nil
		}
	}
}

// picks are the choices of a control that is called as its field is: what the
// theme has first, then those by name. Nil slides stand for the whole film,
// which has film.
func (t taster) picks(label, op, theme string, named []parts.Choice, slides []doc.Slide,
	of func(doc.Slide) string,
	film string) picks {
	is, all := agreed(slides, of)
	if slides == nil {
		is = film
	}
	p := picks{Label: label, Several: !all}
	p.pick(t, op, op, "", theme, is == "")
	for _, c := range named {
		p.pick(t, op, op, c.ID, c.Name, is == c.ID)
	}
	return p
}

const asTheme = "As the theme has it"

func motionKind(m *design.Motion) string {
	if m == nil {
		return ""
	}
	return string(m.Kind)
}

func joinKind(j *transition.Transition) string {
	if j == nil {
		return ""
	}
	return string(j.Kind)
}

// joinChoices are the studio's own transitions and all kinds there are.
func joinChoices(own []string) []parts.Choice {
	var out []parts.Choice
	for _, name := range own {
		out = append(out, parts.Choice{ID: "own:" + name, Name: name})
	}
	for _, f := range transition.Families {
		for _, k := range f.Kinds {
			out = append(out, parts.Choice{ID: string(k), Name: string(k)})
		}
	}
	return out
}

func backdropChoices(t *theme.Theme) []parts.Choice {
	var out []parts.Choice
	for _, b := range backdrops {
		out = append(out, parts.Choice{ID: b.ID, Name: b.Name})
	}
	for _, file := range slices.Sorted(maps.Keys(t.Contents)) {
		if slices.Contains([]string{".svg", ".png", ".jpg", ".jpeg", ".webp"},
			strings.ToLower(path.Ext(file))) {
			out = append(out, parts.Choice{
				ID: themePicture + file,
				Name: "Theme’s " + strings.TrimSuffix(path.Base(file),
					path.Ext(file)),
			})
		}
	}
	return out
}

// tonePicks are the looks: of the chosen pictures, or of the film.
func (v *deskView) tonePicks(wk *orders.Dossier, t taster) picks {
	p := picks{Label: "Look"}
	to, id := "look", func(m doc.MediaID) string {
		if l := wk.Doc.Shot(m).Look; l != nil {
			return lookID(*l)
		}
		return "theme"
	}
	is, all := agreed(v.MediaIDs, id)
	if len(v.IDs) == 0 {
		to, is = "filmlook", "theme"
		if wk.Doc.Look != nil {
			is = lookID(*wk.Doc.Look)
		}
	}
	p.Several = !all
	name := "As the film has it"
	if to == "filmlook" {
		name = asTheme
	}
	p.pick(t, to, "look", "theme", name, is == "theme")
	for _, l := range look.Named {
		p.pick(t, to, "look", l.ID, l.Name, is == l.ID)
	}
	return p
}

func stylePicks(t taster) picks {
	p := picks{Label: "Caption style"}
	for _, c := range design.CaptionStyles {
		p.pick(t, "captionstyle", "cap-style", c.ID, c.Name, false)
	}
	return p
}

// backdropID is the backdrop a slide's own was made from: the very same, else
// the first of its kind. It is empty where the theme rules.
func backdropID(set *design.Backdrop) string {
	if set == nil {
		return ""
	}
	if set.Kind == design.Image {
		return themePicture + set.Asset
	}
	for _, exact := range []bool{true, false} {
		for _, b := range backdrops {
			if b.Backdrop == *set || (!exact && b.Backdrop.Kind == set.Kind &&
				b.Backdrop.Texture == set.Texture) {
				return b.ID
			}
		}
	}
	return ""
}

// theLayout is what a slide's layout comes to where the theme rules.
func theLayout(wk *orders.Dossier, s doc.Slide) string {
	l, ok := cast.Of(wk.Doc, wk.Theme, wk.Library).Layout(s, wk.Library, wk.Doc.Seed)
	if !ok || s.Layout != "" {
		return asTheme
	}
	return "By the theme: " + l.Name
}

// several tells a field of a selection that differs from one that is empty.
func several[T any](of []T, say func(T) string) fieldView {
	v, all := agreed(of, say)
	return fieldView{Value: v, Several: !all}
}

// fieldView is the value of a field for what is chosen.
type fieldView struct {
	Value   string
	Several bool
}

// String is the value, empty if there are several.
func (f fieldView) String() string { return f.Value }

// Hint stands in an empty field.
func (f fieldView) Hint() string {
	if f.Several {
		return "several"
	}
	return ""
}
