package web

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/core/remedy"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/intake"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/timeline"
)

// leaf is one page of an order.
type leaf string

// The leaves. The running order stands at the order's own address.
const (
	materialLeaf   leaf = "material"
	runningLeaf    leaf = "running-order"
	soundtrackLeaf leaf = "soundtrack"
	checkLeaf      leaf = "check"
	deliveriesLeaf leaf = "deliveries"
)

// parts are the parts of a leaf that are drawn anew when they change, by the
// names of their templates, which are their places in the page too.
func (l leaf) parts() []string {
	return append([]string{"orderhead"}, map[leaf][]string{
		materialLeaf:   {"materiallist"},
		runningLeaf:    {"work", "margin"},
		soundtrackLeaf: {"soundtrack"},
		checkLeaf:      {"checks"},
		deliveriesLeaf: {"beforerendering", "proofstate", "remarks", "renders", "discs", "hosted",
			"deliveries"},
	}[l]...)
}

// leafOf reads a leaf's name; the running order without one.
func leafOf(name string) leaf {
	if l := leaf(name); len(l.parts()) > 1 {
		return l
	}
	return runningLeaf
}

// leafLink is a leaf as the head shows it.
type leafLink struct {
	Leaf             leaf
	Name, Path, Note string
	Key              int
	Here             bool
}

// shown is what a page shows of an order: a leaf and, of the running order,
// what is chosen and the moment looked at.
type shown struct {
	leaf   leaf
	chosen []doc.SlideID
	moment timecode.Frames
	known  bool     // whether a moment was named
	panel  string   // of the margin that is open
	rows   []string // sums of the rows the page has
	row    float64  // seconds of a row, as set by the operator; 0: as it fits
}

// rowCookie keeps the seconds of a row, for an order.
const rowCookie = "nelko-row"

// shownBy reads what the page that asks shows.
func shownBy(r *http.Request) shown {
	_ = r.ParseForm() // what cannot be read is not there
	v := shown{leaf: leafOf(r.Form.Get("leaf"))}
	for _, id := range r.Form["chosen"] {
		v.chosen = append(v.chosen, doc.SlideID(id))
	}
	v.panel = r.Form.Get("panel")
	if known := r.Form.Get("rows"); known != "" {
		v.rows = strings.Split(known, ".")
	}
	if n, err := strconv.ParseInt(r.Form.Get("moment"), 10, 64); err == nil {
		v.moment, v.known = timecode.Frames(n), true
	}
	if c, err := r.Cookie(rowCookie); err == nil {
		if n, err := strconv.ParseFloat(c.Value, 64); err == nil && n > 0 && n < 1e4 {
			v.row = n
		}
	}
	return v
}

// orderView is a leaf of an order.
type orderView struct {
	page.Base
	*orders.Dossier
	Leaf          leaf
	Leaves        []leafLink
	Seen          string // sums up what the parts show
	drawn         []drawnPart
	known         []string // sums of the rows that the page has
	Due           string
	Rows          timeline.View
	Desk          deskView
	Frames        filmView
	NextStep      orders.Step
	NextPath      string
	Findings      []findingView
	MeantFindings []findingView
	Fitted        bool
	Held          heldView
	Also          string // who else has the order open
	Newer         string // version of the theme that can be taken
	MaterialCount string
	RefusedMedia  []store.Media
	LostMedia     []store.Media // damaged or missing
	SlowMedia     []store.Media // not read yet, for longer than most
	UsedCount     string
	Cameras       []string // whose clocks can be put right
	Sheet         []mediumView
	Shows         []sheetFilter
	enlarged      map[doc.MediaID]bool // pictures shown larger than they are
	Track         *trackView           // on the soundtrack's leaf
	Songs         []songView
	RenderRows    []renderRow
	AtHand        []way // of encoding: the usual one and those used last
	Others        []way
	Film          *store.Render // newest finished
	LinkTitle     string
	LinkRows      []linkRow
	RemarkRows    []remarkRow
	FileRows      []fileRow
	HostRows      []hostRow
	Host          *store.HostAccount // the studio's sign-in; nil: none
	Visibilities  []string
	DiscRows      []discRow
	DiscChoices   []discChoice
	Standards     []string
	SiblingFilms  []otherFilm
	Siblings      []store.Order // other orders of the same client
	ProofState    []string
	NewAddress    string
	In            *inRun // a Run
}

// songView is a song of the soundtrack, to be chosen.
type songView struct {
	SHA  doc.MediaID
	Name string
}

