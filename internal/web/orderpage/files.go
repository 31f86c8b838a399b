package orderpage

import (
	"mime"
	"net/http"
	"path"

	"nelko/internal/core/doc"
	"nelko/internal/making"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

func (m *material) thumbnail(w http.ResponseWriter, r *http.Request) {
	sha, err := m.Intake.Material.Thumbnail(r.Context(), page.Number(r, "media"))
	if err != nil {
		m.Fail(w, r, err)
		return
	}
	m.ServeBlob(w, r, sha, "image/jpeg", "")
}

// mediaFile plays a song or clip. Only sound and moving pictures are given a
// type a browser opens.
func (m *material) mediaFile(w http.ResponseWriter, r *http.Request) {
	medium, err := m.Intake.Medium(r.Context(), page.Number(r, "media"))
	if err != nil {
		m.Fail(w, r, err)
		return
	}
	kind := mime.TypeByExtension(path.Ext(medium.Name))
	if len(kind) < 6 || (kind[:6] != "audio/" && kind[:6] != "video/") {
		kind = "application/octet-stream"
	}
	m.ServeBlob(w, r, medium.SHA256, kind, "")
}

func (h *handing) film(w http.ResponseWriter, r *http.Request) {
	rd, o, err := h.Making.Finished(r.Context(), page.Number(r, "render"))
	if err != nil {
		h.Fail(w, r, err)
		return
	}
	h.ServeBlob(w, r, *rd.SHA256, making.Type(rd), making.FileName(o, rd))
}

// filmstrip is a clip from beginning to end as a row of frames.
func (m *material) filmstrip(w http.ResponseWriter, r *http.Request) {
	medium, err := m.Intake.Medium(r.Context(), page.Number(r, "media"))
	if err == nil && medium.Kind != doc.ClipMedia {
		err = store.ErrNotFound
	}
	var jpg []byte
	if err == nil {
		jpg, err = m.Looking.Filmstrip(r.Context(), medium)
	}
	if err != nil {
		m.Fail(w, r, err)
		return
	}
	page.SendJPEG(w, jpg, "private, max-age=86400, immutable")
}
