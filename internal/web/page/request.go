package page

import (
	"context"
	"mime"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Number reads a whole number from the route.
//
// An order's number may be followed by a point and the frame shape its film is
// seen in (see seen).
func Number(r *http.Request, name string) int64 {
	text := chi.URLParam(r, name)
	if name == "order" {
		text, _, _ = strings.Cut(text, ".")
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return -1 // no row has it: answered as not found
	}
	return n
}

// QueryInt reads a whole number from the query.
func QueryInt(r *http.Request, name string, otherwise int64) int64 {
	n, err := strconv.ParseInt(r.URL.Query().Get(name), 10, 64)
	if err != nil {
		return otherwise
	}
	return n
}

type userKey struct{}

// WithUser is ctx with who is signed in.
func WithUser(ctx context.Context, u *store.User) context.Context {
	return context.WithValue(ctx, userKey{}, u)
}

// User is who is signed in, or nil.
func User(r *http.Request) *store.User { return UserIn(r.Context()) }

// UserIn is who is signed in, by a request's context, or nil.
func UserIn(ctx context.Context) *store.User {
	u, _ := ctx.Value(userKey{}).(*store.User)
	return u
}

// OwnersOnly lets no operator in.
func (s *Shell) OwnersOnly(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if User(r).Role != store.Owner {
			s.Message(w, r, http.StatusForbidden, "For owners",
				"Only an owner of the studio can change its settings.", "/", "To the day sheet")
			return
		}
		next.ServeHTTP(w, r)
	})
}

// ByAddress counts by the address that requests come from (see forwarded).
func ByAddress(r *http.Request) (string, error) {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	return httprate.CanonicalizeIP(host), err
}

// maxSignIn is the largest sign-in form, in bytes.
const maxSignIn = 64 << 10

// SmallForm reads a form, URL-encoded and small, before anything else looks at
// the request: strangers may send what they like.
func SmallForm(next http.Handler) http.Handler {
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

// LocalPath keeps redirects within the application. Browsers pass over tabs and line
// ends in an address, so that "/\t/host" would lead away.
func LocalPath(p string) string {
	odd := func(r rune) bool { return r < ' ' || r == 0x7f || r == '\\' }
	u, err := url.Parse(p)
	if err != nil || u.IsAbs() || u.Host != "" || !strings.HasPrefix(p, "/") || strings.HasPrefix(p, "//") ||
		strings.ContainsFunc(p, odd) || strings.ContainsFunc(u.Path, odd) {
		return "/"
	}
	return p
}

// Posted are the fields of a form; what cannot be read is not there.
func Posted(r *http.Request) url.Values {
	_ = r.ParseForm()
	return r.PostForm
}

// FormInt is a whole number of a form; 0 if it is none.
func FormInt(r *http.Request, name string) int64 {
	n, err := strconv.ParseInt(strings.TrimSpace(r.PostFormValue(name)), 10, 64)
	if err != nil {
		return 0
	}
	return n
}

// FormIDs are the numbers a form names under a name; for rows, none is all.
func FormIDs(r *http.Request, name string) (out []int64, err error) {
	for _, v := range r.PostForm[name] {
		id, err := strconv.ParseInt(v, 10, 64)
		if err != nil {
			return nil, invalid.Field(name, "%q is none of the %s.", v, name)
		}
		out = append(out, id)
	}
	return out, nil
}
