package studio

import (
	"errors"
	"net/http"

	"github.com/go-chi/chi/v5"

	"nelko/internal/invalid"
)

// The sign-in under way, kept with the person who does it.
const (
	hostState    = "host_state"
	hostVerifier = "host_verifier"
)

func (s *settings) signInAtHost(w http.ResponseWriter, r *http.Request) {
	if chi.URLParam(r, "act") == "out" {
		if err := s.Hosting.SignOut(r.Context()); err != nil {
			s.Fail(w, r, err)
			return
		}
		http.Redirect(w, r, "/settings#host", http.StatusSeeOther)
		return
	}
	address, state, verifier := s.Hosting.SignIn()
	s.Sessions.Put(r.Context(), hostState, state)
	s.Sessions.Put(r.Context(), hostVerifier, verifier)
	// A page with a link: the policy lets forms lead to this server only.
	s.Message(w, r, http.StatusOK, "Sign in at the host",
		"The host asks whether the studio may put films there, and sends you back here.", address,
		"Go to the host")
}

func (s *settings) backFromHost(w http.ResponseWriter, r *http.Request) {
	state, verifier := s.Sessions.PopString(r.Context(), hostState), s.Sessions.PopString(r.Context(),
		hostVerifier)
	q := r.URL.Query()
	var err error
	switch {
	case state == "" || q.Get("state") != state:
		err = invalid.Field("host",
			"This answer of the host belongs to no sign-in that was begun here. Begin again.")
	case q.Get("code") == "":
		err = invalid.Field("host", "The host was told not to sign the studio in.")
	default:
		err = s.Hosting.SignedIn(r.Context(), q.Get("code"), verifier)
	}
	var wrong *invalid.Input
	if errors.As(err, &wrong) {
		s.Message(w, r, http.StatusUnprocessableEntity, "Not signed in", wrong.Problem, "/settings#host",
			"Back to the settings")
		return
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Tell(r, "The studio is signed in at the host.")
	http.Redirect(w, r, "/settings", http.StatusSeeOther)
}
