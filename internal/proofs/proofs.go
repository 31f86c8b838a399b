// Package proofs is the client's look at a draft: the draft on a link, what the
// client says of its moments, what is answered, the approval of exactly one
// revision, and the reminders.
package proofs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/delivery"
	"nelko/internal/invalid"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Proofs is the room.
type Proofs struct {
	Store    *store.Store
	Orders   *orders.Orders
	Making   *making.Making
	Delivery *delivery.Delivery
	Now      func() time.Time
}

// New is what a proof is made with.
type New struct {
	Title    string
	Note     string
	Password string
	Days     int
	Mail     bool
}

// Send makes a draft of the order's present slideshow for the client. The first
// time it makes a link, whose token it returns; later drafts are shown on the
// same link, and the token is empty.
func (p *Proofs) Send(ctx context.Context, orderID int64, n New) (token string, err error) {
	d, err := p.Orders.Load(ctx, orderID)
	if err != nil {
		return "", err
	}
	if n.Mail && d.Order.ClientEmail == "" {
		return "", invalid.Field("mail",
			"The order has no e-mail address of the client. Add it above, or send the address yourself.")
	}
	open := d.Proof(p.Now())
	err = p.Store.Tx(ctx, func(tx *gorm.DB) error {
		if open == nil {
			var l store.Link
			if l, token, err = p.Delivery.Links.MakeLinkIn(ctx, tx, orderID, delivery.NewLink{
				Title:    n.Title,
				Note:     n.Note,
				Password: n.Password,
				Days:     n.Days,
				Proof:    true,
			}); err != nil {
				return err
			}
			open = &orders.Link{Link: l}
		}
		if err := p.Making.Renders.Draft(ctx, tx, d); err != nil {
			return err
		}
		if n.Mail {
			if err := p.Delivery.Post.TellOfProof(ctx, tx, open.Link.ID); err != nil {
				return err
			}
		}
		return p.Orders.Days.Changed(ctx, tx, orderID)
	})
	if err != nil {
		return "", err
	}
	return token, nil
}

// Shown is what the client sees of a proof beside the film.
type Shown struct {
	Remarks  []Said
	Approval *store.Approval // of what is shown; nil: not yet
	Outdated bool            // the film has changed since this draft, a new one is on its way
	New      []Moment        // what is new since the draft before
	Whole    []string        // what else changed
	Gone     int             // slides that are no more
}

// Said is a remark with its answers, at its moment of the draft that is shown.
type Said struct {
	store.Remark
	Number  int // of the slide; 0: it is no more
	At      float64
	Answers []store.Remark
}

// Moment is a place in the film.
type Moment struct {
	Number  int // of the slide
	Seconds float64
}

// Show gathers what a client sees of a proof.
func (p *Proofs) Show(ctx context.Context, w delivery.Watched) (s Shown, err error) {
	tx := p.Store.DB.WithContext(ctx)
	var all []store.Remark
	if err := tx.Where("order_id = ?", w.Order.ID).Order("id").Find(&all).Error; err != nil {
		return s, err
	}
	now, err := p.Orders.FilmOf(ctx, w.Render)
	if err != nil {
		return s, err
	}
	s.Remarks = Threads(all, now.Plan)
	var approvals []store.Approval
	if err := tx.Where("order_id = ? AND revision = ?", w.Order.ID, w.Render.Revision).Order("id DESC").
		Limit(1).Find(&approvals).Error; err != nil {
		return s, err
	}
	if len(approvals) > 0 {
		s.Approval = &approvals[0]
	}
	var head int
	if err := tx.Raw("SELECT head FROM slideshows WHERE id = ?", w.Render.SlideshowID).
		Scan(&head).Error; err != nil {
		return s, err
	}
	s.Outdated = head != w.Render.Revision
	before, err := store.One[store.Render](tx.Order("id DESC"),
		"order_id = ? AND profile = ? AND state = 'done' AND id < ? AND revision <> ?", w.Order.ID,
		profile.Proof.Name, w.Render.ID, w.Render.Revision)
	if errors.Is(err, store.ErrNotFound) {
		return s, nil
	}
	if err != nil {
		return s, err
	}
	then, err := p.Orders.FilmOf(ctx, before)
	if err != nil {
		return s, err
	}
	differs := doc.Differ(then.Doc, now.Doc)
	s.Whole, s.Gone = differs.Whole, differs.Gone
	if differs.Moved {
		s.Whole = append(s.Whole, "order")
	}
	for i, sl := range now.Plan.Slides {
		if slices.Contains(differs.Slides, sl.ID) {
			s.New = append(s.New, Moment{i + 1, now.Plan.Rate.Seconds(sl.Start + sl.Overlap/2)})
		}
	}
	return s, nil
}

