package orders

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/shelf"
	"nelko/internal/store"
	"nelko/themes"
)

// Dossier is an order with all that belongs to it, and its first slideshow
// planned in time.
type Dossier struct {
	Settings  store.Studio // the studio's own
	Order     store.Order
	Slideshow store.Slideshow
	Revision  store.Revision
	Doc       doc.Slideshow // with the order's details, at the profile's rate; in the shape it is seen in
	Whole     doc.Slideshow // likewise, in its first shape, with all further ones
	Shape     doc.Frame     // the further shape it is seen in; zero: the first
	Profile   profile.Profile
	Theme     *theme.Theme
	ThemeLost string // why its theme cannot be had; empty: it can. Theme is the usual one then.
	Library   doc.Library
	Media     []store.Media // all, waveforms left out
	rows      map[doc.MediaID]int
	Plan      plan.Plan
	Checks    []plan.Check
	Renders   []store.Render   // newest first
	Links     []Link           // newest first
	Went      []Went           // deliveries, oldest first
	Remarks   []store.Remark   // of the client, and the answers, oldest first
	Approvals []store.Approval // the latest, if any
	Meant     map[string]bool  // keys of the doubts that are marked as meant
	CanUndo   bool
	CanRedo   bool
}

// Approval is the latest approval, or nil.
func (d *Dossier) Approval() *store.Approval {
	if len(d.Approvals) == 0 {
		return nil
	}
	return &d.Approvals[0]
}

// Approved reports whether the slideshow as it is now was approved.
func (d *Dossier) Approved() bool {
	a := d.Approval()
	return a != nil && a.Revision == d.Slideshow.Head
}

// Proof is the link of the order's proof that is open at a time, or nil.
func (d *Dossier) Proof(now time.Time) *Link {
	for i := range d.Links {
		if d.Links[i].Proof && d.Links[i].Open(now) {
			return &d.Links[i]
		}
	}
	return nil
}

// ProofRender is the latest draft made for the client, or nil.
func (d *Dossier) ProofRender() *store.Render {
	for i := range d.Renders {
		if d.Renders[i].Profile == profile.Proof.Name {
			return &d.Renders[i]
		}
	}
	return nil
}

// OpenRemarks are the client's remarks that are not ticked off.
func (d *Dossier) OpenRemarks() (out []store.Remark) {
	for _, r := range d.Remarks {
		if r.ParentID == nil && r.DoneAt == nil {
			out = append(out, r)
		}
	}
	return out
}

// MusicClock is how long the music is, as m:ss.t.
func (d *Dossier) MusicClock() string {
	return timecode.Clock(float64(d.Plan.Music) / timecode.SampleRate)
}

// Link is a delivery by link.
type Link struct {
	store.Link
	Delivery store.Delivery `gorm:"embedded;embeddedPrefix:d_"`
	RenderID int64
}

// Row is the medium of a name in documents; ok is false if the order has none.
func (d *Dossier) Row(id doc.MediaID) (store.Media, bool) {
	i, ok := d.rows[id]
	if !ok {
		return store.Media{}, false
	}
	return d.Media[i], true
}

// Seen is an order's film as somebody looks at it: in a further frame shape, or,
// with the zero Frame, in its first.
type Seen struct {
	Order int64
	Shape doc.Frame
}

// See is Load, in a shape.
func (h *room) See(ctx context.Context, of Seen) (*Dossier, error) {
	d, err := h.Load(ctx, of.Order)
	if err != nil {
		return nil, err
	}
	return d.In(of.Shape), nil
}

// SeeAt is LoadAt, in a shape.
func (h *room) SeeAt(ctx context.Context, of Seen, number int) (*Dossier, error) {
	d, err := h.LoadAt(ctx, of.Order, number)
	if err != nil {
		return nil, err
	}
	return d.In(of.Shape), nil
}

// Load reads an order and plans its slideshow.
func (h *room) Load(ctx context.Context, id int64) (*Dossier, error) {
	return h.load(ctx, h.Store.DB.WithContext(ctx), id)
}

