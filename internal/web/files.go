package web

import (
	"mime"
	"net/http"
	"path"
	"time"

	"nelko/internal/core/doc"
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

// filmstrip is a clip from beginning to end as a row of frames.
func (s *Server) filmstrip(w http.ResponseWriter, r *http.Request) {
	m, err := s.House.Intake.Medium(r.Context(), number(r, "media"))
	if err == nil && m.Kind != doc.ClipMedia {
		err = store.ErrNotFound
	}
	var jpg []byte
	if err == nil {
		jpg, err = s.House.Looking.Filmstrip(r.Context(), m)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	sendJPEG(w, jpg, "private, max-age=86400, immutable")
}

// sendJPEG answers with a picture, which the browser keeps as it is told.
func sendJPEG(w http.ResponseWriter, jpg []byte, keep string) {
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", keep)
	_, _ = w.Write(jpg) // the browser may have gone
}
