package page

import (
	"net/http"
	"strings"

	"nelko/internal/store"
)

// Notice is a message at the head of a page; Kind is bad, good or empty.
type Notice struct{ Kind, Text string }

// Good is a notice of what was done.
func Good(text string) *Notice { return &Notice{Kind: "good", Text: text} }

// Bad is a notice of what was not done, and why.
func Bad(text string) *Notice { return &Notice{Kind: "bad", Text: text} }

// Base is what every page's frame shows.
type Base struct {
	Title, Version, Studio string
	User                   *store.User
	Nav                    []NavItem
	Notice                 *Notice
}

// NavItem is a page named in the head.
type NavItem struct {
	Name, Path string
	Here       bool
}

// Noted is base with a notice of the page's own, if there is one.
func (s *Shell) Noted(r *http.Request, title string, n *Notice) (Base, error) {
	b, err := s.Base(r, title)
	if n != nil {
		b.Notice = n
	}
	return b, err
}

// Base is the frame of a page that whoever is signed in sees.
func (s *Shell) Base(r *http.Request, title string) (Base, error) {
	st, err := s.Studio(r.Context())
	if err != nil {
		return Base{}, err
	}
	b := Base{Title: title, Version: s.Version, Studio: st.Name, User: User(r)}
	for _, i := range s.Nav(b.User.Role) {
		i.Here = i.Path == r.URL.Path || strings.HasPrefix(r.URL.Path, i.Path+"/")
		b.Nav = append(b.Nav, i)
	}
	if k := s.Sessions.PopString(r.Context(), "notice"); k != "" {
		b.Notice = Good(k)
	}
	return b, nil
}

// Tell shows a message on the next page.
func (s *Shell) Tell(r *http.Request, text string) { s.Sessions.Put(r.Context(), "notice", text) }