// orderView fills in what a leaf shows.
func (s *Server) orderView(ctx context.Context, wk *orders.Dossier, on shown) (*orderView, error) {
	v := &orderView{
		Dossier:  wk,
		Leaf:     on.leaf,
		known:    on.rows,
		Due:      page.Day(wk.Order.Due),
		NextStep: wk.Next(),
		Frames:   film(wk),
	}
	v.NextPath = stepPath(wk.Order.ID, v.NextStep.Place)
	v.Fitted = wk.Doc.Fit.Mode == doc.ToMusic && wk.Plan.FitError == nil
	if t := s.House.Orders.TakeNewer(wk); t != nil {
		v.Newer = t.Version
	}
	var err error
	if v.In, err = s.runOf(ctx, wk); err != nil {
		return nil, err
	}
	if v.In != nil && v.In.Pattern {
		// A pattern is not rendered itself: its Run goes on.
		v.NextStep, v.NextPath = orders.Step{
			Kind: orders.CanGo,
			Text: "Back to the rows",
		}, fmt.Sprintf("/runs/%d", v.In.Run.ID)
		if v.In.Changed {
			v.NextStep.Text = "Give it to the rows"
		}
	}
	if err := s.findings(ctx, v); err != nil {
		return nil, err
	}
	if on.leaf == materialLeaf {
		v.material(s.uploads.BeingStored(wk.Order.ID))
		if err := s.waysIn(ctx, v); err != nil {
			return nil, err
		}
	}
	if u := page.UserIn(ctx); u != nil {
		others, err := s.House.Orders.Others(ctx, wk.Order.ID, u.ID)
		if err != nil {
			return nil, err
		}
		v.Also = othersInWords(wk, others)
	}
	v.delivering(s)
	v.leaves()
	if on.leaf == deliveriesLeaf {
		all, err := s.House.Shelf.Profiles(ctx)
		if err != nil {
			return nil, err
		}
		v.ways(all)
		files, err := s.House.Delivery.Files(ctx, wk.Order.ID)
		if err != nil {
			return nil, err
		}
		v.FileRows = fileRows(files)
		if err := errors.Join(v.discs(ctx, s), v.hosts(ctx, s)); err != nil {
			return nil, err
		}
	}
	for _, id := range wk.Doc.Soundtrack.Songs() {
		v.Songs = append(v.Songs, songView{id, wk.Library[id].Name})
	}
	if on.leaf == soundtrackLeaf {
		if v.Track, err = s.track(ctx, wk); err != nil {
			return nil, err
		}
		for _, w := range remedy.Ways(wk.Doc, v.context()) {
			v.Track.Ways = append(v.Track.Ways, wayView{w})
		}
		v.Track.Suit, v.Track.Suits = remedy.Suiting(wk.Doc, v.context())
		if v.Track.Library, err = s.librarySongs(ctx, intake.Wanted{
			Near:      math.Max(v.Track.Suit.Seconds, 1),
			Ready:     true,
			Occasions: wk.Theme.Occasions,
		}); err != nil {
			return nil, err
		}
		v.Track.Library = v.Track.Library[:min(8, len(v.Track.Library))]
	}
	if on.leaf != runningLeaf {
		return v, nil
	}
	own, err := s.House.Shelf.TransitionNames(ctx)
	if err != nil {
		return nil, err
	}
	if len(wk.Plan.Slides) > 0 {
		waves, err := s.House.Intake.Waveforms(ctx, wk.Doc.Soundtrack.Songs())
		if err != nil {
			return nil, err
		}
		v.Rows = timeline.Draw(s.runningOrder(wk, waves, on.row))
		if !on.known {
			on.moment = openingLook(wk)
		}
	}
	v.Desk = s.desk(wk, on.chosen, on.moment, own, on.panel)
	return v, nil
}

// CannotFit says why the film cannot be fitted to its music, if that is wanted. What
// would help is asked for by itself: finding that takes longer than an edit may.
func (v *orderView) CannotFit() string { return cannotFit(v.Dossier) }

// Terms are the parts of the film's arithmetic; why they are so is asked for.
func (v *orderView) Terms() []plan.Term {
	if len(v.Plan.Slides) == 0 {
		return nil
	}
	return v.Plan.Terms()
}

func (v *orderView) context() edit.Context { return edit.Context{Theme: v.Theme, Library: v.Library} }

