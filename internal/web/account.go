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
)

func (s *Server) accountRoutes(r chi.Router) {
	r.Get("/account", s.accountPage)
	// The present password is no easier to guess here than where one signs in.
	guess := httprate.LimitBy(10, time.Minute, byUser, httprate.WithLimitHandler(s.tooManyPasswords))
	r.With(smallForm, guess).Post("/account/password", s.changePassword)
	r.With(smallForm).Post("/account/sessions", s.endSessions)
}

func byUser(r *http.Request) (string, error) { return fmt.Sprint(user(r).ID), nil }

func (s *Server) accountPage(w http.ResponseWriter, r *http.Request) {
	s.showAccount(w, r, http.StatusOK, nil)
}

func (s *Server) showAccount(w http.ResponseWriter, r *http.Request, status int, n *notice) {
	b, err := s.noted(r, "Your account", n)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, status, "account", struct {
		base
		Least int
	}{b, accounts.MinPassword})
}

// accountDone goes on in this session, which is the only one left, or says what is wrong.
func (s *Server) accountDone(w http.ResponseWriter, r *http.Request, u store.User, err error, done string) {
	var input *invalid.Input
	switch {
	case errors.As(err, &input):
		s.showAccount(w, r, http.StatusUnprocessableEntity, &notice{"bad", input.Problem})
		return
	case err == nil:
		err = s.sessions.RenewToken(r.Context())
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.sessions.Put(r.Context(), "era", u.SessionEra)
	s.tell(r, done)
	http.Redirect(w, r, "/account", http.StatusSeeOther)
}

func (s *Server) changePassword(w http.ResponseWriter, r *http.Request) {
	u, err := s.House.Accounts.ChangePassword(r.Context(), user(r).ID, r.PostForm.Get("present"), r.PostForm.Get("password"))
	s.accountDone(w, r, u, err, "Your password is changed. You are signed out everywhere else.")
}

func (s *Server) endSessions(w http.ResponseWriter, r *http.Request) {
	u, err := s.House.Accounts.EndSessions(r.Context(), user(r).ID)
	s.accountDone(w, r, u, err, "You are signed out everywhere else.")
}

// changeUser renames an account, gives it a role, and lets it sign in or not.
func (s *Server) changeUser(w http.ResponseWriter, r *http.Request) {
	f, err := decode[struct {
		Name     string     `form:"name"`
		Role     store.Role `form:"role"`
		Disabled bool       `form:"disabled"`
	}](posted(r))
	if err == nil {
		err = s.House.Accounts.Change(r.Context(), number(r, "user"), accounts.Person{Name: f.Name, Role: f.Role, Disabled: f.Disabled})
	}
	done := f.Name + " is changed."
	if f.Disabled {
		done = f.Name + " cannot sign in any more."
	}
	s.settled(w, r, done, err)
}
