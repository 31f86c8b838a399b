package web

import (
	"context"
	"fmt"
	"net/http"
	"time"

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
