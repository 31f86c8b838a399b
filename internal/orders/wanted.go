package orders

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"gorm.io/gorm"

	"nelko/internal/core/list"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Ways are the ways an order can be wanted by, with what they are called.
var Ways = []struct {
	Kind store.DeliveryKind
	Name string
}{{store.LinkDelivery, "link"}, {store.DiscDelivery, "disc"}, {store.FileDelivery, "file"},
	{store.UploadDelivery, "host"}}

// Wanted is by which ways an order is to be delivered: as it says itself, or as
// the list of its Run does; none: any way.
func Wanted(o store.Order) (out []store.DeliveryKind) {
	if len(o.Wants) > 0 {
		return o.Wants
	}
	said := list.Fold(o.RunValues[list.Wanted])
	for _, w := range []struct {
		word string
		kind store.DeliveryKind
	}{{"link", store.LinkDelivery}, {"online", store.LinkDelivery}, {"dvd", store.DiscDelivery},
		{"disc", store.DiscDelivery}, {"stick", store.FileDelivery}, {"usb", store.FileDelivery},
		{"file", store.FileDelivery}, {"host", store.UploadDelivery}} {
		if strings.Contains(said, w.word) && !slices.Contains(out, w.kind) {
			out = append(out, w.kind)
		}
	}
	return out
}

// Want says by which ways an order is to be delivered.
func (r *Heads) Want(ctx context.Context, id int64, kinds []store.DeliveryKind) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error { return r.wantIn(ctx, tx, id, kinds) })
}

func (r *Heads) wantIn(ctx context.Context, tx *gorm.DB, id int64, kinds []store.DeliveryKind) error {
	var wants []store.DeliveryKind
	for _, w := range Ways {
		if slices.Contains(kinds, w.Kind) {
			wants = append(wants, w.Kind)
		}
	}
	for _, k := range kinds {
		if !slices.Contains(wants, k) {
			return invalid.Field("wants", "There is no delivery by %q.", k)
		}
	}
	b, err := json.Marshal(wants)
	if err != nil {
		return err
	}
	return r.putIn(ctx, tx, id, map[string]any{"wants": string(b)}, store.DidOrder,
		"Changed what is to be delivered")
}

// Went is a delivery of an order as its next step needs it. What was taken back
// is none, nor is a proof.
type Went struct {
	Kind    store.DeliveryKind
	State   store.DeliveryState
	Current bool // of the film as it is now
	Pressed bool // of a disc: its image is made
}

// went reads an order's deliveries.
func went(tx *gorm.DB, d *Dossier) (out []Went, err error) {
	return out, tx.Raw(`SELECT d.kind, d.state, x.image IS NOT NULL AS pressed,
			EXISTS (SELECT 1 FROM delivery_renders dr JOIN renders r ON r.id = dr.render_id WHERE dr.delivery_id = d.id AND r.slideshow_id = ? AND r.revision = ?) AS current
		FROM deliveries d LEFT JOIN discs x ON x.delivery_id = d.id WHERE d.order_id = ? AND d.state <> 'closed' AND d.kind <> 'proof' ORDER BY d.id`,
		d.Slideshow.ID, d.Slideshow.Head, d.Order.ID).Scan(&out).Error
}

// delivering is the next step of an order whose film is rendered: what is wanted,
// or was begun, and is not with the client yet.
func (d *Dossier) delivering() Step {
	wants := Wanted(d.Order)
	done := false
	for _, w := range d.Went {
		if w.Current {
			done = done || w.State == store.DeliveryDone
			if !slices.Contains(wants, w.Kind) {
				wants = append(slices.Clone(wants), w.Kind)
			}
		}
	}
	if len(wants) == 0 {
		wants = []store.DeliveryKind{store.LinkDelivery}
	}
	for _, kind := range wants {
		if step, open := d.deliveringBy(kind); open {
			if done {
				step.Text += "; the rest is delivered"
			}
			return step
		}
	}
	return Step{Finished, "Delivered", "deliveries"}
}

// deliveringBy is what is to be done for a way of delivery; open: something is.
func (d *Dossier) deliveringBy(kind store.DeliveryKind) (step Step, open bool) {
	todo := map[store.DeliveryKind]string{
		store.LinkDelivery:   "send the link",
		store.DiscDelivery:   "make the disc",
		store.FileDelivery:   "put it into the folder",
		store.UploadDelivery: "put it on the host",
	}
	step = Step{CanGo, "Rendered; " + todo[kind], "deliveries"}
	for _, w := range d.Went {
		switch {
		case w.Kind != kind || !w.Current:
		case w.State == store.DeliveryDone:
			return step, false
		case w.State == store.DeliveryFailed:
			step = Step{Failed, map[store.DeliveryKind]string{
				store.LinkDelivery:   "The link could not be mailed",
				store.DiscDelivery:   "The disc could not be made",
				store.FileDelivery:   "Not put into the folder",
				store.UploadDelivery: "Not put on the host",
			}[kind], "deliveries"}
		case w.Pressed:
			step = Step{CanGo, "Burn the disc", "deliveries"}
		default:
			step = Step{Works, map[store.DeliveryKind]string{
				store.LinkDelivery:   "Mailing the link",
				store.DiscDelivery:   "Making the disc",
				store.FileDelivery:   "Putting it into the folder",
				store.UploadDelivery: "Putting it on the host",
			}[kind], "deliveries"}
		}
	}
	return step, true
}

// WantedInWords says what is wanted of an order: "wants link and disc"; nothing
// where nothing is said.
func (d *Dossier) WantedInWords() string { return InWords(Wanted(d.Order)) }

// InWords lists ways of delivery.
func InWords(kinds []store.DeliveryKind) string {
	var names []string
	for _, w := range Ways {
		if slices.Contains(kinds, w.Kind) {
			names = append(names, w.Name)
		}
	}
	return wording.Listed(names)
}

// Wants reports whether a way of delivery is wanted.
func (d *Dossier) Wants(kind store.DeliveryKind) bool { return slices.Contains(Wanted(d.Order), kind) }

// NoteDelivery writes a step into a delivery's history and tells of it.
func (r *Heads) NoteDelivery(ctx context.Context, tx *gorm.DB, d store.Delivery, text string) error {
	if err := tx.Create(&store.DeliveryEvent{DeliveryID: d.ID, At: r.Now(), Text: text}).Error; err != nil {
		return err
	}
	what := store.DidDeliver
	if d.Kind == store.LinkDelivery || d.Kind == store.ProofDelivery {
		what = store.DidLink
	}
	if err := store.Note(tx, what, d.OrderID, text+": "+d.Title); err != nil {
		return err
	}
	return r.days.Changed(ctx, tx, d.OrderID)
}
