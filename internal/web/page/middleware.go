package page

import (
	"cmp"
	"fmt"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"nelko/internal/store"
)

// Bounds are what is read of requests.
type Bounds struct {
	Within  time.Duration  // how long a form may take to come; 0: the usual
	Silent  time.Duration  // how long nothing may come of a file that is sent; 0: UsualSilence
	Proxies []netip.Prefix // whose word is taken for whom they ask for
}

// Around is what every request goes through, outermost first.
func Around(b Bounds) []func(http.Handler) http.Handler {
	return []func(http.Handler) http.Handler{
		bounded(cmp.Or(b.Within, usualWithin), cmp.Or(b.Silent, UsualSilence)),
		forwarded(b.Proxies),
		ownID,
		middleware.RequestID,
		requestLog,
		middleware.Recoverer,
		securityHeaders,
		wholeText,
		http.NewCrossOriginProtection().Handler,
		headAsGet,
	}
}

// securityHeaders keeps pages from loading or being loaded by anything else.
func securityHeaders(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src "+
			"'self'; media-src 'self' blob:; worker-src 'self' blob:; "+
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
		if r.Method == http.MethodHead && !beginsWith(r.URL.Path, "/uploads", "/bring-uploads",
			"/standins/") {
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

// CacheFor has browsers keep an answer.
func CacheFor(d time.Duration) func(http.Handler) http.Handler {
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
		address, _ := ByAddress(r) // empty where there is none
		actor := &store.Actor{Request: middleware.GetReqID(r.Context()), Address: address, Who: "a stranger"}
		if beginsWith(r.URL.Path, "/watch/", "/bring") {
			actor.Who = "a client"
		}
		r = r.WithContext(store.As(r.Context(), actor))
		next.ServeHTTP(ww, r)
		took := time.Since(start)
		countRequest(r, ww.Status(), took)
		level := slog.LevelDebug
		if ww.Status() >= 500 || (r.Method != http.MethodGet && r.Method != http.MethodHead &&
			r.Method != http.MethodPatch) {
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
