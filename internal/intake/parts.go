package intake

import (
	"time"

	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Config is what the room calls.
type Config struct {
	Store  *store.Store
	Blobs  *store.Blobs
	Queue  orders.Queue
	Orders *orders.Orders
	Now    func() time.Time
	// Quick read pictures in processes of their own, Patient those that take long;
	// nil: in this one.
	Quick, Patient *media.Readers

	Photos string // address of the photo source, where the studio has set no other
	Folder string // whose sub-folders are named by orders and looked into; empty: none
}

// Intake is the room where material comes in. Its parts are below; a part calls only those above it.
type Intake struct {
	*room
	In       *Receiver
	Pages    *Pages
	Held     *Held
	Material *Material
	Songs    *Music
	Reader   *Reader
	Pourer   *Pourer
	Source   *Source
	Watched  *Watched
}

// room takes files in: as blobs, as rows that wait to be read (store.Media), and as jobs that read
// them.
type room struct{ Config }

// Receiver receives the files of an order, from wherever they come.
type Receiver struct{ *room }

// Pages are the pages on which clients bring material in (store.ClientPage): what they may bring, how
// much of it, and what they fill in.
type Pages struct{ *room }

// Held keeps what came from outside aside until the operator takes it in.
type Held struct{ *room }

// Material changes what an order has: stars, times, what is left out and erased; and reads files
// again, to find what is damaged.
type Material struct{ *room }

// Music is the studio's songs (store.Song), and the songs and voices of orders.
type Music struct{ *room }

// Reader looks at what was received, as jobs: what it is, its small picture, its sound; or why it is
// refused.
type Reader struct{ *room }

// Pourer pours what was read into its order's slideshow, as a job: as one edit for all of it.
type Pourer struct{ *room }

// Source fetches albums of a photo source, as jobs.
type Source struct {
	*room
	receiver *Receiver
}

// Watched brings in what is put into the folder whose sub-folders are named by orders.
type Watched struct {
	*room
	receiver *Receiver
	still    Stillness
}

// With makes the room out of what it calls.
func With(c Config) *Intake {
	r := &room{c}
	in := &Receiver{r}
	return &Intake{
		room:     r,
		In:       in,
		Pages:    &Pages{r},
		Held:     &Held{r},
		Material: &Material{r},
		Songs:    &Music{r},
		Reader:   &Reader{r},
		Pourer:   &Pourer{r},
		Source:   &Source{r, in},
		Watched:  &Watched{room: r, receiver: in},
	}
}