// LoadIn is Load in a transaction.
func (h *room) LoadIn(ctx context.Context, tx *gorm.DB, id int64) (*Dossier, error) {
	return h.load(ctx, tx, id)
}

func (h *room) load(ctx context.Context, tx *gorm.DB, id int64) (*Dossier, error) {
	d := &Dossier{}
	var err error
	if d.Order, err = store.One[store.Order](tx, "id = ?", id); err != nil {
		return nil, fmt.Errorf("order %d: %w", id, err)
	}
	if d.Slideshow, err = store.One[store.Slideshow](tx, "order_id = ? AND position = 0", id); err != nil {
		return nil, fmt.Errorf("slideshow of order %d: %w", id, err)
	}
	if err := h.open(ctx, tx, d, d.Slideshow.Head); err != nil {
		return nil, err
	}
	return d, h.rest(tx, d)
}

// rest reads what belongs to an order beside its slideshow.
func (h *room) rest(tx *gorm.DB, d *Dossier) (err error) {
	id := d.Order.ID
	if d.Settings, err = store.StudioOf(tx); err != nil {
		return fmt.Errorf("the studio's settings: %w", err)
	}
	if err := tx.Where("order_id = ?", id).Order("id DESC").Find(&d.Renders).Error; err != nil {
		return err
	}
	if d.Links, err = Links(tx, "d.order_id = ?", id); err != nil {
		return err
	}
	if d.Went, err = went(tx, d); err != nil {
		return err
	}
	if err := tx.Where("order_id = ?", id).Order("id").Find(&d.Remarks).Error; err != nil {
		return err
	}
	if err := tx.Where("order_id = ?", id).Order("id DESC").Limit(1).Find(&d.Approvals).Error; err != nil {
		return err
	}
	var meant []string
	if err := tx.Model(&store.Meant{}).Where("order_id = ?", id).Pluck("key", &meant).Error; err != nil {
		return err
	}
	d.Meant = map[string]bool{}
	for _, k := range meant {
		d.Meant[k] = true
	}
	// As Undo and Redo go, over steps by which a row followed its pattern.
	own, err := ownStep(tx, d)
	if err != nil {
		return err
	}
	var children int64
	if err := editsAfter(tx, own).Limit(1).Count(&children).Error; err != nil {
		return err
	}
	d.CanUndo, d.CanRedo = own.Parent > 0, children > 0
	return nil
}

// Links reads deliveries by link, newest first, with their first render.
func Links(tx *gorm.DB, where string, args ...any) (out []Link, err error) {
	err = tx.Table("links l").
		Select(`l.*, d.id d_id, d.order_id d_order_id, d.kind d_kind, d.state d_state, d.title d_title, d.created_at d_created_at,
			coalesce((SELECT render_id FROM delivery_renders r WHERE r.delivery_id = d.id ORDER BY position LIMIT 1), 0) render_id`).
		Joins("JOIN deliveries d ON d.id = l.delivery_id").Where(where, args...).Order("l.id DESC").
		Limit(500).Scan(&out).Error
	return out, err
}

// LoadAt is Load with the slideshow as it stood at a revision.
func (h *room) LoadAt(ctx context.Context, id int64, number int) (*Dossier, error) {
	return h.LoadAtIn(ctx, h.Store.DB.WithContext(ctx), id, number)
}

// LoadAtIn is LoadAt in a transaction.
func (h *room) LoadAtIn(ctx context.Context, tx *gorm.DB, id int64, number int) (*Dossier, error) {
	d, err := h.load(ctx, tx, id)
	if err != nil || d.Slideshow.Head == number {
		return d, err
	}
	d.Slideshow.Head = number
	return d, h.open(ctx, tx, d, number)
}

