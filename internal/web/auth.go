package web

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

func (s *Server) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := s.Sessions.GetInt64(r.Context(), inUser)
		if id != 0 && s.idle(r) {
			id = 0
		}
		u, err := s.House.Accounts.InSession(r.Context(), id, s.Sessions.GetInt(r.Context(), inEra))
		if id == 0 || errors.Is(err, store.ErrNotFound) {
			s.askSignIn(w, r)
			return
		}
		if err != nil {
			s.Fail(w, r, err)
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
func (s *Server) idle(r *http.Request) bool {
	now := s.House.Orders.Now()
	since := now.Sub(time.Unix(s.Sessions.GetInt64(r.Context(), inUsed), 0))
	if since > noteEvery && since <= idleFor {
		s.Sessions.Put(r.Context(), inUsed, now.Unix())
	}
	return since > idleFor
}

func (s *Server) askSignIn(w http.ResponseWriter, r *http.Request) {
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

func (s *Server) showSignIn(w http.ResponseWriter, r *http.Request, status int, v signInView) {
	st, err := s.House.Shelf.Studio(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v.Title, v.Version, v.Studio, v.Demo, v.At = "Sign in", s.Version, st.Name, st.Demo, s.House.Accounts.PasskeysAt()
	s.Render(w, r, status, "signin", v)
}

func (s *Server) signInPage(w http.ResponseWriter, r *http.Request) {
	s.showSignIn(w, r, http.StatusOK, signInView{Next: localPath(r.URL.Query().Get("next"))})
}

// localPath keeps redirects within the application. Browsers pass over tabs and line
// ends in an address, so that "/\t/host" would lead away.
func localPath(p string) string {
	odd := func(r rune) bool { return r < ' ' || r == 0x7f || r == '\\' }
	u, err := url.Parse(p)
	if err != nil || u.IsAbs() || u.Host != "" || !strings.HasPrefix(p, "/") || strings.HasPrefix(p, "//") || strings.ContainsFunc(p, odd) || strings.ContainsFunc(u.Path, odd) {
		return "/"
	}
	return p
}

func (s *Server) signIn(w http.ResponseWriter, r *http.Request) {
	next := localPath(r.PostForm.Get("next"))
	now := s.House.Orders.Now()
	address, _ := page.ByAddress(r) // empty where there is none
	email, _ := byEmail(r)          // never fails
	keys := []counted{{"address " + address, triesOfAddress}, {"one " + email + " " + address, triesOfOne}}
	if !s.House.Accounts.KnownTo(r.Context(), email, deviceOf(r)) {
		// Last, so that one address alone does not use up what all have.
		keys = append(keys, counted{"account " + email, triesOfAccount})
	}
	for _, k := range keys {
		if !s.tries.take(k.key, k.limit, now) {
			s.tooManySignIns(w, r)
			return
		}
	}
	u, err := s.House.Accounts.SignIn(r.Context(), r.PostForm.Get("email"), r.PostForm.Get("password"))
	if errors.Is(err, accounts.ErrSignIn) {
		s.showSignIn(w, r, http.StatusUnprocessableEntity, signInView{
			Next: next, Email: r.PostForm.Get("email"),
			Notice: page.Bad("E-mail and password do not belong together. Check both and try again."),
		})
		return
	}
	for _, k := range keys {
		s.tries.right(k.key) // or nothing that was guessed, where the database was away
	}
	if err == nil && u.TOTPSecret != "" {
		if err = s.Sessions.RenewToken(r.Context()); err == nil {
			s.Sessions.Put(r.Context(), inHalf, u.ID)
			s.Sessions.Put(r.Context(), inHalfAt, now.Unix())
			s.Sessions.Put(r.Context(), inNext, next)
			http.Redirect(w, r, "/signin/code", http.StatusSeeOther)
			return
		}
	}
	if err == nil {
		err = s.begin(w, r, u, next)
	}
	if err != nil {
		s.Fail(w, r, err)
	}
}

func (s *Server) tooManySignIns(w http.ResponseWriter, r *http.Request) {
	s.showSignIn(w, r, http.StatusTooManyRequests, signInView{
		Next: "/", Notice: page.Bad("Too many tries. Wait some minutes, then try again."),
	})
}

func (s *Server) signOut(w http.ResponseWriter, r *http.Request) {
	if err := s.noteSignOut(r); err != nil {
		s.Fail(w, r, err)
		return
	}
	if err := s.Sessions.Destroy(r.Context()); err != nil {
		s.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/signin", http.StatusSeeOther)
}

// noteSignOut notes who goes; nobody if the session was over already.
func (s *Server) noteSignOut(r *http.Request) error {
	u, err := s.House.Accounts.InSession(r.Context(), s.Sessions.GetInt64(r.Context(), inUser), s.Sessions.GetInt(r.Context(), inEra))
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	return s.House.Accounts.SignedOut(r.Context(), u)
}
