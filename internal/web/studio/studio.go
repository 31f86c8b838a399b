// Package studio has the pages on which an owner sets the studio up, and sees who did what.
package studio

import (
	"context"

	"github.com/go-chi/chi/v5"

	"nelko/internal/accounts"
	"nelko/internal/hosting"
	"nelko/internal/shelf"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// Rooms are what the studio's settings call.
type Rooms struct {
	Accounts *accounts.Accounts
	Shelf    *shelf.Shelf
	Hosting  *hosting.Hosting
	Trail    func(context.Context, store.Asked) ([]store.Deed, error)
}

// settings are the pages of the settings.
type settings struct {
	*page.Shell
	Rooms
}

// Routes are for owners.
func Routes(r chi.Router, shell *page.Shell, rooms Rooms) {
	s := &settings{shell, rooms}
	r = r.With(shell.OwnersOnly)
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
