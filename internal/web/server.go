// Package web is the application's face: pages for operators, the link page
// for clients, uploads, health and metrics.
package web

import (
	"cmp"
	"context"
	"encoding/base64"
	"html/template"
	"net/http"
	"net/netip"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/house"
	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/uploads"
	"nelko/internal/web/client"
	"nelko/internal/web/orderpage"
	"nelko/internal/web/page"
	"nelko/internal/web/runpage"
	"nelko/internal/web/signin"
	"nelko/internal/web/studio"
)

// Config is what the server needs.
type Config struct {
	House     *house.House
	BaseURL   string // the address clients reach, e.g. https://films.example
	UploadDir string // where uploads lie until they are whole
	StandIns  bool   // show the stand-ins' pages

	ReadWithin time.Duration // how long a form may take to come; 0: the usual
	SilentFor  time.Duration // how long nothing may come of a file that is sent; 0: the usual

	Proxies []netip.Prefix // whose word is taken for whom they ask for

	VideoHost *standin.Host // the stand-in's; nil: none
	Photos    http.Handler  // the stand-in photo source, at PhotosPath; nil: none
}

// Server serves the application.
type Server struct {
	Config
	*page.Shell
	uploads *uploads.Uploads
	handler http.Handler
}

// New makes a server. Close must be called afterwards.
func New(c Config) (*Server, error) {
	s := &Server{Config: c}
	var err error
	s.Shell, err = page.New(page.Config{
		BaseURL: c.BaseURL,
		Store:   c.House.Accounts.Sessions(),
		Files:   c.House.Blobs,
		Studio:  c.House.Shelf.Studio,
		Nav:     s.nav,
		Funcs: template.FuncMap{
			"pair":    func(a, b any) []any { return []any{a, b} },
			"clock":   timecode.Clock,
			"minutes": page.Minutes,
			"capital": page.Capital,
			"key":     base64.RawURLEncoding.EncodeToString,
			"counted": wording.Counted,
			"quoting": wording.IsolatedQuotes,
			"listed":  func(s []string) string { return strings.Join(s, ", ") },
		},
	})
	if err != nil {
		return nil, err
	}
	if s.uploads, err = uploads.New(uploads.Config{
		Dir:    s.UploadDir,
		Silent: cmp.Or(s.SilentFor, page.UsualSilence),
		Intake: s.House.Intake,
		Runs:   s.House.Runs,
	}); err != nil {
		return nil, err
	}
	s.handler = s.routes()
	return s, nil
}

// Metrics serves figures for Prometheus. It is for an address of its own that
// clients do not reach.
func Metrics() http.Handler {
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.Handler())
	return mux
}

// Close stops background work of the server.
func (s *Server) Close() {
	s.News.Close()
	s.uploads.Close()
}

// ServeHTTP implements http.Handler.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

// PhotosPath is where the stand-in photo source is.
const PhotosPath = "/standins/photos"

func init() { chi.RegisterMethod("PROPFIND") } // WebDAV's

// nav names the pages of the studio for whoever has that role.
func (s *Server) nav(role store.Role) []page.NavItem {
	items := []page.NavItem{
		{Name: "Day sheet", Path: "/"},
		{Name: "Runs", Path: "/runs"},
		{Name: "Queue", Path: "/queue"},
		{Name: "Music", Path: "/music"},
		{Name: "Deliveries", Path: "/deliveries"},
		{Name: "Burner", Path: "/burner"},
	}
	if s.StandIns {
		items = append(items, page.NavItem{Name: "Stand-ins", Path: "/standins"})
	}
	if role == store.Owner {
		items = append(items, page.NavItem{Name: "Settings", Path: "/settings"})
	}
	return items
}

func (s *Server) routes() http.Handler {
	r := chi.NewRouter()
	r.Use(page.Around(page.Bounds{Within: s.ReadWithin, Silent: s.SilentFor, Proxies: s.Proxies})...)
	r.With(page.CacheFor(365*24*time.Hour), middleware.Compress(5)).Handle("/static/"+s.Version+"/*",
		s.Static())
	r.Get("/healthz", s.health)
	client.Routes(r, s.Shell, s.clientRooms())
	if s.VideoHost != nil {
		r.Mount("/standins/host", s.VideoHost)
	}
	if s.Photos != nil {
		r.Mount(PhotosPath, s.Photos)
	}
	door := signin.New(s.Shell, signin.Rooms{
		Accounts: s.House.Accounts,
		Now:      func() time.Time { return s.House.Orders.Now() },
	})
	door.Routes(r, s.operatorRoutes)
	r.NotFound(func(w http.ResponseWriter, r *http.Request) {
		s.Message(w, r, http.StatusNotFound, "Not here", "There is no such page.", "/", "To the day sheet")
	})
	return r
}

func (s *Server) operatorRoutes(r chi.Router) {
	r.Get("/events", s.events)
	r.Handle("/uploads/*", s.uploads.Studio())
	r.Handle("/uploads", s.uploads.Studio())
	orderpage.Routes(r, s.Shell, orderpage.Rooms{
		Orders:      s.House.Orders,
		Intake:      s.House.Intake,
		Looking:     s.House.Looking,
		Making:      s.House.Making,
		Proofs:      s.House.Proofs,
		Delivery:    s.House.Delivery,
		Pressing:    s.House.Pressing,
		Hosting:     s.House.Hosting,
		Interchange: s.House.Interchange,
		Runs:        s.House.Runs,
		Shelf:       s.House.Shelf,
		BeingStored: s.uploads.BeingStored,
	})
	runpage.Routes(r, s.Shell, runpage.Rooms{
		Runs:     s.House.Runs,
		Orders:   s.House.Orders,
		Looking:  s.House.Looking,
		Pressing: s.House.Pressing,
		Shelf:    s.House.Shelf,
	})
	studio.Routes(r, s.Shell, studio.Rooms{
		Accounts:    s.House.Accounts,
		Orders:      s.House.Orders,
		Runs:        s.House.Runs,
		Intake:      s.House.Intake,
		Interchange: s.House.Interchange,
		Making:      s.House.Making,
		Delivery:    s.House.Delivery,
		Pressing:    s.House.Pressing,
		Hosting:     s.House.Hosting,
		Shelf:       s.House.Shelf,
		Blobs:       s.House.Blobs,
		Trail:       s.House.Store.Trail,
		Painting:    s.House.Painting,
		StandIns:    s.StandIns,
		Tray:        &standin.Drive{Store: s.House.Store},
		Mails: func(ctx context.Context) ([]store.StandinMail, error) {
			return standin.Mails(ctx, s.House.Store)
		},
		VideoHost: s.VideoHost,
	})
}
