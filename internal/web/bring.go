package web

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"nelko/internal/core/wording"
	"nelko/internal/intake"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// heldView is what an order holds back, and the ways in beside the page.
type heldView struct {
	Holds  bool
	Count  int
	Said   []string // details the client filled in
	Page   *store.ClientPage
	Link   string // of the client's page
	Until  string
	Usual  intake.Limits
	Folder string // in the watched folder
}

// Waits says what waits to be accepted; empty: nothing.
func (h heldView) Waits() string {
	var parts []string
	if h.Count > 0 {
		parts = append(parts, wording.Counted(h.Count, "file")+" held back")
	}
	if len(h.Said) > 0 {
		parts = append(parts, "filled in by the client: "+strings.Join(h.Said, ", "))
	}
	return strings.Join(parts, "; ")
}

// waysIn fills in what an order holds back, and the other ways in.
func (s *Server) waysIn(ctx context.Context, v *orderView) error {
	h := heldView{Holds: v.Order.Holds, Usual: intake.UsualLimits}
	for i := range v.Media {
		if v.Media[i].Held && v.Media[i].State != store.Refused {
			h.Count++
		}
	}
	page, err := s.House.Intake.PageOf(ctx, v.Order.ID)
	if err != nil {
		return err
	}
	if page != nil {
		for _, x := range v.Theme.Details {
			if said, ok := page.Details[x.Key]; ok && page.SaidAt != nil {
				h.Said = append(h.Said, fmt.Sprintf("%s “%s”", x.Label, said))
			}
		}
		if page.ClosedAt == nil {
			h.Page, h.Link, h.Until = page, strings.TrimRight(s.BaseURL, "/")+"/bring/"+page.Token,
				page.ExpiresAt.Format("2 Jan 2006")
		}
	}
	if s.House.Intake.Folder != "" {
		h.Folder = fmt.Sprintf("%s/%d", s.House.Intake.Folder, v.Order.ID)
	}
	v.Held = h
	return nil
}

func (s *Server) accept(w http.ResponseWriter, r *http.Request) {
	var only []int64
	if m := r.PostFormValue("media"); m != "" {
		only = append(only, formInt(r, "media"))
	}
	n, err := s.House.Intake.Accept(r.Context(), page.Number(r, "order"), &page.User(r).ID, only...)
	s.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = page.Good("Taken in: " + wording.Counted(n, "file") + ".")
		}
	})
}

func (s *Server) holdBack(w http.ResponseWriter, r *http.Request) {
	s.answer(w, r, s.House.Intake.HoldBack(r.Context(), page.Number(r, "order"),
		r.PostFormValue("holds") != ""), nil)
}

func (s *Server) openPage(w http.ResponseWriter, r *http.Request) {
	l := intake.Limits{
		Files: int(formInt(r, "files")),
		GB:    int(formInt(r, "gb")),
		Days:  int(formInt(r, "days")),
	}
	_, err := s.House.Intake.OpenPage(r.Context(), page.Number(r, "order"), l)
	s.answer(w, r, err, nil)
}

func (s *Server) closePage(w http.ResponseWriter, r *http.Request) {
	s.answer(w, r, s.House.Intake.ClosePage(r.Context(), page.Number(r, "order")), nil)
}

// albums is what the photo source has, asked for when it is wanted.
func (s *Server) albums(w http.ResponseWriter, r *http.Request) {
	list, err := s.House.Intake.Albums(r.Context())
	v := struct {
		Order  int64
		Albums []intake.Album
		Wrong  string
	}{Order: page.Number(r, "order"), Albums: list}
	if err != nil {
		v.Wrong = err.Error()
	}
	s.Render(w, r, http.StatusOK, "albums", v)
}

func (s *Server) fetchAlbum(w http.ResponseWriter, r *http.Request) {
	a, err := s.House.Intake.FetchAlbum(r.Context(), page.Number(r, "order"), r.PostFormValue("album"))
	s.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = page.Good(fmt.Sprintf("%s of “%s” are being fetched.",
				wording.Counted(a.Files, "file"), a.Name))
		}
	})
}
