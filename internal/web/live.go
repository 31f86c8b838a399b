package web

import (
	"context"
	"fmt"
	"net/http"
	"sync"
	"time"

	"nelko/internal/store"
)

// hub tells the open pages what has changed, by server-sent events (HTML
// Living Standard, 9.2), so that a page with nothing new asks for nothing.
type hub struct {
	mu      sync.Mutex
	pages   map[*listener]bool
	closing chan struct{}
	closed  bool
}

// listener is an open page. Several changes before it can be told are one.
type listener struct {
	concerns func(store.Event) bool
	changed  chan struct{}
}

func newHub() *hub { return &hub{pages: map[*listener]bool{}, closing: make(chan struct{})} }

// hear passes an event on to the pages it concerns.
func (h *hub) hear(e store.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for l := range h.pages {
		if e.What != "" && !l.concerns(e) {
			continue
		}
		select {
		case l.changed <- struct{}{}:
		default:
		}
	}
}

func (h *hub) open(concerns func(store.Event) bool) *listener {
	l := &listener{concerns, make(chan struct{}, 1)}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.pages[l] = true
	return l
}

func (h *hub) leave(l *listener) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.pages, l)
}

// close ends all connections, so that the server can stop.
func (h *hub) close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	if !h.closed {
		h.closed = true
		close(h.closing)
	}
}

// Hear tells the pages what changed.
func (s *Server) Hear(e store.Event) { s.hub.hear(e) }

// StopEvents ends the connections by which pages are told of changes. The
// server must be about to stop.
func (s *Server) StopEvents() { s.hub.close() }

// A page is told at most so often, and something is sent at least so often, so
// that a connection that broke is noticed.
const (
	tellEvery = 200 * time.Millisecond
	keepAlive = 25 * time.Second
)

// events is the connection by which a page is told: of an order, or of what
// the day sheet or the queue shows.
func (s *Server) events(w http.ResponseWriter, r *http.Request) {
	order, run, what := queryInt(r, "order", 0), queryInt(r, "run", 0), r.URL.Query().Get("what")
	l := s.hub.open(func(e store.Event) bool {
		switch {
		case order > 0:
			return (e.What == store.OrderChanged && e.ID == order) || e.What == store.StudioChanged || e.What == store.ShelfChanged
		case run > 0:
			return e.What == store.RunChanged && e.ID == run
		case what == "queue":
			return e.What == store.QueueChanged
		}
		return e.What == store.OrderChanged
	})
	defer s.hub.leave(l)
	if order > 0 {
		who := user(r).ID
		// Being here is told of, not depended on: it may fail.
		_ = s.House.Orders.Arrive(r.Context(), order, who)
		defer func() { _ = s.House.Orders.Leave(context.WithoutCancel(r.Context()), order, who) }()
	}
	h := w.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-store")
	h.Set("X-Accel-Buffering", "no") // a proxy must pass it on at once
	c := http.NewResponseController(w)
	beat := time.NewTicker(keepAlive)
	defer beat.Stop()
	// The first words make the browser take the connection for open; it asks
	// again then for what it may have missed.
	text := "retry: 1000\nevent: changed\ndata:\n\n"
	for {
		if _, err := fmt.Fprint(w, text); err != nil || c.Flush() != nil {
			return // the page is gone
		}
		select {
		case <-r.Context().Done():
			return
		case <-s.hub.closing:
			return
		case <-beat.C:
			text = ":\n\n"
			if order > 0 {
				_ = s.House.Orders.Arrive(r.Context(), order, user(r).ID)
			}
			continue
		case <-l.changed:
		}
		text = "event: changed\ndata:\n\n"
		select {
		case <-time.After(tellEvery):
		case <-r.Context().Done():
			return
		case <-s.hub.closing:
			return
		}
	}
}
