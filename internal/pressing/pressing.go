// Package pressing is discs of orders and Runs: what fits on them, their films
// rendered as discs need them, their images, what is seen when one is stepped
// through, the copies that are burned, the paper around them.
package pressing

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/disc"
	"nelko/internal/invalid"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/store"
)

// Press is the job that makes a disc's image once its films are rendered.
type Press struct {
	DeliveryID int64 `json:"delivery_id"`
}

// Kind implements river.JobArgs.
func (Press) Kind() string { return "press" }

// The queues of the room.
const (
	pressing = "discs"
	burning  = "burner"
)

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Press) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: pressing, MaxAttempts: 3} }

// How long a disc waits for its films, and for room on a full disk, before it
// looks again.
const (
	filmsLook = 2 * time.Second
	fullLook  = time.Minute
)

// Jobs implements queue.Room.
func (p *Pressing) Jobs(js *queue.Jobs) {
	js.Serve(pressing, 1)
	queue.Handle(js, queue.Kind[Press]{
		Needs: p.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Press]) error {
			wait, err := p.Images.Press(ctx, j.Args)
			if wait > 0 {
				return queue.Later(wait)
			}
			if err != nil && j.Last && ctx.Err() == nil {
				return errors.Join(err, p.Discs.failed(ctx, j.Args.DeliveryID, err.Error()))
			}
			return err
		},
		Refuse: func(ctx context.Context, j Press, why string) error {
			return p.Discs.failed(ctx, j.DeliveryID, why)
		},
	})
	if p.Drive == nil {
		return
	}
	js.Serve(burning, 1)
	queue.Handle(js, queue.Kind[Burn]{
		Needs: p.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Burn]) error {
			wait, err := p.Burner.Burn(ctx, j.Args)
			if wait > 0 {
				return queue.Later(wait)
			}
			return err
		},
		Refuse: func(ctx context.Context, j Burn, why string) error {
			return p.Burner.spoiled(ctx, j.BurnID, why)
		},
	})
}

// Standards are the profiles a DVD-Video can be made in, the usual one first.
var Standards = []profile.Profile{profile.DVDPALWide, profile.DVDPALNarrow, profile.DVDNTSCWide,
	profile.DVDNTSCNarrow}

// Choice is a kind of disc on a kind of blank, and how films fit on it.
type Choice struct {
	Kind  store.DiscKind
	Blank discs.Blank
	Words string // how they fit
	Fits  bool
	Kbps  int // of the picture
}

// Choices tells how films of so many seconds fit on each kind of disc.
func Choices(seconds []float64) (out []Choice) {
	for _, c := range []struct {
		kind  store.DiscKind
		blank discs.Blank
	}{{store.DVDVideo, discs.DVD5}, {store.DVDVideo, discs.DVD9}, {store.HDVideo, discs.BD25},
		{store.DataDisc, discs.DVD5}, {store.DataDisc, discs.BD25}} {
		out = append(out, choice(c.kind, c.blank, seconds, &disc.Menu{Moves: true}))
	}
	return out
}

// rates are the bit rates of a video disc.
func rates(kind store.DiscKind) discs.Rates {
	if kind == store.HDVideo {
		return discs.HD
	}
	return discs.DVD
}

func choice(kind store.DiscKind, b discs.Blank, seconds []float64, menu *disc.Menu) Choice {
	c := Choice{Kind: kind, Blank: b}
	switch kind {
	case store.DataDisc:
		c.Words, c.Fits = fmt.Sprintf("holds %.0f MB", float64(b.Bytes())/1e6), true
		return c
	case store.HDVideo:
		menu = nil
	}
	plan, err := discs.Budget(b, seconds, rates(kind), disc.MenuBudget(len(seconds), menu))
	if err != nil {
		c.Words = err.Error()
		return c
	}
	c.Words, c.Fits, c.Kbps = plan.String(), true, plan.Kbps
	return c
}

