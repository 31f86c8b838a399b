package web

import (
	"fmt"
	"net/http"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/invalid"
)

// newDecor lays a drift or a picture over the selected slides, to be set
// afterwards.
func newDecor(r *http.Request, op string, slides []doc.SlideID) (edit.Op, error) {
	if len(slides) == 0 {
		return nil, &invalid.Input{Field: "slide", Problem: "Choose the slides the decor is to lie over."}
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
	shares := []share{{"size", &l.Size}, {"opacity", &l.Opacity}}
	if l.Kind == design.Drift {
		shares = append(shares, share{"density", &l.Density})
		if l.Colour, err = readColour(r, "decor-colour", "Colour of the drift"); err != nil {
			return nil, err
		}
		if f("decor-own-colour") != "" {
			l.Colour = raster.RGB{}
		}
	}
	if err := readShares(r, "decor-", "", shares...); err != nil {
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
