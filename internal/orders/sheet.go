package orders

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
	"nelko/internal/store"
)

// Changed works out what the day sheet shows of an order and keeps it, and
// tells whoever looks at the order. Every room calls it, in its transaction,
// when it has changed something of an order.
func (r *Days) Changed(ctx context.Context, tx *gorm.DB, id int64) error {
	// Of two that change an order at the same time the later one must see what
	// the earlier one did. The lock is one that goes with those which foreign
	// keys take: whoever adds a medium has one of these already.
	if _, err := store.One[store.Order](tx.Clauses(clause.Locking{Strength: "NO KEY UPDATE"}).Select("id"),
		"id = ?", id); err != nil {
		return fmt.Errorf("order %d: %w", id, err)
	}
	d, err := r.load(ctx, tx, id)
	if err != nil {
		return err
	}
	return r.note(tx, d)
}

// note keeps what the day sheet shows of an order, and tells of it.
func (r *Days) note(tx *gorm.DB, d *Dossier) error {
	id, f := d.Order.ID, d.facts()
	err := tx.Model(&store.Order{ID: id}).Select("StepKind", "StepText", "StepPlace", "PictureSeconds",
		"MusicSeconds", "Strip", "Words", "Pictures", "Sees", "Found", "Own").
		Updates(store.Order{Facts: f}).Error
	if err != nil {
		return err
	}
	if d.Order.RunID != nil {
		if err := store.Tell(tx, store.Event{What: store.RunChanged, ID: *d.Order.RunID}); err != nil {
			return err
		}
	}
	return store.Tell(tx, store.Event{What: store.OrderChanged, ID: id})
}

// stripLength is how many pictures a line of the day sheet shows.
const stripLength = 9

func (d *Dossier) facts() store.Facts {
	next, id := d.Next(), d.Order.ID
	f := store.Facts{
		StepKind:       string(next.Kind),
		StepText:       next.Text,
		StepPlace:      next.Place,
		PictureSeconds: d.Plan.Rate.Seconds(d.Plan.Frames),
		MusicSeconds:   float64(d.Plan.Music) / timecode.SampleRate,
		Strip:          store.Numbers{},
	}
	// In a Run, what the order has by itself tells it from the others.
	for _, own := range []bool{true, false} {
		for _, m := range d.Media {
			if m.Thumbnail != nil && len(f.Strip) < stripLength &&
				(m.OrderID != nil && *m.OrderID == id) == own {
				f.Strip = append(f.Strip, m.ID)
			}
		}
	}
	for _, s := range d.Doc.Slides {
		if !s.Common() {
			f.Pictures += len(s.Media)
		}
	}
	if d.Doc.Follows != nil {
		f.Own = d.Doc.Follows.Own
	}
	for _, c := range slices.Concat(d.Checks, d.files()) {
		if c.Key == "" || !d.Meant[c.Key] {
			f.Sees = append(f.Sees, store.Sight{
				Place: Place(c.Field),
				Text:  c.Text,
				Stops: c.Weight == plan.Stops,
				Kind:  c.Kind,
			})
		}
	}
	words := []string{d.Order.Client, d.Order.Event}
	for _, k := range slices.Sorted(maps.Keys(d.Order.Details)) {
		words = append(words, d.Order.Details[k])
	}
	f.Words = strings.ToLower(strings.Join(words, "\n"))
	return f
}

