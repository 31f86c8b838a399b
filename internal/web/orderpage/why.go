package orderpage

import (
	"net/http"
	"slices"

	"nelko/internal/core/plan"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// numbersShown is how many slides a term of the arithmetic leads to.
const numbersShown = 24

// why says where a number of the film's arithmetic comes from.
func (l *leaves) why(w http.ResponseWriter, r *http.Request) {
	d, err := l.Orders.See(r.Context(), seen(r))
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	var terms []plan.Term
	if len(d.Plan.Slides) > 0 {
		terms = d.Plan.Explained(d.Doc, d.Theme, d.Library)
	}
	n := page.QueryInt(r, "term", -1)
	if n < 0 || n >= int64(len(terms)) {
		l.Fail(w, r, store.ErrNotFound)
		return
	}
	view := struct {
		plan.Term
		At      string
		Numbers []slideMark
	}{Term: terms[n], At: seenPath(d)}
	for i, sl := range d.Plan.Slides {
		if len(view.Numbers) < numbersShown && slices.Contains(view.Slides, sl.ID) {
			view.Numbers = append(view.Numbers, slideMark{ID: sl.ID, Number: i + 1})
		}
	}
	l.Render(w, r, http.StatusOK, "why", view)
}
