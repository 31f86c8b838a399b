package web

import (
	"errors"
	"fmt"
	"net/http"
	"time"

	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/store"
	"nelko/internal/studio"
	"nelko/themes"
)

type dueGroup struct {
	Name string
	Rows []dayRow
}

type dayRow struct {
	ID                                  int64
	Client, Event, Due, Pictures, Music string
	Strip                               []int64 // media with thumbnails
	Next                                studio.Step
}

// stripLength is how many pictures a line of the day sheet shows.
const stripLength = 9

func (s *Server) daySheet(w http.ResponseWriter, r *http.Request) {
	b, err := s.base(r, "Day sheet")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	works, err := s.Studio.ListOrders(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	now := s.Studio.Now()
	groups := []dueGroup{{Name: "Overdue"}, {Name: "Due today"}, {Name: "Due within a week"}, {Name: "Later"}, {Name: "Delivered"}}
	for _, wk := range works {
		g := &groups[dueIn(wk, now)]
		row := dayRow{ID: wk.Order.ID, Client: wk.Order.Client, Event: wk.Order.Event, Due: day(wk.Order.Due), Next: wk.Next(),
			Pictures: timecode.Clock(wk.Doc.Rate.Seconds(wk.Plan.Pictures)), Music: timecode.Clock(float64(wk.Plan.Music) / timecode.SampleRate)}
		for _, m := range wk.Media {
			if m.Thumbnail != nil && len(row.Strip) < stripLength {
				row.Strip = append(row.Strip, m.ID)
			}
		}
		g.Rows = append(g.Rows, row)
	}
	var shown []dueGroup
	for _, g := range groups {
		if len(g.Rows) > 0 {
			shown = append(shown, g)
		}
	}
	s.render(w, r, http.StatusOK, "daysheet", struct {
		base
		Date   string
		Groups []dueGroup
		Making string
	}{b, now.Format("Monday 2 January 2006"), shown, s.demoProgress(r, b, len(works))})
}

// dueIn is the index of an order's group on the day sheet.
func dueIn(w *studio.Work, now time.Time) int {
	today := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, time.UTC)
	due := w.Order.Due.UTC()
	switch {
	case w.Next().Kind == studio.Finished:
		return 4
	case due.Before(today):
		return 0
	case due.Equal(today):
		return 1
	case due.Before(today.AddDate(0, 0, 8)):
		return 2
	}
	return 3
}

// demoProgress says how far the making of the demo is, or nothing.
func (s *Server) demoProgress(r *http.Request, b base, made int) string {
	var left int64
	err := s.Studio.Store.DB.WithContext(r.Context()).Table("river_job").
		Where("kind = 'demo' AND state NOT IN ('completed', 'cancelled', 'discarded')").Count(&left).Error
	if err != nil || left == 0 {
		return ""
	}
	return fmt.Sprintf("The demo’s pictures are being painted in the background: %s to go for %d orders.", counted(int(left), "step"), made)
}

func (s *Server) newOrderPage(w http.ResponseWriter, r *http.Request) {
	// The form asks again with what was typed when another theme is chosen.
	form := map[string]string{}
	for k := range r.URL.Query() {
		form[k] = r.URL.Query().Get(k)
	}
	s.showNewOrder(w, r, http.StatusOK, form, nil)
}

func (s *Server) showNewOrder(w http.ResponseWriter, r *http.Request, status int, form map[string]string, n *notice) {
	b, err := s.base(r, "New order")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	all, err := themes.All()
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if n != nil {
		b.Notice = n
	}
	chosen, err := themes.Get(form["theme"])
	if err != nil {
		if chosen, err = themes.Get(studio.DefaultTheme); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	s.render(w, r, status, "neworder", struct {
		base
		Form   map[string]string
		Themes []*theme.Theme
		Chosen *theme.Theme
	}{b, form, all, chosen})
}

func (s *Server) newOrder(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<18)
	n, form, err := orderForm(r)
	if err == nil {
		var o store.Order
		if o, err = s.Studio.OpenOrder(r.Context(), n, &user(r).ID); err == nil {
			http.Redirect(w, r, fmt.Sprintf("/orders/%d", o.ID), http.StatusSeeOther)
			return
		}
	}
	var invalid *studio.Invalid
	if errors.As(err, &invalid) {
		s.showNewOrder(w, r, http.StatusUnprocessableEntity, form, &notice{"bad", invalid.Problem})
		return
	}
	s.fail(w, r, err)
}

