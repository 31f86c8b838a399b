package page

import (
	"errors"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"
)

// What is read of a request that says no more of itself: forms are small and
// come at once.
const (
	usualBody   = 4 << 20
	listBody    = 64 << 20 // of a Run: lists and many cells
	usualWithin = 30 * time.Second
	filesWithin = 30 * time.Minute // of a request that brings files
	// UsualSilence is of a file that is sent: after that the connection is taken for lost.
	UsualSilence = 60 * time.Second
)

// bringsFiles reports whether a request's body may be large: its handler limits
// it itself.
func bringsFiles(path string) bool {
	return beginsWith(path, "/uploads", "/bring-uploads", "/standins/", "/orders/open", "/music") ||
		slices.ContainsFunc([]string{"/narration", "/subtitles", "/settings/mark"}, func(p string) bool {
			return strings.HasSuffix(path, p)
		})
}

// beginsWith reports whether an address begins with one of some.
func beginsWith(path string, begins ...string) bool {
	return slices.ContainsFunc(begins, func(b string) bool { return strings.HasPrefix(path, b) })
}

// bounded limits how much of a request's body is read, and for how long it may
// come.
func bounded(within, silent time.Duration) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.ContentLength == 0 {
				next.ServeHTTP(w, r)
				return
			}
			limit := within
			switch {
			case bringsFiles(r.URL.Path):
				limit = filesWithin
			case beginsWith(r.URL.Path, "/runs"):
				limit *= 4
				r.Body = http.MaxBytesReader(w, r.Body, listBody)
			default:
				r.Body = http.MaxBytesReader(w, r.Body, usualBody)
			}
			c := http.NewResponseController(w)
			if bringsFiles(r.URL.Path) {
				// Also of what no handler reads.
				// each read sets it anew, and fails if it cannot be
				_ = c.SetReadDeadline(time.Now().Add(silent))
				r.Body = &unbroken{r.Body, c, silent, time.Now().Add(limit)}
				next.ServeHTTP(w, r)
				return
			}
			if err := c.SetReadDeadline(time.Now().Add(limit)); err == nil {
				r.Body = &timely{r.Body, c}
			}
			next.ServeHTTP(w, r)
		})
	}
}

// unbroken is a body of which something must come again and again, and all before an end.
type unbroken struct {
	io.ReadCloser
	c      *http.ResponseController
	silent time.Duration
	end    time.Time
}

// Read implements io.Reader.
func (u *unbroken) Read(p []byte) (int, error) {
	until := time.Now().Add(u.silent)
	if until.After(u.end) {
		until = u.end
	}
	if err := u.c.SetReadDeadline(until); err != nil {
		return 0, err
	}
	n, err := u.ReadCloser.Read(p)
	if errors.Is(err, io.EOF) {
		_ = u.c.SetReadDeadline(time.Time{}) // it could be set, and so can be taken away
	}
	return n, err
}

// timely is a body that takes the deadline away once it was read, so that
// whatever is done with it may take its time.
type timely struct {
	io.ReadCloser
	c *http.ResponseController
}

// Read implements io.Reader.
func (t *timely) Read(p []byte) (int, error) {
	n, err := t.ReadCloser.Read(p)
	if errors.Is(err, io.EOF) {
		_ = t.c.SetReadDeadline(time.Time{}) // it could be set, and so can be taken away
	}
	return n, err
}
