package runs

import (
	"context"
	"errors"
	"sync"
	"time"

	"nelko/internal/queue"

	"nelko/internal/delivery"
	"nelko/internal/intake"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/pressing"
	"nelko/internal/proofs"
	"nelko/internal/shelf"
	"nelko/internal/store"
)

// Config is what the room of Runs calls.
type Config struct {
	Store    *store.Store
	Blobs    *store.Blobs
	Queue    orders.Queue
	Shelf    *shelf.Shelf
	Orders   *orders.Orders
	Intake   *intake.Intake
	Making   *making.Making
	Proofs   *proofs.Proofs
	Pressing *pressing.Pressing
	Delivery *delivery.Delivery
	Now      func() time.Time
	Watch    string // folder in which the folders that Runs watch are; empty: none may
}

// Runs is the room of Runs: many films of one pattern. Its parts are below; a part calls only those
// above it.
type Runs struct {
	*room
	Sheets   *Sheets
	Folders  *Folders
	Cells    *Cells
	Lists    *Lists
	Material *Material
	Patterns *Patterns
	Out      *Out
	Work     *Work
	Acts     *Acts
}

// room is what all parts share: the rooms that are called, and a Run as it is kept.
type room struct{ Config }

// Sheets read a Run as its sheet: the rows, how each stands and what it needs, how the whole stands,
// and how long making it takes. They change nothing.
type Sheets struct {
	*room
	laid  laid
	stand stand
}

// Folders decide which row a folder of material is for, and give its files to the row. They own the
// answers about folders (store.FolderAnswer).
type Folders struct{ *room }

// Cells change rows where they stand, with steps back and forth (store.RunStep).
type Cells struct {
	*room
	folders *Folders
}

// Lists open Runs and take lists in: how their columns are read, what a corrected list would change,
// and the rows that come of it.
type Lists struct {
	*room
	cells *Cells
}

// Material takes in files that come for a Run as a whole: lists, zips, folders of pictures, and what
// lies in the folder that the Run watches. It owns what waits to be sorted, and its jobs.
type Material struct {
	*room
	folders *Folders
	lists   *Lists

	// Files of watched folders that were brought in by this process: some, such as lists, leave no
	// row by which that is known.
	watched sync.Map
	still   intake.Stillness // of the others
}

// Patterns give a pattern's changes to the rows that follow it, and say beforehand what they do.
type Patterns struct {
	*room
	sheets *Sheets
}

// Out hands over what is made: rows' links and discs, mails, lists of links, cards and faces.
type Out struct {
	*room
	sheets *Sheets
}

// Work has the rows' films made: how many and how long, in which turn, held and gone on with.
type Work struct {
	*room
	sheets *Sheets
	out    *Out
}

// Acts are what is done for many rows at once, as jobs that go on while nobody looks, and say how far
// they are (store.RunAct).
type Acts struct {
	*room
	sheets *Sheets
	out    *Out
	work   *Work
}

// With makes the room out of what it calls.
func With(c Config) *Runs {
	r := &room{c}
	sheets, folders := &Sheets{room: r}, &Folders{r}
	out := &Out{r, sheets}
	cells := &Cells{r, folders}
	lists := &Lists{r, cells}
	work := &Work{r, sheets, out}
	return &Runs{
		room:     r,
		Sheets:   sheets,
		Folders:  folders,
		Cells:    cells,
		Lists:    lists,
		Material: &Material{room: r, folders: folders, lists: lists},
		Patterns: &Patterns{r, sheets},
		Out:      out,
		Work:     work,
		Acts:     &Acts{r, sheets, out, work},
	}
}

// Jobs implements queue.Room.
func (r *Runs) Jobs(js *queue.Jobs) {
	js.Serve(sorting, 2)
	js.Serve(acting, 2)
	queue.Handle(js, queue.Kind[Acting]{
		Needs: r.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Acting]) error {
			err := r.Acts.Act(ctx, j.Args)
			if err != nil && j.Last {
				return errors.Join(err, r.Acts.giveUp(context.WithoutCancel(ctx), j.Args, err.Error()))
			}
			return err
		},
		Refuse: r.Acts.giveUp,
	})
	queue.Handle(js, queue.Kind[Sort]{
		Needs: r.Blobs.Here,
		Work:  func(ctx context.Context, j queue.Job[Sort]) error { return r.Material.Sort(ctx, j.Args) },
	})
	queue.Handle(js, queue.Kind[Tend]{
		Needs: r.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Tend]) error {
			again, err := r.Patterns.Tend(ctx, j.Args)
			if again {
				return queue.Later(2 * time.Second)
			}
			return err
		},
	})
	queue.Handle(js, queue.Kind[Unpack]{
		Needs: r.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Unpack]) error {
			return r.Material.Unpack(ctx, j.Args)
		},
	})
}