// Threads puts answers under their remarks, and remarks where their slides are
// in a plan.
func Threads(all []store.Remark, p plan.Plan) (out []Said) {
	at := map[int64]int{}
	for _, r := range all {
		if r.ParentID != nil {
			if i, ok := at[*r.ParentID]; ok {
				out[i].Answers = append(out[i].Answers, r)
			}
			continue
		}
		s := Said{Remark: r, At: r.Seconds}
		for i, sl := range p.Slides {
			if string(sl.ID) == r.Slide {
				s.Number = i + 1
				if from, to := p.Rate.Seconds(sl.Start), p.Rate.Seconds(sl.End()); r.Seconds < from ||
					r.Seconds > to {
					s.At = p.Rate.Seconds(sl.Start + sl.Length/2) // it has moved
				}
			}
		}
		at[r.ID] = len(out)
		out = append(out, s)
	}
	return out
}

// Limits of what clients write.
const (
	maxRemark  = 2000
	maxWho     = 80
	maxRemarks = 500 // of an order
)

// Remark is what a client says of a moment of the draft that is shown.
func (p *Proofs) Remark(ctx context.Context, w delivery.Watched, who, text string, seconds float64) error {
	who, text = strings.TrimSpace(who), strings.TrimSpace(text)
	switch {
	case !w.Link.Proof || w.Render.ID == 0:
		return invalid.Field("text", "There is nothing to remark on here.")
	case text == "" || len(text) > maxRemark:
		return invalid.Field("text", "Write what should be different, in at most %d characters.", maxRemark)
	case who == "" || len(who) > maxWho:
		return invalid.Field("who", "Write your name, so that the studio knows who says so.")
	}
	f, err := p.Orders.FilmOf(ctx, w.Render)
	if err != nil {
		return err
	}
	rate := f.Plan.Rate
	n := max(0, min(rate.Frames(seconds), f.Frames()-1))
	slide := doc.SlideID("")
	for _, s := range f.Plan.Slides {
		if n >= s.Start {
			slide = s.ID
		}
	}
	return p.Store.Tx(ctx, func(tx *gorm.DB) error {
		var have int64
		if err := tx.Model(&store.Remark{}).Where("order_id = ?", w.Order.ID).Count(&have).Error; err != nil {
			return err
		}
		if have >= maxRemarks {
			return invalid.Field("text", "There are %d remarks already; please speak with the studio.", have)
		}
		r := store.Remark{
			OrderID:    w.Order.ID,
			DeliveryID: &w.Delivery.ID,
			Revision:   w.Render.Revision,
			Seconds:    rate.Seconds(n),
			Slide:      string(slide),
			Who:        who,
			Text:       text,
		}
		if err := tx.Create(&r).Error; err != nil {
			return err
		}
		return p.Orders.Heads.NoteDelivery(ctx, tx, w.Delivery, fmt.Sprintf("%s at %s: %s", who,
			timecode.Clock(r.Seconds), text))
	})
}

