package orderpage

import (
	"net/http"

	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/core/remedy"
	"nelko/internal/orders"
)

// cannotFit says why a film cannot be fitted to its music, if that is wanted or nobody
// said otherwise.
func cannotFit(d *orders.Dossier) string {
	if wanted, ok := edit.Wanted(d.Doc); ok {
		return plan.Build(wanted, d.Theme, d.Library).CannotFit()
	}
	return d.Plan.CannotFit()
}

// remedies shows what would make a film fit its music; nothing where it does.
func (l *leaves) remedies(w http.ResponseWriter, r *http.Request) {
	d, err := l.Orders.See(r.Context(), seen(r))
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	words := cannotFit(d)
	if words == "" {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	l.Render(w, r, http.StatusOK, "remedies", struct {
		At, CannotFit string
		Remedies      []remedy.Remedy
	}{seenPath(d), words, remedy.For(d.Doc, edit.Context{Theme: d.Theme, Library: d.Library})})
}
