package web

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
)

// eases are the easings in the operator's words.
var eases = func() (out []choice) {
	names := map[framing.Ease]string{framing.InOut: "gentle ends", framing.Linear: "even", framing.Out: "settling", framing.CSSEase: "brisk, then settling",
		framing.CSSEaseIn: "slow to start", framing.CSSEaseOut: "slow to end", framing.CSSEaseInOut: "slow at both ends"}
	for _, e := range framing.Eases {
		out = append(out, choice{string(e), names[e]})
	}
	return out
}()

// motionView is how pictures move. Kind is empty where the theme rules.
type motionView struct{ Kind, Zoom, Ease string }

func motionOf(set *design.Motion, theme design.Motion) motionView {
	if set == nil {
		return motionView{Zoom: percent(theme.Zoom), Ease: string(theme.Ease)}
	}
	if set.Kind == design.ByHand {
		return motionView{string(set.Kind), percent(theme.Zoom), string(set.Ease)}
	}
	return motionView{string(set.Kind), percent(set.Zoom), string(set.Ease)}
}

// joinView is a transition and what it can be. Kind is empty where the theme
// rules; Is is what that gives.
type joinView struct {
	Kind, Is, Seconds, Direction, Ease, Soft, Colour string
	Softens, Coloured                                bool
	Families                                         []transition.Family
	Own                                              []string
	Directions                                       []transition.Direction
}

func joinOf(set *transition.Transition, is transition.Transition, own []string) joinView {
	v := joinView{Is: string(is.Kind), Seconds: fmt.Sprintf("%g", is.Seconds), Families: transition.Families, Own: own, Directions: transition.Turns, Colour: "#000000"}
	if set != nil {
		v.Kind, v.Direction, v.Ease, v.Seconds = string(set.Kind), string(set.Direction), string(set.Ease), fmt.Sprintf("%g", set.Seconds)
		v.Softens, v.Coloured, v.Colour = set.Kind.Softens(), set.Kind.Coloured(), set.Colour.String()
		if set.Soft > 0 {
			v.Soft = percent(set.Soft)
		}
	}
	return v
}

// backdropView is a backdrop chosen by hand; ID is empty where the theme
// rules.
type backdropView struct {
	ID, Kind, Colour, Second, Degrees, Contrast, Tone string
	Moves                                             bool
}

func (v *deskView) backdrops(set *design.Backdrop) {
	for _, b := range backdrops {
		v.Backdrops = append(v.Backdrops, choice{b.ID, b.Name})
	}
	if set == nil {
		return
	}
	v.Backdrop = backdropView{Kind: string(set.Kind), Colour: set.Colour.String(), Second: set.Second.String(), Degrees: fmt.Sprintf("%g", set.Degrees),
		Contrast: percent(set.Contrast), Tone: percent(set.Tone), Moves: set.Moves}
	// The one it was made from: the very same, else the first of its kind.
	for _, exact := range []bool{true, false} {
		for _, b := range backdrops {
			if v.Backdrop.ID == "" && (b.Backdrop == *set || (!exact && b.Backdrop.Kind == set.Kind && b.Backdrop.Texture == set.Texture)) {
				v.Backdrop.ID = b.ID
			}
		}
	}
}

// toneView is a look by its settings, in per cent.
type toneView struct {
	ID      string // of the named look; "theme" where the theme rules, "own" for another
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

type toneField struct{ ID, Name, Value, Min string }

func toneOf(set *look.Look, theme look.Look) toneView {
	v := toneView{ID: "theme"}
	l := theme
	if set != nil {
		l, v.ID = *set, lookID(*set)
	}
	v.Improve = l.Improve
	for _, f := range []struct {
		id, name string
		v        float64
		min      string
	}{{"light", "Light", l.Light, "-100"}, {"contrast", "Contrast", l.Contrast, "-100"}, {"saturation", "Saturation", l.Saturation, "-100"}, {"temperature", "Temperature", l.Temperature, "-100"},
		{"sharpen", "Sharpness", l.Sharpen, "0"}, {"fade", "Faded", l.Fade, "0"}, {"tint", "Brown print", l.Tint, "0"}, {"vignette", "Dark corners", l.Vignette, "0"}, {"grain", "Grain", l.Grain, "0"}} {
		v.Fields = append(v.Fields, toneField{f.id, f.name, percent(f.v), f.min})
	}
	return v
}

// styleView is how captions are set, in per cent.
type styleView struct {
	Own                                 bool // set for these slides, or for the film
	Font, Anchor, Enter, X, Y           string
	Size, Width, Outline, Shadow, Plate string
	Colour, OutlineColour, PlateColour  string
	Fonts                               []string
	Anchors                             []string
	Effects                             []design.Effect
}

func styleOf(wk *orders.Dossier, set *design.Caption, own bool) styleView {
	c := wk.Theme.Caption
	if set != nil {
		c = *set
	}
	v := styleView{Own: own, Font: c.Font, Anchor: c.Anchor, Enter: string(c.Enter), Size: percent(c.Size), Width: percent(c.Width), Outline: percent(c.Outline), Shadow: percent(c.Shadow), Plate: percent(c.Plate),
		Colour: c.Colour.String(), OutlineColour: c.OutlineRGB.String(), PlateColour: c.PlateColour.String(),
		Fonts: slices.Sorted(maps.Keys(wk.Theme.Fonts)), Anchors: design.Anchors, Effects: design.Effects}
	if c.At != nil {
		v.X, v.Y = percent(c.At.X), percent(c.At.Y)
	}
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
	Slides                                        []choice
}

type waypointView struct{ At, X, Y, Size, Turn string }

func (v *deskView) decor(wk *orders.Dossier) {
	var slideNames []choice
	for i, s := range wk.Doc.Slides {
		slideNames = append(slideNames, choice{string(s.ID), fmt.Sprintf("%d %s", i+1, s.Kind)})
	}
	for _, m := range wk.Media {
		if d, ok := wk.Library[m.DocID()]; ok && d.Kind == doc.PhotoMedia {
			v.Overlays = append(v.Overlays, choice{string(d.ID), d.Name})
		}
	}
	v.Drifts = design.Drifts
	for i, laid := range wk.Doc.Decor {
		d := decorView{Index: i, Kind: string(laid.Kind), First: string(laid.From), Last: string(laid.To), Media: laid.Media, Particles: string(laid.Particles),
			Density: percent(laid.Density), Size: percent(laid.Size), Opacity: percent(laid.Opacity), FadeIn: fmt.Sprintf("%g", laid.FadeIn), FadeOut: fmt.Sprintf("%g", laid.FadeOut),
			Ease: string(laid.Ease), Colour: laid.Colour.String(), OwnColour: laid.Colour == design.Decor{}.Colour, Slides: slideNames}
		name := string(laid.Particles)
		if laid.Kind == design.Sprite {
			name = wk.Library[doc.MediaID(laid.Media)].Name
			for _, p := range laid.Path {
				size := p.Size
				if size == 0 {
					size = 1
				}
				d.Path = append(d.Path, waypointView{percent(p.At), percent(p.X), percent(p.Y), percent(size), fmt.Sprintf("%g", p.Degrees)})
			}
			d.Path = append(d.Path, waypointView{})
		}
		d.Text = fmt.Sprintf("%s over slides %d to %d", name, wk.Doc.Index(laid.From)+1, wk.Doc.Index(laid.To)+1)
		v.Decor = append(v.Decor, d)
	}
}