// Divide shares films of so many seconds out to as few discs as hold them, in
// their order.
func Divide(set store.DiscSetting, seconds []float64) ([][]int, error) {
	b, ok := discs.Named(set.Blank)
	if !ok {
		return nil, fmt.Errorf("there is no blank of the kind %q", set.Blank)
	}
	var parts [][]int
	if set.Kind == store.DataDisc { // how large files become is known when they are made
		all := make([]int, len(seconds))
		for i := range all {
			all[i] = i
		}
		parts = [][]int{all}
	} else {
		var err error
		if parts, err = discs.Divide(b, seconds, rates(set.Kind), disc.MenuBudget(len(seconds),
			menuOf(set))); err != nil {
			return nil, err
		}
	}
	// No more films than a disc has room for.
	var out [][]int
	for _, p := range parts {
		out = slices.AppendSeq(out, slices.Chunk(p, maxTitles))
	}
	return out, nil
}

// New is a disc to be made.
type New struct {
	store.DiscSetting
	Orders []int64 // whose films are on it, in this order; none: the order's own
	Anyway bool    // though a client has not approved a film
}

// MaxName is the longest name of a disc, in bytes.
const MaxName = 64

const maxTitles = 99

func (n *New) check() error {
	n.Name = strings.Join(strings.Fields(n.Name), " ")
	b, known := discs.Named(n.Blank)
	switch {
	case n.Name == "" || len(n.Name) > MaxName:
		return invalid.Field("name", "The disc needs a name of at most %d characters.", MaxName)
	case !slices.Contains([]store.DiscKind{store.DVDVideo, store.HDVideo, store.DataDisc}, n.Kind):
		return invalid.Field("kind", "There is no disc of the kind %q.", n.Kind)
	case !known:
		return invalid.Field("blank", "There is no blank of the kind %q.", n.Blank)
	case n.Kind == store.DVDVideo && b == discs.BD25, n.Kind == store.HDVideo && b != discs.BD25:
		return invalid.Field("blank", "The %s does not go with this kind of disc.", b.Name)
	case n.Subtitles != "" && n.Subtitles != "on" && n.Subtitles != "off":
		return invalid.Field("subtitles",
			"Subtitles are on or off when the disc starts, or stand in the picture.")
	case n.Every < 0 || n.Every > 999:
		return invalid.Field("every", "A chapter every 1 to 999 pictures, or at the chosen slides.")
	case len(n.Profiles) == 0:
		return invalid.Field("profiles", "Choose the sizes of the films on the disc.")
	case n.Kind != store.DataDisc && len(n.Profiles) != 1:
		return invalid.Field("profiles", "A disc's films have one standard.")
	case len(n.Orders) > maxTitles:
		return invalid.Field("orders", "A disc has room for %d films.", maxTitles)
	}
	if _, err := colour(n.Colour); err != nil {
		return err
	}
	return nil
}

// colour reads #rrggbb; empty: white.
func colour(s string) (raster.RGB, error) {
	if s == "" {
		return raster.RGB{R: 255, G: 255, B: 255}, nil
	}
	c, err := raster.ParseRGB(s)
	if err != nil {
		return c, invalid.Field("colour", "%q is no colour: give #rrggbb.", s)
	}
	return c, nil
}

// profiles are what the disc's films are rendered in: those of a video at the
// highest bit rate that fits.
func (h *Discs) profiles(ctx context.Context, n *New, seconds []float64) (out []profile.Profile,
	budget string, err error) {
	b, _ := discs.Named(n.Blank)
	for _, name := range n.Profiles {
		x, err := h.Shelf.Profiles.Profile(ctx, name)
		if err != nil {
			return nil, "", err
		}
		switch {
		case n.Kind == store.DataDisc && x.Kind != profile.OfFilm:
			return nil, "", invalid.Field("profiles", "%s is no film to be played from a disc.", name)
		case n.Kind == store.DVDVideo && x.Stored == nil, n.Kind == store.HDVideo &&
			x.Name != profile.HDDisc.Name:
			return nil, "", invalid.Field("profiles", "%s is no standard for this kind of disc.", name)
		}
		if n.Kind != store.DataDisc {
			c := choice(n.Kind, b, seconds, menuOf(n.DiscSetting))
			if !c.Fits {
				return nil, "", invalid.Field("blank", "The films do not fit: %s.", c.Words)
			}
			n.Kbps, x.Video.Kbps, budget = c.Kbps, c.Kbps, c.Words
			if n.Subtitles == "" {
				x.Captions = profile.Burnt
			}
		}
		out = append(out, x)
	}
	return out, budget, nil
}

