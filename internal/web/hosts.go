package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"nelko/internal/hosting"
	"nelko/internal/invalid"
	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// hostRow is a film on the video host, on the order's page.
type hostRow struct {
	ID                     int64
	Title, Detail, Address string
	Percent                int
	Busy, Failed           bool
}

// hosts fills in an order's films on the video host.
func (v *orderView) hosts(ctx context.Context, s *Server) (err error) {
	if s.House.Hosting.Host == "" {
		return nil
	}
	if v.Host, err = s.House.Hosting.Account(ctx); err != nil {
		return err
	}
	v.Visibilities = hosting.Visibilities
	films, err := s.House.Hosting.Films(ctx, v.Order.ID)
	for _, f := range films {
		v.HostRows = append(v.HostRows, rowOfHosted(f))
	}
	return err
}

func rowOfHosted(f hosting.Film) hostRow {
	row := hostRow{ID: f.DeliveryID, Title: f.Title, Percent: int(100 * f.Sent / max(1, f.Size))}
	switch {
	case f.State == store.DeliveryFailed:
		row.Failed, row.Detail = true, "! "+f.Error
	case f.DoneAt != nil:
		row.Address, row.Detail = f.Address, f.Visibility+", since "+f.DoneAt.Format("2 Jan 15:04")
	case f.Sent == f.Size && f.Size > 0:
		row.Busy, row.Detail = true, "the host works on it"
	default:
		row.Busy, row.Detail = true, fmt.Sprintf("%.1f of %.1f MB sent", float64(f.Sent)/1e6, float64(f.Size)/1e6)
	}
	if row.Busy && f.Error != "" {
		row.Detail += " · " + f.Error + "; it is tried again"
	}
	return row
}

func (s *Server) putOnHost(w http.ResponseWriter, r *http.Request) {
	err := s.House.Hosting.Put(r.Context(), page.Number(r, "order"), hosting.New{Title: r.PostFormValue("title"), Note: r.PostFormValue("note"), Tags: r.PostFormValue("tags"), Visibility: r.PostFormValue("visibility")})
	s.answer(w, r, err, nil)
}

func (s *Server) hostAgain(w http.ResponseWriter, r *http.Request) {
	s.answer(w, r, s.House.Hosting.Again(r.Context(), page.Number(r, "delivery")), nil)
}

// The sign-in under way, kept with the person who does it.
const (
	hostState    = "host_state"
	hostVerifier = "host_verifier"
)

func (s *Server) signInAtHost(w http.ResponseWriter, r *http.Request) {
	if chi.URLParam(r, "act") == "out" {
		if err := s.House.Hosting.SignOut(r.Context()); err != nil {
			s.Fail(w, r, err)
			return
		}
		http.Redirect(w, r, "/settings#host", http.StatusSeeOther)
		return
	}
	address, state, verifier := s.House.Hosting.SignIn()
	s.Sessions.Put(r.Context(), hostState, state)
	s.Sessions.Put(r.Context(), hostVerifier, verifier)
	// A page with a link: the policy lets forms lead to this server only.
	s.Message(w, r, http.StatusOK, "Sign in at the host", "The host asks whether the studio may put films there, and sends you back here.", address, "Go to the host")
}

func (s *Server) backFromHost(w http.ResponseWriter, r *http.Request) {
	state, verifier := s.Sessions.PopString(r.Context(), hostState), s.Sessions.PopString(r.Context(), hostVerifier)
	q := r.URL.Query()
	var err error
	switch {
	case state == "" || q.Get("state") != state:
		err = invalid.Field("host", "This answer of the host belongs to no sign-in that was begun here. Begin again.")
	case q.Get("code") == "":
		err = invalid.Field("host", "The host was told not to sign the studio in.")
	default:
		err = s.House.Hosting.SignedIn(r.Context(), q.Get("code"), verifier)
	}
	var wrong *invalid.Input
	if errors.As(err, &wrong) {
		s.Message(w, r, http.StatusUnprocessableEntity, "Not signed in", wrong.Problem, "/settings#host", "Back to the settings")
		return
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Tell(r, "The studio is signed in at the host.")
	http.Redirect(w, r, "/settings", http.StatusSeeOther)
}

// tellHost tells the stand-in how to fail.
func (s *Server) tellHost(w http.ResponseWriter, r *http.Request) {
	s.VideoHost.Tell(standin.HostFailure(r.PostFormValue("fails")))
	http.Redirect(w, r, "/standins", http.StatusSeeOther)
}
