package orders

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"maps"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/profile"
	"nelko/internal/core/wording"
	"nelko/internal/film"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Conflict means that someone else changed the slideshow since the caller
// looked at it. Nothing was changed.
type Conflict struct {
	By    string
	At    time.Time
	Title string
}

// Conflicts marks it as something that another change is the reason of.
func (c *Conflict) Conflicts() {}

func (c *Conflict) Error() string {
	return fmt.Sprintf("%s changed this slideshow meanwhile (%s). Your change was not made; this is how it "+
		"stands now.", c.By, wording.Lower(c.Title))
}

// Edit applies op to revision base of an order's slideshow and makes it the
// head. When the head has moved on, the edit is applied to the head if only
// the program itself or the same author made steps meanwhile; otherwise a
// *Conflict is returned. Slides are named by identifiers that never change, so
// an edit means the same there.
func (k *Edits) Edit(ctx context.Context, orderID int64, base int, op edit.Op, author *int64) (int, error) {
	return headOf(k.Apply(ctx, orderID, base, op, author))
}

// asItStands is the base of edits that mean the same whatever others did.
const asItStands = -2

// Do is Apply on the slideshow as it stands, for edits that mean the same
// whatever others did meanwhile: those of a Run, of one value.
func (k *Edits) Do(ctx context.Context, orderID int64, op edit.Op, author *int64) (*Dossier, error) {
	return k.Apply(ctx, orderID, asItStands, op, author)
}

// DoIn is Do in a transaction.
func (k *Edits) DoIn(ctx context.Context, tx *gorm.DB, orderID int64, op edit.Op, author *int64) (*Dossier,
	error) {
	return k.moveIn(ctx, tx, orderID, asItStands, author, k.editing(op, author))
}

func headOf(d *Dossier, err error) (int, error) {
	if err != nil {
		return 0, err
	}
	return d.Slideshow.Head, nil
}

// EditSeen is Apply by somebody who looks at the film in one of its shapes.
func (k *Edits) EditSeen(ctx context.Context, of Seen, base int, op edit.Op, author *int64) (*Dossier,
	error) {
	d, err := k.Apply(ctx, of.Order, base, edit.In(of.Shape, op), author)
	if err != nil {
		return d, err
	}
	return d.In(of.Shape), nil
}

// Apply is Edit that gives the order as it stands then.
func (k *Edits) Apply(ctx context.Context, orderID int64, base int, op edit.Op, author *int64) (*Dossier,
	error) {
	return k.move(ctx, orderID, base, author, k.editing(op, author))
}

// editing is the move to a new revision by an edit.
func (k *Edits) editing(op edit.Op, author *int64) func(*gorm.DB, *Dossier) (int, error) {
	return func(tx *gorm.DB, d *Dossier) (int, error) {
		op := edit.Narrow(op, d.Doc, k.with(d))
		n, err := k.Try(d, op)
		if err != nil {
			return 0, err
		}
		if d.ThemeLost != "" && n.Theme == d.Doc.Theme && n.ThemeVersion == d.Doc.ThemeVersion {
			return 0, invalid.Field("theme",
				"The theme “%s” of this film cannot be read. Choose another first, or bring it back.",
				n.Theme)
		}
		same, err := sameDocument(d.Doc, n)
		if err != nil || same {
			return d.Slideshow.Head, err // nothing changed: no step to undo
		}
		var top int
		if err := tx.Model(&store.Revision{}).Where("slideshow_id = ?", d.Slideshow.ID).Select("max(number)").
			Scan(&top).Error; err != nil {
			return 0, err
		}
		r := store.Revision{
			SlideshowID: d.Slideshow.ID,
			Number:      top + 1,
			Parent:      d.Slideshow.Head,
			Title:       titleOf(op, d.Doc, n),
			AuthorID:    author,
		}
		return r.Number, k.addRevision(tx, r, &d.Revision, n)
	}
}

// titleOf is what a step is called in the history.
func titleOf(op edit.Op, before, after doc.Slideshow) string {
	if t, ok := op.(edit.Telling); ok {
		return t.Tells(before, after)
	}
	return op.Title()
}

// Try is the document as it would be with an edit, which is not kept.
func (k *Edits) Try(d *Dossier, op edit.Op) (doc.Slideshow, error) {
	return edit.Do(d.Doc, op, k.with(d))
}

// with is what edits of an order may look at.
func (k *Edits) with(d *Dossier) edit.Context {
	return edit.Context{
		Theme:   d.Theme,
		Library: d.Library,
		Words: func(n doc.Slideshow, id doc.SlideID) framing.Rect {
			return k.wordsBox(d, n, id)
		},
	}
}