// Answer answers a remark; the client sees it on the proof.
func (p *Proofs) Answer(ctx context.Context, orderID, remarkID int64, by store.User, text string) error {
	text = strings.TrimSpace(text)
	if text == "" || len(text) > maxRemark {
		return invalid.Field("text", "An answer needs words, at most %d characters of them.", maxRemark)
	}
	return p.onRemark(ctx, orderID, remarkID, func(tx *gorm.DB, r store.Remark) error {
		return tx.Create(&store.Remark{
			OrderID:    orderID,
			DeliveryID: r.DeliveryID,
			ParentID:   &r.ID,
			Revision:   r.Revision,
			Seconds:    r.Seconds,
			Slide:      r.Slide,
			Who:        by.Name,
			AuthorID:   &by.ID,
			Text:       text,
		}).Error
	})
}

// Tick ticks a remark off, or opens it again.
func (p *Proofs) Tick(ctx context.Context, orderID, remarkID int64, done bool) error {
	return p.onRemark(ctx, orderID, remarkID, func(tx *gorm.DB, r store.Remark) error {
		var at *time.Time
		if now := p.Now(); done {
			at = &now
		}
		return tx.Model(&r).Update("done_at", at).Error
	})
}

func (p *Proofs) onRemark(ctx context.Context, orderID, remarkID int64,
	do func(*gorm.DB, store.Remark) error) error {
	return p.Store.Tx(ctx, func(tx *gorm.DB) error {
		r, err := store.One[store.Remark](tx, "id = ? AND order_id = ? AND parent_id IS NULL", remarkID,
			orderID)
		if err != nil {
			return err
		}
		if err := do(tx, r); err != nil {
			return err
		}
		return p.Orders.Days.Changed(ctx, tx, orderID)
	})
}

// Approve records that a client approves exactly the draft that is shown. render
// is the one the page showed: if another has taken its place meanwhile nothing
// is recorded.
func (p *Proofs) Approve(ctx context.Context, w delivery.Watched, render int64, name string) error {
	name = strings.TrimSpace(name)
	switch {
	case !w.Link.Proof || w.Render.ID == 0:
		return invalid.Field("name", "There is nothing to approve here.")
	case name == "" || len(name) > maxWho:
		return invalid.Field("name", "Write your name to approve the film.")
	case render != w.Render.ID:
		return invalid.Field("name",
			"The draft has changed while you were looking. Look at the new one, then approve it.")
	}
	return p.Store.Tx(ctx, func(tx *gorm.DB) error {
		a := store.Approval{
			OrderID:    w.Order.ID,
			DeliveryID: &w.Delivery.ID,
			Revision:   w.Render.Revision,
			Film:       w.Render.Film,
			Name:       name,
		}
		if err := tx.Create(&a).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Delivery{}).Where("id = ?", w.Delivery.ID).
			Update("proof", fmt.Sprintf("approved by %s %s", name,
				p.Now().Format("2 January 2006 15:04"))).Error; err != nil {
			return err
		}
		return p.Orders.Heads.NoteDelivery(ctx, tx, w.Delivery, fmt.Sprintf("%s approved revision %d", name,
			a.Revision))
	})
}

// Ask sets whether nothing of an order is rendered for good before the client
// has approved.
func (p *Proofs) Ask(ctx context.Context, orderID int64, asks bool) error {
	return p.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&store.Order{}).Where("id = ?", orderID).Update("asks_approval",
			asks).Error; err != nil {
			return err
		}
		return p.Orders.Days.Changed(ctx, tx, orderID)
	})
}

// RemindDays are the days before an order is due on which a client who has not
// answered is reminded.
var RemindDays = []int{5, 2, 1}

