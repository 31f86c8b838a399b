package orderpage

import (
	"net/http"

	"nelko/internal/web/page"
)

// givePart gives parts of a row back to its pattern.
func (e *editing) givePart(w http.ResponseWriter, r *http.Request) {
	wk, err := e.Orders.See(r.Context(), seen(r))
	if err == nil {
		err = e.Runs.Cells.GiveBack(r.Context(), wk.Order, []string{r.PostFormValue("part")},
			&page.User(r).ID)
	}
	e.answer(w, r, err, nil)
}
