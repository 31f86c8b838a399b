package orderpage

import (
	"errors"
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
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
func (l *leaves) pastPage(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "order")
	wk, err := l.Orders.Load(r.Context(), id)
	v := pastView{}
	if err == nil {
		v.Base, err = l.Base(r, "History of "+wk.Order.Client)
	}
	if err == nil {
		v.Order, v.Head = wk.Order, wk.Slideshow.Head
		v.Steps, err = l.Orders.Edits.History(r.Context(), id)
	}
	a, b := int(page.QueryInt(r, "compare", 0)), int(page.QueryInt(r, "with", int64(v.Head)))
	if err == nil && a > 0 {
		v.Earlier, v.Later = min(a, b), max(a, b)
		v.Differs, err = l.Orders.Edits.Differs(r.Context(), id, v.Earlier, v.Later)
	}
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	l.Render(w, r, http.StatusOK, "past", v)
}

// goTo makes the film what it was after a step.
func (l *leaves) goTo(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "order")
	step := int(page.Number(r, "step"))
	_, err := l.Orders.Edits.GoTo(r.Context(), id, seenRevision(r), step, &page.User(r).ID)
	var conflict *orders.Conflict
	var input *invalid.Input
	switch {
	case errors.As(err, &conflict), errors.As(err, &input):
		l.Message(w, r, http.StatusConflict, "Not done", err.Error(), fmt.Sprintf("/orders/%d/history", id),
			"Back to the history")
		return
	case err != nil:
		l.Fail(w, r, err)
		return
	}
	l.Tell(r, fmt.Sprintf("The film is as it was after step %s. Undo and the history lead back.",
		chi.URLParam(r, "step")))
	http.Redirect(w, r, parts.LeafPath(id, parts.RunningLeaf), http.StatusSeeOther)
}
