package orderpage

import (
	"fmt"
	"maps"
	"slices"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/transition"
	"nelko/internal/orders"
	"nelko/internal/web/parts"
)

// eases are the easings in the operator's words.
var eases = func() (out []parts.Choice) {
	names := map[framing.Ease]string{
		framing.InOut:        "gentle ends",
		framing.Linear:       "even",
		framing.Out:          "settling",
		framing.CSSEase:      "brisk, then settling",
		framing.CSSEaseIn:    "slow to start",
		framing.CSSEaseOut:   "slow to end",
		framing.CSSEaseInOut: "slow at both ends",
	}
	for _, e := range framing.Eases {
		out = append(out, parts.Choice{ID: string(e), Name: names[e]})
	}
	return out
}()

// motionView is how pictures move. Kind is empty where the theme rules.
type motionView struct {
	Kind       string
	Zoom, Ease fieldView
}

// motionOf is what the chosen slides have, or the film.
func motionOf(wk *orders.Dossier, chosen []doc.Slide) motionView {
	film := wk.Theme.Motion
	if wk.Doc.Motion != nil {
		film = *wk.Doc.Motion
	}
	of := []design.Motion{film}
	kind := motionKind(wk.Doc.Motion)
	if len(chosen) > 0 {
		of = of[:0]
		kind, _ = agreed(chosen, func(s doc.Slide) string { return motionKind(s.Motion) })
	}
	for _, s := range chosen {
		m := film
		if s.Motion != nil && s.Motion.Kind != design.ByHand {
			m = *s.Motion
		}
		of = append(of, m)
	}
	return motionView{kind, several(of, func(m design.Motion) string {
		return percent(m.Zoom)
	}), several(of, func(m design.Motion) string { return string(m.Ease) })}
}

// joinView is a transition and what it can be. Kind is empty where the theme
// rules; Is is what that gives.
type joinView struct {
	Kind, Is, Colour               string
	Seconds, Direction, Ease, Soft fieldView
	Shutter                        fieldView // of one transition
	FilmShutter                    string
	Softens, Coloured              bool
	Own                            []string
	Directions                     []transition.Direction
}

// joinOf is what stands behind the chosen slides, or all slides.
func joinOf(wk *orders.Dossier, chosen []doc.Slide, own []string) joinView {
	v := joinView{Own: own, Directions: transition.Turns, Colour: "#000000"}
	var of []transition.Transition
	for i, s := range wk.Plan.Slides[:min(len(wk.Plan.Slides), max(1, len(wk.Plan.Slides)-1))] {
		if len(chosen) == 0 || slices.ContainsFunc(chosen, func(c doc.Slide) bool { return c.ID == s.ID }) {
			j := wk.Plan.Slides[i].Into
			if s.Join != nil {
				j = *s.Join // its direction may be by turns
			} else if wk.Doc.Join != nil {
				j = *wk.Doc.Join
			}
			of = append(of, j)
		}
	}
	if len(of) == 0 {
		return v
	}
	v.FilmShutter = fmt.Sprintf("%g", wk.Doc.Shutter)
	v.Shutter = several(of, func(t transition.Transition) string {
		if t.Shutter == 0 {
			return ""
		}
		return fmt.Sprintf("%g", t.Shutter)
	})
	v.Kind = joinKind(wk.Doc.Join)
	if len(chosen) > 0 {
		v.Kind, _ = agreed(chosen, func(s doc.Slide) string { return joinKind(s.Join) })
	}
	v.Is = string(of[0].Kind)
	v.Softens, v.Coloured, v.Colour = of[0].Kind.Softens(), of[0].Kind.Coloured(), of[0].Colour.String()
	v.Seconds = several(of, func(t transition.Transition) string { return fmt.Sprintf("%g", t.Seconds) })
	v.Direction = several(of, func(t transition.Transition) string { return string(t.Direction) })
	v.Ease = several(of, func(t transition.Transition) string { return string(t.Ease) })
	v.Soft = several(of, func(t transition.Transition) string {
		if t.Soft == 0 {
			return ""
		}
		return percent(t.Soft)
	})
	return v
}

