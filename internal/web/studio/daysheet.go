package studio

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"

	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
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
func (d *days) find(w http.ResponseWriter, r *http.Request) {
	sheet, err := d.Orders.Days.DaySheet(r.Context(), orders.Query{
		Which: orders.OpenOrders,
		Words: r.URL.Query().Get("q"),
	})
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	type found struct {
		Name string `json:"name"`
		Due  string `json:"due"`
		Path string `json:"path"`
	}
	out := []found{}
	for _, o := range sheet.Orders[:min(mostFound, len(sheet.Orders))] {
		out = append(out, found{o.Client + ", " + o.Event, page.Day(o.Due),
			parts.LeafPath(o.ID, parts.RunningLeaf)})
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(out) // the browser may have gone
}

func (d *days) daySheet(w http.ResponseWriter, r *http.Request) {
	b, err := d.Base(r, "Day sheet")
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	q := orders.Query{
		Which: orders.Which(r.URL.Query().Get("which")),
		Words: r.URL.Query().Get("words"),
		Needs: orders.StepKind(r.URL.Query().Get("needs")),
		Run:   page.QueryInt(r, "run", 0),
		Page:  int(page.QueryInt(r, "page", 0)),
	}
	sheet, err := d.Orders.Days.DaySheet(r.Context(), q)
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	now := d.Orders.Now()
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
			Path:     parts.StepPath(o.ID, o.StepPlace),
			Pictures: timecode.Clock(o.PictureSeconds),
			Music:    timecode.Clock(o.MusicSeconds),
		})
	}
	v := daySheetView{
		Base:   b,
		Date:   now.Format("Monday 2 January 2006"),
		Groups: groups,
		Making: d.demoProgress(r, b, int(sheet.Total)),
		Query:  q,
		Total:  sheet.Total,
		First:  q.Page*orders.PageLength + 1,
		Last:   q.Page*orders.PageLength + len(sheet.Orders),
		Needs:  needs,
	}
	if q.Words == "" && q.Which == orders.OpenOrders && q.Run == 0 && q.Page == 0 {
		lines, err := d.Runs.Sheets.Lines(r.Context(), false)
		if err != nil {
			d.Fail(w, r, err)
			return
		}
		v.Runs = parts.RunLines(lines)
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
	d.Render(w, r, http.StatusOK, "daysheet", v)
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
	Needs         []parts.Choice
	Runs          []parts.RunsLine
}

// needs are the kinds of next step in the operator's words.
var needs = []parts.Choice{{
	ID:   string(orders.NeedsHand),
	Name: "needs a hand",
}, {ID: string(orders.CanGo), Name: "ready to go on"},
	{ID: string(orders.Works), Name: "the program is at it"},
	{ID: string(orders.Failed), Name: "failed"}, {ID: string(orders.Finished), Name: "delivered"}}

// demoProgress says how far the making of the demo is, or nothing.
func (d *days) demoProgress(r *http.Request, b page.Base, made int) string {
	left, err := d.Painting(r.Context())
	if err != nil || left == 0 {
		return ""
	}
	return fmt.Sprintf("The demo’s pictures are being painted in the background: %s to go for %d orders.",
		wording.Counted(int(left), "step"), made)
}

// found is how many things there are to look at in an order, as far as is known.
func found(o store.Order) int {
	if o.Found == nil {
		return 0
	}
	return *o.Found
}
