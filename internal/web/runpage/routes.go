// Package runpage has the pages of a Run: the sheet, what goes out, and the names to proofread. It
// is for whoever is signed in.
package runpage

import (
	"github.com/go-chi/chi/v5"

	"nelko/internal/looking"
	"nelko/internal/orders"
	"nelko/internal/pressing"
	"nelko/internal/runs"
	"nelko/internal/shelf"
	"nelko/internal/web/page"
)

// Rooms are what a Run's pages call.
type Rooms struct {
	Runs     *runs.Runs
	Orders   *orders.Orders
	Looking  *looking.Looking
	Pressing *pressing.Pressing
	Shelf    *shelf.Shelf
}

// shared is what every part of a Run's pages has: the rooms, and the drawing of its sheet.
type shared struct {
	*page.Shell
	Rooms
}

// sheets are the Runs, and the sheet of each: its cells, its list and its steps back.
type sheets struct{ *shared }

// out is what is done with a Run's rows, and what goes out of it.
type out struct{ *shared }

// wall is where names are proofread on the pictures that show them.
type wall struct{ *shared }

// Routes are for operators.
func Routes(r chi.Router, shell *page.Shell, rooms Rooms) {
	s := &shared{shell, rooms}
	sheet, goes, names := &sheets{s}, &out{s}, &wall{s}
	r.Get("/orders/{order}/moment", names.orderMoment)
	r.Get("/runs", sheet.runsPage)
	r.Get("/runs/new", sheet.newRunPage)
	r.Post("/runs", sheet.newRun)
	r.Route("/runs/{run}", func(r chi.Router) {
		r.Get("/", sheet.runPage)
		r.Get("/proofread", names.proofreadPage)
		r.Get("/proofread.pdf", names.proofreadPDF)
		r.Get("/out", goes.outPage)
		r.Post("/live", sheet.runLive)
		r.Post("/cells", sheet.setCells)
		r.Post("/{step:undo|redo}", sheet.stepRun)
		r.Post("/list", sheet.bringList)
		r.Post("/{act:agree|agree-all|refuse|discs|alldiscs|all|roles|folder|folders|go|pause|goon|cancel|first|give|see|names|mail|try|watch|archive|restore|dismiss|stop|seen}", goes.actOnRun)
		r.Get("/impact", sheet.runImpact)
		r.Get("/estimate", sheet.runEstimate)
		r.Get("/acts", goes.runActs)
		r.Get("/films.zip", goes.runFilms)
		r.Get("/pattern.zip", goes.runPattern)
		r.Get("/links.csv", goes.runLinks)
		r.Get("/cards.pdf", goes.runCards)
		r.Get("/faces.pdf", goes.runFaces)
	})
}
