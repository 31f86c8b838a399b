package client

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/wording"
	"nelko/internal/intake"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// bringView is the client's page.
type bringView struct {
	intake.Page
	Version, Token, StudioName, Event, Until, Takes, Count string
	Asked                                                  []page.Detail
	Opening                                                bool // it can be looked at
	Said, Wrong                                            string
}

// bringing finds what a client's page is for, or tells the client kindly why not.
func (b bringer) bringing(w http.ResponseWriter, r *http.Request) (*bringView, bool) {
	addressIsKey(w)
	v := &bringView{Version: b.Version, Token: chi.URLParam(r, "token")}
	of, err := b.Pages.Page(r.Context(), v.Token)
	if err != nil {
		b.closed(w, r, err)
		return nil, false
	}
	v.Page, v.StudioName, v.Event, v.Asked, v.Opening = of.Page, of.Studio, of.Event, of.Asked, of.Opening
	v.Until = v.ExpiresAt.Format("2 January 2006")
	v.Takes = fmt.Sprintf("%s, %d GB together", wording.Counted(v.Files, "file"), v.Bytes>>30)
	v.Count = broughtInWords(v.Brought)
	return v, true
}

// closed tells a client kindly why a page cannot be had.
func (b bringer) closed(w http.ResponseWriter, r *http.Request, err error) {
	switch {
	case errors.Is(err, intake.ErrClosed):
		b.Message(w, r, http.StatusGone, "This page is closed",
			"Nothing can be sent in here any more. Ask the studio for a new link.", "", "")
	case errors.Is(err, store.ErrNotFound):
		b.Message(w, r, http.StatusNotFound, "There is nothing here",
			"The address may have been cut short when it was copied. Open it from the message, or ask for "+
				"it again.", "", "")
	default:
		b.Fail(w, r, err)
	}
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

func (b bringer) bringPage(w http.ResponseWriter, r *http.Request) {
	if v, ok := b.bringing(w, r); ok {
		b.Render(w, r, http.StatusOK, "bring", v)
	}
}

// brought is the part of the page that says what has come.
func (b bringer) brought(w http.ResponseWriter, r *http.Request) {
	if v, ok := b.bringing(w, r); ok {
		b.Render(w, r, http.StatusOK, "brought", v)
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

func (b bringer) bringDetails(w http.ResponseWriter, r *http.Request) {
	err := b.Pages.Say(r.Context(), chi.URLParam(r, "token"), detailsIn(r.PostForm))
	v, ok := b.bringing(w, r)
	if !ok {
		return
	}
	status := http.StatusOK
	if v.Said = "Sent. The studio has it."; err != nil {
		v.Said, v.Wrong, status = "", "This was not kept: "+err.Error(), http.StatusUnprocessableEntity
	}
	b.Render(w, r, status, "bring", v)
}

// bringOpening is the film's opening as it would be with what the client types.
func (b bringer) bringOpening(w http.ResponseWriter, r *http.Request) {
	addressIsKey(w)
	jpg, err := b.Pages.Opening(r.Context(), chi.URLParam(r, "token"), detailsIn(r.URL.Query()))
	if err != nil {
		b.closed(w, r, err)
		return
	}
	page.SendJPEG(w, jpg, "no-store")
}
