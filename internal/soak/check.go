package soak

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"gorm.io/gorm"

	"nelko/internal/core/timecode"
	"nelko/internal/delivery"
	"nelko/internal/media"
	"nelko/internal/store"
)

// check compares what there is with what was acknowledged.
func (h *checker) check(ctx context.Context, db *store.Store) error {
	tx := db.DB.WithContext(ctx)
	once := func(n int64, what string, a ...any) {
		switch {
		case n == 0:
			h.wrong(&h.f.Lost, what+" is lost", a...)
		case n > 1:
			h.wrong(&h.f.Double, what+" is there %d times", append(a, n)...)
		}
	}
	for _, event := range h.acked.orders {
		var n int64
		if err := tx.Model(&store.Order{}).Where("event = ?", event).Count(&n).Error; err != nil {
			return err
		}
		once(n, "order %s", event)
	}
	for id, sum := range h.acked.uploads {
		var rows []store.Media
		if err := tx.Omit("waveform").Where("upload_id = ?", id).Find(&rows).Error; err != nil {
			return err
		}
		once(int64(len(rows)), "upload %s", id)
		for _, m := range rows {
			if m.SHA256 != sum {
				h.wrong(&h.f.Damaged, "upload %s is not what was sent", id)
			}
			if m.State != store.Ready {
				h.wrong(&h.f.Unfinished, "upload %s is %s: %s", id, m.State, m.Reason)
			}
		}
	}
	if err := h.checkEdits(ctx, db); err != nil {
		return err
	}
	for id, n := range h.acked.renders {
		var there, mains int64
		if err := tx.Model(&store.Render{}).Where("order_id = ?", id).Count(&there).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Render{}).Where("order_id = ? AND state = 'done'", id).
			Count(&mains).Error; err != nil {
			return err
		}
		switch most := int64(n + h.acked.perhaps[id]); {
		case there < int64(n):
			h.wrong(&h.f.Lost, "order %d: of %d renders %d are there", id, n, there)
		case there > most:
			h.wrong(&h.f.Double, "order %d: %d renders were asked for and %d are there", id, most, there)
		case mains < there:
			var why []string
			if err := tx.Model(&store.Render{}).Where("order_id = ? AND state <> 'done'", id).
				Pluck("state || ': ' || error", &why).Error; err != nil {
				return err
			}
			h.wrong(&h.f.Unfinished, "order %d: of %d renders %d are done (%s)", id, there, mains,
				strings.Join(why, "; "))
		}
	}
	if err := h.checkFilms(ctx, db); err != nil {
		return err
	}
	return h.checkLinks(ctx, db)
}

// checkEdits looks for the revision that each edit made.
func (h *checker) checkEdits(ctx context.Context, db *store.Store) error {
	var steps []struct {
		Names string
		N     int64
	}
	err := db.DB.WithContext(ctx).
		Raw(`SELECT r.details::jsonb->>'names' AS names, count(*) AS n FROM revisions r JOIN revisions p ON p.slideshow_id = r.slideshow_id AND p.number = r.parent
		WHERE r.details::jsonb->>'names' <> p.details::jsonb->>'names' GROUP BY 1`).Scan(&steps).Error
	if err != nil {
		return err
	}
	made := map[string]int64{}
	for _, st := range steps {
		made[st.Names] = st.N
	}
	for _, k := range h.acked.edits {
		switch n := made[fmt.Sprintf("Soak %d", k)]; {
		case n == 0:
			h.wrong(&h.f.Lost, "edit %d is lost", k)
		case n > 1:
			h.wrong(&h.f.Double, "edit %d was made %d times", k, n)
		}
	}
	for k := range h.acked.unknown {
		if n := made[fmt.Sprintf("Soak %d", k)]; n > 1 {
			h.wrong(&h.f.Double, "edit %d, which had no answer, was made %d times", k, n)
		}
	}
	return nil
}

// checkFilms reads all films back, and counts their frames.
func (h *checker) checkFilms(ctx context.Context, db *store.Store) error {
	a, err := h.house(ctx)
	if err != nil {
		return err
	}
	defer a.Close()
	v, err := a.House.Making.Checks.Verify(ctx, true, 0, 0)
	if err != nil {
		return err
	}
	for _, d := range v.Damaged {
		h.wrong(&h.f.Damaged, "render %d: %s", d.Render.ID, d.Why)
	}
	_, lost, err := a.House.Intake.Material.Verify(ctx, true, 0, 0)
	if err != nil {
		return err
	}
	for _, l := range lost {
		h.wrong(&h.f.Damaged, "%s: %s", l.Name, l.Why)
	}
	var films []store.Render
	if err := db.DB.WithContext(ctx).Where("state = 'done' AND sha256 IS NOT NULL").
		Find(&films).Error; err != nil {
		return err
	}
	for _, r := range films {
		path, err := a.House.Blobs.Path(ctx, *r.SHA256)
		if err != nil {
			return err
		}
		streams, err := media.Streams(ctx, path)
		if err != nil {
			return err
		}
		for _, st := range streams {
			if want := timecode.Frames(r.FramesTotal + r.FramesKept); st.Type == "video" && !st.Poster &&
				st.Packets != want {
				h.wrong(&h.f.Damaged, "render %d has %d frames of %d", r.ID, st.Packets, want)
			}
		}
	}
	h.say("%d films and %d uploads were read back", len(films), len(h.acked.uploads))
	return nil
}

// checkLinks opens every link that was made, and looks for its mail.
func (h *checker) checkLinks(ctx context.Context, db *store.Store) error {
	c, err := h.browser()
	if err != nil {
		return err
	}
	tx := db.DB.WithContext(ctx)
	for title, l := range h.acked.links {
		var n int64
		if err := tx.Model(&store.Delivery{}).Where("title = ? AND order_id = ?", title, l.order).
			Count(&n).Error; err != nil {
			return err
		}
		switch {
		case n == 0:
			h.wrong(&h.f.Lost, "delivery %s is lost", title)
		case n > 1:
			h.wrong(&h.f.Double, "delivery %s is there %d times", title, n)
		}
		if status, _, err := c.get(ctx, l.path); err != nil || status != http.StatusOK {
			h.wrong(&h.f.Lost, "the link of %s is answered %d (%v)", title, status, err)
		}
		var mails []store.StandinMail
		if err := tx.Where("body LIKE ?", "%"+l.path+"%").Find(&mails).Error; err != nil {
			return err
		}
		asked, err := h.asksOf(tx, title, l.order)
		if err != nil {
			return err
		}
		switch {
		case len(mails) == 0 && !asked:
			h.wrong(&h.f.Lost, "the mail of %s is lost, and nothing is said", title)
		case len(mails) > 1:
			h.wrong(&h.f.MailsTwice, "the mail of %s came %d times", title, len(mails))
		}
		for _, m := range mails {
			if !strings.HasSuffix(m.Recipient, "@client.example") {
				h.wrong(&h.f.Damaged, "the mail of %s went to %s", title, m.Recipient)
			}
		}
	}
	return nil
}

// asksOf reports whether it is said of a link's mail that it may have gone, and counts it.
func (h *checker) asksOf(tx *gorm.DB, title string, order int64) (bool, error) {
	var n int64
	err := tx.Model(&store.Link{}).
		Where("mail_error = ? AND delivery_id IN (SELECT id FROM deliveries WHERE title = ? AND order_id = ?)", delivery.MayHaveGone, title, order).Count(&n).Error
	if n > 0 {
		h.f.MailsAsked++
	}
	return n > 0, err
}
