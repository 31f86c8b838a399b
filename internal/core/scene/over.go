package scene

import (
	"math"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
)

type planned = plan.Plan

// ranges lists the stretches of a film, in frames, that show slides of a
// kind: opening, closing, cards, pictures or all.
func ranges(p planned, on string) (out [][2]timecode.Frames) {
	for _, s := range p.Slides {
		match := on == "all"
		switch s.Kind {
		case doc.Opening:
			match = match || on == "opening"
		case doc.Closing:
			match = match || on == "closing"
		case doc.Card:
			match = match || on == "cards"
		default:
			match = match || on == "pictures"
		}
		if !match {
			continue
		}
		if k := len(out) - 1; k >= 0 && s.Start <= out[k][1] {
			out[k][1] = s.End()
		} else {
			out = append(out, [2]timecode.Frames{s.Start, s.End()})
		}
	}
	return out
}

// decor is a layer for a piece of decor.
func (b *prints) decor(d design.Decor) Layer {
	l := Layer{Alpha: d.Opacity, Enter: b.frames(d.FadeIn), Leave: b.frames(d.FadeOut), Window: Still(unit)}
	if d.Kind == design.Drift {
		l.Asset, l.Drift, l.Seed = Asset{Kind: Drift}, &d, b.doc.Seed+uint64(len(d.Particles))
		return l
	}
	aspect := 1.0
	w := d.Size * b.w()
	most := 1.0
	for _, p := range d.Path {
		most = math.Max(most, p.Size)
	}
	if m, ok := b.lib[doc.MediaID(d.Media)]; ok {
		aspect = m.Aspect()
		l.Asset = Asset{Kind: Photo, Media: m.ID}
		if m.Kind == doc.ClipMedia {
			l.Asset.Kind = Footage
		}
	} else {
		l.Asset = Asset{Kind: Image, File: b.theme.Contents[d.Asset]}
	}
	// Files of themes are as wide as they are high unless their maker says
	// otherwise by the size of the picture itself.
	l.Asset.W, l.Asset.H = max(2, int(math.Ceil(w*most))), max(2, int(math.Ceil(w*most/aspect)))
	l.Place = Still(framing.Rect{X: b.w(), Y: b.h(), W: w, H: w / aspect})
	l.Path = &d
	return l
}

// The most a picture that is the studio's mark takes of the frame's shorter
// side, and how opaque it is.
const (
	markWidth, markHeight = 0.24, 0.1
	markAlpha             = 0.85
)

// mark puts a picture whole into the lower right corner of the title-safe
// area.
func (b *prints) mark(m doc.Media) Layer {
	h := math.Min(markHeight*b.short(), markWidth*b.short()/m.Aspect())
	w := h * m.Aspect()
	left, top := anchored(theme.Block{Anchor: "lower-right"}, framing.TitleSafe.Scale(b.w(), b.h()), w, h,
		b.short())
	at := framing.Rect{X: math.Round(left), Y: math.Round(top), W: w, H: h}
	return Layer{
		Asset: Asset{Kind: Photo, Media: m.ID, W: max(2, int(math.Ceil(w))), H: max(2, int(math.Ceil(h)))},
		Place: Still(at), Window: Still(unit), Alpha: markAlpha,
	}
}

// behind adds the theme's decor that lies under pictures and words.
func (b *prints) behind(on string) {
	for _, d := range b.theme.Decor {
		if d.Behind && (d.On == on || d.On == "all") {
			b.add(b.decor(d.Decor))
		}
	}
}
