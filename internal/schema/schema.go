// Package schema writes the JSON Schema of theme.json from the Go types that
// read it, so that both say the same.
package schema

import (
	"encoding/json"
	"reflect"

	"github.com/invopop/jsonschema"

	"nelko/internal/core/design"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/texture"
	"nelko/internal/core/theme"
	"nelko/internal/core/transition"
)

// enums are the types that are one of a few words.
func enums() map[reflect.Type][]any {
	words := map[reflect.Type][]any{
		reflect.TypeFor[design.BackdropKind](): {design.Plain, design.Gradient, design.Soft, design.Photo,
			design.Texture, design.Image},
		reflect.TypeFor[theme.DetailType](): {theme.OfText, theme.OfNames, theme.OfDate, theme.OfColour,
			theme.OfChoice},
		reflect.TypeFor[design.Fit](): {design.Fill, design.Whole, design.Native, design.Stretch},
		reflect.TypeFor[design.MotionKind](): {design.In, design.OutOf, design.Alternate, design.Pan,
			design.Still, design.ByHand},
		reflect.TypeFor[design.DecorKind](): {design.Sprite, design.Drift},
		reflect.TypeFor[theme.Arrangement](): {theme.Full, theme.Single, theme.Grid, theme.Lead,
			theme.Strip, theme.Stagger, theme.Scatter},
		reflect.TypeFor[transition.Direction](): {"", transition.Left, transition.Right, transition.Up,
			transition.Down},
	}
	add := func(t reflect.Type, values ...any) { words[t] = append(words[t], values...) }
	for _, f := range transition.Families {
		for _, k := range f.Kinds {
			add(reflect.TypeFor[transition.Kind](), k)
		}
	}
	for _, k := range texture.Kinds {
		add(reflect.TypeFor[texture.Kind](), k)
	}
	for _, p := range design.Drifts {
		add(reflect.TypeFor[design.Particles](), p)
	}
	for _, e := range design.Effects {
		add(reflect.TypeFor[design.Effect](), e)
	}
	return words
}

// Theme is the JSON Schema of theme.json, indented.
func Theme() ([]byte, error) {
	words := enums()
	r := jsonschema.Reflector{
		Anonymous: true,
		Mapper: func(t reflect.Type) *jsonschema.Schema {
			if values, ok := words[t]; ok {
				return &jsonschema.Schema{Type: "string", Enum: values}
			}
			switch t {
			case reflect.TypeFor[raster.RGB]():
				return &jsonschema.Schema{Type: "string", Pattern: "^#[0-9a-fA-F]{6}$"}
			case reflect.TypeFor[framing.Ease]():
				return &jsonschema.Schema{
					Type: "string",
					Description: "linear, in-out, out, a keyword of CSS Easing, or cubic-bezier(x1, y1, " +
						"x2, y2)",
				}
			}
			return nil
		},
	}
	s := r.Reflect(&theme.Theme{})
	s.ID = "https://nelko.example/theme.schema.json"
	s.Title = "A Nelko theme"
	b, err := json.MarshalIndent(s, "", " ")
	return append(b, '\n'), err
}