// At is the order in addresses, in the shape it is seen in.
func (v *orderView) At() string { return seenPath(v.Dossier) }

// AllShapes are the frame shapes the film is made in.
func (v *orderView) AllShapes() []shapeView { return shapesOf(v.Dossier) }

// onlyHere is the host of the studio's address if no other machine can open it.
func (s *Server) onlyHere() string {
	u, err := url.Parse(s.BaseURL)
	if err != nil {
		return ""
	}
	if ip := net.ParseIP(u.Hostname()); u.Hostname() == "localhost" || ip != nil && ip.IsLoopback() {
		return u.Host
	}
	return ""
}

// mean marks findings as meant, or points them out again.
func (s *Server) mean(w http.ResponseWriter, r *http.Request) {
	_ = r.ParseForm() // what cannot be read is not there
	err := s.House.Orders.Mean(r.Context(), page.Number(r, "order"), r.PostForm["key"],
		r.PostForm.Get("meant") != "", &page.User(r).ID)
	s.answer(w, r, err, nil)
}

// leaves fills in the head's way to each leaf, with what it holds.
func (v *orderView) leaves() {
	media, open := 0, 0
	for _, m := range v.Media {
		if m.State == store.Ready {
			media++
		}
	}
	for _, l := range v.LinkRows {
		if l.Open {
			open++
		}
	}
	note := func(n int) string {
		if n == 0 {
			return ""
		}
		return fmt.Sprint(n)
	}
	for i, l := range []leafLink{
		{
			Leaf: materialLeaf,
			Name: "Material",
			Note: note(media),
		}, {Leaf: runningLeaf, Name: "Running order", Note: wording.Counted(len(v.Doc.Slides), "slide")},
		{
			Leaf: soundtrackLeaf,
			Name: "Soundtrack",
			Note: v.MusicClock(),
		}, {
			Leaf: checkLeaf,
			Name: "Check",
			Note: note(len(v.Findings)),
		}, {Leaf: deliveriesLeaf, Name: "Deliveries", Note: note(open)},
	} {
		l.Key, l.Here, l.Path = i+1, l.Leaf == v.Leaf, leafPath(v.Order.ID, l.Leaf)
		v.Leaves = append(v.Leaves, l)
	}
}

// leafPath is the address of a leaf.
func leafPath(orderID int64, l leaf) string {
	if l == runningLeaf {
		return fmt.Sprintf("/orders/%d", orderID)
	}
	return fmt.Sprintf("/orders/%d/%s", orderID, l)
}

// stepPath is where the next step of an order is done.
func stepPath(orderID int64, place string) string {
	if place == "theme" {
		return fmt.Sprintf("/orders/%d/themes", orderID)
	}
	on := map[string]leaf{
		"material":   materialLeaf,
		"soundtrack": soundtrackLeaf,
		"renders":    deliveriesLeaf,
		"deliveries": deliveriesLeaf,
		"proof":      deliveriesLeaf,
		"remarks":    deliveriesLeaf,
	}[place]
	if on == "" {
		on = runningLeaf
	}
	return leafPath(orderID, on) + "#" + place
}

// openingLook is the moment shown before anything is selected.
func openingLook(w *orders.Dossier) timecode.Frames {
	first := w.Plan.Slides[0]
	return first.Start + (first.Length-first.Overlap)*2/3
}

func mailState(l store.Link) string {
	switch {
	case l.MailError != "" && l.MailedTo == "": // a proof that never went out
		return "mail failed: " + l.MailError
	case l.MailError != "":
		return "mail to " + l.MailedTo + " failed: " + l.MailError
	case l.MailedAt != nil:
		return "mailed to " + l.MailedTo + " " + l.MailedAt.Format("2 Jan 15:04")
	case l.MailedTo != "":
		return "mail to " + l.MailedTo + " waits"
	}
	return "address handed over"
}

func views(l store.Link) string {
	switch {
	case l.Views == 0:
		return "not watched yet"
	case l.Views == 1:
		return "watched once"
	}
	return fmt.Sprintf("watched %d times", l.Views)
}

func (s *Server) orderPage(w http.ResponseWriter, r *http.Request) {
	wk, err := s.House.Orders.See(r.Context(), seen(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v, err := s.orderView(r.Context(), wk, shown{leaf: leafOf(chi.URLParam(r, "leaf"))})
	if err == nil {
		v.Base, err = s.Base(r, wk.Order.Client)
	}
	if err == nil {
		err = s.draw(v)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, http.StatusOK, "order", v)
}