// orderForm reads an order's head and details; form is what was typed.
func orderForm(r *http.Request) (studio.NewOrder, map[string]string, error) {
	form := map[string]string{}
	if err := r.ParseForm(); err != nil {
		return studio.NewOrder{}, form, &studio.Invalid{Field: "form", Problem: "The form could not be read: " + err.Error()}
	}
	n := studio.NewOrder{Details: map[string]string{}}
	for k := range r.PostForm {
		form[k] = r.PostForm.Get(k)
		if len(k) > 7 && k[:7] == "detail-" {
			n.Details[k[7:]] = form[k]
		}
	}
	n.Client, n.ClientEmail, n.Event, n.Theme = form["client"], form["client_email"], form["event"], form["theme"]
	if form["due"] != "" {
		due, err := time.Parse("2006-01-02", form["due"])
		if err != nil || due.Year() < 2000 || due.Year() > 2200 {
			return n, form, &studio.Invalid{Field: "due", Problem: fmt.Sprintf("The due date %q is not a date.", form["due"])}
		}
		n.Due = due
	}
	return n, form, nil
}

func (s *Server) queuePage(w http.ResponseWriter, r *http.Request) {
	b, err := s.base(r, "Queue")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	type row struct {
		renderRow
		OrderID                      int64
		Client, Event, Worker, Begun string
	}
	tx := s.Studio.Store.DB.WithContext(r.Context())
	var renders []store.Render
	var orders []store.Order
	var workers int64
	err = errors.Join(
		tx.Order("CASE state WHEN 'running' THEN 0 WHEN 'waiting' THEN 1 ELSE 2 END, id DESC").Limit(100).Find(&renders).Error,
		tx.Find(&orders).Error,
		tx.Table("workers").Where("seen_at > now() - interval '15 seconds'").Count(&workers).Error)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	byID := map[int64]store.Order{}
	for _, o := range orders {
		byID[o.ID] = o
	}
	var rows []row
	for _, rd := range renders {
		x := row{renderRow: s.renderRow(rd, 0), OrderID: rd.OrderID, Client: byID[rd.OrderID].Client, Event: byID[rd.OrderID].Event, Worker: rd.Worker}
		if rd.StartedAt != nil {
			x.Begun = rd.StartedAt.Format("2 Jan 15:04:05")
		}
		rows = append(rows, x)
	}
	text := fmt.Sprintf("%d workers are at it.", workers)
	if workers == 1 {
		text = "1 worker is at it."
	}
	if workers == 0 {
		text = "No worker is running: start one with “nelko serve” or “nelko work”."
	}
	s.render(w, r, http.StatusOK, "queue", struct {
		base
		Rows        []row
		WorkersText string
	}{b, rows, text})
}

func (s *Server) deliveriesPage(w http.ResponseWriter, r *http.Request) {
	b, err := s.base(r, "Deliveries")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	type row struct {
		OrderID                                  int64
		Client, Event, Title, Sent, Views, Until string
	}
	tx := s.Studio.Store.DB.WithContext(r.Context())
	var links []store.Link
	if err := tx.Order("id DESC").Limit(500).Find(&links).Error; err != nil {
		s.fail(w, r, err)
		return
	}
	var rows []row
	for _, l := range links {
		o, err := store.One[store.Order](tx, "id = ?", l.OrderID)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		x := row{OrderID: o.ID, Client: o.Client, Event: o.Event, Title: l.Title, Sent: mailState(l), Views: views(l), Until: l.ExpiresAt.Format("2 Jan 2006")}
		if !l.Open(s.Studio.Now()) {
			x.Until = "closed"
		}
		rows = append(rows, x)
	}
	s.render(w, r, http.StatusOK, "deliverylist", struct {
		base
		Rows []row
	}{b, rows})
}

func (s *Server) mailboxPage(w http.ResponseWriter, r *http.Request) {
	b, err := s.base(r, "Stand-ins")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	var mails []store.StandinMail
	if err := s.Studio.Store.DB.WithContext(r.Context()).Order("id DESC").Limit(50).Find(&mails).Error; err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, http.StatusOK, "mailbox", struct {
		base
		Mails []store.StandinMail
	}{b, mails})
}
