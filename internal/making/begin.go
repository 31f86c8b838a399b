package making

import (
	"context"
	"maps"
	"reflect"
	"slices"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/store"
)

// Begin queues a render of the order's present slideshow in a profile; the
// usual one without a name.
func (k *Renders) Begin(ctx context.Context, orderID int64, profileName string) (store.Render, error) {
	list, err := k.BeginAll(ctx, orderID, Wanted{Profiles: []string{profileName}})
	if err != nil {
		return store.Render{}, err
	}
	return list[0], nil
}

// Wanted is what is to be made of an order's slideshow.
type Wanted struct {
	Shapes   []doc.Frame // further frame shapes; the zero Frame is the first; nil: the first alone
	Profiles []string    // by name
	Teaser   *float64    // seconds into the film at which teasers begin; nil: as their profiles say
	Anyway   bool        // though the client has not approved it
	Missing  bool        // only what is smaller than the slideshow's own frame and not made yet
}

// StreamSizes are the profiles whose films are streamed beside an order's own,
// so that one of them suits any line.
var StreamSizes = []string{"Phone 360", "Web 720"}

// ErrNotApproved means that the order asks for the client's approval, which its
// film does not have.
var ErrNotApproved = &invalid.Input{
	Field: "approval",
	Problem: "Not rendered: this order asks for the client's approval, and the film as it is now has none. " +
		"Send a proof, or say that it is to be rendered anyway.",
}

