package web

import (
	"context"
	"net/http"

	"nelko/internal/store"
	"nelko/internal/web/page"
)

// Hear tells the pages what changed.
func (s *Server) Hear(e store.Event) { s.News.Hear(e) }

// StopEvents ends the connections by which pages are told of changes. The
// server must be about to stop.
func (s *Server) StopEvents() { s.News.Close() }

// events is the connection by which a page is told: of an order, or of what
// the day sheet or the queue shows.
func (s *Server) events(w http.ResponseWriter, r *http.Request) {
	order, run, what := page.QueryInt(r, "order", 0), page.QueryInt(r, "run", 0), r.URL.Query().Get("what")
	concerns := func(e store.Event) bool {
		switch {
		case order > 0:
			return (e.What == store.OrderChanged && e.ID == order) || e.What == store.StudioChanged ||
				e.What == store.ShelfChanged
		case run > 0:
			return e.What == store.RunChanged && e.ID == run
		case what == "queue":
			return e.What == store.QueueChanged
		}
		return e.What == store.OrderChanged
	}
	here := func() {}
	if order > 0 {
		// Being here is told of, not depended on: it may fail.
		who := page.User(r).ID
		here = func() { _ = s.House.Orders.Presence.Arrive(r.Context(), order, who) }
		here()
		defer func() { _ = s.House.Orders.Presence.Leave(context.WithoutCancel(r.Context()), order, who) }()
	}
	s.News.Stream(w, r, concerns, here)
}
