package web

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"time"

	"nelko/internal/accounts"
	"nelko/internal/web/page"
)

// inPasskey is what a session holds while a passkey is asked for or made.
const inPasskey = "passkey"

// maxPasskey is the largest answer about a passkey, in bytes.
const maxPasskey = 64 << 10

// ask sends the browser what it is asked about a passkey, and keeps what belongs
// to it.
func (s *Server) ask(w http.ResponseWriter, r *http.Request, options any, state []byte, err error) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Sessions.Put(r.Context(), inPasskey, state)
	s.showOptions(w, options)
}

func (s *Server) showOptions(w http.ResponseWriter, options any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(options) // whoever asked is gone
}

// answered is what the browser answered, and what was kept of the question, which
// is good for one answer.
func (s *Server) answered(w http.ResponseWriter, r *http.Request) (state, answer []byte, err error) {
	state = s.Sessions.PopBytes(r.Context(), inPasskey)
	answer, err = io.ReadAll(http.MaxBytesReader(w, r.Body, maxPasskey))
	return state, answer, err
}

// A stranger's question about a passkey is kept by the browser that asked, not here: nobody who
// asks much keeps others from asking, or leaves anything behind.
const (
	passkeyCookie = "nelko_passkey"
	passkeyPath   = "/signin"
	passkeyFor    = 5 * time.Minute
)

// askPasskey begins to sign in by a passkey.
func (s *Server) askPasskey(w http.ResponseWriter, r *http.Request) {
	options, state, err := s.House.Accounts.AskPasskey()
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	http.SetCookie(w, &http.Cookie{Name: passkeyCookie, Value: s.sealed.seal(state, s.House.Orders.Now().Add(passkeyFor)), Path: passkeyPath,
		MaxAge: int(passkeyFor.Seconds()), HttpOnly: true, SameSite: http.SameSiteStrictMode, Secure: s.HTTPS()})
	s.showOptions(w, options)
}

// byPasskey signs in whose passkey the browser answers with.
func (s *Server) byPasskey(w http.ResponseWriter, r *http.Request) {
	// Wrong answers count by themselves: by them nobody is kept from signing in otherwise.
	address, _ := page.ByAddress(r) // empty where there is none
	key := "passkey " + address
	if !s.tries.take(key, triesOfAddress, s.House.Orders.Now()) {
		http.Error(w, "Too many tries. Wait some minutes, then try again.", http.StatusTooManyRequests)
		return
	}
	answer, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxPasskey))
	if err != nil {
		http.Error(w, "The answer cannot be read.", http.StatusBadRequest)
		return
	}
	var state []byte // none: nobody is signed in by it
	if c, err := r.Cookie(passkeyCookie); err == nil {
		state = s.sealed.open(c.Value, s.House.Orders.Now())
	}
	http.SetCookie(w, &http.Cookie{Name: passkeyCookie, Path: passkeyPath, MaxAge: -1, HttpOnly: true, Secure: s.HTTPS()})
	u, err := s.House.Accounts.ByPasskey(r.Context(), state, answer)
	if errors.Is(err, accounts.ErrSignIn) {
		http.Error(w, "That passkey is not known here. Sign in with the password.", http.StatusUnprocessableEntity)
		return
	}
	if err == nil {
		s.tries.right(key)
		err = s.begin(w, r, u, localPath(r.URL.Query().Get("next")))
	}
	if err != nil {
		s.Fail(w, r, err)
	}
}

// beginPasskey begins to make a passkey, for who knows the present password.
func (s *Server) beginPasskey(w http.ResponseWriter, r *http.Request) {
	options, state, err := s.House.Accounts.BeginPasskey(r.Context(), page.User(r).ID, r.PostForm.Get("present"))
	s.ask(w, r, options, state, err)
}

// addPasskey keeps a passkey that the browser made.
func (s *Server) addPasskey(w http.ResponseWriter, r *http.Request) {
	state, answer, err := s.answered(w, r)
	if err == nil {
		err = s.House.Accounts.AddPasskey(r.Context(), page.User(r).ID, r.URL.Query().Get("name"), state, answer)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Tell(r, "You can sign in with that passkey from now on.")
	w.WriteHeader(http.StatusNoContent)
}

// dropPasskey removes a passkey of one's own.
func (s *Server) dropPasskey(w http.ResponseWriter, r *http.Request) {
	id, err := base64.RawURLEncoding.DecodeString(r.PostForm.Get("passkey"))
	if err != nil {
		http.Error(w, "There is no such passkey.", http.StatusUnprocessableEntity)
		return
	}
	if err := s.House.Accounts.DropPasskey(r.Context(), page.User(r).ID, id); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Tell(r, "That passkey is removed.")
	http.Redirect(w, r, "/account", http.StatusSeeOther)
}