// backdropView is a backdrop chosen by hand; ID is empty where the theme
// rules.
type backdropView struct {
	ID, Kind, Colour, Second, Degrees, Contrast, Tone string
	Moves                                             bool
}

// backdropOf is the first that one of the chosen slides was given.
func backdropOf(chosen []doc.Slide) (v backdropView) {
	i := slices.IndexFunc(chosen, func(s doc.Slide) bool { return s.Backdrop != nil })
	if i < 0 {
		return v
	}
	set := chosen[i].Backdrop
	return backdropView{
		ID:       backdropID(set),
		Kind:     string(set.Kind),
		Colour:   set.Colour.String(),
		Second:   set.Second.String(),
		Degrees:  fmt.Sprintf("%g", set.Degrees),
		Contrast: percent(set.Contrast),
		Tone:     percent(set.Tone),
		Moves:    set.Moves,
	}
}

// toneView is a look by its settings, in per cent.
type toneView struct {
	Improve bool
	Fields  []toneField
}

// lookID is the ID of a named look; "own" for another.
func lookID(l look.Look) string {
	for _, n := range look.Named {
		if n.Look == l {
			return n.ID
		}
	}
	return "own"
}

type toneField struct {
	ID, Name, Min string
	Value         fieldView
}

// toneOf is what the chosen pictures have, or the film.
func toneOf(wk *orders.Dossier, media []doc.MediaID) toneView {
	film := wk.Theme.Look
	if wk.Doc.Look != nil {
		film = *wk.Doc.Look
	}
	of := []look.Look{film}
	if len(media) > 0 {
		of = of[:0]
	}
	for _, id := range media {
		l := film
		if own := wk.Doc.Shot(id).Look; own != nil {
			l = *own
		}
		of = append(of, l)
	}
	v := toneView{Improve: !slices.ContainsFunc(of, func(l look.Look) bool { return !l.Improve })}
	for _, f := range []struct {
		id, name, min string
		of            func(look.Look) float64
	}{
		{"light", "Light", "-100", func(l look.Look) float64 {
			return l.Light
		}}, {"contrast", "Contrast", "-100", func(l look.Look) float64 { return l.Contrast }},
		{"saturation", "Saturation", "-100", func(l look.Look) float64 {
			return l.Saturation
		}}, {"temperature", "Temperature", "-100", func(l look.Look) float64 { return l.Temperature }},
		{"sharpen", "Sharpness", "0", func(l look.Look) float64 {
			return l.Sharpen
		}}, {"fade", "Faded", "0", func(l look.Look) float64 { return l.Fade }},
		{"tint", "Brown print", "0", func(l look.Look) float64 {
			return l.Tint
		}}, {"vignette", "Dark corners", "0", func(l look.Look) float64 { return l.Vignette }},
		{"grain", "Grain", "0", func(l look.Look) float64 { return l.Grain }},
	} {
		v.Fields = append(v.Fields, toneField{f.id, f.name, f.min, several(of, func(l look.Look) string {
			return percent(f.of(l))
		})})
	}
	return v
}

// styleView is how captions are set, in per cent.
type styleView struct {
	Own                                 bool // set for these slides, or for the film
	Font, Anchor, Enter, X, Y           fieldView
	Size, Width, Outline, Shadow, Plate fieldView
	Colour, OutlineColour, PlateColour  string
	Fonts                               []string
	Anchors                             []string
	Effects                             []design.Effect
}