// Remind mails reminders of proofs that wait for an answer, each once, and tells
// of how many.
func (p *Proofs) Remind(ctx context.Context, dryRun bool) (n int64, err error) {
	type waiting struct {
		OrderID int64
		LinkID  int64
		Due     time.Time
	}
	var rows []waiting
	now := p.Now()
	err = p.Store.DB.WithContext(ctx).
		Raw(`SELECT o.id order_id, l.id link_id, o.due FROM links l JOIN deliveries d ON d.id = l.delivery_id JOIN orders o ON o.id = d.order_id
		WHERE l.proof AND l.closed_at IS NULL AND l.expires_at > ? AND l.mailed_to <> '' AND o.deleted_at IS NULL AND o.archived_at IS NULL
		AND EXISTS (SELECT 1 FROM renders r JOIN slideshows s ON s.id = r.slideshow_id WHERE r.order_id = o.id AND r.profile = ? AND r.state = 'done' AND r.revision = s.head
			AND NOT EXISTS (SELECT 1 FROM approvals a WHERE a.order_id = o.id AND a.revision = r.revision))
		AND NOT EXISTS (SELECT 1 FROM remarks m WHERE m.order_id = o.id AND m.parent_id IS NULL AND m.done_at IS NULL)`, now, profile.Proof.Name).Scan(&rows).Error
	if err != nil {
		return 0, err
	}
	for _, r := range rows {
		days := int(r.Due.Truncate(24*time.Hour).Sub(now.Truncate(24*time.Hour)).Hours() / 24)
		// The nearest that is reached: who was away is not mailed three at once.
		due := -1
		for _, d := range RemindDays {
			if days <= d && days >= 0 {
				due = d
			}
		}
		if due < 0 {
			continue
		}
		sent := false
		err := p.Store.Tx(ctx, func(tx *gorm.DB) error {
			row := store.Reminder{OrderID: r.OrderID, Days: due, Due: r.Due, SentAt: now}
			res := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
			if sent = res.RowsAffected > 0; res.Error != nil || !sent || dryRun {
				return errors.Join(res.Error, undo(dryRun))
			}
			return p.Delivery.Post.Remind(ctx, tx, r.LinkID, days)
		})
		if err != nil && !errors.Is(err, errDry) {
			slog.WarnContext(ctx, "a reminder was not sent", "order", r.OrderID, "error", err)
			continue
		}
		if sent {
			n++
		}
	}
	return n, nil
}

// Heal has drafts made for clients who were asked to look at one and have none, as theirs was
// cancelled. One that failed is for the operator to see to. It tells of how many.
func (p *Proofs) Heal(ctx context.Context) (n int, err error) {
	var ids []int64
	err = p.Store.DB.WithContext(ctx).
		Raw(`SELECT DISTINCT o.id FROM links l JOIN deliveries d ON d.id = l.delivery_id JOIN orders o ON o.id = d.order_id
		WHERE l.proof AND l.closed_at IS NULL AND l.expires_at > ? AND o.deleted_at IS NULL AND o.archived_at IS NULL
		AND (SELECT r.state FROM renders r WHERE r.order_id = o.id AND r.profile = ? ORDER BY r.id DESC LIMIT 1) = 'cancelled'
		AND NOT EXISTS (SELECT 1 FROM renders r WHERE r.order_id = o.id AND r.profile = ? AND r.state = 'done') ORDER BY 1`, p.Now(), profile.Proof.Name, profile.Proof.Name).Scan(&ids).Error
	if err != nil {
		return 0, err
	}
	for _, id := range ids {
		d, err := p.Orders.Load(ctx, id)
		if err == nil {
			err = p.Store.Tx(ctx, func(tx *gorm.DB) error { return p.Making.Renders.Draft(ctx, tx, d) })
		}
		if err != nil {
			slog.WarnContext(ctx, "a client's draft cannot be made", "order", id, "error", err)
			continue
		}
		n++
	}
	return n, nil
}

var errDry = errors.New("only looked at")

// undo gives up what was done for a look.
func undo(dryRun bool) error {
	if dryRun {
		return errDry
	}
	return nil
}