func sameDocument(a, b doc.Slideshow) (bool, error) {
	x, err := a.Marshal()
	if err != nil {
		return false, err
	}
	y, err := b.Marshal()
	return bytes.Equal(x, y) && maps.Equal(a.Details, b.Details), err
}

// wordsBox is the box around a slide's words were the document the order's.
func (k *Edits) wordsBox(d *Dossier, n doc.Slideshow, id doc.SlideID) framing.Rect {
	f, err := k.House.Lay(film.Source{
		Doc:     n,
		Theme:   d.Theme,
		Library: d.Library,
		Profile: profile.Look(0, d.Doc.Rate),
		Only:    []doc.SlideID{id},
	})
	if err != nil {
		return framing.Rect{} // words snap by their middle then
	}
	return f.Words(id)
}

// addRevision writes a revision of a document.
func (k *Edits) addRevision(tx *gorm.DB, r store.Revision, parent *store.Revision, d doc.Slideshow) error {
	b, err := d.Marshal()
	if err != nil {
		return err
	}
	if err := k.Store.Pack(tx, &r, parent, b); err != nil {
		return err
	}
	r.Details = d.Details
	return tx.Create(&r).Error
}

// Undo moves an order's slideshow back to the revision before base. In a row of
// a Run, steps by which it followed its pattern are stepped over: they are no
// step of anybody's at the order.
func (k *Edits) Undo(ctx context.Context, orderID int64, base int, author *int64) (int, error) {
	return headOf(k.step(ctx, orderID, base, author, func(tx *gorm.DB, d *Dossier) (int, error) {
		own, err := ownStep(tx, d)
		if err == nil && own.Parent == 0 {
			err = invalid.Field("undo", "There is nothing to undo.")
		}
		return own.Parent, err
	}))
}

// Redo moves an order's slideshow forward again to the newest edit of base, or
// of what base only followed the pattern after.
func (k *Edits) Redo(ctx context.Context, orderID int64, base int, author *int64) (int, error) {
	return headOf(k.step(ctx, orderID, base, author, func(tx *gorm.DB, d *Dossier) (int, error) {
		own, err := ownStep(tx, d)
		if err != nil {
			return 0, err
		}
		var next *int
		err = editsAfter(tx, own).Select("max(number)").Scan(&next).Error
		if err == nil && next == nil {
			return 0, invalid.Field("redo", "There is nothing to redo.")
		}
		if err != nil {
			return 0, err
		}
		return *next, nil
	}))
}

// followed is what the steps are called by which a row followed its pattern.
var followed = edit.Follow{}.Title()

// ownStep is the newest step up to the head by which the slideshow did not only
// follow its pattern.
func ownStep(tx *gorm.DB, d *Dossier) (own store.Revision, err error) {
	own = d.Revision
	for own.AuthorID == nil && own.Title == followed && own.Parent > 0 {
		if own, err = store.One[store.Revision](tx.Omit("packed"), "slideshow_id = ? AND number = ?",
			d.Slideshow.ID, own.Parent); err != nil {
			return own, fmt.Errorf("a step of the slideshow: %w", err)
		}
	}
	return own, nil
}

// editsAfter are the edits made of a revision, and of those by which it only
// followed the pattern later.
func editsAfter(tx *gorm.DB, own store.Revision) *gorm.DB {
	return tx.Model(&store.Revision{}).
		Where(`slideshow_id = ? AND NOT (author_id IS NULL AND title = ?) AND parent IN (
		WITH RECURSIVE same AS (SELECT ?::int number
			UNION SELECT r.number FROM revisions r JOIN same ON r.parent = same.number WHERE r.slideshow_id = ? AND r.author_id IS NULL AND r.title = ?)
		SELECT number FROM same)`, own.SlideshowID, followed, own.Number, own.SlideshowID, followed)
}

// move moves the head of an order's slideshow under a lock, after checking
// that base is still what the caller sees. Details that the new head's step
// changed become the order's.
func (k *Edits) move(ctx context.Context, orderID int64, base int, author *int64,
	to func(*gorm.DB, *Dossier) (int, error)) (d *Dossier, err error) {
	err = k.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err = k.moveIn(ctx, tx, orderID, base, author, to)
		return err
	})
	return d, err
}

