package web

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"math"
	"net"
	"net/http"
	"net/url"
	"slices"
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
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/store"
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
		materialLeaf: {"materiallist"}, runningLeaf: {"work", "margin"}, soundtrackLeaf: {"soundtrack"}, checkLeaf: {"checks"}, deliveriesLeaf: {"beforerendering", "proofstate", "remarks", "renders", "discs", "hosted", "deliveries"},
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
	base
	*orders.Dossier
	Leaf          leaf
	Leaves        []leafLink
	Seen          string // sums up what the parts show
	drawn         []drawnPart
	known         []string // sums of the rows that the page has
	Due           string
	Rows          rowsView
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

// findingView is a check or a finding, and where it is put right; or several
// like ones in one line.
type findingView struct {
	Text, Path string
	Stops      bool
	Key        string // by which it is marked as meant; empty: it cannot be
	List       []findingView
}

// songView is a song of the soundtrack, to be chosen.
type songView struct {
	SHA  doc.MediaID
	Name string
}

// orderView fills in what a leaf shows.
func (s *Server) orderView(ctx context.Context, wk *orders.Dossier, on shown) (*orderView, error) {
	v := &orderView{Dossier: wk, Leaf: on.leaf, known: on.rows, Due: day(wk.Order.Due), NextStep: wk.Next(), Frames: film(wk)}
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
		v.NextStep, v.NextPath = orders.Step{Kind: orders.CanGo, Text: "Back to the rows"}, fmt.Sprintf("/runs/%d", v.In.Run.ID)
		if v.In.Changed {
			v.NextStep.Text = "Give it to the rows"
		}
	}
	if err := s.findings(ctx, v); err != nil {
		return nil, err
	}
	if on.leaf == materialLeaf {
		v.material(s.uploads.beingStored(wk.Order.ID))
		if err := s.waysIn(ctx, v); err != nil {
			return nil, err
		}
	}
	if u, ok := ctx.Value(userKey{}).(*store.User); ok && u != nil {
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
		if v.Track.Library, err = s.librarySongs(ctx, intake.Wanted{Near: math.Max(v.Track.Suit.Seconds, 1), Ready: true, Occasions: wk.Theme.Occasions}); err != nil {
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
		v.Rows = drawRows(wk, waves, on.row, func(id doc.SlideID) string { return s.House.Looking.About(wk, id) })
		if !on.known {
			on.moment = openingLook(wk)
		}
	}
	v.Desk = s.desk(wk, on.chosen, on.moment, own, on.panel)
	return v, nil
}

// findings are what the checks see, the gravest first, each with its place.
func (s *Server) findings(ctx context.Context, v *orderView) error {
	first := v.Dossier.In(doc.Frame{}) // what is found in the first shape; in others what is found there besides
	found, err := s.House.Looking.Findings(first)
	if err != nil {
		return err
	}
	for _, r := range v.OpenRemarks() {
		v.Findings = append(v.Findings, findingView{Text: fmt.Sprintf("%s at %s: %s", r.Who, timecode.Clock(r.Seconds), r.Text), Path: stepPath(v.Order.ID, "slide-"+r.Slide)})
	}
	see := func(c plan.Check) findingView {
		return findingView{Text: c.Text, Path: stepPath(v.Order.ID, orders.Place(c.Field)), Stops: c.Weight == plan.Stops, Key: c.Key}
	}
	v.enlarged = map[doc.MediaID]bool{}
	for _, c := range found {
		if c.Kind == "enlarged" {
			v.enlarged[c.Media] = true
		}
	}
	licences, err := s.licences(ctx, v)
	if err != nil {
		return err
	}
	row, err := s.House.Runs.Doubts(ctx, v.Order)
	if err != nil {
		return err
	}
	v.gather(first, slices.Concat(first.Checks, first.Doubts(s.House.Orders.Now()), row, licences, found, plan.Closer(first.Doc, first.Plan, first.Theme, first.Library)), see)
	known := map[string]bool{}
	for _, c := range found {
		known[c.Field+c.Text] = true
	}
	for _, shape := range first.Shapes()[1:] {
		in := first.In(shape)
		also, err := s.House.Looking.Findings(in)
		if err != nil {
			return err
		}
		also = slices.DeleteFunc(slices.Clone(also), func(c plan.Check) bool { return known[c.Field+c.Text] })
		v.gather(in, also, func(c plan.Check) findingView { return inShape(in, c) })
	}
	if host := s.onlyHere(); host != "" && len(v.Links) > 0 {
		v.Findings = append(v.Findings, findingView{Text: fmt.Sprintf("Links lead to %s, which only this machine can open: set NELKO_URL to an address clients can reach", host), Path: leafPath(v.Order.ID, deliveriesLeaf)})
	}
	linked, told := false, false // a link of the film, and whether anybody knows of one
	for _, l := range v.Links {
		linked = linked || (!l.Proof && l.ClosedAt == nil)
		told = told || (!l.Proof && (l.MailedAt != nil || l.MailError != "" || l.Views > 0))
	}
	if linked && !told {
		v.Findings = append(v.Findings, findingView{Text: "Nobody has been told of the link: mail it, or send its address yourself", Path: leafPath(v.Order.ID, deliveriesLeaf)})
	}
	// For the day sheet, but not within this request: who only looks writes nothing.
	d, n := v.Dossier, len(v.Findings)
	if d.Order.Found != nil && *d.Order.Found == n {
		return nil
	}
	s.House.Looking.Beside(func(ctx context.Context) {
		if err := s.House.Orders.Found(ctx, d, n); err != nil && ctx.Err() == nil {
			slog.WarnContext(ctx, "what there is to look at in an order is not noted", "order", d.Order.ID, "error", err)
		}
	})
	return nil
}

