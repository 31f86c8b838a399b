package studio

import (
	"net/http"
	"strings"
	"time"

	"nelko/internal/delivery"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// deliveryRow is a delivery in the list of all.
type deliveryRow struct {
	OrderID, ID                                    int64
	Client, Event, Title, Kind, How, When, Arrived string
	Address                                        string // at the video host
	Failed, Closed                                 bool
}

// kindWords are what the kinds of delivery are called in lists.
var kindWords = map[store.DeliveryKind]string{
	store.LinkDelivery:   "link",
	store.ProofDelivery:  "proof",
	store.FileDelivery:   "file",
	store.DiscDelivery:   "disc",
	store.UploadDelivery: "upload",
}

func rowOfDelivery(d delivery.Listed, now time.Time) deliveryRow {
	row := deliveryRow{
		OrderID: d.OrderID,
		ID:      d.ID,
		Client:  d.Client,
		Event:   d.Event,
		Title:   d.Title,
		Kind:    kindWords[d.Kind],
		When:    d.CreatedAt.Format("2 Jan 15:04"),
		Arrived: d.Proof,
		Failed:  d.State == store.DeliveryFailed,
		Closed:  d.State == store.DeliveryClosed,
	}
	switch {
	case d.Link != nil:
		row.How = parts.MailState(*d.Link)
		if row.Arrived = parts.Views(*d.Link); d.Kind == store.ProofDelivery && d.Proof != "" {
			row.Arrived += " · " + d.Proof
		}
		row.Failed = row.Failed || d.Link.MailError != ""
		if !d.Link.Open(now) {
			row.Closed = true
		}
	case d.Disc != nil:
		row.How = "DVD, HD or data disc"
		if len(d.Disc.Setting.Profiles) > 0 {
			row.How = strings.Join(d.Disc.Setting.Profiles, ", ") + " on " + d.Disc.Setting.Blank
		}
		switch {
		case row.Failed:
			row.Arrived = d.Disc.Error
		case d.Proof == "" && d.Disc.Image != nil:
			row.Arrived = "made, not burned yet"
		case d.Proof == "" && !row.Closed:
			row.Arrived = "being made"
		}
	case d.Upload != nil:
		row.How, row.Address = "to the video host", d.Upload.Address
		switch {
		case row.Failed:
			row.Arrived = d.Upload.Error
		case d.Proof == "" && !row.Closed:
			row.Arrived, row.Address = "on its way", ""
		}
	case d.File != nil:
		row.How = "into the folder"
		if d.File.Error != "" {
			row.Arrived = d.File.Error
		} else if d.File.PlacedAt == nil {
			row.Arrived = "on its way"
		}
	}
	return row
}

// historyPage is what became of a delivery, step by step.
func (d *days) historyPage(w http.ResponseWriter, r *http.Request) {
	h, err := d.Delivery.Lists.History(r.Context(), page.Number(r, "delivery"))
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	b, err := d.Base(r, h.Title)
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	d.Render(w, r, http.StatusOK, "history", struct {
		page.Base
		delivery.History
		Row deliveryRow
	}{b, h, rowOfDelivery(h.Listed, d.Orders.Now())})
}

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
