package studio

import (
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// actOnQueue moves a film that waits before all others, or cancels one.
func (d *days) actOnQueue(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "render")
	act := d.Making.Turns.Next
	if chi.URLParam(r, "act") == "cancel" {
		act = d.Making.Turns.Stop
	}
	if err := act(r.Context(), id); err != nil {
		d.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

func (d *days) queuePage(w http.ResponseWriter, r *http.Request) {
	b, err := d.Base(r, "Queue")
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	type row struct {
		parts.RenderRow
		OrderID                      int64
		Client, Event, Worker, Begun string
		Run, Row, Due, Why           string
		RunID                        int64
		First, Waits                 bool // it is begun next; it waits
	}
	board, err := d.Making.Board(r.Context())
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	var rows []row
	for _, rd := range board.Renders {
		o := board.Orders[rd.OrderID]
		x := row{
			RenderRow: parts.RowOfRender(rd, 0, d.Orders.Now()),
			OrderID:   rd.OrderID,
			Client:    o.Client,
			Event:     o.Event,
			Worker:    rd.Worker,
			Row:       o.RunKey,
			Due:       page.Day(o.Due),
			Why:       board.Why[rd.ID],
			Waits:     rd.State == store.RenderWaiting,
		}
		x.First = x.Why == "next"
		if o.RunID != nil {
			x.RunID, x.Run = *o.RunID, board.Runs[*o.RunID]
		}
		if rd.StartedAt != nil {
			x.Begun = rd.StartedAt.Format("2 Jan 15:04:05")
		}
		rows = append(rows, x)
	}
	workers := len(board.Workers)
	var notes []string
	for _, wk := range board.Workers {
		if wk.Note != "" {
			notes = append(notes, wk.ID+" "+wk.Note)
		}
	}
	text := fmt.Sprintf("%d workers are at it.", workers)
	if workers == 1 {
		text = "1 worker is at it."
	}
	if workers == 0 {
		text = "No worker is running: start one with “nelko serve” or “nelko work”."
	}
	d.Render(w, r, http.StatusOK, "queue", struct {
		page.Base
		Rows        []row
		WorkersText string
		Notes       []string
	}{b, rows, text, notes})
}
