package page

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"mime"
	"net/http"
	"time"

	"nelko/internal/invalid"
	"nelko/internal/store"
)

// awayText is said on every page while the store of files is away.
const awayText = "The studio’s folder of files is away, as when a mount dropped. What needs it waits, and " +
	"goes on by itself once it is back; nothing is lost."

// away is awayText while the store of files is away, else empty.
func (s *Shell) away() string {
	if s.Files.Here(context.Background()) != nil {
		return awayText
	}
	return ""
}

// Conflict is an error of somebody who changed what somebody else had changed meanwhile.
type Conflict interface {
	error
	Conflicts()
}

// Fail answers an error in words and logs what a person need not see.
func (s *Shell) Fail(w http.ResponseWriter, r *http.Request, err error) {
	var invalid *invalid.Input
	var conflict Conflict
	switch {
	case errors.As(err, &conflict):
		http.Error(w, conflict.Error(), http.StatusConflict)
	case errors.As(err, &invalid):
		http.Error(w, invalid.Problem, http.StatusUnprocessableEntity)
	case errors.Is(err, store.ErrNotFound):
		s.Message(w, r, http.StatusNotFound, "Not here",
			"What this address names does not exist, or not any more.", "/", "To the day sheet")
	case errors.Is(err, store.ErrAway):
		slog.ErrorContext(r.Context(), "files are away", "path", routePattern(r), "error", err)
		s.Message(w, r, http.StatusServiceUnavailable, "Files are away", awayText, r.URL.Path, "Try again")
	case store.Full(err):
		slog.ErrorContext(r.Context(), "the disk is full", "path", routePattern(r), "error", err)
		s.Message(w, r, http.StatusInsufficientStorage, "No room",
			"The studio’s disk is full. Nothing that was kept is lost. Once there is room again, try again.",
			r.URL.Path, "Try again")
	case store.NoText(err):
		http.Error(w, "What was typed holds signs that are no text. Take them out and try again.",
			http.StatusBadRequest)
	case r.Context().Err() != nil:
		w.WriteHeader(499) // the browser went away
	default:
		slog.ErrorContext(r.Context(), "request failed", "path", routePattern(r), "error", err)
		s.Message(w, r, http.StatusServiceUnavailable, "Not just now",
			"The server cannot do this at the moment; its log says why. Nothing that was kept is lost. Try "+
				"again in a moment.", r.URL.Path, "Try again")
	}
}

// Message shows a page of its own, or plain text to scripts.
func (s *Shell) Message(w http.ResponseWriter, r *http.Request, status int, title, text, back,
	backText string) {
	if r.Header.Get("HX-Request") != "" || r.Header.Get("Tus-Resumable") != "" {
		http.Error(w, text, status)
		return
	}
	s.Render(w, r, status, "message", map[string]any{
		"Title":    title,
		"Text":     text,
		"Back":     back,
		"BackText": backText,
		"Version":  s.Version,
	})
}

// TooOften answers what was tried too often.
func (s *Shell) TooOften(w http.ResponseWriter, r *http.Request) {
	s.Message(w, r, http.StatusTooManyRequests, "Too often",
		"This was tried too often. Wait a minute, then try again.", "", "")
}

// Render answers with a template.
func (s *Shell) Render(w http.ResponseWriter, r *http.Request, status int, name string, data any) {
	var b bytes.Buffer
	if err := s.Execute(&b, name, data); err != nil {
		slog.ErrorContext(r.Context(), "template", "name", name, "error", err)
		http.Error(w, "The page cannot be shown; the log says why.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, _ = w.Write(b.Bytes()) // the browser may have gone; there is no one to tell
}

// ServeBlob answers with a stored file; parts of it can be asked for.
func (s *Shell) ServeBlob(w http.ResponseWriter, r *http.Request, sha, contentType, name string) {
	b, err := s.Files.Open(r.Context(), sha)
	if err != nil {
		s.Fail(w, r, err)
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

// SendJPEG answers with a picture, which the browser keeps as it is told.
func SendJPEG(w http.ResponseWriter, jpg []byte, keep string) {
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", keep)
	_, _ = w.Write(jpg) // the browser may have gone
}