// menuOf is the menu of a disc; nil: it has none.
func menuOf(s store.DiscSetting) *disc.Menu {
	if !s.Menu || s.Kind != store.DVDVideo {
		return nil
	}
	return &disc.Menu{Moves: s.Moves, Music: s.Music}
}

// Make delivers films on a disc: it queues what they are rendered as, and the
// image of it. What cannot fit is refused with the arithmetic.
func (h *Discs) Make(ctx context.Context, orderID int64, n New) (id int64, err error) {
	if n.Kind == store.HDVideo {
		n.Profiles = []string{profile.HDDisc.Name}
	}
	if len(n.Orders) == 0 {
		n.Orders = []int64{orderID}
	}
	if err := n.check(); err != nil {
		return 0, err
	}
	var all []*orders.Dossier
	var seconds []float64
	for _, o := range n.Orders {
		d, err := h.Orders.Load(ctx, o)
		if err != nil {
			return 0, err
		}
		if err := making.May(d, n.Anyway); err != nil {
			var wrong *invalid.Input
			if len(n.Orders) > 1 && errors.As(err, &wrong) {
				return 0, invalid.Field(wrong.Field, "%s: %s", d.Order.Client, wrong.Problem)
			}
			return 0, err
		}
		all, seconds = append(all, d), append(seconds, d.Plan.Rate.Seconds(d.Plan.Frames))
	}
	if n.Music != "" && !slices.ContainsFunc(all[0].Media, func(m store.Media) bool {
		return m.SHA256 == n.Music && m.Kind == doc.SongMedia
	}) {
		return 0, invalid.Field("music", "The menu's song is not one of the order's.")
	}
	list, budget, err := h.profiles(ctx, &n, seconds)
	if err != nil {
		return 0, err
	}
	err = h.Store.Tx(ctx, func(tx *gorm.DB) error {
		d := store.Delivery{
			OrderID: orderID,
			Kind:    store.DiscDelivery,
			State:   store.DeliveryWaiting,
			Title:   n.Name,
		}
		if err := tx.Create(&d).Error; err != nil {
			return err
		}
		n.Titles = nil
		for _, o := range all {
			for _, x := range list {
				r, err := h.Making.Renders.For(ctx, tx, o, x)
				if err != nil {
					return err
				}
				n.Titles = append(n.Titles, store.DiscTitle{
					OrderID:  o.Order.ID,
					RenderID: r.ID,
					Name:     nameOf(o),
				})
				if err := tx.Create(&store.DeliveryRender{
					DeliveryID: d.ID,
					RenderID:   r.ID,
					Position:   len(n.Titles),
				}).Error; err != nil {
					return err
				}
			}
		}
		if err := tx.Create(&store.Disc{
			DeliveryID: d.ID,
			Setting:    n.DiscSetting,
			Budget:     budget,
		}).Error; err != nil {
			return err
		}
		if err := h.Queue.Insert(ctx, tx, Press{d.ID}); err != nil {
			return err
		}
		id = d.ID
		return h.Orders.Heads.NoteDelivery(ctx, tx, d, "To be made: "+describe(n.DiscSetting))
	})
	return id, err
}

// nameOf is what a film is called on a disc.
func nameOf(d *orders.Dossier) string {
	if n := strings.Join(strings.Fields(d.Theme.FilmTitle(d.Doc.Details)), " "); n != "" {
		return n
	}
	return d.Order.Client
}

