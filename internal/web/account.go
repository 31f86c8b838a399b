package web

import (
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"nelko/internal/accounts"
	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
)

func (s *Server) accountRoutes(r chi.Router) {
	r.Get("/account", s.accountPage)
	// The present password is no easier to guess here than where one signs in.
	guess := httprate.LimitBy(10, time.Minute, byUser, httprate.WithLimitHandler(s.TooOften))
	r.With(page.SmallForm, guess).Post("/account/password", s.changePassword)
	r.With(page.SmallForm).Post("/account/sessions", s.endSessions)
	r.With(page.SmallForm).Post("/account/session", s.endSession)
	r.With(page.SmallForm).Post("/account/second/begin", s.beginSecondStep)
	r.Get("/account/second.png", s.secretPicture)
	r.With(page.SmallForm, guess).Post("/account/second", s.setSecondStep)
	r.With(page.SmallForm, guess).Post("/account/second/drop", s.dropSecondStep)
	r.With(page.SmallForm, guess).Post("/account/passkeys/begin", s.beginPasskey)
	r.Post("/account/passkeys", s.addPasskey)
	r.With(page.SmallForm).Post("/account/passkeys/drop", s.dropPasskey)
}

func byUser(r *http.Request) (string, error) { return fmt.Sprint(page.User(r).ID), nil }

func (s *Server) accountPage(w http.ResponseWriter, r *http.Request) {
	s.showAccount(w, r, http.StatusOK, nil, nil)
}

// mostSessions is how many sessions are shown, those used last.
const mostSessions = 12

// showAccount shows the page of one's own account, and recovery codes that were
// made just now.
func (s *Server) showAccount(w http.ResponseWriter, r *http.Request, status int, n *page.Notice, codes []string) {
	b, err := s.Noted(r, "Your account", n)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	list, err := s.sessionsOf(r, page.User(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	more := max(0, len(list)-mostSessions)
	list = list[:len(list)-more]
	left, err := s.House.Accounts.CodesLeft(r.Context(), page.User(r).ID)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	keys, err := s.House.Accounts.Passkeys(r.Context(), page.User(r).ID)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	secret := ""
	if key := s.pending(r); key != nil {
		secret = key.Secret()
	}
	s.Render(w, r, status, "account", struct {
		page.Base
		Least    int
		Sessions []sessionView
		More     int    // sessions that are not shown
		Secret   string // of an authenticator that is being set up
		Codes    []string
		Left     int64 // recovery codes
		Passkeys []store.Passkey
		At       string // where passkeys can be used
	}{b, accounts.MinPassword, list, more, secret, codes, left, keys, s.House.Accounts.PasskeysAt()})
}

// accountFailed answers what went wrong with a change of one's own account, and
// reports whether anything did.
func (s *Server) accountFailed(w http.ResponseWriter, r *http.Request, err error) bool {
	var input *invalid.Input
	switch {
	case err == nil:
		return false
	case errors.As(err, &input):
		s.showAccount(w, r, http.StatusUnprocessableEntity, page.Bad(input.Problem), nil)
	default:
		s.Fail(w, r, err)
	}
	return true
}

// accountDone goes on in this session, which is the only one left, or says what is wrong.
func (s *Server) accountDone(w http.ResponseWriter, r *http.Request, u store.User, err error, done string) {
	if err == nil {
		err = s.Sessions.RenewToken(r.Context())
	}
	if s.accountFailed(w, r, err) {
		return
	}
	s.Sessions.Put(r.Context(), inEra, u.SessionEra)
	s.Tell(r, done)
	http.Redirect(w, r, "/account", http.StatusSeeOther)
}

func (s *Server) changePassword(w http.ResponseWriter, r *http.Request) {
	u, err := s.House.Accounts.ChangePassword(r.Context(), page.User(r).ID, r.PostForm.Get("present"), r.PostForm.Get("password"))
	s.accountDone(w, r, u, err, "Your password is changed. You are signed out everywhere else.")
}

func (s *Server) endSessions(w http.ResponseWriter, r *http.Request) {
	u, err := s.House.Accounts.EndSessions(r.Context(), page.User(r).ID)
	s.accountDone(w, r, u, err, "You are signed out everywhere else.")
}

// changeUser renames an account, gives it a role, and lets it sign in or not; or
// forgets its second step, or removes it.
func (s *Server) changeUser(w http.ResponseWriter, r *http.Request) {
	f, err := field.Decode[struct {
		Name     string     `form:"name"`
		Role     store.Role `form:"role"`
		Disabled bool       `form:"disabled"`
	}](posted(r))
	who, done := page.Number(r, "user"), ""
	switch act := r.PostForm.Get("act"); {
	case err != nil:
	case act == "second":
		err, done = s.House.Accounts.ForgetSecondStep(r.Context(), who), f.Name+" signs in with the password alone, until another second step is set."
	case act == "remove":
		err, done = s.House.Accounts.Remove(r.Context(), who), "The account is removed. What was done by it keeps its name."
	default:
		err, done = s.House.Accounts.Change(r.Context(), who, accounts.Person{Name: f.Name, Role: f.Role, Disabled: f.Disabled}), f.Name+" is changed."
		if f.Disabled {
			done = f.Name + " cannot sign in any more."
		}
	}
	s.settled(w, r, done, err)
}
