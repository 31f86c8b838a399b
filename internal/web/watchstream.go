package web

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/making"
	"nelko/internal/store"
)

// watchFilm is the film as a plain file: to play where nothing else works, or
// to download.
func (s *Server) watchFilm(w http.ResponseWriter, r *http.Request) {
	v, ok := s.watched(w, r)
	if !ok {
		return
	}
	rd := v.Render
	if chi.URLParam(r, "render") != "" {
		if rd, ok = s.House.Delivery.SizeOf(r.Context(), v, number(r, "render")); !ok {
			s.fail(w, r, store.ErrNotFound)
			return
		}
	}
	if rd.SHA256 == nil {
		s.fail(w, r, store.ErrNotFound)
		return
	}
	w.Header().Set("Cache-Control", "private, max-age=600")
	name := ""
	if r.URL.Query().Get("download") != "" {
		if !v.Link.Downloadable {
			s.message(w, r, http.StatusForbidden, "Not for download", "This film is for watching here.", "/watch/"+chi.URLParam(r, "token"), "Watch the film")
			return
		}
		of, err := s.House.Delivery.OrderOf(r.Context(), v, rd)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		name = making.FileName(of, rd)
		// A download that is taken up again is still one.
		if from := r.Header.Get("Range"); from == "" || strings.HasPrefix(from, "bytes=0-") {
			if err := s.House.Delivery.CountDownload(r.Context(), v); err != nil {
				s.fail(w, r, err)
				return
			}
		}
	}
	s.serveBlob(w, r, *rd.SHA256, making.Type(rd), name)
}

const m3u8 = "application/vnd.apple.mpegurl"

// watchSizes lists the sizes a film can be streamed in (RFC 8216, 4.3.4); the
// player takes the one the line carries.
func (s *Server) watchSizes(w http.ResponseWriter, r *http.Request) {
	v, ok := s.watched(w, r)
	if !ok {
		return
	}
	w.Header().Set("Content-Type", m3u8)
	w.Header().Set("Cache-Control", "private, max-age=60")
	fmt.Fprint(w, "#EXTM3U\n#EXT-X-VERSION:7\n#EXT-X-INDEPENDENT-SEGMENTS\n")
	// The smallest first: it is the one that plays at once on a poor line.
	for i := len(v.Sizes) - 1; i >= 0; i-- {
		x := v.Sizes[i]
		if x.Stream == nil || x.Seconds <= 0 {
			continue
		}
		average := int(float64(x.Size) * 8 / x.Seconds)
		more := ""
		if h, err := s.House.Making.Head(r.Context(), x); err == nil { // without them it plays all the same
			more = fmt.Sprintf(",RESOLUTION=%dx%d,CODECS=%q", h.W, h.H, h.Codecs)
		}
		fmt.Fprintf(w, "#EXT-X-STREAM-INF:BANDWIDTH=%d,AVERAGE-BANDWIDTH=%d%s\n%d/list.m3u8\n", making.Busiest(x), average, more, x.ID)
	}
}

func (s *Server) streamed(w http.ResponseWriter, r *http.Request) (store.Render, bool) {
	v, ok := s.watched(w, r)
	if !ok {
		return store.Render{}, false
	}
	x, ok := s.House.Delivery.SizeOf(r.Context(), v, number(r, "render"))
	if !ok || x.Stream == nil {
		s.fail(w, r, store.ErrNotFound)
		return x, false
	}
	return x, true
}

func (s *Server) watchList(w http.ResponseWriter, r *http.Request) {
	if x, ok := s.streamed(w, r); ok {
		w.Header().Set("Content-Type", m3u8)
		w.Header().Set("Cache-Control", "private, max-age=600")
		_, _ = w.Write([]byte(x.StreamList)) // whoever asked is gone
	}
}

func (s *Server) watchFragments(w http.ResponseWriter, r *http.Request) {
	if x, ok := s.streamed(w, r); ok {
		w.Header().Set("Cache-Control", "private, max-age=600")
		s.serveBlob(w, r, *x.Stream, making.Type(x), "")
	}
}

func (s *Server) watchCaptions(w http.ResponseWriter, r *http.Request) {
	v, ok := s.watched(w, r)
	if !ok {
		return
	}
	b, _, err := s.House.Making.Captions(r.Context(), v.Render.ID, ".vtt")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/vtt; charset=utf-8")
	_, _ = w.Write(b) // whoever asked is gone
}

// watchCard is the poster of one of several films.
func (s *Server) watchCard(w http.ResponseWriter, r *http.Request) {
	v, ok := s.watched(w, r)
	if !ok {
		return
	}
	x, ok := s.House.Delivery.SizeOf(r.Context(), v, number(r, "render"))
	if !ok || x.Poster == nil {
		s.fail(w, r, store.ErrNotFound)
		return
	}
	s.smallPicture(w, r, *x.Poster)
}

// smallPicture serves a stored picture small, so that it takes little of a poor
// line.
func (s *Server) smallPicture(w http.ResponseWriter, r *http.Request, sha string) {
	b, err := s.House.Looking.Small(r.Context(), sha)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, max-age=600")
	w.Header().Set("ETag", `"small-`+sha+`"`)
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(b))
}

func (s *Server) watchPoster(w http.ResponseWriter, r *http.Request) {
	v, ok := s.watched(w, r)
	if !ok {
		return
	}
	poster := v.Link.Poster
	if poster == nil || !v.First {
		poster = v.Render.Poster
		// The smallest size's: enough, and there at once.
		if n := len(v.Sizes); n > 0 && v.Sizes[n-1].Poster != nil {
			poster = v.Sizes[n-1].Poster
		}
	}
	if poster == nil {
		s.fail(w, r, store.ErrNotFound)
		return
	}
	s.smallPicture(w, r, *poster)
}

func (s *Server) watchPlayed(w http.ResponseWriter, r *http.Request) {
	v, ok := s.watched(w, r)
	if !ok {
		return
	}
	if err := s.House.Delivery.CountView(r.Context(), v); err != nil {
		s.fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
