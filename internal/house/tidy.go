package house

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"github.com/riverqueue/river"

	"nelko/internal/queue"
)

// tidyEvery is how often what is done on the clock is done, by one of the processes that work.
const tidyEvery = time.Hour

// Tidy is the job of what is done on the clock for the whole studio: drafts that clients wait
// for, reminders, reading back, listening to songs again, sweeping.
type Tidy struct{}

// Kind implements river.JobArgs.
func (Tidy) Kind() string { return "tidy" }

// tidying is its queue.
const tidying = "tidy"

// InsertOpts implements river.JobArgsWithInsertOpts. Of two that would wait, one does.
func (Tidy) InsertOpts() river.InsertOpts {
	return river.InsertOpts{
		Queue:       tidying,
		MaxAttempts: 2,
		UniqueOpts:  river.UniqueOpts{ByArgs: true, ByState: queue.NotOver},
	}
}

// tidyRoom has the tidying done.
type tidyRoom struct{ *House }

// Jobs implements queue.Room.
func (h tidyRoom) Jobs(js *queue.Jobs) {
	js.Serve(tidying, 1)
	js.Every(tidyEvery, func() river.JobArgs { return Tidy{} })
	queue.Handle(js, queue.Kind[Tidy]{
		Needs: h.Blobs.Here,
		Work: func(ctx context.Context, _ queue.Job[Tidy]) error {
			return h.Tidy(ctx)
		},
	})
}

// Tidy does at once what is done on the clock. What one part meets with does not keep the others
// from being done.
func (h *House) Tidy(ctx context.Context) error {
	var all error
	note := func(what string, err error) {
		if err != nil && ctx.Err() == nil {
			slog.WarnContext(ctx, what, "error", err)
		}
		all = errors.Join(all, err)
	}
	n, err := h.Proofs.Heal(ctx)
	note("making drafts that clients wait for", err)
	if n > 0 {
		slog.InfoContext(ctx, "made drafts that clients wait for", "drafts", n)
	}
	reminded, err := h.Proofs.Remind(ctx, false)
	note("reminding of proofs", err)
	if reminded > 0 {
		slog.InfoContext(ctx, "reminded of proofs", "clients", reminded)
	}
	note("having songs listened to", h.Intake.Songs.Relisten(ctx))
	s, err := h.Sweep(ctx, false)
	note("swept in part", err)
	if s != (Swept{}) {
		slog.InfoContext(ctx, "swept", "what", s.String())
	}
	h.readBack(ctx, note)
	return all
}

// readBack reads some films, files and discs back, and tells of what is damaged.
func (h *House) readBack(ctx context.Context, note func(what string, err error)) {
	v, err := h.Making.Checks.Verify(ctx, false, verifyAtOnce, verifyRest)
	note("reading films back", err)
	if len(v.Damaged) > 0 {
		slog.ErrorContext(ctx, "films were damaged and are made again", "films", len(v.Damaged), "first",
			v.Damaged[0].Why)
	}
	_, lost, err := h.Intake.Material.Verify(ctx, false, verifyAtOnce, verifyRest)
	note("reading material back", err)
	for _, l := range lost {
		slog.ErrorContext(ctx, "a file is damaged or missing; send it in again", "file", l.Name, "why", l.Why,
			"orders", l.Orders)
	}
	_, damaged, err := h.Pressing.Images.Verify(ctx, false, verifyAtOnce)
	note("reading discs' images back", err)
	if len(damaged) > 0 {
		slog.ErrorContext(ctx, "images of discs were damaged and are made again", "discs", len(damaged),
			"first", damaged[0])
	}
}

// KeepTidy clears this machine's temporary files and local copies, now and every hour until ctx
// ends. What is the whole studio's is a job (Tidy).
func (h *House) KeepTidy(ctx context.Context) {
	tick := time.NewTicker(tidyEvery)
	defer tick.Stop()
	for {
		var s Swept
		if err := h.sweepCache(false, &s); err != nil {
			slog.WarnContext(ctx, "swept in part", "error", err)
		}
		if s != (Swept{}) {
			slog.InfoContext(ctx, "swept", "what", s.String())
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}
