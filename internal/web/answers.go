package web

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/doc"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/store"
)

func (s *Server) health(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
	defer cancel()
	if err := s.House.Store.Ping(ctx); err != nil {
		http.Error(w, "database: cannot be reached", http.StatusServiceUnavailable)
		return
	}
	if err := s.House.Blobs.Here(ctx); err != nil {
		http.Error(w, "files: "+store.ErrAway.Error(), http.StatusServiceUnavailable)
		return
	}
	fmt.Fprintln(w, "ok")
}

// awayText is said on every page while the store of files is away.
const awayText = "The studio’s folder of files is away, as when a mount dropped. What needs it waits, and goes on by itself once it is back; nothing is lost."

// away is awayText while the store of files is away, else empty.
func (s *Server) away() string {
	if s.House.Blobs.Here(context.Background()) != nil {
		return awayText
	}
	return ""
}

// fail answers an error in words and logs what a person need not see.
func (s *Server) fail(w http.ResponseWriter, r *http.Request, err error) {
	var invalid *invalid.Input
	var conflict *orders.Conflict
	switch {
	case errors.As(err, &conflict):
		http.Error(w, conflict.Error(), http.StatusConflict)
	case errors.As(err, &invalid):
		http.Error(w, invalid.Problem, http.StatusUnprocessableEntity)
	case errors.Is(err, store.ErrNotFound):
		s.message(w, r, http.StatusNotFound, "Not here", "What this address names does not exist, or not any more.", "/", "To the day sheet")
	case errors.Is(err, store.ErrAway):
		slog.ErrorContext(r.Context(), "files are away", "path", routePattern(r), "error", err)
		s.message(w, r, http.StatusServiceUnavailable, "Files are away", awayText, r.URL.Path, "Try again")
	case store.Full(err):
		slog.ErrorContext(r.Context(), "the disk is full", "path", routePattern(r), "error", err)
		s.message(w, r, http.StatusInsufficientStorage, "No room", "The studio’s disk is full. Nothing that was kept is lost. Once there is room again, try again.", r.URL.Path, "Try again")
	case store.NoText(err):
		http.Error(w, "What was typed holds signs that are no text. Take them out and try again.", http.StatusBadRequest)
	case r.Context().Err() != nil:
		w.WriteHeader(499) // the browser went away
	default:
		slog.ErrorContext(r.Context(), "request failed", "path", routePattern(r), "error", err)
		s.message(w, r, http.StatusServiceUnavailable, "Not just now",
			"The server cannot do this at the moment; its log says why. Nothing that was kept is lost. Try again in a moment.", r.URL.Path, "Try again")
	}
}

// message shows a page of its own, or plain text to scripts.
func (s *Server) message(w http.ResponseWriter, r *http.Request, status int, title, text, back, backText string) {
	if r.Header.Get("HX-Request") != "" || r.Header.Get("Tus-Resumable") != "" {
		http.Error(w, text, status)
		return
	}
	s.render(w, r, status, "message", map[string]any{"Title": title, "Text": text, "Back": back, "BackText": backText, "Version": s.version})
}

func (s *Server) render(w http.ResponseWriter, r *http.Request, status int, name string, data any) {
	var b buffer
	if err := s.templates.ExecuteTemplate(&b, name, data); err != nil {
		slog.ErrorContext(r.Context(), "template", "name", name, "error", err)
		http.Error(w, "The page cannot be shown; the log says why.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, _ = w.Write(b.Bytes()) // the browser may have gone; there is no one to tell
}

// number reads a whole number from the route.
//
// An order's number may be followed by a point and the frame shape its film is
// seen in (see seen).
func number(r *http.Request, name string) int64 {
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

// seen is the order of a request's address, in the frame shape it is seen in:
// /orders/12 in its first, /orders/12.1080x1920 in that one.
func seen(r *http.Request) orders.Seen {
	of := orders.Seen{Order: number(r, "order")}
	if _, shape, is := strings.Cut(chi.URLParam(r, "order"), "."); is {
		f, err := doc.ParseFrame(shape)
		if err != nil {
			of.Order = -1 // no order is seen so: answered as not found
		}
		of.Shape = f
	}
	return of
}

// seenPath is the order as it is seen in addresses.
func seenPath(d *orders.Dossier) string {
	if shape := d.ShapeName(); shape != "" {
		return fmt.Sprintf("%d.%s", d.Order.ID, shape)
	}
	return strconv.FormatInt(d.Order.ID, 10)
}
