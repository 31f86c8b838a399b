package web

import (
	"errors"
	"net/http"
	"strings"

	"nelko/internal/delivery"
	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/internal/web/page"
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

func (s *Server) deliveryRow(d delivery.Listed) deliveryRow {
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
		row.How = mailState(*d.Link)
		if row.Arrived = views(*d.Link); d.Kind == store.ProofDelivery && d.Proof != "" {
			row.Arrived += " · " + d.Proof
		}
		row.Failed = row.Failed || d.Link.MailError != ""
		if !d.Link.Open(s.House.Orders.Now()) {
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
func (s *Server) historyPage(w http.ResponseWriter, r *http.Request) {
	h, err := s.House.Delivery.History(r.Context(), page.Number(r, "delivery"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	b, err := s.Base(r, h.Title)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, http.StatusOK, "history", struct {
		page.Base
		delivery.History
		Row deliveryRow
	}{b, h, s.deliveryRow(h.Listed)})
}

func (s *Server) giveUp(w http.ResponseWriter, r *http.Request) {
	s.answer(w, r, s.House.Delivery.GiveUp(r.Context(), page.Number(r, "order"), page.Number(r, "delivery")),
		nil)
}

// sendOnce sends a delivery again by whichever room it belongs to.
func (s *Server) sendOnce(r *http.Request) error {
	order, id := page.Number(r, "order"), page.Number(r, "delivery")
	d, err := s.House.Delivery.Of(r.Context(), order, id)
	if err != nil {
		return err
	}
	switch d.Kind {
	case store.DiscDelivery:
		if d.State == store.DeliveryFailed {
			return s.House.Pressing.Again(r.Context(), id)
		}
		return s.House.Pressing.Copies(r.Context(), id, 1)
	case store.UploadDelivery:
		return s.House.Hosting.Again(r.Context(), id)
	}
	return s.House.Delivery.SendAgain(r.Context(), order, id)
}

func (s *Server) sendAgain(w http.ResponseWriter, r *http.Request) {
	err := s.sendOnce(r)
	var wrong *invalid.Input
	switch {
	case errors.As(err, &wrong):
		s.Message(w, r, http.StatusUnprocessableEntity, "Not sent", wrong.Problem, "/deliveries",
			"Back to the deliveries")
	case err != nil:
		s.Fail(w, r, err)
	default:
		s.Tell(r, "It is being sent again.")
		http.Redirect(w, r, "/deliveries", http.StatusSeeOther)
	}
}
