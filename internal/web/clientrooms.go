package web

import (
	"context"
	"fmt"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/raster"
	"nelko/internal/core/theme"
	"nelko/internal/delivery"
	"nelko/internal/house"
	"nelko/internal/looking"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/web/client"
	"nelko/internal/web/page"
)

// clientRooms are what clients' pages may call: of films only what a link led to, of orders only
// what a client's own page is for.
func (s *Server) clientRooms() client.Rooms {
	return client.Rooms{
		Links:   s.House.Delivery.Links,
		Proofs:  s.House.Proofs,
		Films:   watchedFilms{s.House},
		Pages:   clientPages{s.House},
		Uploads: s.uploads.Clients(),
	}
}

// watchedFilms are the films that links led to.
type watchedFilms struct{ *house.House }

// Captions implements client.Films.
func (f watchedFilms) Captions(ctx context.Context, v delivery.Watched) ([]byte, error) {
	b, _, err := f.Making.Captions(ctx, v.Render.ID, ".vtt")
	return b, err
}

// Head implements client.Films.
func (f watchedFilms) Head(ctx context.Context, r store.Render) (w, h int, codecs string, err error) {
	head, err := f.Making.Head(ctx, r)
	return head.W, head.H, head.Codecs, err
}

// Small implements client.Films.
func (f watchedFilms) Small(ctx context.Context, picture string) ([]byte, error) {
	return f.Looking.Small(ctx, picture)
}

// Colours implements client.Films.
func (f watchedFilms) Colours(ctx context.Context, v delivery.Watched) (paper, ink raster.RGB, err error) {
	return f.Looking.Themes.Colours(ctx, v.Order.ID)
}

// Mark implements client.Films.
func (f watchedFilms) Mark(ctx context.Context, v delivery.Watched) ([]byte, error) {
	return f.Shelf.Marks.MarkImage(ctx, *v.Studio.MarkPicture)
}

// clientPages are the pages on which clients bring material in.
type clientPages struct{ *house.House }

// Page implements client.Pages.
func (c clientPages) Page(ctx context.Context, token string) (client.Page, error) {
	p, _, err := c.open(ctx, token)
	return p, err
}

func (c clientPages) open(ctx context.Context, token string) (p client.Page, d *orders.Dossier, err error) {
	if p.Page, err = c.Intake.Pages.Page(ctx, token); err != nil {
		return p, nil, err
	}
	if d, err = c.Orders.Load(ctx, p.OrderID); err != nil {
		return p, nil, err
	}
	p.Studio, p.Event = d.Settings.Name, d.Order.Event
	for _, x := range d.Theme.Details {
		value, said := p.Details[x.Key]
		if !said {
			value = d.Doc.Details[x.Key]
		}
		p.Asked = append(p.Asked, page.DetailOf(x, value))
	}
	p.Opening = openingOf(d.Doc) >= 0
	return p, d, nil
}

func openingOf(d doc.Slideshow) int {
	return slices.IndexFunc(d.Slides, func(s doc.Slide) bool { return s.Kind == doc.Opening })
}

// Say implements client.Pages.
func (c clientPages) Say(ctx context.Context, token string, details map[string]string) error {
	return c.Intake.Pages.FillIn(ctx, token, details)
}

// Opening implements client.Pages.
func (c clientPages) Opening(ctx context.Context, token string, details map[string]string) ([]byte, error) {
	p, d, err := c.open(ctx, token)
	if err != nil {
		return nil, err
	}
	if !p.Opening {
		return nil, fmt.Errorf("an opening of order %d: %w", p.OrderID, store.ErrNotFound)
	}
	for k, value := range details {
		if !slices.ContainsFunc(d.Theme.Details, func(x theme.Detail) bool {
			return x.Key == k
		}) || len(value) > 2000 {
			delete(details, k)
		}
	}
	jpg, _, err := c.Looking.Choices.Chosen(ctx, orders.Seen{Order: p.OrderID}, "", "", looking.Choice{
		Slide: d.Doc.Slides[openingOf(d.Doc)].ID, Op: edit.Details{Values: details}, Longer: 640,
	})
	return jpg, err
}
