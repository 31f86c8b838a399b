package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/theme"
	"nelko/internal/core/wording"
	"nelko/internal/intake"
	"nelko/internal/looking"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// bringRoutes are the page on which a client brings material in, without an
// account: its token is the key.
func (s *Server) bringRoutes(r chi.Router) {
	tooMany := httprate.WithLimitHandler(s.tooManyPasswords)
	r.Get("/bring/{token}", s.bringPage)
	r.Get("/bring/{token}/brought", s.brought)
	r.With(httprate.LimitBy(240, time.Minute, byToken, tooMany)).Get("/bring/{token}/opening.jpg", s.bringOpening)
	r.With(smallForm, httprate.LimitBy(30, time.Minute, byToken, tooMany)).Post("/bring/{token}/details", s.bringDetails)
	up := r.With(httprate.LimitBy(1200, time.Minute, byAddress, tooMany))
	up.Handle("/bring-uploads/*", s.uploads.Clients())
	up.Handle("/bring-uploads", s.uploads.Clients())
}

// bringView is the client's page.
type bringView struct {
	intake.Page
	Version, Token, StudioName, Event, Until, Takes, Count string
	Asked                                                  []detailView
	Opening                                                doc.SlideID
	Said, Wrong                                            string
}

// bringing finds the order behind a client's page, or tells the client kindly
// why not.
func (s *Server) bringing(w http.ResponseWriter, r *http.Request) (*bringView, *orders.Dossier, bool) {
	addressIsKey(w)
	v := &bringView{Version: s.version, Token: chi.URLParam(r, "token")}
	var err error
	v.Page, err = s.House.Intake.Page(r.Context(), v.Token)
	switch {
	case errors.Is(err, intake.ErrClosed):
		s.message(w, r, http.StatusGone, "This page is closed", "Nothing can be sent in here any more. Ask the studio for a new link.", "", "")
		return nil, nil, false
	case errors.Is(err, store.ErrNotFound):
		s.message(w, r, http.StatusNotFound, "There is nothing here", "The address may have been cut short when it was copied. Open it from the message, or ask for it again.", "", "")
		return nil, nil, false
	case err != nil:
		s.fail(w, r, err)
		return nil, nil, false
	}
	d, err := s.House.Orders.Load(r.Context(), v.OrderID)
	if err != nil {
		s.fail(w, r, err)
		return nil, nil, false
	}
	v.StudioName, v.Event, v.Until = d.Settings.Name, d.Order.Event, v.ExpiresAt.Format("2 January 2006")
	v.Takes = fmt.Sprintf("%s, %d GB together", wording.Counted(v.Files, "file"), v.Bytes>>30)
	v.Count = broughtInWords(v.Brought)
	for _, x := range d.Theme.Details {
		value, said := v.Details[x.Key]
		if !said {
			value = d.Doc.Details[x.Key]
		}
		v.Asked = append(v.Asked, detailOf(x, value))
	}
	if i := slices.IndexFunc(d.Doc.Slides, func(s doc.Slide) bool { return s.Kind == doc.Opening }); i >= 0 {
		v.Opening = d.Doc.Slides[i].ID
	}
	return v, d, true
}

func broughtInWords(list []store.Media) string {
	here, read := 0, 0
	for i := range list {
		switch list[i].State {
		case store.Ready:
			here++
		case store.Waiting:
			read++
		}
	}
	switch {
	case here+read == 0:
		return "Nothing sent yet."
	case read > 0:
		return fmt.Sprintf("%s here, %d being looked at.", wording.Counted(here, "file"), read)
	}
	return wording.Counted(here, "file") + " here. Thank you."
}

func (s *Server) bringPage(w http.ResponseWriter, r *http.Request) {
	if v, _, ok := s.bringing(w, r); ok {
		s.render(w, r, http.StatusOK, "bring", v)
	}
}

// brought is the part of the page that says what has come.
func (s *Server) brought(w http.ResponseWriter, r *http.Request) {
	if v, _, ok := s.bringing(w, r); ok {
		s.render(w, r, http.StatusOK, "brought", v)
	}
}

