// Package signin lets the studio's people in: by password, second step and passkey; and has the page
// of one's own account.
package signin

import (
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"nelko/internal/accounts"
	"nelko/internal/web/page"
)

// Rooms are what signing in calls.
type Rooms struct {
	Accounts *accounts.Accounts
	Now      func() time.Time
}

// Door is where one signs in.
type Door struct {
	*page.Shell
	Rooms
	tries  *tries
	sealed *sealed
}

// New makes a door.
func New(shell *page.Shell, rooms Rooms) *Door {
	return &Door{shell, rooms, newTries(), newSealed()}
}

// Routes are reached by whoever wants in. Within are the pages of those who are.
func (d *Door) Routes(r chi.Router, within func(chi.Router)) {
	session := d.Sessions.LoadAndSave
	// The form is read before the session is looked for.
	r.With(page.SmallForm, session).Post("/signin", d.signIn)
	r.With(page.SmallForm, session).Post("/signin/code", d.tellCode)
	r.With(session).Post("/signin/passkey/begin", d.askPasskey)
	r.With(session).Post("/signin/passkey", d.byPasskey)
	r.Group(func(r chi.Router) {
		r.Use(session)
		r.Get("/signin", d.signInPage)
		r.Get("/signin/code", d.codePage)
		r.Post("/signout", d.signOut)
		r.Group(func(r chi.Router) {
			r.Use(d.signedIn)
			d.own(r)
			within(r)
		})
	})
}

// account is the page of one's own account.
type account struct{ *Door }

// own are the pages of one's own account.
func (d *Door) own(r chi.Router) {
	a := account{d}
	r.Get("/account", a.accountPage)
	// The present password is no easier to guess here than where one signs in.
	guess := httprate.LimitBy(10, time.Minute, byUser, httprate.WithLimitHandler(d.TooOften))
	r.With(page.SmallForm, guess).Post("/account/password", a.changePassword)
	r.With(page.SmallForm).Post("/account/sessions", a.endSessions)
	r.With(page.SmallForm).Post("/account/session", a.endSession)
	r.With(page.SmallForm).Post("/account/second/begin", a.beginSecondStep)
	r.Get("/account/second.png", a.secretPicture)
	r.With(page.SmallForm, guess).Post("/account/second", a.setSecondStep)
	r.With(page.SmallForm, guess).Post("/account/second/drop", a.dropSecondStep)
	r.With(page.SmallForm, guess).Post("/account/passkeys/begin", a.beginPasskey)
	r.Post("/account/passkeys", a.addPasskey)
	r.With(page.SmallForm).Post("/account/passkeys/drop", a.dropPasskey)
}