// licences are doubts about the songs of a film that goes to a public link or a host.
func (s *Server) licences(ctx context.Context, v *orderView) ([]plan.Check, error) {
	public := v.Wants(store.LinkDelivery) || v.Wants(store.UploadDelivery)
	for _, l := range v.Links {
		public = public || l.ClosedAt == nil
	}
	if !public {
		return nil, nil
	}
	return s.House.Intake.Licences(ctx, v.Doc.Soundtrack.Songs(), s.House.Orders.Now())
}

// gather adds what was found in a shape, several alike as one line.
func (v *orderView) gather(in *orders.Dossier, checks []plan.Check, see func(plan.Check) findingView) {
	var open []plan.Check
	for _, c := range checks {
		if c.Key != "" && v.Meant[shapeKey(in, c.Key)] {
			v.MeantFindings = append(v.MeantFindings, see(c))
		} else {
			open = append(open, c)
		}
	}
	for _, g := range plan.Gather(open) {
		f := see(g.Checks[0])
		if len(g.Checks) > 1 {
			whole := g.Checks[0]
			whole.Text = g.Text
			f.Text, f.Key = see(whole).Text, ""
			for _, c := range g.Checks {
				f.List = append(f.List, see(c))
			}
		}
		v.Findings = append(v.Findings, f)
	}
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
	err := s.House.Orders.Mean(r.Context(), number(r, "order"), r.PostForm["key"], r.PostForm.Get("meant") != "", &user(r).ID)
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
		{Leaf: materialLeaf, Name: "Material", Note: note(media)}, {Leaf: runningLeaf, Name: "Running order", Note: wording.Counted(len(v.Doc.Slides), "slide")},
		{Leaf: soundtrackLeaf, Name: "Soundtrack", Note: v.MusicClock()}, {Leaf: checkLeaf, Name: "Check", Note: note(len(v.Findings))}, {Leaf: deliveriesLeaf, Name: "Deliveries", Note: note(open)},
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
	on := map[string]leaf{"material": materialLeaf, "soundtrack": soundtrackLeaf, "renders": deliveriesLeaf, "deliveries": deliveriesLeaf, "proof": deliveriesLeaf, "remarks": deliveriesLeaf}[place]
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

// minutes writes seconds as m:ss.
func minutes(seconds float64) string {
	return strings.TrimSuffix(timecode.Clock(math.Round(seconds)), ".0")
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
		s.fail(w, r, err)
		return
	}
	v, err := s.orderView(r.Context(), wk, shown{leaf: leafOf(chi.URLParam(r, "leaf"))})
	if err == nil {
		v.base, err = s.base(r, wk.Order.Client)
	}
	if err == nil {
		err = s.draw(v)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, http.StatusOK, "order", v)
}

// drawnPart is a part of a leaf, drawn, and a sum by which it is known again.
type drawnPart struct {
	name, html, sum string
}

// drawPart draws a template as a part of a page, by the name of its place.
func (s *Server) drawPart(template, place string, data any) (drawnPart, error) {
	var b buffer
	if err := s.templates.ExecuteTemplate(&b, template, data); err != nil {
		return drawnPart{}, fmt.Errorf("drawing %s: %w", place, err)
	}
	h := sha256.Sum256(b.Bytes())
	return drawnPart{place, b.String(), hex.EncodeToString(h[:5])}, nil
}

// sums are the sums of parts, by which a page tells what it has drawn.
func sums(parts []drawnPart) string {
	out := make([]string, len(parts))
	for i, p := range parts {
		out[i] = p.sum
	}
	return strings.Join(out, ".")
}

// draw draws the parts of a leaf.
func (s *Server) draw(v *orderView) error {
	for _, name := range v.Leaf.parts() {
		p, err := s.drawPart(name, name, v)
		if err != nil {
			return err
		}
		if name == "work" {
			// The sum tells of all rows, whichever of them are sent.
			rows := v.Rows.draw()
			h := sha256.New()
			_, _ = h.Write([]byte(p.html)) // never fails
			for _, r := range rows {
				_, _ = h.Write([]byte(r.sum))
			}
			p.sum = hex.EncodeToString(h.Sum(nil)[:5])
			p.html = strings.Replace(p.html, rowsPlace, v.Rows.page(rows, v.known), 1)
		}
		v.drawn = append(v.drawn, p)
	}
	v.Seen = sums(v.drawn)
	return nil
}

