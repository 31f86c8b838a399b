package signin

import (
	"errors"
	"net/http"
	"net/url"
	"strings"
	"time"

	"nelko/internal/accounts"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

func (d *Door) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := d.Sessions.GetInt64(r.Context(), inUser)
		if id != 0 && d.idle(r) {
			id = 0
		}
		u, err := d.Accounts.InSession(r.Context(), id, d.Sessions.GetInt(r.Context(), inEra))
		if id == 0 || errors.Is(err, store.ErrNotFound) {
			d.askSignIn(w, r)
			return
		}
		if err != nil {
			d.Fail(w, r, err)
			return
		}
		store.ActorOf(r.Context()).Is(u)
		next.ServeHTTP(w, r.WithContext(page.WithUser(r.Context(), &u)))
	})
}

// A session ends when nothing was asked for in it for this long; that it was
// used is noted now and then only, since each note is a write.
const (
	idleFor   = 3 * 24 * time.Hour
	noteEvery = time.Hour
)

// idle reports whether a session was left alone for too long.
func (d *Door) idle(r *http.Request) bool {
	now := d.Now()
	since := now.Sub(time.Unix(d.Sessions.GetInt64(r.Context(), inUsed), 0))
	if since > noteEvery && since <= idleFor {
		d.Sessions.Put(r.Context(), inUsed, now.Unix())
	}
	return since > idleFor
}

func (d *Door) askSignIn(w http.ResponseWriter, r *http.Request) {
	switch {
	case r.Header.Get("HX-Request") != "":
		w.Header().Set("HX-Redirect", "/signin")
		w.WriteHeader(http.StatusUnauthorized)
	case r.Method == http.MethodGet && strings.Contains(r.Header.Get("Accept"), "text/html"):
		http.Redirect(w, r, "/signin?next="+url.QueryEscape(r.URL.RequestURI()), http.StatusSeeOther)
	default:
		http.Error(w, "Sign in first.", http.StatusUnauthorized)
	}
}

// byEmail counts by the account that a sign-in is for.
func byEmail(r *http.Request) (string, error) {
	return strings.ToLower(strings.TrimSpace(r.PostForm.Get("email"))), nil
}

type signInView struct {
	Title, Version, Studio, Next, Email string
	Demo                                bool
	At                                  string // where passkeys can be used; empty: nowhere
	Notice                              *page.Notice
}

func (d *Door) showSignIn(w http.ResponseWriter, r *http.Request, status int, v signInView) {
	st, err := d.Studio(r.Context())
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	v.Title, v.Version, v.Studio, v.Demo, v.At = "Sign in", d.Version, st.Name, st.Demo,
		d.Accounts.Keys.PasskeysAt()
	d.Render(w, r, status, "signin", v)
}

func (d *Door) signInPage(w http.ResponseWriter, r *http.Request) {
	d.showSignIn(w, r, http.StatusOK, signInView{Next: page.LocalPath(r.URL.Query().Get("next"))})
}

func (d *Door) signIn(w http.ResponseWriter, r *http.Request) {
	next := page.LocalPath(r.PostForm.Get("next"))
	now := d.Now()
	address, _ := page.ByAddress(r) // empty where there is none
	email, _ := byEmail(r)          // never fails
	keys := []counted{{"address " + address, triesOfAddress}, {"one " + email + " " + address, triesOfOne}}
	if !d.Accounts.Second.KnownTo(r.Context(), email, deviceOf(r)) {
		// Last, so that one address alone does not use up what all have.
		keys = append(keys, counted{"account " + email, triesOfAccount})
	}
	for _, k := range keys {
		if !d.tries.take(k.key, k.limit, now) {
			d.tooManySignIns(w, r)
			return
		}
	}
	u, err := d.Accounts.SignIn(r.Context(), r.PostForm.Get("email"), r.PostForm.Get("password"))
	if errors.Is(err, accounts.ErrSignIn) {
		d.showSignIn(w, r, http.StatusUnprocessableEntity, signInView{
			Next: next, Email: r.PostForm.Get("email"),
			Notice: page.Bad("E-mail and password do not belong together. Check both and try again."),
		})
		return
	}
	for _, k := range keys {
		d.tries.right(k.key) // or nothing that was guessed, where the database was away
	}
	if err == nil && u.TOTPSecret != "" {
		if err = d.Sessions.RenewToken(r.Context()); err == nil {
			d.Sessions.Put(r.Context(), inHalf, u.ID)
			d.Sessions.Put(r.Context(), inHalfAt, now.Unix())
			d.Sessions.Put(r.Context(), inNext, next)
			http.Redirect(w, r, "/signin/code", http.StatusSeeOther)
			return
		}
	}
	if err == nil {
		err = d.begin(w, r, u, next)
	}
	if err != nil {
		d.Fail(w, r, err)
	}
}

func (d *Door) tooManySignIns(w http.ResponseWriter, r *http.Request) {
	d.showSignIn(w, r, http.StatusTooManyRequests, signInView{
		Next: "/", Notice: page.Bad("Too many tries. Wait some minutes, then try again."),
	})
}

func (d *Door) signOut(w http.ResponseWriter, r *http.Request) {
	if err := d.noteSignOut(r); err != nil {
		d.Fail(w, r, err)
		return
	}
	if err := d.Sessions.Destroy(r.Context()); err != nil {
		d.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/signin", http.StatusSeeOther)
}

// noteSignOut notes who goes; nobody if the session was over already.
func (d *Door) noteSignOut(r *http.Request) error {
	u, err := d.Accounts.InSession(r.Context(), d.Sessions.GetInt64(r.Context(), inUser),
		d.Sessions.GetInt(r.Context(), inEra))
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	return d.Accounts.SignedOut(r.Context(), u)
}
