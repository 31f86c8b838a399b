// Package web is the application's face: pages for operators, the link page
// for clients, uploads, health and metrics.
package web

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/house"
	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/uploads"
	assets "nelko/web"
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
	sessions  *scs.SessionManager
	templates *template.Template
	version   string
	uploads   *uploads.Uploads
	tries     *tries
	sealed    *sealed
	hub       *hub
	handler   http.Handler
}

// New makes a server. Close must be called afterwards.
func New(c Config) (*Server, error) {
	s := &Server{Config: c, hub: newHub(), tries: newTries(), sealed: newSealed()}
	s.sessions = scs.New()
	s.sessions.Store = c.House.Accounts.Sessions()
	s.sessions.Lifetime = 14 * 24 * time.Hour
	s.sessions.Cookie.Name = "nelko"
	s.sessions.Cookie.HttpOnly = true
	s.sessions.Cookie.SameSite = http.SameSiteLaxMode
	s.sessions.Cookie.Secure = len(c.BaseURL) > 8 && c.BaseURL[:8] == "https://"
	s.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) { s.fail(w, r, err) }
	if s.SilentFor == 0 {
		s.SilentFor = usualSilence
	}
	if s.ReadWithin == 0 {
		s.ReadWithin = usualWithin
	}
	var err error
	if s.templates, err = template.New("").Funcs(template.FuncMap{"away": s.away, "pair": func(a, b any) []any { return []any{a, b} }, "clock": timecode.Clock, "minutes": minutes, "capital": capital, "key": base64.RawURLEncoding.EncodeToString, "counted": wording.Counted, "quoting": wording.IsolatedQuotes, "listed": func(s []string) string { return strings.Join(s, ", ") }}).ParseFS(assets.Templates, "templates/*.html"); err != nil {
		return nil, fmt.Errorf("templates: %w", err)
	}
	if s.version, err = assetVersion(); err != nil {
		return nil, err
	}
	if s.uploads, err = uploads.New(uploads.Config{
		Dir: s.UploadDir, Silent: s.SilentFor, Intake: s.House.Intake, Runs: s.House.Runs,
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
	s.hub.close()
	s.uploads.Close()
}

// ServeHTTP implements http.Handler.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

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

// PhotosPath is where the stand-in photo source is.
const PhotosPath = "/standins/photos"

func init() { chi.RegisterMethod("PROPFIND") } // WebDAV's

func (s *Server) routes() http.Handler {
	r := chi.NewRouter()
	r.Use(bounded(s.ReadWithin, s.SilentFor), forwarded(s.Proxies), ownID, middleware.RequestID, requestLog, middleware.Recoverer, securityHeaders, wholeText, http.NewCrossOriginProtection().Handler, headAsGet)
	// The version is part of the path, so that scripts that import one another
	// by relative names get those of the same version.
	static := noListing(http.FileServerFS(assets.Assets))
	r.With(cacheFor(365*24*time.Hour), middleware.Compress(5)).Handle("/static/"+s.version+"/*", http.StripPrefix("/static/"+s.version, static))
	r.Get("/healthz", s.health)
	s.clientRoutes(r)
	s.bringRoutes(r)
	if s.VideoHost != nil {
		r.Mount("/standins/host", s.VideoHost)
	}
	if s.Photos != nil {
		r.Mount(PhotosPath, s.Photos)
	}
	// The form is read before the session is looked for.
	r.With(smallForm, s.sessions.LoadAndSave).Post("/signin", s.signIn)
	r.With(smallForm, s.sessions.LoadAndSave).Post("/signin/code", s.tellCode)
	r.With(s.sessions.LoadAndSave).Post("/signin/passkey/begin", s.askPasskey)
	r.With(s.sessions.LoadAndSave).Post("/signin/passkey", s.byPasskey)
	r.Group(func(r chi.Router) {
		r.Use(s.sessions.LoadAndSave)
		r.Get("/signin", s.signInPage)
		r.Get("/signin/code", s.codePage)
		r.Post("/signout", s.signOut)
		r.Group(func(r chi.Router) {
			r.Use(s.signedIn)
			s.operatorRoutes(r)
		})
	})
	r.NotFound(func(w http.ResponseWriter, r *http.Request) {
		s.message(w, r, http.StatusNotFound, "Not here", "There is no such page.", "/", "To the day sheet")
	})
	return r
}

func (s *Server) operatorRoutes(r chi.Router) {
	r.Get("/", s.daySheet)
	s.accountRoutes(r)
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
	r.Group(func(r chi.Router) {
		r.Use(s.ownersOnly)
		r.Get("/settings", s.settingsPage)
		r.Post("/settings/studio", s.changeStudio)
		r.Get("/settings/mark", s.markPicture)
		r.Post("/settings/mark", s.changeMark)
		r.Post("/settings/users", s.addUser)
		r.Post("/settings/users/{user}", s.changeUser)
		r.Post("/settings/host/{act:in|out}", s.signInAtHost)
		r.Get("/settings/host/back", s.backFromHost)
		r.Post("/settings/transitions/forget", s.forgetTransition)
		r.Post("/settings/profiles", s.keepProfile)
		r.Post("/settings/letters", s.changeLetters)
		r.Post("/settings/keeping", s.changeKeeping)
		r.Get("/settings/trail", s.trailPage)
		r.Post("/settings/profiles/forget", s.forgetProfile)
	})
}

func securityHeaders(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; media-src 'self' blob:; worker-src 'self' blob:; "+
			"font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("X-Robots-Tag", "noindex, nofollow, noarchive") // nothing here is for search engines
		next.ServeHTTP(w, r)
	})
}

