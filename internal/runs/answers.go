package runs

import (
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/profile"
	"nelko/internal/core/wording"
)

// Answer is what a row's client said of the drafts that were sent.
type Answer struct {
	Remarks    int        // that nobody has answered or ticked off
	First      string     // the oldest of them
	ApprovedAt *time.Time // the latest approval
	ApprovedBy string
	Approved   int // revision of the slideshow that was approved; 0: none
	Draft      int // revision of the latest draft; 0: none
	Head       int // revision now
	SentAt     *time.Time
	MailError  string // of the draft's mail
	Views      int
}

// hear reads what the clients of all rows said, with one statement, and what was marked as meant
// of the rows, with another.
func (s *Sheet) hear(tx *gorm.DB, now time.Time, of func(int64) *Row) error {
	var all []struct {
		ID int64
		Answer
	}
	err := tx.Raw(`SELECT o.id, s.head,
			(SELECT count(*) FROM remarks m WHERE m.order_id = o.id AND m.parent_id IS NULL AND m.done_at IS NULL) AS remarks,
			coalesce((SELECT m.text FROM remarks m WHERE m.order_id = o.id AND m.parent_id IS NULL AND m.done_at IS NULL ORDER BY m.id LIMIT 1), '') AS first,
			a.created_at AS approved_at, coalesce(a.name, '') AS approved_by, coalesce(a.revision, 0) AS approved,
			coalesce((SELECT r.revision FROM renders r WHERE r.order_id = o.id AND r.profile = ? ORDER BY r.id DESC LIMIT 1), 0) AS draft,
			coalesce(p.mailed_at, p.made_at) AS sent_at, coalesce(p.mail_error, '') AS mail_error, coalesce(p.views, 0) AS views
		FROM orders o JOIN slideshows s ON s.order_id = o.id AND s.position = 0
		LEFT JOIN LATERAL (SELECT * FROM approvals a WHERE a.order_id = o.id ORDER BY a.id DESC LIMIT 1) a ON true
		LEFT JOIN LATERAL (SELECT l.mailed_at, l.mail_error, l.views, d.created_at AS made_at FROM links l JOIN deliveries d ON d.id = l.delivery_id
			WHERE d.order_id = o.id AND l.proof AND l.closed_at IS NULL AND l.expires_at > ? ORDER BY l.id DESC LIMIT 1) p ON true
		WHERE o.run_id = ? AND o.run_key <> ''`, profile.Proof.Name, now, s.ID).Scan(&all).Error
	if err != nil {
		return err
	}
	for _, a := range all {
		of(a.ID).Said = a.Answer
	}
	var meant []struct {
		OrderID int64
		Key     string
	}
	if err := tx.Raw("SELECT order_id, key FROM meant WHERE order_id IN (SELECT id FROM orders WHERE "+
		"run_id = ? AND run_key <> '')", s.ID).Scan(&meant).Error; err != nil {
		return err
	}
	for _, m := range meant {
		r := of(m.OrderID)
		if r.Meant == nil {
			r.Meant = map[string]bool{}
		}
		r.Meant[m.Key] = true
	}
	return nil
}

// approvedNow reports whether the film was approved as it is.
func (a Answer) approvedNow() bool { return a.Approved > 0 && a.Approved == a.Head }

// stale reports whether the film was changed since it was approved, and no draft of it was sent.
func (a Answer) stale() bool { return a.Approved > 0 && a.Approved != a.Head && a.Draft != a.Head }

// Text says in few words what the client said; nothing where nobody was asked.
func (a Answer) Text() string {
	switch {
	case a.Remarks > 0:
		return wording.Counted(a.Remarks, "remark")
	case a.approvedNow():
		return "approved " + a.ApprovedAt.Format("2 Jan")
	case a.stale():
		return "changed since approved"
	case a.SentAt == nil:
		return ""
	case a.Draft != a.Head:
		return "changed since the proof"
	case a.Views > 0:
		return "looked at the proof"
	}
	return "proof sent " + a.SentAt.Format("2 Jan")
}

// need says what a person has to do about it; empty: nothing.
func (a Answer) need() string {
	switch {
	case a.Remarks > 0:
		return wording.Counted(a.Remarks, "remark") + ": “" + wording.Short(a.First, 60) + "”"
	case a.MailError != "" && !a.approvedNow():
		return "the proof’s mail failed: " + a.MailError
	case a.stale():
		return "changed since approved; send a new proof"
	}
	return ""
}
