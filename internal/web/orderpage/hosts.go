package orderpage

import (
	"context"
	"fmt"
	"net/http"

	"nelko/internal/hosting"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// hostRow is a film on the video host, on the order's page.
type hostRow struct {
	ID                     int64
	Title, Detail, Address string
	Percent                int
	Busy, Failed           bool
}

// hosts fills in an order's films on the video host.
func (v *orderView) hosts(ctx context.Context, s *shared) (err error) {
	if s.Hosting.Host == "" {
		return nil
	}
	if v.Host, err = s.Hosting.Account(ctx); err != nil {
		return err
	}
	v.Visibilities = hosting.Visibilities
	films, err := s.Hosting.Films(ctx, v.Order.ID)
	for _, f := range films {
		v.HostRows = append(v.HostRows, rowOfHosted(f))
	}
	return err
}

func rowOfHosted(f hosting.Film) hostRow {
	row := hostRow{ID: f.DeliveryID, Title: f.Title, Percent: int(100 * f.Sent / max(1, f.Size))}
	switch {
	case f.State == store.DeliveryFailed:
		row.Failed, row.Detail = true, "! "+f.Error
	case f.DoneAt != nil:
		row.Address, row.Detail = f.Address, f.Visibility+", since "+f.DoneAt.Format("2 Jan 15:04")
	case f.Sent == f.Size && f.Size > 0:
		row.Busy, row.Detail = true, "the host works on it"
	default:
		row.Busy, row.Detail = true, fmt.Sprintf("%.1f of %.1f MB sent", float64(f.Sent)/1e6,
			float64(f.Size)/1e6)
	}
	if row.Busy && f.Error != "" {
		row.Detail += " · " + f.Error + "; it is tried again"
	}
	return row
}

func (h *handing) putOnHost(w http.ResponseWriter, r *http.Request) {
	err := h.Hosting.Put(r.Context(), page.Number(r, "order"), hosting.New{
		Title:      r.PostFormValue("title"),
		Note:       r.PostFormValue("note"),
		Tags:       r.PostFormValue("tags"),
		Visibility: r.PostFormValue("visibility"),
	})
	h.answer(w, r, err, nil)
}

func (h *handing) hostAgain(w http.ResponseWriter, r *http.Request) {
	h.answer(w, r, h.Hosting.Again(r.Context(), page.Number(r, "delivery")), nil)
}
