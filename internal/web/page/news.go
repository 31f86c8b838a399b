package page

import (
	"fmt"
	"net/http"
	"sync"
	"time"

	"nelko/internal/store"
)

// News tells the open pages what has changed, by server-sent events (HTML
// Living Standard, 9.2), so that a page with nothing new asks for nothing.
type News struct {
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

func newNews() *News { return &News{pages: map[*listener]bool{}, closing: make(chan struct{})} }

// Hear passes an event on to the pages it concerns.
func (n *News) Hear(e store.Event) {
	n.mu.Lock()
	defer n.mu.Unlock()
	for l := range n.pages {
		if e.What != "" && !l.concerns(e) {
			continue
		}
		select {
		case l.changed <- struct{}{}:
		default:
		}
	}
}

func (n *News) open(concerns func(store.Event) bool) *listener {
	l := &listener{concerns, make(chan struct{}, 1)}
	n.mu.Lock()
	defer n.mu.Unlock()
	n.pages[l] = true
	return l
}

func (n *News) leave(l *listener) {
	n.mu.Lock()
	defer n.mu.Unlock()
	delete(n.pages, l)
}

// Close ends all connections, so that the server can stop.
func (n *News) Close() {
	n.mu.Lock()
	defer n.mu.Unlock()
	if !n.closed {
		n.closed = true
		close(n.closing)
	}
}

// A page is told at most so often, and something is sent at least so often, so
// that a connection that broke is noticed.
const (
	tellEvery = 200 * time.Millisecond
	keepAlive = 25 * time.Second
)

// Stream is a page's connection: it is told of the events that concern it, until it goes or the
// server stops. here is called every now and then meanwhile.
func (n *News) Stream(w http.ResponseWriter, r *http.Request, concerns func(store.Event) bool, here func()) {
	l := n.open(concerns)
	defer n.leave(l)
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
		case <-n.closing:
			return
		case <-beat.C:
			text = ":\n\n"
			here()
			continue
		case <-l.changed:
		}
		text = "event: changed\ndata:\n\n"
		select {
		case <-time.After(tellEvery):
		case <-r.Context().Done():
			return
		case <-n.closing:
			return
		}
	}
}