// describe says what a disc is: "DVD PAL 16:9 on DVD 4.7 GB, 3 films".
func describe(s store.DiscSetting) string {
	films := len(s.Titles) / max(1, len(s.Profiles))
	what := strings.Join(s.Profiles, ", ") + " on " + s.Blank
	if films > 1 {
		what += fmt.Sprintf(", %d films", films)
	}
	return what
}

// set changes a disc's delivery and tells of it.
func (h *Discs) set(ctx context.Context, id int64, state store.DeliveryState, disc map[string]any,
	said string) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = ? AND state <> ?", id, store.DeliveryClosed)
		if errors.Is(err, store.ErrNotFound) {
			return nil // taken back meanwhile
		}
		if err != nil {
			return err
		}
		if err := tx.Model(&d).Update("state", state).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Disc{}).Where("delivery_id = ?", id).Updates(disc).Error; err != nil {
			return err
		}
		if said == "" {
			return h.Orders.Days.Changed(ctx, tx, d.OrderID)
		}
		return h.Orders.Heads.NoteDelivery(ctx, tx, d, said)
	})
}

func (h *Discs) failed(ctx context.Context, id int64, why string) error {
	return h.set(ctx, id, store.DeliveryFailed, map[string]any{"error": why}, "Not made: "+why)
}

// Again makes a disc's image once more, from the same films. Those that failed
// are rendered again.
func (h *Discs) Again(ctx context.Context, id int64) error {
	x, d, err := h.Find(ctx, id)
	if err != nil {
		return err
	}
	if x.Image == nil && (d.State == store.DeliveryWaiting || d.State == store.DeliveryRunning) {
		return nil // it is being made
	}
	films, err := h.films(ctx, x)
	if err != nil {
		return err
	}
	for _, r := range films {
		if r.State == store.RenderFailed || r.State == store.RenderCancelled {
			if err := h.Making.Renders.Retry(ctx, r); err != nil {
				return err
			}
		}
	}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&x).Updates(map[string]any{
			"error":       "",
			"image":       nil,
			"guide":       nil,
			"pressed_at":  nil,
			"verified_at": nil,
		}).Error; err != nil {
			return err
		}
		if err := tx.Model(&d).Update("state", store.DeliveryWaiting).Error; err != nil {
			return err
		}
		if err := h.Queue.Insert(ctx, tx, Press{id}); err != nil {
			return err
		}
		return h.Orders.Heads.NoteDelivery(ctx, tx, d, "To be made again")
	})
}

// Close takes a disc back: its image goes, and copies that wait are cancelled.
func (h *Discs) Close(ctx context.Context, id int64) error {
	if _, _, err := h.Find(ctx, id); err != nil {
		return err
	}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = ?", id)
		if err != nil {
			return err
		}
		now := h.Now()
		if err := errors.Join(
			tx.Model(&store.Burn{}).Where("delivery_id = ? AND finished_at IS NULL", id).
				Updates(map[string]any{
					"state":       store.BurnCancelled,
					"finished_at": now,
				}).Error,
			tx.Model(&store.Disc{}).Where("delivery_id = ?", id).Updates(map[string]any{
				"image": nil,
				"guide": nil,
			}).Error,
			tx.Model(&d).Update("state", store.DeliveryClosed).Error); err != nil {
			return err
		}
		return h.Orders.Heads.NoteDelivery(ctx, tx, d, "Taken back")
	})
}

// HandedOver notes that a disc reached the client some other way: its image was
// burned elsewhere, or a stick was filled.
func (h *Discs) HandedOver(ctx context.Context, id int64) error {
	x, d, err := h.Find(ctx, id)
	if err != nil {
		return err
	}
	if x.Image == nil {
		return invalid.Field("disc", "The disc is not made yet.")
	}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		proof := "handed over " + h.Now().Format("2 January 2006")
		if err := tx.Model(&d).Updates(map[string]any{
			"state": store.DeliveryDone,
			"proof": proof,
		}).Error; err != nil {
			return err
		}
		return h.Orders.Heads.NoteDelivery(ctx, tx, d, "Handed over")
	})
}
