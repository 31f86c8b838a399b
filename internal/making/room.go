package making

import (
	"time"

	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Config is what the room calls.
type Config struct {
	Store   *store.Store
	Blobs   *store.Blobs
	Queue   orders.Queue
	Orders  *orders.Orders
	Kept    *Segments
	Sprites *media.Sprites
	Now     func() time.Time
	Films   int // rendered at the same time in this process, at least 1
}

// Making is the room where films are made. Its parts are below; a part calls only those above it.
type Making struct {
	*room
	Renders  *Renders
	Turns    *Turns
	Attempts *Attempts
	Checks   *Checks
}

// room reads renders (store.Render): those that wait, are being made, and are finished.
type room struct{ Config }

// Renders ask for films: new ones, anew, again, and take back what was asked. They own the rows of
// renders and the jobs that make them.
type Renders struct{ *room }

// Turns decide which of the films that wait is made next.
type Turns struct {
	*room
	renders *Renders
}

// Attempts make films, as jobs: one leads a film, others help it with parts.
type Attempts struct{ *room }

// Checks read finished films back, and have those that are damaged made again.
type Checks struct {
	*room
	renders *Renders
}

// With makes the room out of what it calls.
func With(c Config) *Making {
	r := &room{c}
	renders := &Renders{r}
	return &Making{
		room:     r,
		Renders:  renders,
		Turns:    &Turns{r, renders},
		Attempts: &Attempts{r},
		Checks:   &Checks{r, renders},
	}
}