// detailsIn are the details of a form by their keys.
func detailsIn(form url.Values) map[string]string {
	out := map[string]string{}
	for name, v := range form {
		if key, ok := strings.CutPrefix(name, "detail-"); ok && len(v) > 0 {
			out[key] = v[0]
		}
	}
	return out
}

func (s *Server) bringDetails(w http.ResponseWriter, r *http.Request) {
	err := s.House.Intake.Say(r.Context(), chi.URLParam(r, "token"), detailsIn(r.PostForm))
	v, _, ok := s.bringing(w, r)
	if !ok {
		return
	}
	status := http.StatusOK
	if v.Said = "Sent. The studio has it."; err != nil {
		v.Said, v.Wrong, status = "", "This was not kept: "+err.Error(), http.StatusUnprocessableEntity
	}
	s.render(w, r, status, "bring", v)
}

// bringOpening is the film's opening as it would be with what the client types.
func (s *Server) bringOpening(w http.ResponseWriter, r *http.Request) {
	v, d, ok := s.bringing(w, r)
	if !ok {
		return
	}
	if v.Opening == "" {
		s.fail(w, r, fmt.Errorf("an opening of order %d: %w", v.OrderID, store.ErrNotFound))
		return
	}
	typed := detailsIn(r.URL.Query())
	for k, value := range typed {
		if !slices.ContainsFunc(d.Theme.Details, func(x theme.Detail) bool { return x.Key == k }) || len(value) > 2000 {
			delete(typed, k)
		}
	}
	jpg, _, err := s.House.Looking.Chosen(r.Context(), orders.Seen{Order: v.OrderID}, "", "", looking.Choice{Slide: v.Opening, Op: edit.Details{Values: typed}, Longer: 640})
	if err != nil {
		s.fail(w, r, err)
		return
	}
	sendJPEG(w, jpg, "no-store")
}

// The operator's side.

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
			h.Page, h.Link, h.Until = page, strings.TrimRight(s.BaseURL, "/")+"/bring/"+page.Token, page.ExpiresAt.Format("2 Jan 2006")
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
	n, err := s.House.Intake.Accept(r.Context(), number(r, "order"), &user(r).ID, only...)
	s.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = &notice{"good", "Taken in: " + wording.Counted(n, "file") + "."}
		}
	})
}

func (s *Server) holdBack(w http.ResponseWriter, r *http.Request) {
	s.answer(w, r, s.House.Intake.HoldBack(r.Context(), number(r, "order"), r.PostFormValue("holds") != ""), nil)
}

func (s *Server) openPage(w http.ResponseWriter, r *http.Request) {
	l := intake.Limits{Files: int(formInt(r, "files")), GB: int(formInt(r, "gb")), Days: int(formInt(r, "days"))}
	_, err := s.House.Intake.OpenPage(r.Context(), number(r, "order"), l)
	s.answer(w, r, err, nil)
}

func (s *Server) closePage(w http.ResponseWriter, r *http.Request) {
	s.answer(w, r, s.House.Intake.ClosePage(r.Context(), number(r, "order")), nil)
}

// albums is what the photo source has, asked for when it is wanted.
func (s *Server) albums(w http.ResponseWriter, r *http.Request) {
	list, err := s.House.Intake.Albums(r.Context())
	v := struct {
		Order  int64
		Albums []intake.Album
		Wrong  string
	}{Order: number(r, "order"), Albums: list}
	if err != nil {
		v.Wrong = err.Error()
	}
	s.render(w, r, http.StatusOK, "albums", v)
}

func (s *Server) fetchAlbum(w http.ResponseWriter, r *http.Request) {
	a, err := s.House.Intake.FetchAlbum(r.Context(), number(r, "order"), r.PostFormValue("album"))
	s.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = &notice{"good", fmt.Sprintf("%s of “%s” are being fetched.", wording.Counted(a.Files, "file"), a.Name)}
		}
	})
}