// BeginAll queues renders of the order's present slideshow in several profiles and shapes, all
// of them or none. What is being made already is not queued again.
func (k *Renders) BeginAll(ctx context.Context, orderID int64, n Wanted) ([]store.Render, error) {
	d, err := k.Orders.Load(ctx, orderID)
	if err != nil {
		return nil, err
	}
	if err := May(d, n.Anyway); err != nil {
		return nil, err
	}
	if len(n.Profiles) == 0 {
		return nil, invalid.Field("profile", "Choose what to make.")
	}
	if len(n.Shapes) == 0 {
		n.Shapes = []doc.Frame{{}}
	}
	var out []store.Render
	err = k.Store.Tx(ctx, func(tx *gorm.DB) error {
		out = nil
		// One press after the other: what was pressed twice, even at the same moment,
		// is made once.
		if _, err := store.One[store.Order](tx.Clauses(clause.Locking{Strength: "NO KEY UPDATE"}).
			Select("id"), "id = ?", orderID); err != nil {
			return err
		}
		for _, f := range n.Shapes {
			in := d.In(f)
			if in.Shape != f {
				return invalid.Field("shape", "The film is not made in %s.", f.Ratio())
			}
			made, err := k.beginIn(ctx, tx, in, n)
			if err != nil {
				return err
			}
			out = append(out, made...)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return out, nil
}

// beginIn is BeginAll in the shape an order is seen in.
func (k *Renders) beginIn(ctx context.Context, tx *gorm.DB, d *orders.Dossier, n Wanted) ([]store.Render,
	error) {
	w, h := d.Doc.Frame.W, d.Doc.Frame.H
	seconds := d.Plan.Rate.Seconds(d.Plan.Frames)
	var wanted []profile.Profile
	out := make([]store.Render, 0, len(n.Profiles))
	for _, name := range n.Profiles {
		p, err := k.Orders.Shelf.Profiles.ProfileIn(tx, name)
		if err != nil {
			return nil, err
		}
		if n.Missing && p.Lines >= min(w, h) {
			continue // no smaller than the film itself
		}
		lasts := seconds
		if p.Teaser != nil {
			t := *p.Teaser
			if n.Teaser != nil {
				t.From = max(0, *n.Teaser)
			}
			p.Teaser, lasts = &t, min(lasts, t.Seconds)
		}
		if p, err = p.Sized(p.Rate.Frames(lasts), w, h); err != nil {
			return nil, invalid.Field("profile", "Not rendered as %s: %v.", name, err)
		}
		wanted = append(wanted, p)
	}
	var there []store.Render
	if err := tx.Where("order_id = ? AND revision = ? AND shape = ?", d.Order.ID, d.Slideshow.Head,
		d.ShapeName()).Order("id").Find(&there).Error; err != nil {
		return nil, err
	}
	wanted = slices.DeleteFunc(wanted, func(p profile.Profile) bool {
		running := slices.IndexFunc(there, func(r store.Render) bool {
			return (!r.State.Over() || n.Missing && r.State == store.RenderDone) && r.Profile == p.Name
		})
		if running >= 0 {
			out = append(out, there[running])
		}
		return running >= 0
	})
	if len(wanted) == 0 {
		return out, nil
	}
	drawn, leads := profile.Together(wanted, w, h)
	made, err := k.queue(ctx, tx, d, drawn, leads, n.Missing)
	return append(out, made...), err
}

// Draft queues a draft of the order's present slideshow for the client to look
// at. One that is there already, or being made, is not made again.
func (k *Renders) Draft(ctx context.Context, tx *gorm.DB, d *orders.Dossier) error {
	for _, c := range d.Checks {
		if c.Weight == plan.Stops {
			return invalid.Field(orders.Place(c.Field), "No proof was made. %s.", c.Text)
		}
	}
	p := profile.Proof
	for _, r := range d.Renders {
		if r.Profile == p.Name && r.Revision == d.Slideshow.Head && r.State != store.RenderFailed &&
			r.State != store.RenderCancelled {
			return nil
		}
	}
	r := store.Render{
		OrderID:     d.Order.ID,
		SlideshowID: d.Slideshow.ID,
		Revision:    d.Slideshow.Head,
		Watermark:   d.Settings.Watermark,
		Profile:     p.Name,
		Setting:     &p,
		Details:     d.Order.Details,
		State:       store.RenderWaiting,
		FramesTotal: int64(d.Plan.Frames),
	}
	return k.insert(ctx, tx, d.Order, &r)
}

// For queues a film of the order's present slideshow in a profile, for something
// else to be made of it. One that was made in just that profile, or is being
// made, is not made again.
func (k *Renders) For(ctx context.Context, tx *gorm.DB, d *orders.Dossier, p profile.Profile) (store.Render,
	error) {
	for _, r := range d.Renders {
		if r.Revision == d.Slideshow.Head && r.Shape == d.ShapeName() && r.State != store.RenderFailed &&
			r.State != store.RenderCancelled && r.Damage == "" &&
			r.Setting != nil && reflect.DeepEqual(*r.Setting, p) && maps.Equal(r.Details, d.Order.Details) {
			return r, nil
		}
	}
	r := renderOf(d, p)
	if err := k.insert(ctx, tx, d.Order, &r); err != nil {
		return r, err
	}
	return r, k.changed(ctx, tx, d.Order.ID)
}

// renderOf is a render of an order as it stands, with the studio's mark.
func renderOf(d *orders.Dossier, p profile.Profile) store.Render {
	return store.Render{
		OrderID:     d.Order.ID,
		SlideshowID: d.Slideshow.ID,
		Revision:    d.Slideshow.Head,
		Shape:       d.ShapeName(),
		Mark:        d.Settings.Mark,
		MarkPicture: d.Settings.MarkPicture,
		Profile:     p.Name,
		Setting:     &p,
		Details:     d.Order.Details,
		State:       store.RenderWaiting,
		FramesTotal: int64(d.Plan.Frames),
	}
}

// May reports why an order's film cannot be rendered as it stands; anyway is the
// operator's word where the client's approval is missing.
func May(d *orders.Dossier, anyway bool) error {
	for _, c := range d.Checks {
		if c.Weight == plan.Stops {
			return invalid.Field(orders.Place(c.Field), "Not rendered. %s.", c.Text)
		}
	}
	if d.Order.AsksApproval && !d.Approved() && !anyway {
		return ErrNotApproved
	}
	return nil
}

// insert writes a render and its job down.
func (k *Renders) insert(ctx context.Context, tx *gorm.DB, o store.Order, r *store.Render) error {
	// GORM leaves false to the column's default unless it is told.
	if err := tx.Select("*").Omit("id", "created_at").Create(r).Error; err != nil {
		return err
	}
	if err := store.Note(tx, store.DidRender, o.ID, "Render in "+r.Profile); err != nil {
		return err
	}
	return k.enqueue(ctx, tx, o, r.ID)
}

// enqueue queues the making of a render, at the turn of its order.
func (k *Renders) enqueue(ctx context.Context, tx *gorm.DB, o store.Order, renderID int64) error {
	when, err := k.turn(tx, o)
	if err != nil {
		return err
	}
	if err := k.Queue.Insert(ctx, tx, Film{renderID, when}); err != nil {
		return err
	}
	return queue.Move(tx, Film{}.Kind(), "render_id", []int64{renderID}, &when)
}

// mainOf is the place of the profile whose film is the order's, or -1: of those a
// client can play at once the largest.
func mainOf(all []profile.Profile, w, h int) int {
	best, area := -1, 0
	for i, p := range all {
		x, y := p.Size(w, h)
		if p.Plays() && x*y > area {
			best, area = i, x*y
		}
	}
	return best
}

// queue writes down renders and their jobs, those that others are drawn with
// first.
func (k *Renders) queue(ctx context.Context, tx *gorm.DB, d *orders.Dossier, all []profile.Profile,
	leads []int, beside bool) ([]store.Render, error) {
	out := make([]store.Render, len(all))
	main := mainOf(all, d.Doc.Frame.W, d.Doc.Frame.H)
	if beside || d.ShapeName() != "" {
		main = -1 // they stand beside the film that is there
	}
	names := make([]string, len(all))
	for _, led := range []bool{false, true} {
		for i, p := range all {
			if names[i] = p.Name; (leads[i] != i) != led {
				continue
			}
			r := renderOf(d, p)
			r.Main = i == main
			if led {
				r.LeadID = &out[leads[i]].ID
			}
			if err := k.insert(ctx, tx, d.Order, &r); err != nil {
				return nil, err
			}
			out[i] = r
		}
	}
	if err := tx.Model(&store.Profile{}).Where("name IN ?", names).Update("used_at",
		k.Now()).Error; err != nil {
		return nil, err
	}
	return out, k.changed(ctx, tx, d.Order.ID)
}

// Again queues a film to be made again from what it was made of: its revision,
// the theme's version that names, its details, profile and marks. Where the
// tools are the same it becomes the same film, byte for byte; where they are
// not the new render says so.
func (k *Renders) Again(ctx context.Context, orderID, renderID int64) (store.Render, error) {
	tx := k.Store.DB.WithContext(ctx)
	of, err := store.One[store.Render](tx, "id = ? AND order_id = ?", renderID, orderID)
	if err != nil {
		return of, err
	}
	if of.State != store.RenderDone {
		return of, invalid.Field("render", "Only what was made once can be made again.")
	}
	if running, err := store.One[store.Render](tx, "again_of = ? AND state IN ('waiting', 'running')",
		of.ID); err == nil {
		return running, nil // pressed twice
	}
	o, err := store.One[store.Order](tx, "id = ?", orderID)
	if err != nil {
		return of, err
	}
	r := store.Render{
		OrderID:     of.OrderID,
		SlideshowID: of.SlideshowID,
		Revision:    of.Revision,
		Shape:       of.Shape,
		Profile:     of.Profile,
		Setting:     of.Setting,
		Details:     of.Details,
		Mark:        of.Mark,
		MarkPicture: of.MarkPicture,
		Watermark:   of.Watermark,
		State:       store.RenderWaiting,
		FramesTotal: of.FramesTotal,
		AgainOf:     &of.ID,
	}
	return r, k.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := k.insert(ctx, tx, o, &r); err != nil {
			return err
		}
		return k.changed(ctx, tx, orderID)
	})
}

// Retry queues a film that failed or was cancelled once more.
func (k *Renders) Retry(ctx context.Context, r store.Render) error {
	return k.Store.Tx(ctx, func(tx *gorm.DB) error {
		o, err := store.One[store.Order](tx, "id = ?", r.OrderID)
		if err != nil {
			return err
		}
		res := tx.Model(&store.Render{}).Where("id = ? AND state IN ('failed', 'cancelled')", r.ID).
			Updates(map[string]any{
				"state":       store.RenderWaiting,
				"error":       "",
				"finished_at": nil,
			})
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		if err := k.enqueue(ctx, tx, o, r.ID); err != nil {
			return err
		}
		return k.changed(ctx, tx, r.OrderID)
	})
}
