package orders

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/wording"
	"nelko/internal/store"

	"gorm.io/gorm"
)

// Past is a step of an order's history.
type Past struct {
	store.Revision
	Author string // empty: the program itself
	Here   bool   // the film is as this step left it
	Undone bool   // it does not belong to the film as it is now
	Beside bool   // done to the order, not its film: it cannot be gone back to
}

// mostPast is how many steps a history shows.
const mostPast = 500

// History is what was done to an order's film, the newest first. Steps that
// were undone stay and can be gone back to.
func (k *Edits) History(ctx context.Context, orderID int64) ([]Past, error) {
	tx := k.Store.DB.WithContext(ctx)
	show, err := store.One[store.Slideshow](tx, "order_id = ? AND position = 0", orderID)
	if err != nil {
		return nil, fmt.Errorf("order %d: %w", orderID, err)
	}
	var out []Past
	err = tx.Table("revisions r").
		Select("r.slideshow_id, r.number, r.parent, r.title, r.author_id, r.created_at, coalesce(u.name, "+
			"'') author").
		Joins("LEFT JOIN users u ON u.id = r.author_id").Where("r.slideshow_id = ?", show.ID).
		Order("r.number DESC").Limit(mostPast).Scan(&out).Error
	if err != nil {
		return nil, err
	}
	var beside []Past
	err = tx.Table("order_steps s").
		Select("s.title, s.at created_at, true beside, coalesce(u.name, '') author").
		Joins("LEFT JOIN users u ON u.id = s.user_id").
		Where("s.order_id = ?", orderID).Order("s.id DESC").Limit(mostPast).Scan(&beside).Error
	if err != nil {
		return nil, err
	}
	at := show.Head
	for i := range out {
		p := &out[i]
		if p.Here = p.Number == show.Head; p.Number == at {
			at = p.Parent
		} else {
			p.Undone = true
		}
	}
	out = append(out, beside...)
	slices.SortStableFunc(out, func(a, b Past) int { return b.CreatedAt.Compare(a.CreatedAt) })
	return out, nil
}

// GoTo makes an order's film what it was after a step of its history. base is
// the revision the caller sees.
func (k *Edits) GoTo(ctx context.Context, orderID int64, base, number int, author *int64) (*Dossier, error) {
	return k.step(ctx, orderID, base, author, func(tx *gorm.DB, d *Dossier) (int, error) {
		r, err := store.One[store.Revision](tx.Omit("packed"), "slideshow_id = ? AND number = ?",
			d.Slideshow.ID, number)
		if err != nil {
			return 0, fmt.Errorf("step %d of order %d: %w", number, orderID, err)
		}
		return r.Number, nil
	})
}

// Differs says in words how an order's film differs between two steps of its
// history.
func (k *Edits) Differs(ctx context.Context, orderID int64, before, after int) (string, error) {
	a, err := k.LoadAt(ctx, orderID, before)
	if err != nil {
		return "", err
	}
	b, err := k.LoadAt(ctx, orderID, after)
	if err != nil {
		return "", err
	}
	return inWords(doc.Differ(a.Doc, b.Doc), a.Doc, b.Doc), nil
}

// inWords tells differences; slides by their numbers in the later state.
func inWords(d doc.Differences, before, after doc.Slideshow) string {
	if d.None() {
		return "no difference"
	}
	var parts, fresh, changed []string
	for _, id := range d.Slides {
		n := fmt.Sprint(after.Index(id) + 1)
		if before.Index(id) < 0 {
			fresh = append(fresh, n)
		} else {
			changed = append(changed, n)
		}
	}
	list := func(numbers []string, what string) {
		if len(numbers) == 0 {
			return
		}
		words := wording.Counted(len(numbers), "slide") + " " + what
		if len(numbers) <= 12 {
			words += " (" + strings.Join(numbers, ", ") + ")"
		}
		parts = append(parts, words)
	}
	list(changed, "changed")
	list(fresh, "new")
	if d.Gone > 0 {
		parts = append(parts, wording.Counted(d.Gone, "slide")+" gone")
	}
	if d.Moved {
		parts = append(parts, "another order of slides")
	}
	parts = append(parts, slices.Clone(d.Whole)...)
	return strings.Join(parts, "; ")
}
