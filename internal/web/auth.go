package web

import (
	"context"
	"errors"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/go-chi/httprate"

	"nelko/internal/store"
	"nelko/internal/studio"
)

type userKey struct{}

// user is who is signed in.
func user(r *http.Request) *store.User {
	u, _ := r.Context().Value(userKey{}).(*store.User)
	return u
}

func (s *Server) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := s.sessions.GetInt64(r.Context(), "user")
		u, err := store.One[store.User](s.Studio.Store.DB.WithContext(r.Context()), "id = ?", id)
		if id == 0 || errors.Is(err, store.ErrNotFound) {
			s.askSignIn(w, r)
			return
		}
		if err != nil {
			s.fail(w, r, err)
			return
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), userKey{}, &u)))
	})
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

// byAddress counts sign-in tries by the address they come from, which behind
// a proxy is the proxy's; byEmail by the account they are for.
func byAddress(r *http.Request) (string, error) {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	return httprate.CanonicalizeIP(host), err
}

func byEmail(r *http.Request) (string, error) {
	return strings.ToLower(strings.TrimSpace(r.PostFormValue("email"))), nil
}

type signInView struct {
	Title, Version, Studio, Next, Email string
	Demo                                bool
	Notice                              *notice
}

func (s *Server) showSignIn(w http.ResponseWriter, r *http.Request, status int, v signInView) {
	st, err := store.One[store.Studio](s.Studio.Store.DB.WithContext(r.Context()), "id = 1")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v.Title, v.Version, v.Studio, v.Demo = "Sign in", s.version, st.Name, st.Demo
	s.render(w, r, status, "signin", v)
}

func (s *Server) signInPage(w http.ResponseWriter, r *http.Request) {
	s.showSignIn(w, r, http.StatusOK, signInView{Next: localPath(r.URL.Query().Get("next"))})
}

// localPath keeps redirects within the application.
func localPath(p string) string {
	if !strings.HasPrefix(p, "/") || strings.HasPrefix(p, "//") || strings.Contains(p, `\`) {
		return "/"
	}
	return p
}

func (s *Server) signIn(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
	next := localPath(r.PostFormValue("next"))
	u, err := s.Studio.SignIn(r.Context(), r.PostFormValue("email"), r.PostFormValue("password"))
	if errors.Is(err, studio.ErrSignIn) {
		s.showSignIn(w, r, http.StatusUnprocessableEntity, signInView{
			Next: next, Email: r.PostFormValue("email"),
			Notice: &notice{"bad", "E-mail and password do not belong together. Check both and try again."},
		})
		return
	}
	if err == nil {
		err = s.sessions.RenewToken(r.Context())
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.sessions.Put(r.Context(), "user", u.ID)
	http.Redirect(w, r, next, http.StatusSeeOther)
}

func (s *Server) tooManySignIns(w http.ResponseWriter, r *http.Request) {
	s.showSignIn(w, r, http.StatusTooManyRequests, signInView{
		Next: "/", Notice: &notice{"bad", "Too many tries. Wait a minute, then try again."},
	})
}

func (s *Server) signOut(w http.ResponseWriter, r *http.Request) {
	if err := s.sessions.Destroy(r.Context()); err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/signin", http.StatusSeeOther)
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

func (s *Server) base(r *http.Request, title string) (base, error) {
	st, err := store.One[store.Studio](s.Studio.Store.DB.WithContext(r.Context()), "id = 1")
	if err != nil {
		return base{}, err
	}
	b := base{Title: title, Version: s.version, Studio: st.Name, User: user(r)}
	items := []navItem{{Name: "Day sheet", Path: "/"}, {Name: "Queue", Path: "/queue"}, {Name: "Deliveries", Path: "/deliveries"}}
	if s.StandIns {
		items = append(items, navItem{Name: "Stand-ins", Path: "/standins"})
	}
	if b.User.Role == store.Owner {
		items = append(items, navItem{Name: "Settings", Path: "/settings"})
	}
	for _, i := range items {
		i.Here = i.Path == r.URL.Path
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