// open reads a revision of the dossier's slideshow and plans it.
func (h *room) open(ctx context.Context, tx *gorm.DB, d *Dossier, number int) error {
	var err error
	if d.Revision, err = store.One[store.Revision](tx, "slideshow_id = ? AND number = ?", d.Slideshow.ID,
		number); err != nil {
		return fmt.Errorf("revision %d: %w", number, err)
	}
	if d.Profile, err = h.Shelf.Profiles.ProfileIn(tx, ""); err != nil {
		return err
	}
	if d.Whole, err = h.document(tx, d.Revision, d.Profile); err != nil {
		return err
	}
	d.Doc, d.Shape = d.Whole, doc.Frame{}
	if d.Media == nil || d.Order.RunID != nil {
		if d.Media, err = mediaOf(tx, d.Order, d.Doc); err != nil {
			return err
		}
		d.Library = Library(d.Media)
		d.rows = map[doc.MediaID]int{}
		for i, m := range slices.Backward(d.Media) {
			if m.State == store.Ready {
				d.rows[m.DocID()] = i
			}
		}
	}
	if err := h.theme(tx, d); err != nil {
		return err
	}
	d.lay()
	return nil
}

// theme finds the version of the theme the film is made with. One that is gone or cannot be read
// keeps nobody from the order: it is laid out with the usual one, and not rendered.
func (h *room) theme(tx *gorm.DB, d *Dossier) (err error) {
	d.ThemeLost = ""
	if d.Theme, err = h.Shelf.ThemeAt(tx, d.Doc.Theme, d.Doc.ThemeVersion); err == nil {
		return nil
	}
	if tx.Statement.Context.Err() != nil || !errors.Is(err, themes.ErrUnknown) &&
		!errors.Is(err, store.ErrNotFound) &&
		!errors.Is(err, store.ErrGone) && !store.Unreadable(err) {
		return err
	}
	d.ThemeLost = err.Error()
	d.Theme, err = h.Shelf.Themes.Get(shelf.DefaultTheme)
	return err
}

// lay plans the slideshow in the shape it is seen in.
func (d *Dossier) lay() {
	d.Plan = plan.Build(d.Doc, d.Theme, d.Library)
	d.Checks = plan.Checks(d.Doc, d.Plan, d.Theme, d.Library)
	if d.ThemeLost != "" {
		lost := plan.Check{
			Weight: plan.Stops,
			Field:  "theme",
			Text:   "The theme “" + d.Doc.Theme + "” cannot be read; choose another, or bring it back",
		}
		d.Checks = append([]plan.Check{lost}, d.Checks...)
	}
}

// In is the order with its film seen in a further frame shape; in its first
// where it is not made in that one, and for the zero Frame.
func (d *Dossier) In(f doc.Frame) *Dossier {
	if f == d.Shape {
		return d
	}
	n := *d
	n.Doc, n.Shape = d.Whole, doc.Frame{}
	if in, ok := d.Whole.In(f); ok {
		n.Doc, n.Shape = in, f
	}
	n.lay()
	return &n
}

// Shapes are the frame shapes the order's film is made in, the first as the zero
// Frame.
func (d *Dossier) Shapes() []doc.Frame {
	out := []doc.Frame{{}}
	for _, x := range d.Whole.Shapes {
		out = append(out, x.Frame)
	}
	return out
}

// ShapeName is the name by which renders keep the shape the film is seen in.
func (d *Dossier) ShapeName() string {
	if d.Shape == (doc.Frame{}) {
		return ""
	}
	return d.Shape.String()
}

// document reads a revision's document, with the details as they were then.
func (h *room) document(tx *gorm.DB, r store.Revision, p profile.Profile) (doc.Slideshow, error) {
	d, ok := h.parsed.Get(revision{r.SlideshowID, r.Number})
	if !ok {
		b, err := h.Store.Document(tx, r)
		if err != nil {
			return d, err
		}
		if d, err = doc.Parse(b); err != nil {
			return d, err
		}
		h.parsed.Add(revision{r.SlideshowID, r.Number}, d)
	}
	d.Rate = p.Rate
	if r.Details != nil {
		d.Details = r.Details
	}
	return d, nil
}

