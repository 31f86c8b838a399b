package orderpage

import (
	"context"
	"fmt"
	"net/url"
	"slices"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/raster"
	"nelko/internal/core/theme"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/web/field"
	"nelko/internal/web/parts"
)

// letteringFields are how the words of openings, closings and cards are set: what
// of it is changed.
type letteringFields struct {
	Font          *string        `form:"let-font"`
	Align         *string        `form:"let-align"`
	Enter         *design.Effect `form:"let-enter"`
	Size          *field.Share   `form:"let-size" label:"Size"`
	Outline       *field.Share   `form:"let-outline" label:"Outline"`
	Shadow        *field.Share   `form:"let-shadow" label:"Shadow"`
	Plate         *field.Share   `form:"let-plate" label:"Plate"`
	Leave         *field.Amount  `form:"let-leave" label:"Goes over"`
	Colour        *raster.RGB    `form:"let-colour" label:"Colour of the words"`
	OutlineColour *raster.RGB    `form:"let-outline-colour" label:"Colour of the outline"`
	PlateColour   *raster.RGB    `form:"let-plate-colour" label:"Colour of the plate"`
}

func (f letteringFields) change(l *design.Lettering) {
	set(&l.Font, f.Font)
	set(&l.Align, f.Align)
	set(&l.Enter, f.Enter)
	set(&l.Size, (*float64)(f.Size))
	for _, v := range []struct {
		to    **float64
		typed *float64
	}{{&l.Outline, (*float64)(f.Outline)}, {&l.Shadow, (*float64)(f.Shadow)}, {&l.Plate, (*float64)(f.Plate)},
		{&l.Leave, (*float64)(f.Leave)}} {
		if v.typed != nil {
			*v.to = v.typed
		}
	}
	for _, v := range []struct {
		to     **raster.RGB
		chosen *raster.RGB
	}{{&l.Colour, f.Colour}, {&l.OutlineRGB, f.OutlineColour}, {&l.PlateColour, f.PlateColour}} {
		if v.chosen != nil {
			*v.to = v.chosen
		}
	}
}

// letteringView is how the words of what is chosen are set.
type letteringView struct {
	Own                                 bool
	Font, Align, Enter                  fieldView
	Size, Outline, Shadow, Plate, Leave fieldView
	Colour, OutlineColour, PlateColour  string
	Fonts, Aligns                       []string
	Effects                             []design.Effect
}

// lettersOf is how a slide's words come out: the theme's most important line, with what
// was set by hand.
func lettersOf(t *theme.Theme, s doc.Slide) (out design.Lettering) {
	kind := string(s.Kind)
	if s.Card != nil {
		kind = s.Card.Kind
	}
	bl := t.Card(kind).Block
	var line theme.Element
	for _, e := range bl.Elements {
		if e.Rule == 0 && e.Size > line.Size {
			line = e
		}
	}
	hand := design.Lettering{}
	if s.Lettering != nil {
		hand = *s.Lettering
	}
	y := hand.Over(line.Type)
	out = design.Lettering{
		Font:        y.Font,
		Size:        1,
		Colour:      &y.Colour,
		Outline:     &y.Outline,
		OutlineRGB:  &y.OutlineRGB,
		Shadow:      &y.Shadow,
		Plate:       &y.Plate,
		PlateColour: &y.PlateColour,
		Align:       bl.Align,
		Enter:       line.Enter,
		Leave:       &line.LeaveSeconds,
	}
	if hand.Size > 0 {
		out.Size = hand.Size
	}
	if hand.Align != "" {
		out.Align = hand.Align
	}
	if hand.Enter != "" {
		out.Enter = hand.Enter
	}
	if hand.Leave != nil {
		out.Leave = hand.Leave
	}
	return out
}

// lettering fills in how the words of openings, closings and cards are set.
func (v *deskView) lettering(wk *orders.Dossier, chosen []doc.Slide) {
	all := len(chosen)
	chosen = slices.DeleteFunc(slices.Clone(chosen), func(s doc.Slide) bool { return len(s.Media) > 0 })
	if len(chosen) == 0 {
		return
	}
	if len(chosen) < all {
		v.For["card"] = fmt.Sprintf("for %d of %d", len(chosen), all)
	}
	l := &letteringView{Aligns: design.Aligns, Effects: design.Effects}
	for name := range wk.Theme.Fonts {
		l.Fonts = append(l.Fonts, name)
	}
	slices.Sort(l.Fonts)
	of := make([]design.Lettering, len(chosen))
	for i, s := range chosen {
		of[i] = lettersOf(wk.Theme, s)
		l.Own = l.Own || s.Lettering != nil
	}
	say := func(f func(design.Lettering) string) fieldView { return several(of, f) }
	l.Font = say(func(x design.Lettering) string { return x.Font })
	l.Align = say(func(x design.Lettering) string { return x.Align })
	l.Enter = say(func(x design.Lettering) string { return string(x.Enter) })
	l.Size = say(func(x design.Lettering) string { return percent(x.Size) })
	l.Outline = say(func(x design.Lettering) string { return percent(*x.Outline) })
	l.Shadow = say(func(x design.Lettering) string { return percent(*x.Shadow) })
	l.Plate = say(func(x design.Lettering) string { return percent(*x.Plate) })
	l.Leave = say(func(x design.Lettering) string { return percent(*x.Leave / 100) })
	l.Colour, l.OutlineColour, l.PlateColour = of[0].Colour.String(), of[0].OutlineRGB.String(),
		of[0].PlateColour.String()
	v.Lettering = l
}

// picturesOf are the order's pictures by name, to choose one from.
func picturesOf(wk *orders.Dossier) (out []parts.Choice) {
	for _, m := range wk.Media {
		if k, ok := wk.Library[m.DocID()]; ok && k.Kind == doc.PhotoMedia {
			out = append(out, parts.Choice{ID: string(k.ID), Name: k.Name})
		}
	}
	return out
}

// studioCard brings in a card of the studio's own: its contact line, or its
// credits.
func (s *shared) studioCard(ctx context.Context, v url.Values) (edit.Op, error) {
	set, err := s.Shelf.Studio(ctx)
	if err != nil {
		return nil, err
	}
	f, err := field.Decode[struct {
		chosen
		Says string `form:"says"`
	}](v)
	if err != nil {
		return nil, err
	}
	c := edit.AddCard{}
	if len(f.Slides) > 0 {
		c.Before = f.Slides[0]
	}
	switch {
	case f.Says == "contact" && set.Contact != "":
		c.Words = doc.Words{Kind: "title", Main: set.Name, Smaller: set.Contact}
	case f.Says == "credits" && set.Credits != "":
		c.Words = doc.Words{Kind: "credits", Main: set.Name, Text: set.Credits}
	default:
		return nil, invalid.Field("says", "The studio has no such words yet: an owner types its contact "+
			"line and its credits under Settings.")
	}
	return c, nil
}
