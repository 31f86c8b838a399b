// Package making is how films are rendered: what is queued and running, the
// parts that workers share, the segments that are kept.
package making

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/captions"
	"nelko/internal/core/doc"
	"nelko/internal/queue"
	"nelko/internal/render"
	"nelko/internal/store"
)

// Film is the job that makes a render's film.
type Film struct {
	RenderID int64     `json:"render_id"`
	Turn     time.Time `json:"turn,omitzero"` // by which those that wait are ordered (see turn)
}

// Kind implements river.JobArgs.
func (Film) Kind() string { return "render" }

// The queues of the room.
const (
	films   = "films"
	helping = "help"
)

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Film) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: films, MaxAttempts: 5} }

// Help is the job that makes parts of a film another worker is making.
type Help struct {
	RenderID int64 `json:"render_id"`
}

// Kind implements river.JobArgs.
func (Help) Kind() string { return "help" }

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Help) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: helping, MaxAttempts: 3} }

// Jobs implements queue.Room.
func (m *Making) Jobs(js *queue.Jobs) {
	js.Serve(films, m.Films)
	js.Serve(helping, 1)
	queue.Handle(js, queue.Kind[Film]{
		Work: func(ctx context.Context, j queue.Job[Film]) error {
			led, err := m.waitsForLeader(ctx, j.Args.RenderID)
			if err != nil {
				return err
			}
			if led {
				return queue.Later(ledFor)
			}
			err = m.Attempts.Film(ctx, j.Args, j.Worker, j.Last)
			switch {
			case errors.Is(err, render.ErrFull):
				return queue.Later(fullFor)
			case errors.Is(err, store.ErrAway):
				return queue.Later(awayFor)
			}
			return err
		},
		Refuse: func(ctx context.Context, j Film, why string) error {
			return m.Attempts.refuse(ctx, j, why)
		},
	})
	queue.Handle(js, queue.Kind[Help]{
		Needs: m.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Help]) error {
			own, err := m.Attempts.Help(ctx, j.Args, j.Worker)
			if own {
				return queue.Later(2 * time.Second) // for another worker
			}
			return err
		},
	})
}

// changed tells that a render of an order has changed.
func (h *room) changed(ctx context.Context, tx *gorm.DB, orderID int64) error {
	if err := h.Orders.Days.Changed(ctx, tx, orderID); err != nil {
		return err
	}
	return store.Tell(tx, store.Event{What: store.QueueChanged})
}

// Cancel stops a render that is waiting or running.
func (k *Renders) Cancel(ctx context.Context, orderID, renderID int64) error {
	return k.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Render{}).Where("id = ? AND order_id = ? AND state IN ('waiting', 'running')",
			renderID, orderID).
			Updates(map[string]any{"state": store.RenderCancelled, "finished_at": k.Now()})
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		if err := store.Note(tx, store.DidRender, orderID, "Stopped a render"); err != nil {
			return err
		}
		return k.changed(ctx, tx, orderID)
	})
}

// waitsForLeader reports whether a render waits for another that makes its segments too.
func (h *room) waitsForLeader(ctx context.Context, renderID int64) (led bool, err error) {
	err = h.Store.DB.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM renders r JOIN renders l ON l.id "+
		"= r.lead_id WHERE r.id = ? AND l.state IN ('waiting', 'running'))", renderID).Scan(&led).Error
	return led, err
}

// Captions are the captions of a finished film as a file of an ending, and its
// name without one.
func (h *room) Captions(ctx context.Context, renderID int64, ending string) ([]byte, string, error) {
	r, o, err := h.Finished(ctx, renderID)
	if err != nil {
		return nil, "", err
	}
	f, err := h.Orders.FilmOf(ctx, r)
	if err != nil {
		return nil, "", err
	}
	write, lines := captions.Formats[ending], f.Captions()
	if write == nil || len(lines) == 0 {
		return nil, "", fmt.Errorf("captions: %w", store.ErrNotFound)
	}
	var b bytes.Buffer
	err = write(&b, lines, f.Scene.Rate)
	return b.Bytes(), strings.TrimSuffix(FileName(o, r), "."+setting(r).File.Extension), err
}

// FileName is the name a film is downloaded under.
func FileName(o store.Order, r store.Render) string {
	clean := func(c rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, c) || c < 32 {
			return '-'
		}
		return c
	}
	name := o.Client + " - " + o.Event
	if f, err := doc.ParseFrame(r.Shape); err == nil {
		name += " - " + strings.ReplaceAll(f.Ratio(), ":", "x")
	}
	return strings.Map(clean, name) + "." + setting(r).File.Extension
}
