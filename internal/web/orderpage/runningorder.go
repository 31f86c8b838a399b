package orderpage

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"

	"nelko/internal/core/doc"
	"nelko/internal/orders"
	"nelko/internal/proofs"
	"nelko/internal/web/timeline"
)

// runningOrder is a dossier as its running order is drawn; row is the seconds of a row, 0 for
// what fits.
func (s *shared) runningOrder(d *orders.Dossier, waves map[doc.MediaID][]byte, row float64) timeline.Film {
	f := timeline.Film{
		Doc: d.Doc, Plan: d.Plan, Library: d.Library, Waves: waves, Seconds: row,
		Thumbnail: func(id doc.MediaID) string {
			m, ok := d.Row(id)
			if !ok {
				return ""
			}
			return fmt.Sprintf("/media/%d/thumb", m.ID)
		},
		Look: func(id doc.SlideID) string {
			return fmt.Sprintf("/orders/%s/try/%s?about=%s&on=%s&w=240",
				seenPath(d), asIs, s.Looking.Choices.About(d, id), id)
		},
	}
	if at := d.Whole.ShapeAt(d.Shape); at >= 0 {
		f.Shape = &d.Whole.Shapes[at]
	}
	for _, said := range proofs.Threads(d.Remarks, d.Plan) {
		if said.Number > 0 && said.DoneAt == nil {
			f.Remarks = append(f.Remarks, timeline.Remark{
				Number: said.Number,
				At:     said.At,
				Who:    said.Who,
				Text:   said.Text,
			})
		}
	}
	return f
}

// heldBeats are the beats of the film, which dragging holds on to: a JSON list of
// seconds. They are asked for when something is taken hold of.
func (l *leaves) heldBeats(w http.ResponseWriter, r *http.Request) {
	d, err := l.Orders.See(r.Context(), seen(r))
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	at := []float64{}
	for _, b := range timeline.Beats(d.Library, timeline.Songs(d.Plan.Sound.Placed(d.Library))...) {
		at = append(at, math.Round(b.At*1000)/1000)
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(at) // the browser may have gone
}
