// Package page is the shell of all pages: sessions, templates, what is said when something goes
// wrong, the frame around a page, and the news that open pages are told of. It knows no room and
// no page.
package page

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"net/http"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"

	"nelko/internal/store"
	assets "nelko/web"
)

// Config is what the shell needs.
type Config struct {
	BaseURL string // the address clients reach, e.g. https://films.example
	Store   scs.Store
	Files   *store.Blobs
	Studio  func(context.Context) (store.Studio, error)
	Nav     func(store.Role) []NavItem // the pages named in the head, for whoever sees it
	Funcs   template.FuncMap           // what templates call, beside what the shell gives them
}

// Shell is around every page.
type Shell struct {
	Config
	Sessions  *scs.SessionManager
	News      *News
	Version   string // of scripts, styles and fonts: a part of their addresses
	templates *template.Template
}

// New makes a shell.
func New(c Config) (*Shell, error) {
	s := &Shell{Config: c, News: newNews(), Sessions: scs.New()}
	s.Sessions.Store = c.Store
	s.Sessions.Lifetime = 14 * 24 * time.Hour
	s.Sessions.Cookie.Name = "nelko"
	s.Sessions.Cookie.HttpOnly = true
	s.Sessions.Cookie.SameSite = http.SameSiteLaxMode
	s.Sessions.Cookie.Secure = s.HTTPS()
	s.Sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) { s.Fail(w, r, err) }
	var err error
	s.templates, err = template.New("").Funcs(template.FuncMap{"away": s.away}).Funcs(c.Funcs).
		ParseFS(assets.Templates, "templates/*.html")
	if err != nil {
		return nil, fmt.Errorf("templates: %w", err)
	}
	s.Version, err = assetVersion()
	return s, err
}

// HTTPS reports whether clients reach the studio by https.
func (s *Shell) HTTPS() bool { return strings.HasPrefix(s.BaseURL, "https://") }

// Execute draws a template.
func (s *Shell) Execute(w io.Writer, name string, data any) error {
	return s.templates.ExecuteTemplate(w, name, data)
}

// Static serves scripts, styles and fonts, at /static/ and their version: those that import one
// another by relative names get those of the same version.
func (s *Shell) Static() http.Handler {
	return http.StripPrefix("/static/"+s.Version, noListing(http.FileServerFS(assets.Assets)))
}

// assetVersion is a hash of all assets, so that browsers keep them until they
// change.
func assetVersion() (string, error) {
	h := sha256.New()
	err := fs.WalkDir(assets.Assets, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(assets.Assets, p)
		h.Write(b)
		return err
	})
	return hex.EncodeToString(h.Sum(nil)[:6]), err
}
