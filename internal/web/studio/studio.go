// Package studio has the pages about the whole studio: the day sheet, the queue, the music, the
// deliveries, the burner, and the settings with the trail of who did what.
package studio

import (
	"context"

	"github.com/go-chi/chi/v5"

	"nelko/internal/accounts"
	"nelko/internal/delivery"
	"nelko/internal/hosting"
	"nelko/internal/intake"
	"nelko/internal/interchange"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/pressing"
	"nelko/internal/runs"
	"nelko/internal/shelf"
	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// Rooms are what the studio's pages call.
type Rooms struct {
	Accounts    *accounts.Accounts
	Orders      *orders.Orders
	Runs        *runs.Runs
	Intake      *intake.Intake
	Interchange *interchange.Interchange
	Making      *making.Making
	Delivery    *delivery.Delivery
	Pressing    *pressing.Pressing
	Hosting     *hosting.Hosting
	Shelf       *shelf.Shelf
	Blobs       *store.Blobs
	Trail       func(context.Context, store.Asked) ([]store.Deed, error)

	// Painting counts the steps of the demo's painting that are left.
	Painting func(context.Context) (int64, error)

	StandIns  bool // the stand-ins' page is shown
	Tray      *standin.Drive
	Mails     func(context.Context) ([]store.StandinMail, error)
	VideoHost *standin.Host // nil: none
}

// shared is what every part of the studio's pages has.
type shared struct {
	*page.Shell
	Rooms
}

// days are the day sheet, the queue and the deliveries of all orders, and how orders begin.
type days struct{ *shared }

// songs are the studio's music.
type songs struct{ *shared }

// drive is the burner, and the discs that are put into it.
type drive struct{ *shared }

// standins is the page of the stand-ins for what is outside.
type standins struct{ *shared }

// settings are the pages of the settings.
type settings struct{ *shared }

// Routes are for operators; the settings are for owners.
func Routes(r chi.Router, shell *page.Shell, rooms Rooms) {
	s := &shared{shell, rooms}
	(&days{s}).routes(r)
	(&songs{s}).routes(r)
	(&drive{s}).routes(r)
	if s.StandIns {
		(&standins{s}).routes(r)
	}
	(&settings{s}).routes(r.With(shell.OwnersOnly))
}

func (d *days) routes(r chi.Router) {
	r.Get("/", d.daySheet)
	r.Get("/orders/new", d.newOrderPage)
	r.Post("/orders", d.newOrder)
	r.Post("/orders/open", d.openZip)
	r.Get("/queue", d.queuePage)
	r.Post("/queue/{render}/{act:first|cancel}", d.actOnQueue)
	r.Get("/find", d.find)
	r.Get("/deliveries", d.deliveriesPage)
	r.Get("/deliveries/{delivery}", d.historyPage)
}

func (g *songs) routes(r chi.Router) {
	r.Get("/music", g.musicPage)
	r.Post("/music", g.addSongs)
	r.Get("/music/{media}/wave.svg", g.songWave)
	r.Post("/music/{media}/note", g.noteSong)
	r.Post("/music/{media}/drop", g.dropSong)
}

func (d *drive) routes(r chi.Router) {
	r.Get("/burner", d.burnerPage)
	r.Post("/burner/{burn}/{act:again|cancel}", d.actOnBurn)
	r.Route("/discs/{disc}", func(r chi.Router) {
		r.Get("/", d.stepPage)
		r.Get("/page/{n}", d.stepShow)
		r.Get("/title/{n}", d.stepShow)
		r.Get("/files/*", d.stepFile)
		r.Get("/face.pdf", d.discFace)
		r.Get("/sleeve.pdf", d.discSleeve)
		r.Get("/image.iso", d.discImage)
	})
}

func (s *standins) routes(r chi.Router) {
	r.Get("/standins", s.mailboxPage)
	r.Post("/standins/drive", s.tellDrive)
	if s.VideoHost != nil {
		r.Post("/standins/tell-host", s.tellHost)
	}
}

func (s *settings) routes(r chi.Router) {
	r.Get("/settings", s.settingsPage)
	r.Post("/settings/studio", s.changeStudio)
	r.Get("/settings/mark", s.markPicture)
	r.Post("/settings/mark", s.changeMark)
	r.Post("/settings/users", s.addUser)
	r.Post("/settings/users/{user}", s.changeUser)
	r.Post("/settings/host/{act:in|out}", s.signInAtHost)
	r.Get("/settings/host/back", s.backFromHost)
	r.Post("/settings/transitions/forget", s.forgetTransition)
	r.Post("/settings/profiles", s.keepProfile)
	r.Post("/settings/letters", s.changeLetters)
	r.Post("/settings/keeping", s.changeKeeping)
	r.Get("/settings/trail", s.trailPage)
	r.Post("/settings/profiles/forget", s.forgetProfile)
}
