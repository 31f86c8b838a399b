package signin

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
func (a *account) ask(w http.ResponseWriter, r *http.Request, options any, state []byte, err error) {
	if err != nil {
		a.Fail(w, r, err)
		return
	}
	a.Sessions.Put(r.Context(), inPasskey, state)
	a.showOptions(w, options)
}

func (d *Door) showOptions(w http.ResponseWriter, options any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(options) // whoever asked is gone
}

// answered is what the browser answered, and what was kept of the question, which
// is good for one answer.
func (a *account) answered(w http.ResponseWriter, r *http.Request) (state, answer []byte, err error) {
	state = a.Sessions.PopBytes(r.Context(), inPasskey)
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
func (d *Door) askPasskey(w http.ResponseWriter, r *http.Request) {
	options, state, err := d.Accounts.Keys.AskPasskey()
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	http.SetCookie(w, &http.Cookie{
		Name:     passkeyCookie,
		Value:    d.sealed.seal(state, d.Now().Add(passkeyFor)),
		Path:     passkeyPath,
		MaxAge:   int(passkeyFor.Seconds()),
		HttpOnly: true,
		SameSite: http.SameSiteStrictMode,
		Secure:   d.HTTPS(),
	})
	d.showOptions(w, options)
}

// byPasskey signs in whose passkey the browser answers with.
func (d *Door) byPasskey(w http.ResponseWriter, r *http.Request) {
	// Wrong answers count by themselves: by them nobody is kept from signing in otherwise.
	address, _ := page.ByAddress(r) // empty where there is none
	key := "passkey " + address
	if !d.tries.take(key, triesOfAddress, d.Now()) {
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
		state = d.sealed.open(c.Value, d.Now())
	}
	http.SetCookie(w, &http.Cookie{
		Name:     passkeyCookie,
		Path:     passkeyPath,
		MaxAge:   -1,
		HttpOnly: true,
		Secure:   d.HTTPS(),
	})
	u, err := d.Accounts.Keys.ByPasskey(r.Context(), state, answer)
	if errors.Is(err, accounts.ErrSignIn) {
		http.Error(w, "That passkey is not known here. Sign in with the password.",
			http.StatusUnprocessableEntity)
		return
	}
	if err == nil {
		d.tries.right(key)
		err = d.begin(w, r, u, page.LocalPath(r.URL.Query().Get("next")))
	}
	if err != nil {
		d.Fail(w, r, err)
	}
}

// beginPasskey begins to make a passkey, for who knows the present password.
func (a *account) beginPasskey(w http.ResponseWriter, r *http.Request) {
	options, state, err := a.Accounts.Keys.BeginPasskey(r.Context(), page.User(r).ID,
		r.PostForm.Get("present"))
	a.ask(w, r, options, state, err)
}

// addPasskey keeps a passkey that the browser made.
func (a *account) addPasskey(w http.ResponseWriter, r *http.Request) {
	state, answer, err := a.answered(w, r)
	if err == nil {
		err = a.Accounts.Keys.AddPasskey(r.Context(), page.User(r).ID, r.URL.Query().Get("name"), state,
			answer)
	}
	if err != nil {
		a.Fail(w, r, err)
		return
	}
	a.Tell(r, "You can sign in with that passkey from now on.")
	w.WriteHeader(http.StatusNoContent)
}

// dropPasskey removes a passkey of one's own.
func (a *account) dropPasskey(w http.ResponseWriter, r *http.Request) {
	id, err := base64.RawURLEncoding.DecodeString(r.PostForm.Get("passkey"))
	if err != nil {
		http.Error(w, "There is no such passkey.", http.StatusUnprocessableEntity)
		return
	}
	if err := a.Accounts.Keys.DropPasskey(r.Context(), page.User(r).ID, id); err != nil {
		a.Fail(w, r, err)
		return
	}
	a.Tell(r, "That passkey is removed.")
	http.Redirect(w, r, "/account", http.StatusSeeOther)
}
