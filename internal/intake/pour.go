package intake

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Pour is the job that brings ready media into an order's slideshow.
type Pour struct {
	OrderID int64 `json:"order_id"`
}

// Kind implements river.JobArgs.
func (Pour) Kind() string { return "pour" }

// InsertOpts implements river.JobArgsWithInsertOpts. Files come in bunches; a
// pour a moment later takes several.
func (Pour) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: pours, MaxAttempts: 8, ScheduledAt: time.Now().Add(700 * time.Millisecond)}
}

// Pour brings all ready media into the order's slideshow that are neither in
// it nor left out by hand.
func (p *Pourer) Pour(ctx context.Context, j Pour) error {
	d, err := p.Orders.Load(ctx, j.OrderID)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	if moreToCome(d, p.Now()) {
		return nil
	}
	used := d.Doc.Uses()
	var ids []doc.MediaID
	for _, m := range d.Media {
		id := m.DocID()
		// A row shows the Run's media as its pattern does, and a pattern those of
		// a row only as long as it is looked at with them.
		if own := m.RunID == nil && m.OrderID != nil &&
			*m.OrderID == j.OrderID; own == (d.Doc.Pattern != nil) {
			continue
		}
		if m.State == store.Ready && !m.Held && !used[id] && !d.Doc.Soundtrack.Plays(id) &&
			!slices.Contains(d.Doc.LeftOut, id) {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 {
		return p.Store.Tx(ctx, func(tx *gorm.DB) error { return p.Orders.Days.Changed(ctx, tx, j.OrderID) })
	}
	_, err = p.Orders.Edits.Edit(ctx, j.OrderID, d.Slideshow.Head, edit.Pour{Media: ids}, nil)
	return err // a conflict is tried again by the queue
}

// pourEvery is the least time between two pours while files are being read.
const pourEvery = 3 * time.Second

// moreToCome reports whether the program poured a moment ago and files are
// still being read: each of them brings a pour of its own, so this one can be
// left out and the history stays short.
func moreToCome(d *orders.Dossier, now time.Time) bool {
	if d.Revision.AuthorID != nil || now.Sub(d.Revision.CreatedAt) > pourEvery {
		return false
	}
	return slices.ContainsFunc(d.Media, func(m store.Media) bool { return m.State == store.Waiting })
}
