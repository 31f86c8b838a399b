// Package orderpage has the pages of an order: its five leaves (material, running order with the
// margin, soundtrack, check, deliveries) and everything that is done on them. It is for whoever is
// signed in; what a stranger reaches is in web/client.
package orderpage

import (
	"github.com/go-chi/chi/v5"

	"nelko/internal/delivery"
	"nelko/internal/hosting"
	"nelko/internal/intake"
	"nelko/internal/interchange"
	"nelko/internal/looking"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/pressing"
	"nelko/internal/proofs"
	"nelko/internal/runs"
	"nelko/internal/shelf"
	"nelko/internal/web/page"
)

// Rooms are what an order's pages call.
type Rooms struct {
	Orders      *orders.Orders
	Intake      *intake.Intake
	Looking     *looking.Looking
	Making      *making.Making
	Proofs      *proofs.Proofs
	Delivery    *delivery.Delivery
	Pressing    *pressing.Pressing
	Hosting     *hosting.Hosting
	Interchange *interchange.Interchange
	Runs        *runs.Runs
	Shelf       *shelf.Shelf

	// BeingStored counts the files of an order that were sent and are not stored yet.
	BeingStored func(order int64) int
}

// shared is what every part of an order's pages has: the rooms, and the drawing of a leaf.
type shared struct {
	*page.Shell
	Rooms
}

// Routes are for operators.
func Routes(r chi.Router, shell *page.Shell, rooms Rooms) {
	s := &shared{shell, rooms}
	files, films := &material{s}, &handing{s}
	r.Get("/media/{media}/thumb", files.thumbnail)
	r.Get("/media/{media}/file", files.mediaFile)
	r.Get("/media/{media}/strip", files.filmstrip)
	r.Get("/renders/{render}/film.{ending}", films.film)
	r.Get("/renders/{render}/captions.{ending:srt|vtt}", films.captions)
	r.Route("/orders/{order}", func(r chi.Router) {
		(&leaves{s}).routes(r)
		(&editing{s}).routes(r)
		files.routes(r)
		(&track{s}).routes(r)
		films.routes(r)
		(&player{s}).routes(r)
		(&themes{s}).routes(r)
	})
}

// leaves are the pages of an order: its leaves whole and in parts, its frames, its past and its files.
type leaves struct{ *shared }

func (l *leaves) routes(r chi.Router) {
	r.Get("/", l.orderPage)
	r.Get("/live", l.orderLive)
	r.Get("/{leaf:material|soundtrack|check|deliveries}", l.orderPage)
	r.Get("/margin", l.orderMargin)
	r.Get("/frame", l.orderFrame)
	r.Get("/history", l.pastPage)
	r.Post("/history/{step}", l.goTo)
	r.Post("/meant", l.markMeant)
	r.Get("/{file:cut.otio|contact-sheet.pdf|running-order.pdf}", l.orderFile)
	r.Get("/order.zip", l.orderZip)
	r.Get("/why", l.why)
	r.Get("/remedies", l.remedies)
	r.Get("/beats", l.heldBeats)
}

// editing is what changes an order's document, its head and its place in its Run, and what is asked
// while choosing.
type editing struct{ *shared }

func (e *editing) routes(r chi.Router) {
	r.Get("/held", e.held)
	r.Get("/recast", e.recast)
	r.Get("/shapes", e.shapes)
	r.Get("/like", e.like)
	r.Get("/presets", e.presetNames)
	r.Post("/presets", e.keepPreset)
	r.Post("/presets/give", e.givePreset)
	r.Post("/presets/forget", e.forgetPreset)
	r.Get("/try/{op}", e.tryEdit)
	r.Post("/as-pattern", e.givePart)
	r.Post("/transitions", e.keepTransition)
	r.Post("/head", e.changeHead)
	r.Post("/{act:archive|delete|restore|copy}", e.actOnOrder)
	r.Post("/edit/{op}", e.editOrder)
	r.Post("/undo", e.undo)
	r.Post("/redo", e.redo)
}

// material is what comes in for an order, how it is looked at, sorted and taken away.
type material struct{ *shared }

func (m *material) routes(r chi.Router) {
	r.Post("/media/{media}/dismiss", m.dismiss)
	r.Post("/media/{media}/erase", m.eraseMedium)
	r.Post("/erase", m.eraseMedia)
	r.Post("/media/{media}/stars", m.rate)
	r.Post("/media/{media}/time", m.retime)
	r.Post("/clock", m.shiftClock)
	r.Post("/accept", m.accept)
	r.Post("/holds", m.holdBack)
	r.Post("/page", m.openPage)
	r.Post("/page/close", m.closePage)
	r.Get("/albums", m.albums)
	r.Post("/albums", m.fetchAlbum)
}

// track is the soundtrack of an order, and its words in time.
type track struct{ *shared }

func (k *track) routes(r chi.Router) {
	r.Post("/subtitles", k.takeSubtitles)
	r.Get("/captions.{ending:srt|vtt}", k.captionsNow)
	r.Post("/music", k.takeSong)
	r.Post("/narration", k.takeNarration)
	r.Get("/soundtrack.{kind:m3u8|xspf}", k.writePlaylist)
	r.Get("/version", k.tryVersion)
	r.Get("/version.wav", k.versionSound)
	r.Post("/playlist", k.readPlaylist)
}

// handing is what goes out of an order: films, proofs, links, discs, films on the host.
type handing struct{ *shared }

func (h *handing) routes(r chi.Router) {
	r.Post("/renders", h.startRender)
	r.Post("/renders/{render}/cancel", h.cancelRender)
	r.Post("/renders/{render}/again", h.renderAgain)
	r.Post("/renders/{render}/anew", h.renderAnew)
	r.Post("/renders/{render}/put", h.putFile)
	r.Post("/files/{delivery}/settle", h.settleFile)
	r.Post("/deliveries/{delivery}/again", h.sendAgain)
	r.Post("/deliveries/{delivery}/giveup", h.giveUp)
	r.Post("/proof", h.sendProof)
	r.Post("/approval", h.askApproval)
	r.Post("/remarks/{remark}/answer", h.answerRemark)
	r.Post("/remarks/{remark}/tick", h.tickRemark)
	r.Post("/discs", h.makeDisc)
	r.Post("/discs/{disc}/{act:again|close|handed|burn}", h.actOnDisc)
	r.Post("/host", h.putOnHost)
	r.Post("/host/{delivery}/again", h.hostAgain)
	r.Post("/links", h.makeLink)
	r.Post("/card.pdf", h.card)
	r.Post("/links/{link}/close", h.closeLink)
}

// player plays an order's film as it stands, before it is made.
type player struct{ *shared }

func (p *player) routes(r chi.Router) {
	r.Get("/play/{revision}/film.m3u8", p.playFilm)
	r.Get("/play/{revision}/picture.m3u8", p.playPicture)
	r.Get("/play/{revision}/{segment}.ts", p.playSegment)
	r.Get("/play/{revision}/sound/{file}", p.playSound)
}

// themes are the themes an order can have.
type themes struct{ *shared }

func (h *themes) routes(r chi.Router) {
	r.Get("/themes", h.themePicker)
	r.Post("/theme", h.takeTheme)
	r.Get("/themes/{theme}/still.jpg", h.themeStill)
	r.Get("/themes/{theme}/loop", h.themeLoop)
}
