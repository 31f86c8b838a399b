package orders

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"nelko/internal/core/plan"
	"nelko/internal/store"
)

// Doubts are what a colleague would point out of an order beside its film: files that cannot be
// used, mail that did not get there, and links that show another film than the present one.
func (d *Dossier) Doubts(now time.Time) (out []plan.Check) {
	out = d.files()
	for _, l := range d.Links {
		if l.MailError != "" && l.Open(now) {
			what := "link"
			if l.Proof {
				what = "proof"
			}
			form := "The mail with the %s “%s” did not get there: %s"
			if l.MailBegunAt != nil {
				form = "Whether the mail with the %s “%s” got there is not known: %s"
			}
			out = append(out, plan.Check{
				Weight: plan.Doubt,
				Kind:   "mail",
				Key:    fmt.Sprintf("mail:%d:%s", l.Link.ID, l.MailError),
				Field:  "deliveries",
				Text:   fmt.Sprintf(form, what, l.Delivery.Title, l.MailError),
			})
		}
		r := d.renderOf(l.RenderID)
		if l.Proof || r == nil || !l.Open(now) || r.Revision == d.Slideshow.Head ||
			r.State != store.RenderDone {
			continue
		}
		out = append(out, plan.Check{
			Weight: plan.Doubt,
			Kind:   "oldlink",
			Key:    fmt.Sprintf("oldlink:%d:%d", l.DeliveryID, r.Revision),
			Field:  "delivery",
			Text: fmt.Sprintf("The link “%s” shows the film as it was before later changes",
				l.Delivery.Title),
		})
	}
	return out
}

// files are the doubts about the order's material.
func (d *Dossier) files() (out []plan.Check) {
	if d.Order.Trouble != "" {
		out = append(out, plan.Check{
			Weight: plan.Doubt,
			Kind:   "folder",
			Field:  "material",
			Text:   d.Order.Trouble,
		})
	}
	for _, m := range d.Media {
		switch {
		case m.Heals() || m.Twin():
		case m.State == store.Refused:
			kind := store.RefusedFile
			if !material(m.Name) {
				kind = "other"
			}
			out = append(out, plan.Check{
				Weight: plan.Doubt,
				Kind:   kind,
				Key:    fmt.Sprintf("refused:%d", m.ID),
				Field:  "material",
				Text:   fmt.Sprintf("%s cannot be used: %s", m.Name, m.Reason),
			})
		case m.Damage != "":
			out = append(out, plan.Check{
				Weight: plan.Doubt,
				Kind:   store.DamagedFile,
				Key:    fmt.Sprintf("damaged:%d", m.ID),
				Field:  "material",
				Media:  m.DocID(),
				Text:   fmt.Sprintf("%s is damaged: %s", m.Name, m.Damage),
			})
		}
	}
	return out
}

// beside are the endings of files that lie beside pictures and are not meant for a film (common
// practice, no source).
var beside = []string{".txt", ".rtf", ".pdf", ".doc", ".docx", ".odt", ".csv", ".xls", ".xlsx", ".ods",
	".htm", ".html", ".url", ".lnk",
	".xmp", ".thm", ".ini", ".db", ".json", ".xml", ".md", ".zip"}

// material reports whether a file may have been meant for a film, by its name.
func material(name string) bool { return !slices.Contains(beside, strings.ToLower(filepath.Ext(name))) }

// renderOf is one of the order's renders, or nil.
func (d *Dossier) renderOf(id int64) *store.Render {
	for i := range d.Renders {
		if d.Renders[i].ID == id {
			return &d.Renders[i]
		}
	}
	return nil
}
