package studio

import (
	"net/http"

	"nelko/internal/standin"
)

// tellHost tells the stand-in how to fail.
func (s *standins) tellHost(w http.ResponseWriter, r *http.Request) {
	s.VideoHost.Tell(standin.HostFailure(r.PostFormValue("fails")))
	http.Redirect(w, r, "/standins", http.StatusSeeOther)
}