// Part is a part of the leaf as it was drawn, for the page around it.
func (v *orderView) Part(name string) template.HTML {
	for _, p := range v.drawn {
		if p.name == name {
			return template.HTML(p.html) // written by the part's own template
		}
	}
	return ""
}

// orderLive answers with the parts of the leaf that changed since they were
// drawn.
func (s *Server) orderLive(w http.ResponseWriter, r *http.Request) {
	wk, err := s.House.Orders.See(r.Context(), seen(r))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v, err := s.orderView(r.Context(), wk, shownBy(r))
	if err == nil {
		err = s.draw(v)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	before := strings.Split(r.URL.Query().Get("seen"), ".")
	var b buffer
	if seen := queryInt(r, "base", 0); seen > 0 && int64(wk.Slideshow.Head) > seen && wk.Revision.AuthorID == nil {
		// What the program did meanwhile is told.
		v.Notice = &notice{"good", wk.Revision.Title + "."}
		if err := s.templates.ExecuteTemplate(&b, "told", v.Notice); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	for i, p := range v.drawn {
		if i >= len(before) || before[i] != p.sum {
			b.WriteString(p.html)
		}
	}
	if b.Len() == 0 {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	s.send(w, http.StatusOK, v.Seen, b.Bytes())
}

// send answers with parts of a leaf.
func (s *Server) send(w http.ResponseWriter, status int, seen string, html []byte) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Seen", seen)
	w.WriteHeader(status)
	_, _ = w.Write(html) // the browser may have gone
}

// answer answers an act with the leaf as it stands and, where the act was not
// done, why. change may fill in more.
func (s *Server) answer(w http.ResponseWriter, r *http.Request, err error, change func(*orderView)) {
	s.answerWith(w, r, nil, err, change)
}

// answerWith is answer where the order as it stands then is known.
func (s *Server) answerWith(w http.ResponseWriter, r *http.Request, wk *orders.Dossier, err error, change func(*orderView)) {
	status, note := http.StatusOK, &notice{}
	var input *invalid.Input
	var conflict *orders.Conflict
	switch {
	case err == nil:
	case errors.As(err, &conflict):
		status, note = http.StatusConflict, &notice{"bad", conflict.Error()}
	case errors.As(err, &input):
		status, note = http.StatusUnprocessableEntity, &notice{"bad", input.Problem}
	case errors.Is(err, edit.ErrGone), errors.Is(err, edit.ErrInvalid):
		status, note = http.StatusUnprocessableEntity, &notice{"bad", "Not changed: " + err.Error() + "."}
	default:
		s.fail(w, r, err)
		return
	}
	if wk == nil || err != nil {
		if wk, err = s.House.Orders.See(r.Context(), seen(r)); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	v, err := s.orderView(r.Context(), wk, shownBy(r))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if change != nil {
		change(v)
	}
	var b buffer
	if err = s.draw(v); err == nil {
		for _, p := range v.drawn {
			b.WriteString(p.html)
		}
		if v.Notice == nil {
			v.Notice = note
		}
		err = s.templates.ExecuteTemplate(&b, "said", v)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.send(w, status, v.Seen, b.Bytes())
}

// orderMargin shows what can be changed for what is chosen, and the film at
// that moment.
func (s *Server) orderMargin(w http.ResponseWriter, r *http.Request) {
	wk, err := s.House.Orders.See(r.Context(), seen(r))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	f, err := decode[chosen](r.URL.Query())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if len(f.Slides) > 0 {
		// Others see it; it may fail.
		_ = s.House.Orders.LooksAt(r.Context(), wk.Order.ID, user(r).ID, f.Slides[0])
	}
	frame := timecode.Frames(queryInt(r, "frame", 0))
	if wk.Plan.Frames > 0 {
		s.House.Looking.WarmUp(wk, frame)
	}
	own, err := s.House.Shelf.TransitionNames(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, http.StatusOK, "margin", &orderView{Dossier: wk, Leaf: runningLeaf, Desk: s.desk(wk, f.Slides, frame, own, r.URL.Query().Get("panel"))})
}

// othersInWords says who else is at an order, and at which slide.
func othersInWords(wk *orders.Dossier, list []orders.Other) string {
	var parts []string
	for _, o := range list {
		text := o.Name
		if i := wk.Doc.Index(o.Slide); o.Slide != "" && i >= 0 {
			text += fmt.Sprintf(" at slide %d", i+1)
		}
		parts = append(parts, text)
	}
	if len(parts) == 0 {
		return ""
	}
	return "also here: " + strings.Join(parts, ", ")
}

// orderFrame shows a frame. The address names the revision and what stands behind it, so the
// picture may be kept for an hour; an unknown revision is not found.
func (s *Server) orderFrame(w http.ResponseWriter, r *http.Request) {
	width := max(64, min(queryInt(r, "w", 640), 1920))
	revision := queryInt(r, "r", -1)
	jpg, err := s.House.Looking.Frame(r.Context(), seen(r), int(revision), timecode.Frames(queryInt(r, "n", 0)), int(width))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	sendJPEG(w, jpg, "private, max-age=3600")
}