// styleOf is what the chosen slides have, or the film.
func styleOf(wk *orders.Dossier, chosen []doc.Slide) styleView {
	film := wk.Theme.Caption
	if wk.Doc.CaptionStyle != nil {
		film = *wk.Doc.CaptionStyle
	}
	v := styleView{
		Own:     len(chosen) == 0 && wk.Doc.CaptionStyle != nil,
		Fonts:   slices.Sorted(maps.Keys(wk.Theme.Fonts)),
		Anchors: design.Anchors,
		Effects: design.Effects,
	}
	of := []design.Caption{film}
	if len(chosen) > 0 {
		of = of[:0]
	}
	for _, s := range chosen {
		c := film
		if s.CaptionStyle != nil {
			c, v.Own = *s.CaptionStyle, true
		}
		of = append(of, c)
	}
	say := func(f func(design.Caption) string) fieldView { return several(of, f) }
	v.Font = say(func(c design.Caption) string { return c.Font })
	v.Anchor = say(func(c design.Caption) string { return c.Anchor })
	v.Enter = say(func(c design.Caption) string { return string(c.Enter) })
	v.Size = say(func(c design.Caption) string { return percent(c.Size) })
	v.Width = say(func(c design.Caption) string { return percent(c.Width) })
	v.Outline = say(func(c design.Caption) string { return percent(c.Outline) })
	v.Shadow = say(func(c design.Caption) string { return percent(c.Shadow) })
	v.Plate = say(func(c design.Caption) string { return percent(c.Plate) })
	v.X = say(func(c design.Caption) string {
		if c.At == nil {
			return ""
		}
		return percent(c.At.X)
	})
	v.Y = say(func(c design.Caption) string {
		if c.At == nil {
			return ""
		}
		return percent(c.At.Y)
	})
	v.Colour, v.OutlineColour, v.PlateColour = of[0].Colour.String(), of[0].OutlineRGB.String(),
		of[0].PlateColour.String()
	return v
}

// decorView is a piece of decor laid by hand.
type decorView struct {
	Index                                         int
	Text, Kind, First, Last, Media, Particles     string
	Density, Size, Opacity, FadeIn, FadeOut, Ease string
	Colour                                        string
	OwnColour                                     bool // the particles' own
	Path                                          []waypointView
	Clip                                          bool
	After, Lasts, Begin, Sound                    string
	Slides                                        []parts.Choice
}

type waypointView struct{ At, X, Y, Size, Turn string }

func (v *deskView) decor(wk *orders.Dossier) {
	var slideNames []parts.Choice
	for i, s := range wk.Doc.Slides {
		slideNames = append(slideNames, parts.Choice{
			ID:   string(s.ID),
			Name: fmt.Sprintf("%d %s", i+1, s.Kind),
		})
	}
	for _, m := range wk.Media {
		if d, ok := wk.Library[m.DocID()]; ok && d.Kind != doc.SongMedia {
			if v.OverLater = v.Panel != "over"; v.OverLater {
				break // a long list, which the other panels do without
			}
			v.Overlays = append(v.Overlays, parts.Choice{ID: string(d.ID), Name: d.Name})
		}
	}
	v.Drifts = design.Drifts
	for i, laid := range wk.Doc.Decor {
		d := decorView{
			Index:     i,
			Kind:      string(laid.Kind),
			First:     string(laid.From),
			Last:      string(laid.To),
			Media:     laid.Media,
			Particles: string(laid.Particles),
			Density:   percent(laid.Density),
			Size:      percent(laid.Size),
			Opacity:   percent(laid.Opacity),
			FadeIn:    fmt.Sprintf("%g", laid.FadeIn),
			FadeOut:   fmt.Sprintf("%g", laid.FadeOut),
			Ease:      string(laid.Ease),
			Colour:    laid.Colour.String(),
			OwnColour: laid.Colour == design.Decor{}.Colour,
			Slides:    slideNames,
		}
		d.Clip = wk.Library[doc.MediaID(laid.Media)].Kind == doc.ClipMedia
		d.After, d.Lasts, d.Begin, d.Sound = fmt.Sprintf("%g", laid.After), "", fmt.Sprintf("%g", laid.Begin),
			percent(laid.Sound)
		if laid.Lasts > 0 {
			d.Lasts = fmt.Sprintf("%g", laid.Lasts)
		}
		name := string(laid.Particles)
		if laid.Kind == design.Sprite {
			name = wk.Library[doc.MediaID(laid.Media)].Name
			for _, p := range laid.Path {
				size := p.Size
				if size == 0 {
					size = 1
				}
				d.Path = append(d.Path, waypointView{percent(p.At), percent(p.X), percent(p.Y), percent(size),
					fmt.Sprintf("%g", p.Degrees)})
			}
			d.Path = append(d.Path, waypointView{})
		}
		d.Text = fmt.Sprintf("%s over slides %d to %d", name, wk.Doc.Index(laid.From)+1,
			wk.Doc.Index(laid.To)+1)
		v.Decor = append(v.Decor, d)
	}
}