// wholeText refuses addresses with what cannot be text: NUL, which no field of the
// database takes, and broken UTF-8. Forms are looked at where they are kept.
func wholeText(next http.Handler) http.Handler {
	whole := func(s string) bool { return utf8.ValidString(s) && !strings.ContainsRune(s, 0) }
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		query, err := url.QueryUnescape(r.URL.RawQuery)
		if err != nil || !whole(query) || !whole(r.URL.Path) {
			http.Error(w, "The address holds signs that are no text.", http.StatusBadRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// headAsGet answers HEAD wherever GET is; the server sends no body then. Uploads and
// stand-ins know HEAD themselves.
func headAsGet(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodHead && !beginsWith(r.URL.Path, "/uploads", "/bring-uploads", "/standins/") {
			get := *r
			get.Method = http.MethodGet
			r = &get
		}
		next.ServeHTTP(w, r)
	})
}

// noListing answers for folders as for what is not there.
func noListing(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "" || strings.HasSuffix(r.URL.Path, "/") {
			http.NotFound(w, r)
			return
		}
		next.ServeHTTP(w, r)
	})
}

func cacheFor(d time.Duration) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Cache-Control", fmt.Sprintf("private, max-age=%d, immutable", int(d.Seconds())))
			next.ServeHTTP(w, r)
		})
	}
}

// ownID has every request numbered here: what a stranger calls it would stand in the log.
func ownID(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Header.Del(middleware.RequestIDHeader)
		next.ServeHTTP(w, r)
	})
}

// requestLog writes one line a request, with its id; what repeats all the
// time only when it fails.
func requestLog(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		start := time.Now()
		// Who it is turns out later, in signedIn or by a client's link.
		address, _ := byAddress(r) // empty where there is none
		actor := &store.Actor{Request: middleware.GetReqID(r.Context()), Address: address, Who: "a stranger"}
		if beginsWith(r.URL.Path, "/watch/", "/bring") {
			actor.Who = "a client"
		}
		r = r.WithContext(store.As(r.Context(), actor))
		next.ServeHTTP(ww, r)
		took := time.Since(start)
		countRequest(r, ww.Status(), took)
		level := slog.LevelDebug
		if ww.Status() >= 500 || (r.Method != http.MethodGet && r.Method != http.MethodHead && r.Method != http.MethodPatch) {
			level = slog.LevelInfo
		}
		slog.Log(r.Context(), level, "request", "method", methodOf(r), "path", routePattern(r),
			"status", ww.Status(), "ms", took.Milliseconds())
	})
}

// routePattern is the matched route, which holds no token and no name.
func routePattern(r *http.Request) string {
	if c := chi.RouteContext(r.Context()); c != nil && c.RoutePattern() != "" {
		return c.RoutePattern()
	}
	return "unmatched"
}
