package web

import (
	"mime"
	"net/http"
	"path"

	"nelko/internal/core/doc"
	"nelko/internal/making"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

func (s *Server) thumbnail(w http.ResponseWriter, r *http.Request) {
	sha, err := s.House.Intake.Thumbnail(r.Context(), page.Number(r, "media"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.ServeBlob(w, r, sha, "image/jpeg", "")
}

// mediaFile plays a song or clip. Only sound and moving pictures are given a
// type a browser opens.
func (s *Server) mediaFile(w http.ResponseWriter, r *http.Request) {
	m, err := s.House.Intake.Medium(r.Context(), page.Number(r, "media"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	kind := mime.TypeByExtension(path.Ext(m.Name))
	if len(kind) < 6 || (kind[:6] != "audio/" && kind[:6] != "video/") {
		kind = "application/octet-stream"
	}
	s.ServeBlob(w, r, m.SHA256, kind, "")
}

func (s *Server) film(w http.ResponseWriter, r *http.Request) {
	rd, o, err := s.House.Making.Finished(r.Context(), page.Number(r, "render"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.ServeBlob(w, r, *rd.SHA256, making.Type(rd), making.FileName(o, rd))
}

// filmstrip is a clip from beginning to end as a row of frames.
func (s *Server) filmstrip(w http.ResponseWriter, r *http.Request) {
	m, err := s.House.Intake.Medium(r.Context(), page.Number(r, "media"))
	if err == nil && m.Kind != doc.ClipMedia {
		err = store.ErrNotFound
	}
	var jpg []byte
	if err == nil {
		jpg, err = s.House.Looking.Filmstrip(r.Context(), m)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	page.SendJPEG(w, jpg, "private, max-age=86400, immutable")
}
