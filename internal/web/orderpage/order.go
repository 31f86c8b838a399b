package orderpage

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
	"nelko/internal/web/parts"
	"nelko/internal/web/timeline"
)

// partsOf are the parts of a leaf that are drawn anew when they change, by the
// names of their templates, which are their places in the page too.
func partsOf(l parts.Leaf) []string {
	return append([]string{"orderhead"}, map[parts.Leaf][]string{
		parts.MaterialLeaf:   {"materiallist"},
		parts.RunningLeaf:    {"work", "margin"},
		parts.SoundtrackLeaf: {"soundtrack"},
		parts.CheckLeaf:      {"checks"},
		parts.DeliveriesLeaf: {"beforerendering", "proofstate", "remarks", "renders", "discs", "hosted",
			"deliveries"},
	}[l]...)
}

// leafOf reads a leaf's name; the running order without one.
func leafOf(name string) parts.Leaf {
	if l := parts.Leaf(name); len(partsOf(l)) > 1 {
		return l
	}
	return parts.RunningLeaf
}

// shown is what a page shows of an order: a leaf and, of the running order,
// what is chosen and the moment looked at.
type shown struct {
	leaf   parts.Leaf
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
	Leaf          parts.Leaf
	Leaves        []parts.LeafLink
	Seen          string // sums up what the parts show
	drawn         []page.Drawn
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
	RenderRows    []parts.RenderRow
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
	DiscChoices   []parts.DiscChoice
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
func (s *shared) orderView(ctx context.Context, wk *orders.Dossier, on shown) (*orderView, error) {
	v := &orderView{
		Dossier:  wk,
		Leaf:     on.leaf,
		known:    on.rows,
		Due:      page.Day(wk.Order.Due),
		NextStep: wk.Next(),
		Frames:   film(wk),
	}
	v.NextPath = parts.StepPath(wk.Order.ID, v.NextStep.Place)
	v.Fitted = wk.Doc.Fit.Mode == doc.ToMusic && wk.Plan.FitError == nil
	if t := s.Orders.NewerTheme(wk); t != nil {
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
	if on.leaf == parts.MaterialLeaf {
		v.material(s.BeingStored(wk.Order.ID))
		if err := s.waysIn(ctx, v); err != nil {
			return nil, err
		}
	}
	if u := page.UserIn(ctx); u != nil {
		others, err := s.Orders.Presence.Others(ctx, wk.Order.ID, u.ID)
		if err != nil {
			return nil, err
		}
		v.Also = othersInWords(wk, others)
	}
	v.delivering(s)
	v.leaves()
	if on.leaf == parts.DeliveriesLeaf {
		all, err := s.Shelf.Profiles.Profiles(ctx)
		if err != nil {
			return nil, err
		}
		v.ways(all)
		files, err := s.Delivery.Files.Files(ctx, wk.Order.ID)
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
	if on.leaf == parts.SoundtrackLeaf {
		if v.Track, err = s.track(ctx, wk); err != nil {
			return nil, err
		}
		for _, w := range remedy.Ways(wk.Doc, v.context()) {
			v.Track.Ways = append(v.Track.Ways, wayView{w})
		}
		v.Track.Suit, v.Track.Suits = remedy.Suiting(wk.Doc, v.context())
		if v.Track.Library, err = parts.LibrarySongs(ctx, s.Intake, intake.Wanted{
			Near:      math.Max(v.Track.Suit.Seconds, 1),
			Ready:     true,
			Occasions: wk.Theme.Occasions,
		}); err != nil {
			return nil, err
		}
		v.Track.Library = v.Track.Library[:min(8, len(v.Track.Library))]
	}
	if on.leaf != parts.RunningLeaf {
		return v, nil
	}
	own, err := s.Shelf.Transitions.TransitionNames(ctx)
	if err != nil {
		return nil, err
	}
	if len(wk.Plan.Slides) > 0 {
		waves, err := s.Intake.Material.Waveforms(ctx, wk.Doc.Soundtrack.Songs())
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
func (s *shared) onlyHere() string {
	u, err := url.Parse(s.BaseURL)
	if err != nil {
		return ""
	}
	if ip := net.ParseIP(u.Hostname()); u.Hostname() == "localhost" || ip != nil && ip.IsLoopback() {
		return u.Host
	}
	return ""
}

// markMeant marks findings as meant, or points them out again.
func (l *leaves) markMeant(w http.ResponseWriter, r *http.Request) {
	_ = r.ParseForm() // what cannot be read is not there
	err := l.Orders.Heads.MarkMeant(r.Context(), page.Number(r, "order"), r.PostForm["key"],
		r.PostForm.Get("meant") != "", &page.User(r).ID)
	l.answer(w, r, err, nil)
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
	for i, l := range []parts.LeafLink{
		{
			Leaf: parts.MaterialLeaf,
			Name: "Material",
			Note: note(media),
		}, {
			Leaf: parts.RunningLeaf,
			Name: "Running order",
			Note: wording.Counted(len(v.Doc.Slides), "slide"),
		},
		{
			Leaf: parts.SoundtrackLeaf,
			Name: "Soundtrack",
			Note: v.MusicClock(),
		}, {
			Leaf: parts.CheckLeaf,
			Name: "Check",
			Note: note(len(v.Findings)),
		}, {Leaf: parts.DeliveriesLeaf, Name: "Deliveries", Note: note(open)},
	} {
		l.Key, l.Here, l.Path = i+1, l.Leaf == v.Leaf, parts.LeafPath(v.Order.ID, l.Leaf)
		v.Leaves = append(v.Leaves, l)
	}
}

// openingLook is the moment shown before anything is selected.
func openingLook(w *orders.Dossier) timecode.Frames {
	first := w.Plan.Slides[0]
	return first.Start + (first.Length-first.Overlap)*2/3
}

func (l *leaves) orderPage(w http.ResponseWriter, r *http.Request) {
	wk, err := l.Orders.See(r.Context(), seen(r))
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	v, err := l.orderView(r.Context(), wk, shown{leaf: leafOf(chi.URLParam(r, "leaf"))})
	if err == nil {
		v.Base, err = l.Base(r, wk.Order.Client)
	}
	if err == nil {
		err = l.draw(v)
	}
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	l.Render(w, r, http.StatusOK, "order", v)
}
