package orders

import (
	"fmt"
	"time"

	"nelko/internal/core/plan"
	"nelko/internal/store"
)

// Doubts are what a colleague would point out of an order beside its film: files that
// cannot be used, and links that show another film than the present one.
func (d *Dossier) Doubts(now time.Time) (out []plan.Check) {
	for _, m := range d.Media {
		switch {
		case m.State == store.Refused:
			out = append(out, plan.Check{Weight: plan.Doubt, Kind: "refused", Key: fmt.Sprintf("refused:%d", m.ID), Field: "material", Text: fmt.Sprintf("%s cannot be used: %s", m.Name, m.Reason)})
		case m.Damage != "":
			out = append(out, plan.Check{Weight: plan.Doubt, Kind: "damaged", Key: fmt.Sprintf("damaged:%d", m.ID), Field: "material", Media: m.DocID(), Text: fmt.Sprintf("%s is damaged: %s", m.Name, m.Damage)})
		}
	}
	for _, l := range d.Links {
		r := d.renderOf(l.RenderID)
		if l.Proof || r == nil || !l.Open(now) || r.Revision == d.Slideshow.Head || r.State != store.RenderDone {
			continue
		}
		out = append(out, plan.Check{Weight: plan.Doubt, Kind: "oldlink", Key: fmt.Sprintf("oldlink:%d:%d", l.DeliveryID, r.Revision), Field: "delivery",
			Text: fmt.Sprintf("The link “%s” shows the film as it was before later changes", l.Delivery.Title)})
	}
	return out
}

// renderOf is one of the order's renders, or nil.
func (d *Dossier) renderOf(id int64) *store.Render {
	for i := range d.Renders {
		if d.Renders[i].ID == id {
			return &d.Renders[i]
		}
	}
	return nil
}
