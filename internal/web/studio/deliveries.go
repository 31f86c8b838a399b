package studio

import (
	"net/http"

	"nelko/internal/delivery"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

func (d *days) deliveriesPage(w http.ResponseWriter, r *http.Request) {
	b, err := d.Base(r, "Deliveries")
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	f := delivery.Filter{
		Kind:  store.DeliveryKind(r.URL.Query().Get("kind")),
		Which: delivery.Which(r.URL.Query().Get("which")),
		Words: r.URL.Query().Get("words"),
	}
	list, err := d.Delivery.Lists.List(r.Context(), f)
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	var rows []deliveryRow
	for _, l := range list {
		rows = append(rows, rowOfDelivery(l, d.Orders.Now()))
	}
	d.Render(w, r, http.StatusOK, "deliverylist", struct {
		page.Base
		Filter delivery.Filter
		Kinds  []parts.Choice
		Which  []parts.Choice
		Rows   []deliveryRow
	}{b, f, []parts.Choice{{
		ID:   "",
		Name: "Everything",
	}, {ID: string(store.LinkDelivery), Name: "Links"}, {ID: string(store.ProofDelivery),
		Name: "Proofs"}, {ID: string(store.FileDelivery), Name: "Files"}},
		[]parts.Choice{{
			ID:   string(delivery.All),
			Name: "All",
		}, {ID: string(delivery.Open), Name: "Promised, not yet done"},
			{
				ID:   string(delivery.NotSeen),
				Name: "No proof that it arrived",
			}, {ID: string(delivery.Failed), Name: "Failed"}},
		rows})
}
