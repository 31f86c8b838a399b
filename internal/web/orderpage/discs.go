package orderpage

import (
	"context"
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/pressing"
	"nelko/internal/store"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// discRow is a disc on the order's page.
type discRow struct {
	ID                   int64
	Title, About, Detail string
	Percent              int // of its films; under way
	Bad, Busy, Made      bool
	Open                 bool
}

// DiscName is what a disc of the order is called where nothing else is said.
func (v *orderView) DiscName() string {
	name := v.Theme.FilmTitle(v.Doc.Details)
	if name == "" || len(name) > pressing.MaxName {
		return v.Order.Client
	}
	return name
}

// discs fills in an order's discs and what can be made.
func (v *orderView) discs(ctx context.Context, s *shared) error {
	list, err := s.Pressing.List(ctx, v.Order.ID)
	if err != nil {
		return err
	}
	for _, m := range list {
		v.DiscRows = append(v.DiscRows, rowOfDisc(m))
	}
	v.DiscChoices, v.Standards = parts.DiscChoices([]float64{v.Plan.Rate.Seconds(v.Plan.Frames)}),
		parts.Standards()
	if v.Siblings, err = s.Pressing.Siblings(ctx, v.Order); err != nil {
		return err
	}
	films, err := s.Making.Latest(ctx, v.Siblings)
	for _, o := range v.Siblings {
		if id := films[o.ID]; id > 0 {
			v.SiblingFilms = append(v.SiblingFilms, otherFilm{id, o.Event})
		}
	}
	return err
}

func rowOfDisc(m pressing.Made) discRow {
	row := discRow{
		ID:    m.DeliveryID,
		Title: m.Setting.Name,
		About: m.Describe(),
		Open:  m.Delivery.State != store.DeliveryClosed,
		Made:  m.Image != nil,
	}
	switch {
	case m.Delivery.State == store.DeliveryClosed:
		row.Detail = "taken back"
	case m.Delivery.State == store.DeliveryFailed:
		row.Detail, row.Bad = "! "+m.Error, true
	case m.Image == nil:
		row.Busy, row.Percent = true, m.Percent()
		row.Detail = "its films are being rendered"
		if m.Delivery.State == store.DeliveryRunning {
			row.Detail = "the image is being made"
		}
		if m.Error != "" {
			row.Detail = m.Error
		}
		if m.Budget != "" {
			row.Detail += " · " + m.Budget
		}
	default:
		b, _ := discs.Named(m.Setting.Blank)
		row.Detail = fmt.Sprintf("%.0f MB, %.0f MB to spare", float64(m.Size)/1e6,
			float64(b.Bytes()-m.Size)/1e6)
		if len(m.Guide) > 0 {
			row.Detail += ", every button tried"
		}
		if n := m.Copies(); n > 0 {
			row.Detail += " · " + wording.Counted(n, "copy") + " burned and read back"
		} else if m.Delivery.Proof != "" {
			row.Detail += " · " + m.Delivery.Proof
		}
		for _, b := range m.Burns {
			if b.FinishedAt == nil {
				row.Detail += " · more to be burned"
				break
			}
		}
	}
	return row
}

func (h *handing) makeDisc(w http.ResponseWriter, r *http.Request) {
	f, err := field.Decode[parts.DiscForm](page.Posted(r))
	if err == nil {
		_, err = h.Pressing.Discs.Make(r.Context(), page.Number(r, "order"), f.Disc(page.Number(r, "order")))
	}
	h.answer(w, r, err, nil)
}

func (h *handing) actOnDisc(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "disc")
	var err error
	switch chi.URLParam(r, "act") {
	case "again":
		err = h.Pressing.Discs.Again(r.Context(), id)
	case "close":
		err = h.Pressing.Discs.Close(r.Context(), id)
	case "handed":
		err = h.Pressing.Discs.HandedOver(r.Context(), id)
	case "burn":
		var n float64
		if n, err = field.Number(r.PostFormValue("copies")); err == nil {
			err = h.Pressing.Burner.Copies(r.Context(), id, int(n))
		} else {
			err = &invalid.Input{Field: "copies", Problem: "Copies: " + err.Error() + "."}
		}
	}
	h.answer(w, r, err, func(v *orderView) {
		if err == nil && chi.URLParam(r, "act") == "burn" {
			v.Notice = page.Good("To be burned: the Burner page says what to put in.")
		}
	})
}
