package orders

import (
	"context"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/film"
	"nelko/internal/latest"
	"nelko/internal/shelf"
	"nelko/internal/store"
)

// Orders is the room of clients' orders. It reads an order as it stands, or stood; its parts, each of
// which calls only those above it, change orders and tell of all of them.
type Orders struct {
	*room
	Presence *Presence
	Days     *Days
	Edits    *Edits
	Heads    *Heads
	Keeping  *Keeping
}

// room reads orders: their documents, what they are made of and how far they are. It owns nothing
// that is stored; documents that were read are remembered.
type room struct {
	Store *store.Store
	Shelf *shelf.Shelf
	House film.House
	Now   func() time.Time

	// parsed remembers documents that were read last. Revisions never change,
	// and nobody changes a document that was read: edits work on copies.
	parsed *lru.Cache[revision, doc.Slideshow]
}

// Presence tells who has an order open, and at which slide (store.Presence).
type Presence struct{ *room }

// Days tell how all orders stand: the day sheet, and what each order needs next, which it keeps with
// the order so that a thousand of them are one statement.
type Days struct{ *room }

// Edits change slideshows, one revision each (store.Revision), and go back and forward in them.
type Edits struct {
	*room
	days *Days

	// Rows keep what is in a Run together; nil: no order is in one.
	Rows Rows
}

// Rows keep the orders of a Run with their pattern.
type Rows interface {
	// Moved is told, in the transaction, that the slideshow of an order of a Run
	// has another revision.
	Moved(ctx context.Context, tx *gorm.DB, o store.Order) error

	// Following is what a row of a Run does after it went back or forward in its
	// history, in the same transaction, so that it stays as its pattern has it; a nil
	// edit: nothing.
	Following(ctx context.Context, tx *gorm.DB, o store.Order) (edit.Op, error)
}

// Heads open orders and change what they are about: client, event, due day, what is wanted, what is
// meant as it is (store.Order).
type Heads struct {
	*room
	days  *Days
	edits *Edits
}

// Keeping puts orders away, takes them out again, and erases what was put away for long enough.
type Keeping struct {
	*room
	heads *Heads
}

// NewRoom opens the room.
func NewRoom(s *store.Store, on *shelf.Shelf, house film.House, now func() time.Time) *Orders {
	r := &room{
		Store:  s,
		Shelf:  on,
		House:  house,
		Now:    now,
		parsed: latest.Some[revision, doc.Slideshow](rememberParsed),
	}
	days := &Days{r}
	edits := &Edits{room: r, days: days}
	heads := &Heads{r, days, edits}
	return &Orders{
		room:     r,
		Presence: &Presence{r},
		Days:     days,
		Edits:    edits,
		Heads:    heads,
		Keeping:  &Keeping{r, heads},
	}
}
