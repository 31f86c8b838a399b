// Package house puts the rooms together: it is what the application and its
// tests open.
package house

import (
	"context"
	"fmt"
	"log/slog"
	"runtime"
	"strings"
	"time"

	"nelko/internal/accounts"
	"nelko/internal/delivery"
	"nelko/internal/film"
	"nelko/internal/hosting"
	"nelko/internal/intake"
	"nelko/internal/interchange"
	"nelko/internal/looking"
	"nelko/internal/making"
	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/pressing"
	"nelko/internal/proofs"
	"nelko/internal/queue"
	"nelko/internal/runs"
	"nelko/internal/shelf"
	"nelko/internal/store"
	"nelko/themes"
)

// House is all rooms of a studio.
type House struct {
	Store *store.Store
	Blobs *store.Blobs
	Queue *queue.Inserter

	reading  reading
	Accounts *accounts.Accounts
	Shelf    *shelf.Shelf
	Orders   *orders.Orders
	Intake   *intake.Intake
	Making   *making.Making
	Looking  *looking.Looking
	Delivery *delivery.Delivery
	Hosting  *hosting.Hosting
	Pressing *pressing.Pressing
	Proofs   *proofs.Proofs

	Interchange *interchange.Interchange
	Runs        *runs.Runs
}

// Settings are what the rooms are told from outside.
type Settings struct {
	Themes       string // folder of the studio's own themes, as zips; empty: none
	SegmentBytes int64  // room for kept segments; 0: the usual
	Films        int    // rendered at the same time in this process
	BaseURL      string // the address clients reach
	Host         string // the address of the video host; empty: none
	Photos       string // address of the photo source, where the studio has set no other; empty: none
	Intake       string // folder whose sub-folders, named by orders, are looked into; empty: none
	Watch        string // folder whose sub-folders Runs may watch; empty: none
	Now          func() time.Time
}

// reading is the processes that read pictures.
type reading struct{ quick, patient, drawing *media.Readers }

// quickReaders is how many processes read what comes in. One more takes the
// files that need long, and as many as the machine has processors read what
// is drawn.
const quickReaders = 2

func newReading(dirs []string) reading {
	return reading{media.QuickReaders(quickReaders, dirs...), media.PatientReaders(1, dirs...),
		media.NewReaders(runtime.NumCPU(), dirs...)}
}

func (r reading) close() {
	r.quick.Close()
	r.patient.Close()
	r.drawing.Close()
}

// spriteBytes is the memory for prepared pictures of all films that are looked
// at or made in this process.
const spriteBytes = 256 << 20

// Open opens the rooms on a migrated store: it starts libvips, keeps the
// themes that are on the shelf, and works out what the day sheet shows where
// that was not kept yet.
func Open(ctx context.Context, s *store.Store, b *store.Blobs, set Settings) (*House, error) {
	if err := media.Startup(); err != nil {
		return nil, err
	}
	tools, err := film.ToolsHere(ctx)
	if err != nil {
		return nil, err
	}
	on, err := themes.Shipped()
	if err != nil {
		return nil, err
	}
	q, err := queue.NewInserter(s.SQL)
	if err != nil {
		return nil, err
	}
	if set.Now == nil {
		set.Now = time.Now
	}
	b.Touch = s.TouchBlob
	if err := s.Mark(ctx, b); err != nil {
		return nil, err
	}
	if err := b.Here(ctx); err != nil {
		slog.ErrorContext(ctx, "what needs files waits", "error", err)
	}
	party, err := accounts.NewParty(set.BaseURL)
	if err != nil {
		return nil, fmt.Errorf("passkeys at %q: %w", set.BaseURL, err)
	}
	h := &House{Store: s, Blobs: b, Queue: q, Accounts: accounts.New(s, party)}
	h.reading = newReading(b.Folders())
	h.Shelf = shelf.With(shelf.Config{
		Store:   s,
		Blobs:   b,
		Themes:  on,
		Own:     set.Themes,
		Readers: h.reading.drawing,
	})
	if err := h.Shelf.Stock(ctx); err != nil {
		return nil, err
	}
	h.Orders = orders.NewRoom(s, h.Shelf, film.House{Tools: tools, Shelf: on}, set.Now)
	h.Intake = intake.With(intake.Config{
		Store:   s,
		Blobs:   b,
		Queue:   q,
		Orders:  h.Orders,
		Now:     set.Now,
		Folder:  set.Intake,
		Photos:  set.Photos,
		Quick:   h.reading.quick,
		Patient: h.reading.patient,
	})
	sprites := media.NewSprites(store.MediaFiles{Blobs: b}, on, h.reading.drawing, spriteBytes)
	kept := &making.Segments{Store: s, Blobs: b, Now: set.Now, MaxBytes: set.SegmentBytes}
	h.Making = making.With(making.Config{
		Store:   s,
		Blobs:   b,
		Queue:   q,
		Orders:  h.Orders,
		Kept:    kept,
		Sprites: sprites,
		Now:     set.Now,
		Films:   max(1, set.Films),
	})
	h.Looking = looking.New(b, h.Orders, kept, sprites)
	h.Interchange = &interchange.Interchange{Blobs: b, Orders: h.Orders, Intake: h.Intake}
	h.Delivery = delivery.With(delivery.Config{
		Store:   s,
		Blobs:   b,
		Queue:   q,
		Orders:  h.Orders,
		Now:     set.Now,
		BaseURL: set.BaseURL,
	})
	h.Hosting = &hosting.Hosting{
		Store:  s,
		Blobs:  b,
		Queue:  q,
		Orders: h.Orders,
		Now:    set.Now,
		Host:   set.Host,
		Back:   strings.TrimRight(set.BaseURL, "/") + "/settings/host/back",
	}
	h.Pressing = pressing.With(pressing.Config{
		Store:  s,
		Blobs:  b,
		Queue:  q,
		Shelf:  h.Shelf,
		Orders: h.Orders,
		Making: h.Making,
		Now:    set.Now,
	})
	h.Proofs = &proofs.Proofs{
		Store:    s,
		Orders:   h.Orders,
		Making:   h.Making,
		Delivery: h.Delivery,
		Now:      set.Now,
	}
	h.Runs = runs.With(runs.Config{
		Store:    s,
		Blobs:    b,
		Queue:    q,
		Shelf:    h.Shelf,
		Orders:   h.Orders,
		Intake:   h.Intake,
		Making:   h.Making,
		Proofs:   h.Proofs,
		Pressing: h.Pressing,
		Delivery: h.Delivery,
		Now:      set.Now,
		Watch:    set.Watch,
	})
	h.Orders.Edits.Rows = h.Runs.Patterns
	return h, h.Orders.Days.ChangedAll(ctx)
}

// Rooms are the rooms with jobs.
func (h *House) Rooms() []queue.Room {
	return []queue.Room{h.Intake, h.Making, h.Delivery, h.Hosting, h.Pressing, h.Runs, tidyRoom{h}}
}

// Hear tells the rooms what changed elsewhere.
func (h *House) Hear(e store.Event) {
	if e.What == store.ShelfChanged || e.What == "" {
		h.Shelf.Forget()
	}
	h.Looking.Changed(e)
	h.Runs.Sheets.Hear(e)
}

// Close ends what the rooms do in the background.
func (h *House) Close() {
	h.Looking.Close()
	h.reading.close()
}

// Painting counts the steps of the demo's painting that are left.
func (h *House) Painting(ctx context.Context) (int64, error) {
	return queue.Waiting(ctx, h.Store, "demo")
}
