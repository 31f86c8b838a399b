package web

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"nelko/internal/store"
	"nelko/internal/studio"
)

func (s *Server) settingsPage(w http.ResponseWriter, r *http.Request) {
	s.showSettings(w, r, http.StatusOK, nil)
}

func (s *Server) showSettings(w http.ResponseWriter, r *http.Request, status int, n *notice) {
	b, err := s.base(r, "Settings")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if n != nil {
		b.Notice = n
	}
	st, err := store.One[store.Studio](s.Studio.Store.DB.WithContext(r.Context()), "id = 1")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	var users []store.User
	if err := s.Studio.Store.DB.WithContext(r.Context()).Order("id").Find(&users).Error; err != nil {
		s.fail(w, r, err)
		return
	}
	own, err := s.Studio.TransitionNames(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, status, "settings", struct {
		base
		Users           []store.User
		Watermark, Mark string
		MarkPicture     *store.Picture
		MaxMarkMB       int
		Transitions     []string
	}{b, users, st.Watermark, st.Mark, st.MarkPicture, studio.MaxMarkBytes >> 20, own})
}

// settled answers a change of the settings: what was done, or what was wrong
// with what was given.
func (s *Server) settled(w http.ResponseWriter, r *http.Request, done string, err error) {
	var invalid *studio.Invalid
	switch {
	case errors.As(err, &invalid):
		s.showSettings(w, r, http.StatusUnprocessableEntity, &notice{"bad", invalid.Problem})
	case err != nil:
		s.fail(w, r, err)
	default:
		s.tell(r, done)
		http.Redirect(w, r, "/settings", http.StatusSeeOther)
	}
}

func (s *Server) forgetTransition(w http.ResponseWriter, r *http.Request) {
	name := r.PostFormValue("name")
	err := s.Studio.ForgetTransition(r.Context(), name)
	s.settled(w, r, fmt.Sprintf("“%s” is no longer offered. Joins set by it stay as they are.", name), err)
}

// maxMark is the longest watermark or mark, in bytes.
const maxMark = 60

func (s *Server) changeStudio(w http.ResponseWriter, r *http.Request) {
	name := r.PostFormValue("name")
	if name == "" || len(name) > 200 {
		s.showSettings(w, r, http.StatusUnprocessableEntity, &notice{"bad", "The studio's name must have 1 to 200 characters."})
		return
	}
	set := map[string]any{"name": name}
	for _, field := range []string{"watermark", "mark"} {
		if !r.PostForm.Has(field) {
			continue
		}
		text := strings.TrimSpace(r.PostForm.Get(field))
		if len(text) > maxMark {
			s.showSettings(w, r, http.StatusUnprocessableEntity, &notice{"bad", fmt.Sprintf("What stands on films may have at most %d characters.", maxMark)})
			return
		}
		set[field] = text
	}
	err := s.Studio.Store.DB.WithContext(r.Context()).Model(&store.Studio{}).Where("id = 1").Updates(set).Error
	s.settled(w, r, "The studio's settings are kept.", err)
}

func (s *Server) addUser(w http.ResponseWriter, r *http.Request) {
	u, err := s.Studio.AddUser(r.Context(), r.PostFormValue("email"), r.PostFormValue("name"), r.PostFormValue("password"), store.Role(r.PostFormValue("role")))
	s.settled(w, r, u.Name+" can sign in now.", err)
}

// changeMark takes a picture in as the studio's mark, or takes it away.
func (s *Server) changeMark(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, studio.MaxMarkBytes+1<<20)
	said, err := s.markFrom(r)
	s.settled(w, r, said, err)
}

// markFrom does what the form of the mark asks, and tells what was done.
func (s *Server) markFrom(r *http.Request) (string, error) {
	f, head, err := r.FormFile("picture")
	if err == nil {
		defer f.Close()
	}
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		return "", &studio.Invalid{Field: "picture", Problem: fmt.Sprintf("The picture cannot be the mark: it is larger than %d MB.", studio.MaxMarkBytes>>20)}
	case r.PostFormValue("remove") != "":
		return "Films rendered from now on are without the picture.", s.Studio.ClearMark(r.Context())
	case err != nil:
		return "", &studio.Invalid{Field: "picture", Problem: "Choose a picture to be the mark."}
	}
	return "The picture stands in the corner of every film rendered from now on.", s.Studio.SetMark(r.Context(), head.Filename, f)
}

// markPicture shows the studio's mark.
func (s *Server) markPicture(w http.ResponseWriter, r *http.Request) {
	st, err := store.One[store.Studio](s.Studio.Store.DB.WithContext(r.Context()), "id = 1")
	if err == nil && st.MarkPicture == nil {
		err = store.ErrNotFound
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	b, err := s.Studio.MarkImage(r.Context(), *st.MarkPicture)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, no-cache")
	_, _ = w.Write(b) // whoever asked is gone
}
