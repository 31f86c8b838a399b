package web

import (
	"context"
	"errors"
	"mime"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/go-chi/httprate"

	"nelko/internal/accounts"
	"nelko/internal/store"
)

type userKey struct{}

// user is who is signed in.
func user(r *http.Request) *store.User {
	u, _ := r.Context().Value(userKey{}).(*store.User)
	return u
}

func (s *Server) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := s.sessions.GetInt64(r.Context(), inUser)
		if id != 0 && s.idle(r) {
			id = 0
		}
		u, err := s.House.Accounts.InSession(r.Context(), id, s.sessions.GetInt(r.Context(), inEra))
		if id == 0 || errors.Is(err, store.ErrNotFound) {
			s.askSignIn(w, r)
			return
		}
		if err != nil {
			s.fail(w, r, err)
			return
		}
		store.ActorOf(r.Context()).Is(u)
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), userKey{}, &u)))
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
	since := now.Sub(time.Unix(s.sessions.GetInt64(r.Context(), inUsed), 0))
	if since > noteEvery && since <= idleFor {
		s.sessions.Put(r.Context(), inUsed, now.Unix())
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

func (s *Server) ownersOnly(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if user(r).Role != store.Owner {
			s.message(w, r, http.StatusForbidden, "For owners", "Only an owner of the studio can change its settings.", "/", "To the day sheet")
			return
		}
		next.ServeHTTP(w, r)
	})
}

// byAddress counts by the address that requests come from (see forwarded);
// byEmail by the account that they are for.
func byAddress(r *http.Request) (string, error) {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	return httprate.CanonicalizeIP(host), err
}

func byEmail(r *http.Request) (string, error) {
	return strings.ToLower(strings.TrimSpace(r.PostForm.Get("email"))), nil
}

// maxSignIn is the largest sign-in form, in bytes.
const maxSignIn = 64 << 10

// smallForm reads a form, URL-encoded and small, before anything else looks at
// the request: strangers may send what they like.
func smallForm(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		kind, _, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
		if err != nil || kind != "application/x-www-form-urlencoded" {
			http.Error(w, "The form must be sent URL-encoded.", http.StatusUnsupportedMediaType)
			return
		}
		r.Body = http.MaxBytesReader(w, r.Body, maxSignIn)
		if err := r.ParseForm(); err != nil {
			w.Header().Set("Connection", "close")
			http.Error(w, "The form is too large or cannot be read.", http.StatusRequestEntityTooLarge)
			return
		}
		next.ServeHTTP(w, r)
	})
}

type signInView struct {
	Title, Version, Studio, Next, Email string
	Demo                                bool
	At                                  string // where passkeys can be used; empty: nowhere
	Notice                              *notice
}

func (s *Server) showSignIn(w http.ResponseWriter, r *http.Request, status int, v signInView) {
	st, err := s.House.Shelf.Studio(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v.Title, v.Version, v.Studio, v.Demo, v.At = "Sign in", s.version, st.Name, st.Demo, s.House.Accounts.PasskeysAt()
	s.render(w, r, status, "signin", v)
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
	address, _ := byAddress(r) // empty where there is none
	email, _ := byEmail(r)     // never fails
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
			Notice: &notice{"bad", "E-mail and password do not belong together. Check both and try again."},
		})
		return
	}
	for _, k := range keys {
		s.tries.right(k.key) // or nothing that was guessed, where the database was away
	}
	if err == nil && u.TOTPSecret != "" {
		if err = s.sessions.RenewToken(r.Context()); err == nil {
			s.sessions.Put(r.Context(), inHalf, u.ID)
			s.sessions.Put(r.Context(), inHalfAt, now.Unix())
			s.sessions.Put(r.Context(), inNext, next)
			http.Redirect(w, r, "/signin/code", http.StatusSeeOther)
			return
		}
	}
	if err == nil {
		err = s.begin(w, r, u, next)
	}
	if err != nil {
		s.fail(w, r, err)
	}
}

func (s *Server) tooManySignIns(w http.ResponseWriter, r *http.Request) {
	s.showSignIn(w, r, http.StatusTooManyRequests, signInView{
		Next: "/", Notice: &notice{"bad", "Too many tries. Wait some minutes, then try again."},
	})
}

func (s *Server) signOut(w http.ResponseWriter, r *http.Request) {
	if err := s.noteSignOut(r); err != nil {
		s.fail(w, r, err)
		return
	}
	if err := s.sessions.Destroy(r.Context()); err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/signin", http.StatusSeeOther)
}

// noteSignOut notes who goes; nobody if the session was over already.
func (s *Server) noteSignOut(r *http.Request) error {
	u, err := s.House.Accounts.InSession(r.Context(), s.sessions.GetInt64(r.Context(), inUser), s.sessions.GetInt(r.Context(), inEra))
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	return s.House.Accounts.SignedOut(r.Context(), u)
}

// notice is a message at the head of a page; Kind is bad, good or empty.
type notice struct{ Kind, Text string }

// base is what every page's frame shows.
type base struct {
	Title, Version, Studio string
	User                   *store.User
	Nav                    []navItem
	Notice                 *notice
}

type navItem struct {
	Name, Path string
	Here       bool
}

// noted is base with a notice of the page's own, if there is one.
func (s *Server) noted(r *http.Request, title string, n *notice) (base, error) {
	b, err := s.base(r, title)
	if n != nil {
		b.Notice = n
	}
	return b, err
}

func (s *Server) base(r *http.Request, title string) (base, error) {
	st, err := s.House.Shelf.Studio(r.Context())
	if err != nil {
		return base{}, err
	}
	b := base{Title: title, Version: s.version, Studio: st.Name, User: user(r)}
	items := []navItem{{Name: "Day sheet", Path: "/"}, {Name: "Runs", Path: "/runs"}, {Name: "Queue", Path: "/queue"}, {Name: "Music", Path: "/music"}, {Name: "Deliveries", Path: "/deliveries"}, {Name: "Burner", Path: "/burner"}}
	if s.StandIns {
		items = append(items, navItem{Name: "Stand-ins", Path: "/standins"})
	}
	if b.User.Role == store.Owner {
		items = append(items, navItem{Name: "Settings", Path: "/settings"})
	}
	for _, i := range items {
		i.Here = i.Path == r.URL.Path || strings.HasPrefix(r.URL.Path, i.Path+"/")
		b.Nav = append(b.Nav, i)
	}
	if k := s.sessions.PopString(r.Context(), "notice"); k != "" {
		b.Notice = &notice{"good", k}
	}
	return b, nil
}

// tell shows a message on the next page.
func (s *Server) tell(r *http.Request, text string) { s.sessions.Put(r.Context(), "notice", text) }

func day(t time.Time) string { return t.Format("Mon 2 Jan") }
