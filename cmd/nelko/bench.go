package main

import (
	"context"
	"net/http"
	"os"
	"time"

	"nelko/internal/app"
	"nelko/internal/bench"
	"nelko/internal/house"
)

type benchCmd struct {
	What    string  `arg:"" enum:"render,memory,encode,outputs,pages,load,twins,run,gestures,ui,ingest,fit,mix" help:"What to measure: render, memory, encode, outputs, pages, load, twins, run, gestures, ui, ingest, fit or mix. Pages, load, twins, run and ingest need a PostgreSQL whose user may create databases, by NELKO_DATABASE_URL; gestures and ui need Node.js and the browser tests."`
	Photos  int     `help:"Photos of 24 megapixels; 60, 300 for memory, or 1000 for ingest."`
	Slides  int     `default:"300" help:"Slides of the page that is measured by ui."`
	Films   int     `default:"24" help:"Films of a Run."`
	Seconds float64 `help:"Length of the film; 2 s a photo, or half a second for memory."`
}

// loadFor is how long pages are asked for under load.
const loadFor = time.Minute

// Run implements the subcommand.
func (c *benchCmd) Run(ctx context.Context) error {
	o := bench.Options{Photos: c.Photos, Seconds: c.Seconds, Clips: map[string]int{"encode": 3}[c.What]}
	if o.Photos == 0 {
		o.Photos = map[string]int{"render": 60, "memory": 300, "encode": 16, "outputs": 24}[c.What]
	}
	if o.Seconds == 0 {
		o.Seconds = float64(o.Photos) * map[string]float64{
			"render":  2,
			"memory":  0.5,
			"encode":  3,
			"outputs": 2,
		}[c.What]
	}
	if c.What == "fit" {
		return bench.Fit(os.Stdout)
	}
	if c.What == "mix" {
		return bench.Mix(ctx, os.Stdout)
	}
	if c.What == "gestures" {
		return bench.Gestures(ctx, os.Stdout)
	}
	if c.What == "ui" {
		return bench.UI(ctx, os.Stdout, c.Slides)
	}
	if c.What == "run" {
		return app.Trial(ctx, func(h *house.House, _ http.Handler) error {
			return bench.Run(ctx, os.Stdout, h, bench.RunOptions{
				Films:   c.Films,
				Own:     8,
				Common:  5,
				Waiting: 200,
			})
		})
	}
	if c.What == "ingest" {
		if c.Photos == 0 {
			c.Photos = 1000
		}
		return app.Trial(ctx, func(h *house.House, _ http.Handler) error {
			return bench.Ingest(ctx, os.Stdout, h, c.Photos)
		})
	}
	if c.What == "pages" || c.What == "twins" || c.What == "load" {
		return app.Trial(ctx, func(h *house.House, pages http.Handler) error {
			switch c.What {
			case "twins":
				return bench.Twins(ctx, os.Stdout, h)
			case "load":
				return bench.Load(ctx, os.Stdout, bench.Site{House: h, Pages: pages}, loadFor)
			}
			return bench.Pages(ctx, os.Stdout, bench.Site{House: h, Pages: pages})
		})
	}
	if c.What == "outputs" {
		return bench.Outputs(ctx, os.Stdout, o)
	}
	if c.What == "encode" {
		return bench.Encode(ctx, os.Stdout, o)
	}
	if c.What == "memory" {
		return bench.Memory(ctx, os.Stdout, o)
	}
	return bench.Render(ctx, os.Stdout, o)
}
