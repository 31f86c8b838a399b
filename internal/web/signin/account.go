package signin

import (
	"errors"
	"fmt"
	"net/http"

	"nelko/internal/accounts"
	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

func byUser(r *http.Request) (string, error) { return fmt.Sprint(page.User(r).ID), nil }

func (a *account) accountPage(w http.ResponseWriter, r *http.Request) {
	a.showAccount(w, r, http.StatusOK, nil, nil)
}

// mostSessions is how many sessions are shown, those used last.
const mostSessions = 12

// showAccount shows the page of one's own account, and recovery codes that were
// made just now.
func (a *account) showAccount(w http.ResponseWriter, r *http.Request, status int, n *page.Notice,
	codes []string) {
	b, err := a.Noted(r, "Your account", n)
	if err != nil {
		a.Fail(w, r, err)
		return
	}
	list, err := a.sessionsOf(r, page.User(r))
	if err != nil {
		a.Fail(w, r, err)
		return
	}
	more := max(0, len(list)-mostSessions)
	list = list[:len(list)-more]
	left, err := a.Accounts.Second.CodesLeft(r.Context(), page.User(r).ID)
	if err != nil {
		a.Fail(w, r, err)
		return
	}
	keys, err := a.Accounts.Keys.Passkeys(r.Context(), page.User(r).ID)
	if err != nil {
		a.Fail(w, r, err)
		return
	}
	secret := ""
	if key := a.pending(r); key != nil {
		secret = key.Secret()
	}
	a.Render(w, r, status, "account", struct {
		page.Base
		Least    int
		Sessions []sessionView
		More     int    // sessions that are not shown
		Secret   string // of an authenticator that is being set up
		Codes    []string
		Left     int64 // recovery codes
		Passkeys []store.Passkey
		At       string // where passkeys can be used
	}{b, accounts.MinPassword, list, more, secret, codes, left, keys, a.Accounts.Keys.PasskeysAt()})
}

// accountFailed answers what went wrong with a change of one's own account, and
// reports whether anything did.
func (a *account) accountFailed(w http.ResponseWriter, r *http.Request, err error) bool {
	var input *invalid.Input
	switch {
	case err == nil:
		return false
	case errors.As(err, &input):
		a.showAccount(w, r, http.StatusUnprocessableEntity, page.Bad(input.Problem), nil)
	default:
		a.Fail(w, r, err)
	}
	return true
}

// accountDone goes on in this session, which is the only one left, or says what is wrong.
func (a *account) accountDone(w http.ResponseWriter, r *http.Request, u store.User, err error, done string) {
	if err == nil {
		err = a.Sessions.RenewToken(r.Context())
	}
	if a.accountFailed(w, r, err) {
		return
	}
	a.Sessions.Put(r.Context(), inEra, u.SessionEra)
	a.Tell(r, done)
	http.Redirect(w, r, "/account", http.StatusSeeOther)
}

func (a *account) changePassword(w http.ResponseWriter, r *http.Request) {
	u, err := a.Accounts.ChangePassword(r.Context(), page.User(r).ID, r.PostForm.Get("present"),
		r.PostForm.Get("password"))
	a.accountDone(w, r, u, err, "Your password is changed. You are signed out everywhere else.")
}

func (a *account) endSessions(w http.ResponseWriter, r *http.Request) {
	u, err := a.Accounts.EndSessions(r.Context(), page.User(r).ID)
	a.accountDone(w, r, u, err, "You are signed out everywhere else.")
}
