package pressing

import (
	"time"

	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/shelf"
	"nelko/internal/store"
)

// Config is what the room calls.
type Config struct {
	Store  *store.Store
	Blobs  *store.Blobs
	Queue  orders.Queue
	Shelf  *shelf.Shelf
	Orders *orders.Orders
	Making *making.Making
	Drive  Drive // of a process that burns; nil: it does not
	Now    func() time.Time
}

// Pressing is the room where discs are made. Its parts are below; a part calls only those above it.
type Pressing struct {
	*room
	Discs   *Discs
	Images  *Images
	Burner  *Burner
	Stepper *Stepper
	Prints  *Prints
}

// room reads discs (store.Disc), their films and images.
type room struct{ Config }

// Discs ask for discs and take them back, and note that one was handed over.
type Discs struct{ *room }

// Images make discs' images once their films are made, as jobs, and read them back.
type Images struct {
	*room
	discs *Discs
}

// Burner burns copies and reads them back, as jobs (store.Burn).
type Burner struct{ *room }

// Stepper shows a finished disc as a player would, from its image.
type Stepper struct{ *room }

// Prints are the faces and sleeves of discs.
type Prints struct{ *room }

// With makes the room out of what it calls.
func With(c Config) *Pressing {
	r := &room{c}
	discs := &Discs{r}
	return &Pressing{
		room:    r,
		Discs:   discs,
		Images:  &Images{r, discs},
		Burner:  &Burner{r},
		Stepper: &Stepper{r},
		Prints:  &Prints{r},
	}
}
