// Package web is the application's face: pages for operators, the link page
// for clients, uploads, health and metrics.
package web

import (
	"cmp"
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
	"nelko/internal/web/page"
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
	r.Get("/", s.daySheet)
	r.Get("/events", s.events)
	r.Get("/orders/new", s.newOrderPage)
	r.Post("/orders", s.newOrder)
	r.Post("/orders/open", s.openZip)
	r.Get("/media/{media}/thumb", s.thumbnail)
	r.Get("/media/{media}/file", s.mediaFile)
	r.Get("/media/{media}/strip", s.filmstrip)
	r.Get("/renders/{render}/film.{ending}", s.film)
	r.Get("/renders/{render}/captions.{ending:srt|vtt}", s.captions)
	r.Get("/queue", s.queuePage)
	r.Post("/queue/{render}/{act:first|cancel}", s.actOnQueue)
	r.Get("/find", s.find)
	s.runRoutes(r)
	s.musicRoutes(r)
	s.discRoutes(r)
	r.Get("/deliveries", s.deliveriesPage)
	r.Get("/deliveries/{delivery}", s.historyPage)
	r.Handle("/uploads/*", s.uploads.Studio())
	r.Handle("/uploads", s.uploads.Studio())
	if s.StandIns {
		r.Get("/standins", s.mailboxPage)
	}
	r.Route("/orders/{order}", func(r chi.Router) {
		r.Get("/", s.orderPage)
		r.Get("/live", s.orderLive)
		r.Get("/{leaf:material|soundtrack|check|deliveries}", s.orderPage)
		r.Get("/margin", s.orderMargin)
		r.Get("/frame", s.orderFrame)
		r.Get("/held", s.held)
		r.Get("/recast", s.recast)
		r.Get("/shapes", s.shapes)
		r.Get("/like", s.like)
		r.Get("/presets", s.presetNames)
		r.Post("/presets", s.keepPreset)
		r.Post("/presets/give", s.givePreset)
		r.Post("/presets/forget", s.forgetPreset)
		r.Get("/try/{op}", s.tryEdit)
		r.Get("/moment", s.orderMoment)
		r.Post("/as-pattern", s.givePart)
		r.Get("/themes", s.themePicker)
		r.Post("/theme", s.takeTheme)
		r.Post("/transitions", s.keepTransition)
		r.Get("/themes/{theme}/still.jpg", s.themeStill)
		r.Get("/themes/{theme}/loop", s.themeLoop)
		r.Get("/play/{revision}/film.m3u8", s.playFilm)
		r.Get("/play/{revision}/picture.m3u8", s.playPicture)
		r.Get("/play/{revision}/{segment}.ts", s.playSegment)
		r.Get("/play/{revision}/sound/{file}", s.playSound)
		r.Post("/head", s.changeHead)
		r.Post("/{act:archive|delete|restore|copy}", s.actOnOrder)
		r.Post("/edit/{op}", s.editOrder)
		r.Get("/history", s.pastPage)
		r.Post("/history/{step}", s.goTo)
		r.Post("/meant", s.mean)
		r.Post("/undo", s.undo)
		r.Post("/redo", s.redo)
		r.Post("/media/{media}/dismiss", s.dismiss)
		r.Post("/media/{media}/erase", s.eraseMedium)
		r.Post("/erase", s.eraseMedia)
		r.Post("/media/{media}/stars", s.rate)
		r.Post("/media/{media}/time", s.retime)
		r.Post("/clock", s.shiftClock)
		r.Get("/{file:cut.otio|contact-sheet.pdf|running-order.pdf}", s.orderFile)
		r.Get("/order.zip", s.orderZip)
		r.Post("/subtitles", s.takeSubtitles)
		r.Get("/captions.{ending:srt|vtt}", s.captionsNow)
		r.Post("/accept", s.accept)
		r.Post("/music", s.takeSong)
		r.Post("/narration", s.takeNarration)
		r.Get("/soundtrack.{kind:m3u8|xspf}", s.writePlaylist)
		r.Get("/why", s.why)
		r.Get("/remedies", s.remedies)
		r.Get("/beats", s.heldBeats)
		r.Get("/version", s.tryVersion)
		r.Get("/version.wav", s.versionSound)
		r.Post("/playlist", s.readPlaylist)
		r.Post("/holds", s.holdBack)
		r.Post("/page", s.openPage)
		r.Post("/page/close", s.closePage)
		r.Get("/albums", s.albums)
		r.Post("/albums", s.fetchAlbum)
		r.Post("/renders", s.startRender)
		r.Post("/renders/{render}/cancel", s.cancelRender)
		r.Post("/renders/{render}/again", s.renderAgain)
		r.Post("/renders/{render}/anew", s.renderAnew)
		r.Post("/renders/{render}/put", s.putFile)
		r.Post("/files/{delivery}/settle", s.settleFile)
		r.Post("/deliveries/{delivery}/again", s.sendAgain)
		r.Post("/deliveries/{delivery}/giveup", s.giveUp)
		r.Post("/proof", s.sendProof)
		r.Post("/approval", s.askApproval)
		r.Post("/remarks/{remark}/answer", s.answerRemark)
		r.Post("/remarks/{remark}/tick", s.tickRemark)
		r.Post("/discs", s.makeDisc)
		r.Post("/discs/{disc}/{act:again|close|handed|burn}", s.actOnDisc)
		r.Post("/host", s.putOnHost)
		r.Post("/host/{delivery}/again", s.hostAgain)
		r.Post("/links", s.makeLink)
		r.Post("/card.pdf", s.card)
		r.Post("/links/{link}/close", s.closeLink)
	})
	studio.Routes(r, s.Shell, studio.Rooms{
		Accounts: s.House.Accounts,
		Shelf:    s.House.Shelf,
		Hosting:  s.House.Hosting,
		Trail:    s.House.Store.Trail,
	})
}
