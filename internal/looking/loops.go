package looking

import (
	"context"
	"fmt"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/theme"
	"nelko/internal/film"
	"nelko/internal/orders"
	"nelko/internal/render"
	"nelko/internal/store"
)

// loopSlides and the rest are the measures of a theme's loop.
const (
	loopSlides  = 4
	loopPace    = 1.6 // seconds
	loopOpening = 3.2
)

// ThemeLoop is a short film, without sound, of a theme with an order's own
// pictures and names, as a file of the profile Loop. It is made when it is
// first asked for.
func (r *Themes) ThemeLoop(ctx context.Context, d *orders.Dossier, themeID string) (string, error) {
	f, err := r.loop(d, themeID)
	if err != nil {
		return "", err
	}
	name, err := f.Name()
	if err != nil {
		return "", err
	}
	return r.made(ctx, "loop"+name, f, func(ctx context.Context, j *render.Job, dir string) (string, error) {
		return j.Silent(ctx, dir)
	})
}

// ThemeStill is the opening of a theme with an order's own pictures and
// names, as a JPEG.
func (r *Themes) ThemeStill(ctx context.Context, d *orders.Dossier, themeID string) ([]byte, error) {
	f, err := r.loop(d, themeID)
	if err != nil {
		return nil, err
	}
	lane := r.Sprites.Lane(ctx, f.Library, true)
	defer lane.Close()
	return f.Still(lane, f.Poster(), 85)
}

// loop lays a theme's loop out: its opening and a few of the order's slides,
// quickly. It goes round without black.
func (r *Themes) loop(w *orders.Dossier, themeID string) (*film.Film, error) {
	t, err := r.Orders.Shelf.Themes.Get(themeID)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", store.ErrNotFound, err)
	}
	return r.Orders.House.Lay(film.Source{
		Doc:     loopOf(w.Doc, t, w.Library),
		Theme:   t,
		Library: w.Library,
		Profile: profile.Loop,
		Endless: true,
	})
}

// loopOf is the beginning of a film in a theme. Its opening is that of the whole film.
func loopOf(of doc.Slideshow, t *theme.Theme, lib doc.Library) doc.Slideshow {
	d := of.Clone()
	d.Theme, d.ThemeVersion = t.ID, t.Content
	d.Soundtrack.Items, d.Decor = nil, nil
	d.Fit = doc.Fit{Mode: doc.AtPace, PaceSeconds: loopPace}
	for _, det := range t.Details {
		if d.Details[det.Key] == "" {
			d.Details[det.Key] = det.Example
		}
	}
	opening := doc.Slide{ID: "opening", Kind: doc.Opening, Linger: 1}
	if i := slices.IndexFunc(d.Slides, func(s doc.Slide) bool { return s.Kind == doc.Opening }); i >= 0 {
		opening = d.Slides[i]
	}
	opening.Pinned, opening.Picture = loopOpening, scene.PictureOf(d, t, lib, opening)
	keep := []doc.Slide{opening}
	for _, sl := range d.Slides {
		if sl.Kind == doc.Pictures && len(keep) <= loopSlides {
			sl.Pinned, sl.Linger = 0, 1
			keep = append(keep, sl)
		}
	}
	d.Slides = keep
	return d
}

// Colours are the theme's of an order as a page can wear them: the backdrop of
// its text cards and the colour of the words on it.
func (r *Themes) Colours(ctx context.Context, orderID int64) (paper, ink raster.RGB, err error) {
	d, err := r.Orders.Load(ctx, orderID)
	if err != nil {
		return paper, ink, err
	}
	paper, ink = d.Theme.Tinted(d.Doc.Details).Page()
	return paper, ink, nil
}
