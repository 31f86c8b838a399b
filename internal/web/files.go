package web

import (
	"errors"
	"fmt"
	"mime"
	"net/http"
	"path"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/delivery"
	"nelko/internal/making"
	"nelko/internal/store"
)

// serveBlob answers with a stored file; parts of it can be asked for.
func (s *Server) serveBlob(w http.ResponseWriter, r *http.Request, sha, contentType, name string) {
	b, err := s.House.Blobs.Open(r.Context(), sha)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	defer b.Close()
	h := w.Header()
	h.Set("Content-Type", contentType)
	h.Set("ETag", `"`+sha+`"`)
	if h.Get("Cache-Control") == "" {
		h.Set("Cache-Control", "private, max-age=31536000, immutable")
	}
	if name != "" {
		h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	}
	http.ServeContent(w, r, "", time.Time{}, b)
}

func (s *Server) thumbnail(w http.ResponseWriter, r *http.Request) {
	sha, err := s.House.Intake.Thumbnail(r.Context(), number(r, "media"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.serveBlob(w, r, sha, "image/jpeg", "")
}

// mediaFile plays a song or clip. Only sound and moving pictures are given a
// type a browser opens.
func (s *Server) mediaFile(w http.ResponseWriter, r *http.Request) {
	m, err := s.House.Intake.Medium(r.Context(), number(r, "media"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	kind := mime.TypeByExtension(path.Ext(m.Name))
	if len(kind) < 6 || (kind[:6] != "audio/" && kind[:6] != "video/") {
		kind = "application/octet-stream"
	}
	s.serveBlob(w, r, m.SHA256, kind, "")
}

func (s *Server) film(w http.ResponseWriter, r *http.Request) {
	rd, o, err := s.House.Making.Finished(r.Context(), number(r, "render"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.serveBlob(w, r, *rd.SHA256, making.Type(rd), making.FileName(o, rd))
}

// watched finds the film behind a link, or tells the client why not.
func (s *Server) watched(w http.ResponseWriter, r *http.Request) (delivery.Watched, bool) {
	v, err := s.House.Delivery.Open(r.Context(), chi.URLParam(r, "token"))
	switch {
	case errors.Is(err, delivery.ErrClosed):
		s.message(w, r, http.StatusGone, "This link is closed",
			fmt.Sprintf("The film was here until %s. Ask %s for a new link.", v.Link.ExpiresAt.Format("2 January 2006"), v.Studio.Name), "", "")
	case errors.Is(err, store.ErrNotFound):
		s.message(w, r, http.StatusNotFound, "There is no film here", "The address may have been cut short when it was copied. Open it from the mail, or ask for it again.", "", "")
	case err != nil:
		s.fail(w, r, err)
	default:
		return v, true
	}
	return v, false
}

func (s *Server) watch(w http.ResponseWriter, r *http.Request) {
	v, ok := s.watched(w, r)
	if !ok {
		return
	}
	w.Header().Set("Referrer-Policy", "no-referrer") // the address is the key
	s.render(w, r, http.StatusOK, "watch", struct {
		delivery.Watched
		Version, Token, StudioName, Length, Ending string
	}{v, s.version, chi.URLParam(r, "token"), v.Studio.Name, minutes(v.Render.Seconds), making.Extension(v.Render)})
}

func (s *Server) watchFilm(w http.ResponseWriter, r *http.Request) {
	v, ok := s.watched(w, r)
	if !ok {
		return
	}
	w.Header().Set("Cache-Control", "private, max-age=600")
	name := ""
	if r.URL.Query().Get("download") != "" {
		if !v.Link.Downloadable {
			s.message(w, r, http.StatusForbidden, "Not for download", "This film is for watching here.", "/watch/"+chi.URLParam(r, "token"), "Watch the film")
			return
		}
		name = making.FileName(v.Order, v.Render)
	}
	s.serveBlob(w, r, *v.Render.SHA256, making.Type(v.Render), name)
}

func (s *Server) watchPoster(w http.ResponseWriter, r *http.Request) {
	if v, ok := s.watched(w, r); ok {
		w.Header().Set("Cache-Control", "private, max-age=600")
		s.serveBlob(w, r, *v.Render.Poster, "image/jpeg", "")
	}
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
