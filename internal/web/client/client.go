// Package client is all that a stranger with an address reaches: films behind links, proofs, and the
// page on which a client brings material in. A token in the address is the key; nothing here asks
// for a sign-in, and nothing here can be asked for anything but what the token is of.
package client

import (
	"context"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"nelko/internal/core/raster"
	"nelko/internal/delivery"
	"nelko/internal/intake"
	"nelko/internal/proofs"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// Rooms are what clients' pages call.
type Rooms struct {
	Links   Links
	Proofs  Proofs
	Films   Films
	Pages   Pages
	Uploads http.Handler // of what clients send, below /bring-uploads/
}

// Links are films by a link's token; see delivery.Delivery.
type Links interface {
	Open(ctx context.Context, token string, film int64) (delivery.Watched, error)
	Films(ctx context.Context, v delivery.Watched) ([]delivery.Shown, error)
	SizeOf(ctx context.Context, v delivery.Watched, render int64) (store.Render, bool)
	OrderOf(ctx context.Context, v delivery.Watched, r store.Render) (store.Order, error)
	Address(token string) string
	Unlock(v delivery.Watched, password string) bool
	Admit(ctx context.Context, v delivery.Watched, device string) error
	CountDownload(ctx context.Context, v delivery.Watched) error
	CountView(ctx context.Context, v delivery.Watched) error
}

// Proofs are what a client says of a draft; see proofs.Proofs.
type Proofs interface {
	Show(ctx context.Context, v delivery.Watched) (proofs.Shown, error)
	Remark(ctx context.Context, v delivery.Watched, who, text string, seconds float64) error
	Approve(ctx context.Context, v delivery.Watched, render int64, name string) error
}

// Films are what is shown beside a film that a link led to.
type Films interface {
	Captions(ctx context.Context, v delivery.Watched) (webVTT []byte, err error)
	Head(ctx context.Context, r store.Render) (w, h int, codecs string, err error)
	Small(ctx context.Context, picture string) (jpg []byte, err error)
	Colours(ctx context.Context, v delivery.Watched) (paper, ink raster.RGB, err error)
	Mark(ctx context.Context, v delivery.Watched) (jpg []byte, err error)
}

// Pages are the pages on which clients bring material in, by their tokens. A page that is closed
// is intake.ErrClosed, an unknown one store.ErrNotFound.
type Pages interface {
	Page(ctx context.Context, token string) (Page, error)
	Say(ctx context.Context, token string, details map[string]string) error
	Opening(ctx context.Context, token string, details map[string]string) (jpg []byte, err error)
}

// Page is what a client's page shows.
type Page struct {
	intake.Page
	Studio, Event string
	Asked         []page.Detail
	Opening       bool // the film has one, which can be looked at
}

// pages are those of links: films and proofs.
type pages struct {
	*page.Shell
	Rooms
}

// bringer has the page on which a client brings material in.
type bringer struct{ *pages }

// Routes are reached by whoever has an address: there is no sign-in.
func Routes(r chi.Router, shell *page.Shell, rooms Rooms) {
	p := &pages{shell, rooms}
	b := bringer{p}
	tooMany := httprate.WithLimitHandler(shell.TooOften)
	r.Get("/watch/{token}", p.watch)
	r.Get("/watch/{token}/embed", p.watchEmbedded)
	r.Get("/watch/{token}/look.css", p.watchLook)
	r.Get("/watch/{token}/mark", p.watchMark)
	r.Get("/watch/{token}/film.{ending}", p.watchFilm)
	r.Get("/watch/{token}/stream.m3u8", p.watchSizes)
	r.Get("/watch/{token}/{render}/list.m3u8", p.watchList)
	r.Get("/watch/{token}/{render}/film.m4s", p.watchFragments)
	r.Get("/watch/{token}/{render}/film.{ending}", p.watchFilm)
	r.Get("/watch/{token}/captions.vtt", p.watchCaptions)
	r.Get("/watch/{token}/poster.jpg", p.watchPoster)
	r.Get("/watch/{token}/{render}/card.jpg", p.watchCard)
	r.Post("/watch/{token}/played", p.watchPlayed)
	r.With(page.SmallForm, httprate.LimitBy(10, time.Minute, byTokenAndAddress, tooMany),
		httprate.LimitBy(30, time.Minute, page.ByAddress, tooMany)).Post("/watch/{token}/password",
		p.watchUnlock)
	r.With(page.SmallForm, httprate.LimitBy(30, time.Minute, byTokenAndAddress, tooMany)).
		Post("/watch/{token}/remarks", p.watchRemark)
	r.With(page.SmallForm, httprate.LimitBy(10, time.Minute, byTokenAndAddress, tooMany)).
		Post("/watch/{token}/approve", p.watchApprove)
	r.Get("/oembed", p.oEmbed)

	r.Get("/bring/{token}", b.bringPage)
	r.Get("/bring/{token}/brought", b.brought)
	r.With(httprate.LimitBy(240, time.Minute, byToken, tooMany)).Get("/bring/{token}/opening.jpg",
		b.bringOpening)
	r.With(page.SmallForm, httprate.LimitBy(30, time.Minute, byToken, tooMany)).
		Post("/bring/{token}/details", b.bringDetails)
	sent := r.With(httprate.LimitBy(1200, time.Minute, page.ByAddress, tooMany))
	sent.Handle("/bring-uploads/*", p.Uploads)
	sent.Handle("/bring-uploads", p.Uploads)
}

func byToken(r *http.Request) (string, error) { return chi.URLParam(r, "token"), nil }

// byTokenAndAddress slows whoever guesses at a link, and nobody else who has it.
func byTokenAndAddress(r *http.Request) (string, error) {
	address, err := page.ByAddress(r)
	return chi.URLParam(r, "token") + " " + address, err
}
