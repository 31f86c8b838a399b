package web

import (
	"errors"
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// pastView is the history of an order's film.
type pastView struct {
	page.Base
	Order          store.Order
	Head           int
	Steps          []orders.Past
	Earlier, Later int // two steps that are compared; 0: none
	Differs        string
}

// pastPage shows what was done to an order's film, by whom and when. Any step
// can be gone back to, any two compared.
func (s *Server) pastPage(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "order")
	wk, err := s.House.Orders.Load(r.Context(), id)
	v := pastView{}
	if err == nil {
		v.Base, err = s.Base(r, "History of "+wk.Order.Client)
	}
	if err == nil {
		v.Order, v.Head = wk.Order, wk.Slideshow.Head
		v.Steps, err = s.House.Orders.History(r.Context(), id)
	}
	a, b := int(page.QueryInt(r, "compare", 0)), int(page.QueryInt(r, "with", int64(v.Head)))
	if err == nil && a > 0 {
		v.Earlier, v.Later = min(a, b), max(a, b)
		v.Differs, err = s.House.Orders.Differs(r.Context(), id, v.Earlier, v.Later)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, http.StatusOK, "past", v)
}

// goTo makes the film what it was after a step.
func (s *Server) goTo(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "order")
	step := int(page.Number(r, "step"))
	_, err := s.House.Orders.GoTo(r.Context(), id, seenRevision(r), step, &page.User(r).ID)
	var conflict *orders.Conflict
	var input *invalid.Input
	switch {
	case errors.As(err, &conflict), errors.As(err, &input):
		s.Message(w, r, http.StatusConflict, "Not done", err.Error(), fmt.Sprintf("/orders/%d/history", id),
			"Back to the history")
		return
	case err != nil:
		s.Fail(w, r, err)
		return
	}
	s.Tell(r, fmt.Sprintf("The film is as it was after step %s. Undo and the history lead back.",
		chi.URLParam(r, "step")))
	http.Redirect(w, r, leafPath(id, runningLeaf), http.StatusSeeOther)
}
