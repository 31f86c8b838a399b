package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/delivery"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/shelf"
	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

type dueGroup struct {
	Name  orders.Due
	Count int64 // in all, on other pages too
	Rows  []dayRow
}

type dayRow struct {
	ID                                  int64
	Client, Event, Due, Pictures, Music string
	Strip                               []int64 // media with thumbnails
	Found                               int     // things to look at, as far as is known
	Next                                orders.Step
	Path                                string // where the next step is done
}

// mostFound is how many orders a search gives.
const mostFound = 12

// find gives the open orders that words are of, as JSON, for the command box.
func (s *Server) find(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.House.Orders.DaySheet(r.Context(), orders.Query{
		Which: orders.OpenOrders,
		Words: r.URL.Query().Get("q"),
	})
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	type found struct {
		Name string `json:"name"`
		Due  string `json:"due"`
		Path string `json:"path"`
	}
	out := []found{}
	for _, o := range sheet.Orders[:min(mostFound, len(sheet.Orders))] {
		out = append(out, found{o.Client + ", " + o.Event, page.Day(o.Due), leafPath(o.ID, runningLeaf)})
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(out) // the browser may have gone
}

func (s *Server) daySheet(w http.ResponseWriter, r *http.Request) {
	b, err := s.Base(r, "Day sheet")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	q := orders.Query{
		Which: orders.Which(r.URL.Query().Get("which")),
		Words: r.URL.Query().Get("words"),
		Needs: orders.StepKind(r.URL.Query().Get("needs")),
		Run:   page.QueryInt(r, "run", 0),
		Page:  int(page.QueryInt(r, "page", 0)),
	}
	sheet, err := s.House.Orders.DaySheet(r.Context(), q)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	now := s.House.Orders.Now()
	var groups []dueGroup
	for _, o := range sheet.Orders {
		due := orders.DueOf(o, now)
		if len(groups) == 0 || groups[len(groups)-1].Name != due {
			groups = append(groups, dueGroup{Name: due, Count: sheet.Groups[due]})
		}
		g := &groups[len(groups)-1]
		g.Rows = append(g.Rows, dayRow{
			ID:     o.ID,
			Found:  found(o),
			Client: o.Client,
			Event:  o.Event,
			Due:    page.Day(o.Due),
			Strip:  o.Strip,
			Next: orders.Step{
				Kind:  orders.StepKind(o.StepKind),
				Text:  o.StepText,
				Place: o.StepPlace,
			},
			Path:     stepPath(o.ID, o.StepPlace),
			Pictures: timecode.Clock(o.PictureSeconds),
			Music:    timecode.Clock(o.MusicSeconds),
		})
	}
	v := daySheetView{
		Base:   b,
		Date:   now.Format("Monday 2 January 2006"),
		Groups: groups,
		Making: s.demoProgress(r, b, int(sheet.Total)),
		Query:  q,
		Total:  sheet.Total,
		First:  q.Page*orders.PageLength + 1,
		Last:   q.Page*orders.PageLength + len(sheet.Orders),
		Needs:  needs,
	}
	if q.Words == "" && q.Which == orders.OpenOrders && q.Run == 0 && q.Page == 0 {
		lines, err := s.House.Runs.Lines(r.Context(), false)
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		v.Runs = runLines(lines)
	}
	link := func(page int) string {
		u := url.Values{}
		for k, val := range map[string]string{
			"which": string(q.Which),
			"words": q.Words,
			"needs": string(q.Needs),
		} {
			if val != "" {
				u.Set(k, val)
			}
		}
		if q.Run > 0 {
			u.Set("run", fmt.Sprint(q.Run))
		}
		if page > 0 {
			u.Set("page", fmt.Sprint(page))
		}
		return "/?" + u.Encode()
	}
	if q.Page > 0 {
		v.Before = link(q.Page - 1)
	}
	if int64(v.Last) < sheet.Total {
		v.After = link(q.Page + 1)
	}
	s.Render(w, r, http.StatusOK, "daysheet", v)
}

// daySheetView is a page of the day sheet.
type daySheetView struct {
	page.Base
	Date          string
	Groups        []dueGroup
	Making        string
	Query         orders.Query
	Total         int64
	First, Last   int
	Before, After string // pages
	Needs         []choice
	Runs          []runsLine
}

// needs are the kinds of next step in the operator's words.
var needs = []choice{{string(orders.NeedsHand), "needs a hand"}, {string(orders.CanGo), "ready to go on"},
	{string(orders.Works), "the program is at it"},
	{string(orders.Failed), "failed"}, {string(orders.Finished), "delivered"}}

// demoProgress says how far the making of the demo is, or nothing.
func (s *Server) demoProgress(r *http.Request, b page.Base, made int) string {
	left, err := queue.Waiting(r.Context(), s.House.Store, "demo")
	if err != nil || left == 0 {
		return ""
	}
	return fmt.Sprintf("The demo’s pictures are being painted in the background: %s to go for %d orders.",
		wording.Counted(int(left), "step"), made)
}

func (s *Server) newOrderPage(w http.ResponseWriter, r *http.Request) {
	// The form asks again with what was typed when another theme is chosen.
	form := map[string]string{}
	for k := range r.URL.Query() {
		form[k] = r.URL.Query().Get(k)
	}
	s.showNewOrder(w, r, http.StatusOK, form, nil)
}

func (s *Server) showNewOrder(w http.ResponseWriter, r *http.Request, status int, form map[string]string,
	n *page.Notice) {
	b, err := s.Noted(r, "New order", n)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	all := s.House.Shelf.Themes.All()
	chosen, err := s.House.Shelf.Themes.Get(form["theme"])
	if err != nil {
		if chosen, err = s.House.Shelf.Themes.Get(shelf.DefaultTheme); err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	s.Render(w, r, status, "neworder", struct {
		page.Base
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
		if o, err = s.House.Orders.Open(r.Context(), n, &page.User(r).ID); err == nil {
			http.Redirect(w, r, fmt.Sprintf("/orders/%d", o.ID), http.StatusSeeOther)
			return
		}
	}
	var invalid *invalid.Input
	if errors.As(err, &invalid) {
		s.showNewOrder(w, r, http.StatusUnprocessableEntity, form, page.Bad(invalid.Problem))
		return
	}
	s.Fail(w, r, err)
}

// orderForm reads an order's head and details; form is what was typed.
func orderForm(r *http.Request) (orders.New, map[string]string, error) {
	form := map[string]string{}
	if err := r.ParseForm(); err != nil {
		return orders.New{}, form, &invalid.Input{
			Field:   "form",
			Problem: "The form could not be read: " + err.Error(),
		}
	}
	n := orders.New{Details: map[string]string{}}
	for k := range r.PostForm {
		form[k] = r.PostForm.Get(k)
		if len(k) > 7 && k[:7] == "detail-" {
			n.Details[k[7:]] = form[k]
		}
	}
	n.Client, n.ClientEmail, n.Event, n.Theme = form["client"], form["client_email"], form["event"],
		form["theme"]
	if form["due"] != "" {
		due, err := time.Parse("2006-01-02", form["due"])
		if err != nil || due.Year() < 2000 || due.Year() > 2200 {
			return n, form, &invalid.Input{
				Field:   "due",
				Problem: fmt.Sprintf("The due date %q is not a date.", form["due"]),
			}
		}
		n.Due = due
	}
	return n, form, nil
}

// actOnQueue moves a film that waits before all others, or cancels one.
func (s *Server) actOnQueue(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "render")
	act := s.House.Making.Next
	if chi.URLParam(r, "act") == "cancel" {
		act = s.House.Making.Stop
	}
	if err := act(r.Context(), id); err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

func (s *Server) queuePage(w http.ResponseWriter, r *http.Request) {
	b, err := s.Base(r, "Queue")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	type row struct {
		renderRow
		OrderID                      int64
		Client, Event, Worker, Begun string
		Run, Row, Due, Why           string
		RunID                        int64
		First, Waits                 bool // it is begun next; it waits
	}
	board, err := s.House.Making.Board(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var rows []row
	for _, rd := range board.Renders {
		o := board.Orders[rd.OrderID]
		x := row{
			renderRow: s.renderRow(rd, 0),
			OrderID:   rd.OrderID,
			Client:    o.Client,
			Event:     o.Event,
			Worker:    rd.Worker,
			Row:       o.RunKey,
			Due:       page.Day(o.Due),
			Why:       board.Why[rd.ID],
			Waits:     rd.State == store.RenderWaiting,
		}
		x.First = x.Why == "next"
		if o.RunID != nil {
			x.RunID, x.Run = *o.RunID, board.Runs[*o.RunID]
		}
		if rd.StartedAt != nil {
			x.Begun = rd.StartedAt.Format("2 Jan 15:04:05")
		}
		rows = append(rows, x)
	}
	workers := len(board.Workers)
	var notes []string
	for _, wk := range board.Workers {
		if wk.Note != "" {
			notes = append(notes, wk.ID+" "+wk.Note)
		}
	}
	text := fmt.Sprintf("%d workers are at it.", workers)
	if workers == 1 {
		text = "1 worker is at it."
	}
	if workers == 0 {
		text = "No worker is running: start one with “nelko serve” or “nelko work”."
	}
	s.Render(w, r, http.StatusOK, "queue", struct {
		page.Base
		Rows        []row
		WorkersText string
		Notes       []string
	}{b, rows, text, notes})
}

func (s *Server) deliveriesPage(w http.ResponseWriter, r *http.Request) {
	b, err := s.Base(r, "Deliveries")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	f := delivery.Filter{
		Kind:  store.DeliveryKind(r.URL.Query().Get("kind")),
		Which: delivery.Which(r.URL.Query().Get("which")),
		Words: r.URL.Query().Get("words"),
	}
	list, err := s.House.Delivery.List(r.Context(), f)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var rows []deliveryRow
	for _, d := range list {
		rows = append(rows, s.deliveryRow(d))
	}
	s.Render(w, r, http.StatusOK, "deliverylist", struct {
		page.Base
		Filter delivery.Filter
		Kinds  []choice
		Which  []choice
		Rows   []deliveryRow
	}{b, f, []choice{{"", "Everything"}, {string(store.LinkDelivery), "Links"}, {string(store.ProofDelivery),
		"Proofs"}, {string(store.FileDelivery), "Files"}},
		[]choice{{string(delivery.All), "All"}, {string(delivery.Open), "Promised, not yet done"},
			{string(delivery.NotSeen), "No proof that it arrived"}, {string(delivery.Failed), "Failed"}},
		rows})
}

func (s *Server) mailboxPage(w http.ResponseWriter, r *http.Request) {
	b, err := s.Base(r, "Stand-ins")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	mails, err := standin.Mails(r.Context(), s.House.Store)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := struct {
		page.Base
		Mails     []store.StandinMail
		HostFails []choice
		HostTold  standin.HostFailure
		Videos    []standin.Video
	}{Base: b, Mails: mails}
	if s.VideoHost != nil {
		for _, f := range standin.HostFailures {
			v.HostFails = append(v.HostFails, choice{string(f.ID), f.Words})
		}
		v.HostTold, v.Videos = s.VideoHost.Told(), s.VideoHost.Videos()
	}
	s.Render(w, r, http.StatusOK, "mailbox", v)
}

// found is how many things there are to look at in an order, as far as is known.
func found(o store.Order) int {
	if o.Found == nil {
		return 0
	}
	return *o.Found
}
