package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"
)

// EachRoute calls do with every route, as the router has it.
func (s *Server) EachRoute(do func(method, pattern string)) error {
	return chi.Walk(s.routes().(chi.Routes), func(method, pattern string, _ http.Handler,
		_ ...func(http.Handler) http.Handler) error {
		do(method, pattern)
		return nil
	})
}