// mediaOf lists what a film of an order may show: the order's own media and,
// in a Run, what the film shows of the pattern's and the pattern of a row's.
func mediaOf(tx *gorm.DB, order store.Order, d doc.Slideshow) ([]store.Media, error) {
	list := []store.Media{}
	q := tx.Omit("waveform").Where("order_id = ?", order.ID)
	if order.RunID != nil {
		shown := Shows(d)
		q = q.Or("run_id = ? AND (? OR sha256 IN ?)", *order.RunID, d.Pattern != nil, shown)
		if d.Pattern != nil {
			q = q.Or("sha256 IN ? AND order_id IN (SELECT id FROM orders WHERE run_id = ?)", shown,
				*order.RunID)
		}
	}
	return list, q.Order("id").Find(&list).Error
}

// Shows are the contents of all that a film shows and plays.
func Shows(d doc.Slideshow) []string {
	out := []string{""}
	for id := range d.Uses() {
		out = append(out, string(id))
	}
	for _, it := range d.Soundtrack.Items {
		out = append(out, string(it.Media))
	}
	for _, l := range d.Decor {
		out = append(out, l.Media)
	}
	for _, s := range d.Slides {
		if s.Picture != "" {
			out = append(out, string(s.Picture))
		}
	}
	return out
}

// Library is what documents may use of media; what is held back is not in it.
func Library(list []store.Media) doc.Library {
	lib := doc.Library{}
	for _, m := range list {
		if m.State == store.Ready && !m.Held {
			lib[m.DocID()] = m.Known()
		}
	}
	return lib
}

// Film lays the slideshow out as the dossier has it. watermark is laid over
// drafts; only names the slides that will be looked at, if not all of them.
func (h *room) Film(d *Dossier, p profile.Profile, watermark string, only ...doc.SlideID) (*film.Film,
	error) {
	marks, lib := shelf.MarksOf(d.Settings).Lay(d.Library, watermark)
	return h.House.Lay(film.Source{
		Doc:     d.Doc,
		Theme:   d.Theme,
		Library: lib,
		Profile: p,
		Marks:   marks,
		Only:    only,
	})
}

// FilmOf lays a slideshow out for a render: as its revision was, with the
// details, the profile and the marks the render was begun with.
func (h *room) FilmOf(ctx context.Context, r store.Render) (*film.Film, error) {
	tx := h.Store.DB.WithContext(ctx)
	rev, err := store.One[store.Revision](tx, "slideshow_id = ? AND number = ?", r.SlideshowID, r.Revision)
	if err != nil {
		return nil, fmt.Errorf("revision %d: %w", r.Revision, err)
	}
	p := profile.Film
	if r.Setting != nil {
		p = *r.Setting
	}
	d, err := h.document(tx, rev, p)
	if err != nil {
		return nil, err
	}
	if r.Details != nil {
		d.Details = r.Details
	}
	if r.Shape != "" {
		f, err := doc.ParseFrame(r.Shape)
		in, ok := d.In(f)
		if err != nil || !ok {
			return nil, fmt.Errorf("revision %d has no film in %s", r.Revision, r.Shape)
		}
		d = in
	}
	t, err := h.Shelf.ThemeAt(tx, d.Theme, d.ThemeVersion)
	if err != nil {
		return nil, err
	}
	order, err := store.One[store.Order](tx, "id = ?", r.OrderID)
	if err != nil {
		return nil, fmt.Errorf("order %d: %w", r.OrderID, err)
	}
	list, err := mediaOf(tx, order, d)
	if err != nil {
		return nil, err
	}
	marks, lib := shelf.Marks{Words: r.Mark, Picture: r.MarkPicture}.Lay(Library(list), r.Watermark)
	return h.House.Lay(film.Source{Doc: d, Theme: t, Library: lib, Profile: p, Marks: marks})
}