// step is move to a step of the history, which may show what has been erased
// since: to such a one nothing moves. A row of a Run follows its pattern from there.
func (k *Edits) step(ctx context.Context, orderID int64, base int, author *int64,
	to func(*gorm.DB, *Dossier) (int, error)) (d *Dossier, err error) {
	err = k.Store.Tx(ctx, func(tx *gorm.DB) error {
		if d, err = k.moveIn(ctx, tx, orderID, base, author, to); err != nil {
			return err
		}
		for id := range d.Doc.Uses() {
			if _, there := d.Library[id]; !there {
				return invalid.Field("undo", "That step shows a picture that has been erased since.")
			}
		}
		if k.Rows == nil || d.Order.RunID == nil {
			return nil
		}
		op, e := k.Rows.Following(ctx, tx, d.Order)
		if op != nil && e == nil {
			d, e = k.DoIn(ctx, tx, orderID, op, nil)
		}
		return e
	})
	return d, err
}

// moveIn is move in a transaction.
func (k *Edits) moveIn(ctx context.Context, tx *gorm.DB, orderID int64, base int, author *int64,
	to func(*gorm.DB, *Dossier) (int, error)) (*Dossier, error) {
	d := &Dossier{}
	var err error
	if d.Slideshow, err = store.One[store.Slideshow](tx.Clauses(clause.Locking{Strength: "UPDATE"}),
		"order_id = ? AND position = 0", orderID); err != nil {
		return d, fmt.Errorf("order %d: %w", orderID, err)
	}
	if err := k.checkBase(tx, d.Slideshow, base, author); err != nil {
		return d, err
	}
	if d.Order, err = store.One[store.Order](tx, "id = ?", orderID); err != nil {
		return d, err
	}
	if err := k.open(ctx, tx, d, d.Slideshow.Head); err != nil {
		return d, err
	}
	head, err := to(tx, d)
	if err != nil {
		return d, err
	}
	if head == d.Slideshow.Head {
		return d, k.rest(tx, d)
	}
	if err := tx.Model(&store.Slideshow{}).Where("id = ?", d.Slideshow.ID).
		Update("head", head).Error; err != nil {
		return d, err
	}
	before, was := d.Revision.Details, d.Slideshow.Head
	d.Slideshow.Head = head
	// Whoever changes the order otherwise is waited for, as in Changed.
	if d.Order, err = store.One[store.Order](tx.Clauses(clause.Locking{Strength: "NO KEY UPDATE"}), "id = ?",
		orderID); err != nil {
		return d, err
	}
	if err := errors.Join(k.open(ctx, tx, d, head), k.rest(tx, d)); err != nil {
		return d, err
	}
	if !maps.Equal(d.Revision.Details, before) {
		d.Order.Details = d.Revision.Details
		if err := tx.Model(&store.Order{ID: orderID}).Select("Details").
			Updates(store.Order{Details: d.Order.Details}).Error; err != nil {
			return d, err
		}
	}
	if k.Rows != nil && d.Order.RunID != nil {
		if err := k.Rows.Moved(ctx, tx, d.Order); err != nil {
			return d, err
		}
	}
	if author != nil {
		// What the program does by itself is in the history.
		words := d.Revision.Title
		if head < was {
			words = "Back to: " + words
		}
		if err := store.Note(tx, store.DidEdit, orderID, words); err != nil {
			return d, err
		}
	}
	return d, k.days.note(tx, d)
}

// checkBase walks from the head back to base; steps of the program itself and
// of the same author may lie between, those of other people not.
func (k *Edits) checkBase(tx *gorm.DB, show store.Slideshow, base int, author *int64) error {
	if base == asItStands {
		return nil
	}
	for at := show.Head; at != base; {
		r, err := store.One[store.Revision](tx.Omit("packed"), "slideshow_id = ? AND number = ?", show.ID, at)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		own := r.AuthorID == nil || (author != nil && *r.AuthorID == *author)
		if err != nil || !own {
			return k.conflict(tx, show, r)
		}
		at = r.Parent
	}
	return nil
}

func (k *Edits) conflict(tx *gorm.DB, show store.Slideshow, r store.Revision) error {
	c := &Conflict{By: "Someone else", At: r.CreatedAt, Title: r.Title}
	if r.Number == 0 {
		// Undone past base: name the step that is the head now.
		if h, err := store.One[store.Revision](tx.Omit("packed"), "slideshow_id = ? AND number = ?", show.ID,
			show.Head); err == nil {
			c.Title = "went back to: " + h.Title
		}
	}
	if r.AuthorID != nil {
		if u, err := store.One[store.User](tx, "id = ?", *r.AuthorID); err == nil {
			c.By = u.Name
		}
	}
	return c
}
