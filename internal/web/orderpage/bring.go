package orderpage

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
func (s *shared) waysIn(ctx context.Context, v *orderView) error {
	h := heldView{Holds: v.Order.Holds, Usual: intake.UsualLimits}
	for i := range v.Media {
		if v.Media[i].Held && v.Media[i].State != store.Refused {
			h.Count++
		}
	}
	page, err := s.Intake.Pages.PageOf(ctx, v.Order.ID)
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
	if s.Intake.Folder != "" {
		h.Folder = fmt.Sprintf("%s/%d", s.Intake.Folder, v.Order.ID)
	}
	v.Held = h
	return nil
}

func (m *material) accept(w http.ResponseWriter, r *http.Request) {
	var only []int64
	if r.PostFormValue("media") != "" {
		only = append(only, page.FormInt(r, "media"))
	}
	n, err := m.Intake.Held.Accept(r.Context(), page.Number(r, "order"), &page.User(r).ID, only...)
	m.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = page.Good("Taken in: " + wording.Counted(n, "file") + ".")
		}
	})
}

func (m *material) holdBack(w http.ResponseWriter, r *http.Request) {
	m.answer(w, r, m.Intake.Held.HoldBack(r.Context(), page.Number(r, "order"),
		r.PostFormValue("holds") != ""), nil)
}

func (m *material) openPage(w http.ResponseWriter, r *http.Request) {
	l := intake.Limits{
		Files: int(page.FormInt(r, "files")),
		GB:    int(page.FormInt(r, "gb")),
		Days:  int(page.FormInt(r, "days")),
	}
	_, err := m.Intake.Pages.OpenPage(r.Context(), page.Number(r, "order"), l)
	m.answer(w, r, err, nil)
}

func (m *material) closePage(w http.ResponseWriter, r *http.Request) {
	m.answer(w, r, m.Intake.Pages.ClosePage(r.Context(), page.Number(r, "order")), nil)
}

// albums is what the photo source has, asked for when it is wanted.
func (m *material) albums(w http.ResponseWriter, r *http.Request) {
	list, err := m.Intake.Source.Albums(r.Context())
	v := struct {
		Order  int64
		Albums []intake.Album
		Wrong  string
	}{Order: page.Number(r, "order"), Albums: list}
	if err != nil {
		v.Wrong = err.Error()
	}
	m.Render(w, r, http.StatusOK, "albums", v)
}

func (m *material) fetchAlbum(w http.ResponseWriter, r *http.Request) {
	a, err := m.Intake.Source.FetchAlbum(r.Context(), page.Number(r, "order"), r.PostFormValue("album"))
	m.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = page.Good(fmt.Sprintf("%s of “%s” are being fetched.",
				wording.Counted(a.Files, "file"), a.Name))
		}
	})
}