// ChangedAll works out anew what the day sheet shows, of orders that have
// nothing kept yet: those of before it was kept.
func (r *Days) ChangedAll(ctx context.Context) error {
	var ids []int64
	if err := r.Store.DB.WithContext(ctx).Model(&store.Order{}).Where("step_kind = ''").
		Pluck("id", &ids).Error; err != nil {
		return err
	}
	for _, id := range ids {
		err := r.Store.Tx(ctx, func(tx *gorm.DB) error { return r.Changed(ctx, tx, id) })
		if store.Unreadable(err) {
			// The others must not wait for it, nor the studio.
			slog.Error("order put aside", "order", id, "error", err)
			aside := map[string]any{
				"step_kind":  string(Failed),
				"step_text":  "This order cannot be read",
				"step_place": "",
			}
			err = r.Store.DB.WithContext(ctx).Model(&store.Order{}).Where("id = ?", id).
				UpdateColumns(aside).Error
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// Which of the orders a sheet shows.
type Which string

// Open orders are those neither archived nor deleted.
const (
	OpenOrders     Which = ""
	ArchivedOrders Which = "archived"
	DeletedOrders  Which = "deleted"
)

// Query is what a day sheet is asked for.
type Query struct {
	Which Which
	Words string   // found in client, event or details; every one of them
	Needs StepKind // only orders whose next step is of this kind; empty: any
	Run   int64    // only orders of this Run; 0: none of any Run, unless words are given
	Page  int      // from 0
}

// PageLength is how many orders a page of the day sheet shows.
const PageLength = 60

// Sheet is a page of orders, those that need something first, by due date.
type Sheet struct {
	Orders []store.Order
	Total  int64 // that the query finds
	Groups map[Due]int64
}

// Due is how soon an order is due.
type Due string

// The groups of a day sheet, in order.
const (
	Overdue   Due = "Overdue"
	DueToday  Due = "Due today"
	DueWeek   Due = "Due within a week"
	DueLater  Due = "Later"
	Delivered Due = "Delivered"
)

// Groups are all groups in order.
var Groups = []Due{Overdue, DueToday, DueWeek, DueLater, Delivered}

// DueOf is the group an order belongs to.
func DueOf(x store.Order, now time.Time) Due {
	today := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, time.UTC)
	due := x.Due.UTC()
	switch {
	case x.StepKind == string(Finished):
		return Delivered
	case due.Before(today):
		return Overdue
	case due.Equal(today):
		return DueToday
	case due.Before(today.AddDate(0, 0, 8)):
		return DueWeek
	}
	return DueLater
}

// DaySheet reads a page of orders with one statement, and counts the groups
// with another.
func (r *Days) DaySheet(ctx context.Context, q Query) (Sheet, error) {
	find := func() *gorm.DB {
		tx := r.Store.DB.WithContext(ctx).Model(&store.Order{})
		switch q.Which {
		case ArchivedOrders:
			tx = tx.Where("archived_at IS NOT NULL AND deleted_at IS NULL")
		case DeletedOrders:
			tx = tx.Where("deleted_at IS NOT NULL")
		default:
			tx = tx.Where("archived_at IS NULL AND deleted_at IS NULL")
		}
		for _, w := range strings.Fields(strings.ToLower(q.Words)) {
			tx = tx.Where("words LIKE ?", "%"+likeEscape.Replace(w)+"%")
		}
		if q.Needs != "" {
			tx = tx.Where("step_kind = ?", q.Needs)
		}
		if q.Run != 0 {
			tx = tx.Where("run_id = ?", q.Run)
		} else if q.Words == "" {
			tx = tx.Where("run_id IS NULL") // a Run is one line
		}
		return tx
	}
	s := Sheet{Groups: map[Due]int64{}}
	var counts []struct {
		Grp Due
		N   int64
	}
	today := r.Now().Format("2006-01-02")
	err := find().Select(`CASE WHEN step_kind = 'done' THEN 'Delivered' WHEN due < ?::date THEN 'Overdue' WHEN due = ?::date THEN 'Due today'
		WHEN due < ?::date + 8 THEN 'Due within a week' ELSE 'Later' END grp, count(*) n`, today, today, today).Group("grp").Scan(&counts).Error
	if err != nil {
		return s, err
	}
	for _, c := range counts {
		s.Groups[c.Grp] = c.N
		s.Total += c.N
	}
	page := func() *gorm.DB {
		return find().Order("step_kind = 'done', due, id").Limit(PageLength).
			Offset(PageLength * max(0, q.Page))
	}
	err = page().Find(&s.Orders).Error
	if store.Unreadable(err) {
		s.Orders, err = r.oneByOne(ctx, page())
	}
	return s, err
}

// oneByOne reads a page of orders of which one cannot be read: that is shown with its head alone.
func (r *Days) oneByOne(ctx context.Context, page *gorm.DB) (out []store.Order, err error) {
	var ids []int64
	if err := page.Pluck("id", &ids).Error; err != nil {
		return nil, err
	}
	tx := r.Store.DB.WithContext(ctx)
	for _, id := range ids {
		x, err := store.One[store.Order](tx, "id = ?", id)
		if store.Unreadable(err) {
			slog.Error("order put aside", "order", id, "error", err)
			x, err = store.One[store.Order](tx.Select("id", "client", "event", "due", "run_id", "run_key"),
				"id = ?", id)
			x.StepKind, x.StepText = string(Failed), "This order cannot be read"
		}
		if err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}

var likeEscape = strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`)

// NoteDoubts keeps how many things there are to look at in an order whose film is at
// a revision, for the day sheet. It is forgotten when the order changes.
func (r *Days) NoteDoubts(ctx context.Context, d *Dossier, n int) error {
	return r.Store.DB.WithContext(ctx).Exec("UPDATE orders SET found = ? WHERE id = ? AND EXISTS (SELECT 1 "+
		"FROM slideshows WHERE order_id = orders.id AND position = 0 AND head = ?)", n, d.Order.ID,
		d.Slideshow.Head).Error
}
