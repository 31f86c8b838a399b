package orderpage

import (
	"errors"
	"net/http"

	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

func (h *handing) giveUp(w http.ResponseWriter, r *http.Request) {
	h.answer(w, r, h.Delivery.Lists.GiveUp(r.Context(), page.Number(r, "order"), page.Number(r, "delivery")),
		nil)
}

// sendOnce sends a delivery again by whichever room it belongs to.
func (h *handing) sendOnce(r *http.Request) error {
	order, id := page.Number(r, "order"), page.Number(r, "delivery")
	d, err := h.Delivery.Of(r.Context(), order, id)
	if err != nil {
		return err
	}
	switch d.Kind {
	case store.DiscDelivery:
		if d.State == store.DeliveryFailed {
			return h.Pressing.Discs.Again(r.Context(), id)
		}
		return h.Pressing.Burner.Copies(r.Context(), id, 1)
	case store.UploadDelivery:
		return h.Hosting.Again(r.Context(), id)
	}
	return h.Delivery.Lists.SendAgain(r.Context(), order, id)
}

func (h *handing) sendAgain(w http.ResponseWriter, r *http.Request) {
	err := h.sendOnce(r)
	var wrong *invalid.Input
	switch {
	case errors.As(err, &wrong):
		h.Message(w, r, http.StatusUnprocessableEntity, "Not sent", wrong.Problem, "/deliveries",
			"Back to the deliveries")
	case err != nil:
		h.Fail(w, r, err)
	default:
		h.Tell(r, "It is being sent again.")
		http.Redirect(w, r, "/deliveries", http.StatusSeeOther)
	}
}
