package orders

import (
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/wording"
	"nelko/internal/store"
)

// Step is the one next thing an order needs, and where it is done.
type Step struct {
	Kind StepKind
	Text string
	// where on the order's pages: material, soundtrack, fit, renders, deliveries, detail-KEY or slide-ID
	Place string
}

// StepKind groups steps for display; each has its own word or shape there.
type StepKind string

// The kinds of step.
const (
	NeedsHand StepKind = "todo"
	Works     StepKind = "works" // the program is at it
	CanGo     StepKind = "ready"
	Finished  StepKind = "done"
	Failed    StepKind = "failed"
)

// Unread names the files of the order that are still to be read.
func (d *Dossier) Unread() (out []string) {
	for _, m := range d.Media {
		if m.State == store.Waiting {
			out = append(out, m.Name)
		}
	}
	return out
}

// Next is computed from facts, never set by hand.
func (d *Dossier) Next() Step {
	waiting := len(d.Unread())
	last := d.Last()
	current := last != nil && last.Revision == d.Slideshow.Head
	switch {
	case last != nil && !last.State.Over():
		return Step{Works, "Rendering", "renders"}
	case waiting > 0:
		return Step{Works, "Reading " + wording.Counted(waiting, "file"), "material"}
	}
	for _, c := range d.Checks {
		if c.Weight == plan.Stops {
			return Step{NeedsHand, c.Text, Place(c.Field)}
		}
	}
	if step, ok := d.proofStep(); ok {
		return step
	}
	if step, ok := d.mailStep(); ok {
		return step
	}
	switch {
	case current && last.State == store.RenderFailed:
		return Step{Failed, "Render failed: " + last.Error, "renders"}
	case current && last.State == store.RenderDone:
		return d.delivering()
	}
	for _, c := range d.Checks {
		if c.Field == "fit" && d.Doc.Fit.Mode == doc.AtPace {
			return Step{NeedsHand, c.Text, "fit"}
		}
	}
	if last != nil && last.State == store.RenderDone {
		return Step{CanGo, "Changed since it was rendered; render again", "renders"}
	}
	return Step{CanGo, "Ready to render", "renders"}
}

// mailStep is to write again to a client whom the latest link of the film did not reach, however
// the film was changed since.
func (d *Dossier) mailStep() (Step, bool) {
	for _, l := range d.Links {
		if l.Proof || l.ClosedAt != nil {
			continue
		}
		if l.MailError != "" && l.Delivery.State == store.DeliveryFailed {
			return Step{Failed, "The link’s mail failed: " + l.MailError, "deliveries"}, true
		}
		break
	}
	return Step{}, false
}

// proofStep is what is to be done about the client's look at a draft, if it is
// to be done next.
func (d *Dossier) proofStep() (Step, bool) {
	if n := len(d.OpenRemarks()); n > 0 {
		return Step{NeedsHand, "Answer " + wording.Counted(n, "remark"), "remarks"}, true
	}
	proof, asked, failed := d.ProofRender(), false, ""
	for _, l := range d.Links {
		if l.Proof && l.ClosedAt == nil && !asked {
			asked, failed = true, l.MailError
		}
	}
	switch {
	case d.Approved(), !d.Order.AsksApproval && !asked:
		return Step{}, false
	case failed != "":
		return Step{Failed, "The proof’s mail failed: " + failed, "deliveries"}, true
	case d.Approval() != nil && (proof == nil || proof.Revision != d.Slideshow.Head):
		return Step{NeedsHand, "Changed since it was approved; send a new proof", "proof"}, true
	case !asked || proof == nil:
		return Step{CanGo, "Send a proof", "proof"}, true
	case proof.Revision != d.Slideshow.Head:
		return Step{CanGo, "Send a new proof", "proof"}, true
	}
	return Step{Works, "Waiting for the client since " + proof.CreatedAt.Format("2 Jan"), "proof"}, true
}

// Last is the latest render of the order's film, or nil; what was made beside it
// does not count.
func (d *Dossier) Last() *store.Render {
	for i := range d.Renders {
		if d.Renders[i].Main {
			return &d.Renders[i]
		}
	}
	return nil
}

// Place turns a check's field into a place on the order's pages.
func Place(field string) string { return strings.ReplaceAll(field, ":", "-") }
