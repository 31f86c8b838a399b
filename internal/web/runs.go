package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/doc"
	"nelko/internal/core/list"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/listfile"
	"nelko/internal/orders"
	"nelko/internal/paper"
	"nelko/internal/runs"
	"nelko/internal/shelf"
	"nelko/internal/store"
)

func (s *Server) runRoutes(r chi.Router) {
	r.Get("/runs", s.runsPage)
	r.Get("/runs/new", s.newRunPage)
	r.Post("/runs", s.newRun)
	r.Route("/runs/{run}", func(r chi.Router) {
		r.Get("/", s.runPage)
		r.Get("/proofread", s.proofreadPage)
		r.Get("/proofread.pdf", s.proofreadPDF)
		r.Get("/out", s.outPage)
		r.Post("/live", s.runLive)
		r.Post("/cells", s.setCells)
		r.Post("/{step:undo|redo}", s.stepRun)
		r.Post("/list", s.bringList)
		r.Post("/{act:agree|agree-all|refuse|discs|alldiscs|all|roles|folder|folders|go|pause|goon|cancel|first|give|see|names|mail|try|watch|archive|restore|dismiss|stop|seen}", s.actOnRun)
		r.Get("/impact", s.runImpact)
		r.Get("/estimate", s.runEstimate)
		r.Get("/acts", s.runActs)
		r.Get("/films.zip", s.runFilms)
		r.Get("/pattern.zip", s.runPattern)
		r.Get("/links.csv", s.runLinks)
		r.Get("/cards.pdf", s.runCards)
		r.Get("/faces.pdf", s.runFaces)
	})
}

func (s *Server) runsPage(w http.ResponseWriter, r *http.Request) {
	b, err := s.base(r, "Runs")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	archived := r.URL.Query().Get("which") == "archived"
	lines, err := s.House.Runs.Lines(r.Context(), archived)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, http.StatusOK, "runs", struct {
		base
		Lines    []runsLine
		Archived bool
	}{b, runLines(lines), archived})
}

// runsLine is a Run as the day sheet and the list of Runs show it.
type runsLine struct {
	ID         int64
	Name, Due  string
	Films      int
	State      string
	Strip      store.Numbers
	Path, Need string
	Kind       orders.StepKind
}

func runLines(lines []runs.Line) (out []runsLine) {
	for _, l := range lines {
		x := runsLine{ID: l.Run.ID, Name: l.Name, Due: day(l.Next), Films: l.Films, Strip: l.Strip, Path: fmt.Sprintf("/runs/%d", l.Run.ID)}
		x.stands(l)
		out = append(out, x)
	}
	return out
}

// stands says how a Run stands and what is next, in the words and by the count of its sheet.
func (x *runsLine) stands(l runs.Line) {
	if l.Stands == nil {
		x.State, x.Kind, x.Need = fmt.Sprintf("%d of %d delivered", l.Gone, l.Films), orders.Finished, "Put away"
		if l.ArchivedAt == nil {
			x.Kind, x.Need = orders.NeedsHand, "No pattern"
		}
		return
	}
	st := l.Stands.Stages
	var parts []string
	for _, stage := range []runs.Stage{runs.Delivered, runs.Rendered, runs.Rendering, runs.Ready, runs.Reading} {
		if n := st[stage]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, stage))
		}
	}
	if asks := l.Stands.Asks(); asks != "" && st[runs.NeedsYou] == 0 {
		parts = append(parts, asks)
	}
	x.State = strings.Join(parts, ", ")
	switch {
	case l.Films == 0:
		x.Kind, x.Need = orders.NeedsHand, "No list yet"
	case st[runs.NeedsYou] > 0:
		x.Kind, x.Need = orders.NeedsHand, l.Stands.Asks()
		x.Path += "?only=1"
	case st[runs.Ready]+st[runs.Rendered] > 0:
		x.Kind, x.Need = orders.CanGo, wording.Counted(st[runs.Ready]+st[runs.Rendered], "film")+" ready to go on"
	case st[runs.Rendering]+st[runs.Reading] > 0:
		x.Kind, x.Need = orders.Works, wording.Counted(st[runs.Rendering]+st[runs.Reading], "film")+" at work"
	default:
		x.Kind, x.Need = orders.Finished, "All delivered"
	}
}

func (s *Server) newRunPage(w http.ResponseWriter, r *http.Request) {
	s.showNewRun(w, r, http.StatusOK, map[string]string{"theme": shelf.DefaultTheme, "due": s.House.Orders.Now().AddDate(0, 0, 14).Format(time.DateOnly)}, nil)
}

func (s *Server) showNewRun(w http.ResponseWriter, r *http.Request, status int, form map[string]string, n *notice) {
	b, err := s.noted(r, "New Run", n)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, status, "newrun", struct {
		base
		Form   map[string]string
		Themes []*theme.Theme
	}{b, form, s.House.Shelf.Themes.All()})
}

// maxListForm is the largest form with a list in it, in bytes.
const maxListForm = listfile.MaxBytes + 1<<20

// listOf reads the list of a form: a file, or pasted cells; nil without.
func listOf(r *http.Request) (*list.Table, error) {
	if text := r.FormValue("pasted"); strings.TrimSpace(text) != "" {
		t, err := listfile.Pasted(r.Context(), text)
		return &t, asInput(err)
	}
	f, h, err := r.FormFile("list")
	if errors.Is(err, http.ErrMissingFile) || errors.Is(err, http.ErrNotMultipart) {
		return nil, nil
	}
	if err != nil {
		return nil, &invalid.Input{Field: "list", Problem: "The list did not arrive whole; try again."}
	}
	defer f.Close()
	b, err := io.ReadAll(io.LimitReader(f, listfile.MaxBytes+1))
	if err != nil {
		return nil, err
	}
	t, err := listfile.Read(r.Context(), h.Filename, b)
	return &t, asInput(err)
}

func asInput(err error) error {
	var broken *listfile.Broken
	if errors.As(err, &broken) {
		return &invalid.Input{Field: "list", Problem: broken.Error()}
	}
	return err
}

func (s *Server) newRun(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxListForm)
	form := map[string]string{}
	n := runs.New{}
	var err error
	if err = r.ParseMultipartForm(8 << 20); err != nil && !errors.Is(err, http.ErrNotMultipart) {
		err = &invalid.Input{Field: "list", Problem: "The list is too large or did not arrive whole."}
	} else {
		for k := range r.PostForm {
			form[k] = r.PostForm.Get(k)
		}
		n.Name, n.Event, n.Theme = form["name"], form["event"], form["theme"]
		if n.Due, err = time.Parse(time.DateOnly, form["due"]); err != nil {
			err = &invalid.Input{Field: "due", Problem: fmt.Sprintf("The due date %q is not a date.", form["due"])}
		} else if n.Table, err = listOf(r); err == nil && strings.TrimSpace(n.Name) == "" && n.Table != nil {
			n.Name = strings.TrimSuffix(n.Table.Name, "."+ending(n.Table.Name))
		}
	}
	if err == nil {
		var run store.Run
		if run, err = s.House.Runs.Open(r.Context(), n, &user(r).ID); err == nil {
			http.Redirect(w, r, fmt.Sprintf("/runs/%d", run.ID), http.StatusSeeOther)
			return
		}
	}
	var inv *invalid.Input
	if errors.As(err, &inv) {
		s.showNewRun(w, r, http.StatusUnprocessableEntity, form, &notice{"bad", inv.Problem})
		return
	}
	s.fail(w, r, err)
}

func ending(name string) string {
	_, e, _ := strings.Cut(name[max(0, strings.LastIndexByte(name, '.')):], ".")
	return e
}

// sheetOf reads the sheet a request is about; it answers itself when it
// cannot.
func (s *Server) sheetOf(w http.ResponseWriter, r *http.Request) *runs.Sheet {
	sh, err := s.House.Runs.Sheet(r.Context(), number(r, "run"))
	if err != nil {
		s.fail(w, r, err)
		return nil
	}
	return sh
}

func (s *Server) runPage(w http.ResponseWriter, r *http.Request) {
	sh := s.sheetOf(w, r)
	if sh == nil {
		return
	}
	v, err := s.runView(r.Context(), sh, r.URL.Query().Get("only") != "")
	if err == nil {
		v.base, err = s.base(r, sh.Name)
	}
	if err == nil {
		err = s.drawRun(v)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, http.StatusOK, "run", v)
}

// runLive answers with the parts of the sheet that changed since they were
// drawn.
func (s *Server) runLive(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 4<<20)
	sh := s.sheetOf(w, r)
	if sh == nil {
		return
	}
	v, err := s.runView(r.Context(), sh, false)
	if err == nil {
		err = s.drawRun(v)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	b := v.since(r.PostFormValue("seen"))
	if len(b) == 0 {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	s.send(w, http.StatusOK, v.Seen, b)
}

// said answers a script with what became of an act.
func (s *Server) said(w http.ResponseWriter, r *http.Request, text string, refused []runs.Refused, err error) {
	kind := "good"
	var inv *invalid.Input
	if errors.As(err, &inv) {
		kind, text, err = "bad", inv.Problem, nil
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if len(refused) > 0 {
		kind = "bad"
		lines := []string{}
		for _, x := range refused[:min(len(refused), 5)] {
			lines = append(lines, fmt.Sprintf("%s: %s", x.Key, x.Why))
		}
		text = strings.TrimSpace(fmt.Sprintf("%s not changed. %s", wording.Counted(len(refused), "cell"), strings.Join(lines, " ")))
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(map[string]any{"kind": kind, "text": wording.IsolatedQuotes(text), "refused": refused}) // the browser may have gone
}

func (s *Server) setCells(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Title string
		Cells []runs.Cell
	}
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 16<<20)).Decode(&in); err != nil {
		s.said(w, r, "", nil, &invalid.Input{Field: "cells", Problem: "What was typed did not arrive whole; it is sent again."})
		return
	}
	refused, err := s.House.Runs.Set(r.Context(), number(r, "run"), in.Title, in.Cells, &user(r).ID)
	s.said(w, r, "", refused, err)
}

func (s *Server) stepRun(w http.ResponseWriter, r *http.Request) {
	do := s.House.Runs.Undo
	if chi.URLParam(r, "step") == "redo" {
		do = s.House.Runs.Redo
	}
	text, err := do(r.Context(), number(r, "run"), &user(r).ID)
	s.said(w, r, text, nil, err)
}

func (s *Server) bringList(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxListForm)
	var t *list.Table
	err := r.ParseMultipartForm(8 << 20)
	if err != nil && !errors.Is(err, http.ErrNotMultipart) {
		err = &invalid.Input{Field: "list", Problem: "The list is too large or did not arrive whole."}
	} else if t, err = listOf(r); err == nil && t == nil {
		err = invalid.Field("list", "There is no list in it.")
	}
	if err == nil {
		err = s.House.Runs.Bring(r.Context(), number(r, "run"), *t, &user(r).ID)
	}
	s.back(w, r, "", err)
}

// back answers a form of the sheet: scripts by what became of it, others by
// the page they came from.
func (s *Server) back(w http.ResponseWriter, r *http.Request, text string, err error) {
	if r.Header.Get("HX-Request") != "" {
		s.said(w, r, text, nil, err)
		return
	}
	to := fmt.Sprintf("/runs/%d", number(r, "run"))
	if p := localPath(r.PostFormValue("back")); p != "/" {
		to = p
	}
	var inv *invalid.Input
	if errors.As(err, &inv) {
		s.message(w, r, http.StatusUnprocessableEntity, "Not done", inv.Problem, to, "Back")
		return
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if text != "" {
		s.tell(r, text)
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// actOnRun does what a form of the sheet asks for.
func (s *Server) actOnRun(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<18)
	ctx, id, in, who := r.Context(), number(r, "run"), s.House.Runs, &user(r).ID
	if err := r.ParseForm(); err != nil {
		s.back(w, r, "", &invalid.Input{Field: "form", Problem: "The form could not be read."})
		return
	}
	order, _ := strconv.ParseInt(r.PostForm.Get("order"), 10, 64) // 0: none
	text := ""
	var err error
	switch chi.URLParam(r, "act") {
	case "agree", "agree-all":
		err = in.Agree(ctx, id, chi.URLParam(r, "act") == "agree-all", who)
		text = "The list is taken."
	case "refuse":
		err, text = in.Refuse(ctx, id), "The list is left; nothing was changed."
	case "roles":
		var roles []list.Role
		for i := 0; r.PostForm.Has(fmt.Sprint("role-", i)); i++ {
			roles = append(roles, list.Role(r.PostForm.Get(fmt.Sprint("role-", i))))
		}
		err, text = in.Roles(ctx, id, roles, who), "The columns are read so."
	case "folder":
		err = in.Answer(ctx, id, r.PostForm.Get("folder"), order, who)
	case "folders":
		err = in.AnswerAll(ctx, id, who)
	case "go":
		text, err = s.start(r, id, runs.Ask{Act: runs.Act(r.PostForm.Get("act"))})
	case "discs", "alldiscs":
		var f discForm
		if f, err = decode[discForm](r.PostForm); err != nil {
			break
		}
		how := f.disc(0).DiscSetting
		ask := runs.Ask{Act: runs.Disc, How: how}
		if chi.URLParam(r, "act") == "alldiscs" {
			ask.Act, ask.Made = runs.Together, r.PostForm.Get("finished") != ""
		}
		text, err = s.start(r, id, ask)
	case "all":
		var address string
		address, err = in.All(ctx, id)
		text = "One link for all films: " + address
	case "pause":
		err, text = in.Pause(ctx, id), "Paused: what is rendering goes on, what waits is kept."
	case "goon":
		err, text = in.GoOn(ctx, id), "Goes on."
	case "cancel":
		var n int
		var only []int64
		if only, err = formIDs(r, "rows"); err != nil {
			break
		}
		n, err = in.Cancel(ctx, id, only...)
		text = wording.Counted(n, "film") + " cancelled; drafts for clients go on."
	case "first":
		err, text = in.First(ctx, id, order), "This film is made next."
	case "give":
		err, text = in.Give(ctx, id), "All rows follow the pattern as it is now."
	case "see":
		err = in.SeeAs(ctx, id, order, who)
	case "names":
		err, text = in.SetNames(ctx, id, r.PostForm.Get("file_names")), "The films are named so."
	case "mail":
		err = in.SetMail(ctx, id, store.RunMail{Subject: r.PostForm.Get("subject"), Text: strings.ReplaceAll(r.PostForm.Get("text"), "\r\n", "\n")})
		text = "The mail is kept."
	case "try":
		err = s.tryMail(r, id, order)
		text = "Sent to " + user(r).Email + "."
	case "watch":
		err, text = in.WatchFolder(ctx, id, r.PostForm.Get("watches")), "Kept."
	case "archive", "restore":
		err = in.Archive(ctx, id, chi.URLParam(r, "act") == "archive")
		text = map[string]string{"archive": "The Run is archived.", "restore": "The Run is back."}[chi.URLParam(r, "act")]
	case "dismiss":
		err = in.Dismiss(ctx, id)
	case "stop":
		err, text = in.Stop(ctx, id, formInt(r, "which")), "Stopped; what was done stays."
	case "seen":
		err = in.SeenAct(ctx, id, formInt(r, "which"))
	}
	s.back(w, r, text, err)
}

// mostWait is how long a page waits for an act; longer ones go on by themselves.
const mostWait = 1500 * time.Millisecond

// start has an act done with the rows a form names, or all, and says what became of it; nothing
// of one that still goes on.
func (s *Server) start(r *http.Request, id int64, a runs.Ask) (string, error) {
	only, err := formIDs(r, "rows")
	if err != nil {
		return "", err
	}
	if a.Only = only; a.How.Kind == "" {
		a.How = runs.UsualDisc
	}
	act, err := s.House.Runs.Start(r.Context(), id, a, user(r))
	if err != nil {
		return "", err
	}
	if act, err = s.House.Runs.Await(r.Context(), act, mostWait); err != nil || act.State.Open() {
		return "", err // the page shows how far it is
	}
	return runs.Told(act), nil
}

// formIDs are the numbers a form names under a name; for rows, none is all.
func formIDs(r *http.Request, name string) (out []int64, err error) {
	for _, v := range r.PostForm[name] {
		id, err := strconv.ParseInt(v, 10, 64)
		if err != nil {
			return nil, invalid.Field(name, "%q is none of the %s.", v, name)
		}
		out = append(out, id)
	}
	return out, nil
}

// doing is an act of a Run that goes on, or ended while nobody looked.
type doing struct {
	ID   int64
	Text string
	Open bool
}

func (s *Server) doings(ctx context.Context, run int64) (out []doing, err error) {
	acts, err := s.House.Runs.Acts(ctx, run)
	for _, a := range acts {
		out = append(out, doing{a.ID, runs.Told(a), a.State.Open()})
	}
	return out, err
}

// runActs answers with what goes on with a Run's rows.
func (s *Server) runActs(w http.ResponseWriter, r *http.Request) {
	id := number(r, "run")
	acts, err := s.doings(r.Context(), id)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, http.StatusOK, "runacts", struct {
		ID     int64
		Doings []doing
		Poll   bool
	}{id, acts, true})
}

func (s *Server) tryMail(r *http.Request, id, order int64) error {
	sh, err := s.House.Runs.Sheet(r.Context(), id)
	if err != nil {
		return err
	}
	for _, row := range sh.Rows {
		if row.ID == order || order == 0 {
			return s.House.Runs.TryMail(r.Context(), sh.Run, row, user(r).Email)
		}
	}
	return invalid.Field("order", "There is no row to write of.")
}

// runImpact says what giving the pattern's changes to the rows touches.
func (s *Server) runImpact(w http.ResponseWriter, r *http.Request) {
	run, err := s.House.Runs.Load(r.Context(), number(r, "run"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	i, err := s.House.Runs.Impact(r.Context(), run)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	text := fmt.Sprintf("It touches %s, %d of them made already", wording.Counted(i.Rows, "film"), i.Films)
	switch {
	case i.Films == 0:
		text = fmt.Sprintf("It touches %s, none of them made yet", wording.Counted(i.Rows, "film"))
	case i.Minutes < 1:
		text += fmt.Sprintf(": %d frames to make anew, under a minute", i.Frames)
	default:
		text += fmt.Sprintf(": %d frames to make anew, about %.0f min", i.Frames, i.Minutes)
	}
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	_, _ = io.WriteString(w, text+".") // the browser may have gone
}

// runEstimate says what rendering all films is, with what they share and what is made already.
func (s *Server) runEstimate(w http.ResponseWriter, r *http.Request) {
	sh := s.sheetOf(w, r)
	if sh == nil {
		return
	}
	p, err := s.House.Runs.Reckon(r.Context(), sh, runs.Render)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	_, _ = io.WriteString(w, p.InWords()) // the browser may have gone
}

// proofView is a moment of each row, to be looked at side by side.
type proofView struct {
	base
	*runs.Sheet
	Leaves     []leafLink
	Of         string
	Slide      int
	Rows       []proofRow
	NamesLabel string
}

type proofRow struct {
	ID        int64
	Key, Name string
	Names     string
	Need      string
	Moments   []string // addresses of pictures
	Empty     bool
}

// strip are the moments of a strip, as shares of the film.
var strip = []string{"0.12", "0.38", "0.63", "0.9"}

// momentsOf are the moments a sheet of proofs shows of each row.
func momentsOf(r *http.Request) (of string, slide int, moments []string) {
	of, slide = r.URL.Query().Get("of"), int(queryInt(r, "slide", 2))
	switch of {
	case "closing":
		return of, slide, []string{"closing"}
	case "slide":
		return of, slide, []string{fmt.Sprint("slide-", slide)}
	case "strip":
		return of, slide, strip
	}
	return "opening", slide, []string{"opening"}
}

func (s *Server) proofreadPage(w http.ResponseWriter, r *http.Request) {
	sh := s.sheetOf(w, r)
	if sh == nil {
		return
	}
	b, err := s.base(r, "Names to proofread · "+sh.Name)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v := proofView{base: b, Sheet: sh, Leaves: leavesOf(sh, "proofread"), NamesLabel: runs.Called(list.DetailRole("names"), sh.Pattern)}
	var moments []string
	v.Of, v.Slide, moments = momentsOf(r)
	st, err := s.House.Shelf.Studio(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	standing := s.House.Looking.Standing(st)
	for _, row := range sh.Rows {
		x := proofRow{ID: row.ID, Key: row.RunKey, Name: row.Client, Names: row.Details["names"], Need: row.Needs[list.DetailRole("names")], Empty: row.PictureSeconds == 0}
		for _, m := range moments {
			x.Moments = append(x.Moments, fmt.Sprintf("/orders/%d/moment?at=%s&revision=%d&w=640&s=%s", row.ID, m, row.Head, standing))
		}
		v.Rows = append(v.Rows, x)
	}
	s.render(w, r, http.StatusOK, "proofread", v)
}

// orderMoment is a moment of a film by what it is, not by its frame: opening,
// closing, slide-N or a share of its length.
func (s *Server) orderMoment(w http.ResponseWriter, r *http.Request) {
	id := number(r, "order")
	b, err := s.moment(r, id, int(queryInt(r, "revision", 0)), r.URL.Query().Get("at"), int(min(1280, max(160, queryInt(r, "w", 640)))))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, max-age=31536000, immutable") // the address names the revision, and what stands behind it
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(b))
}

func (s *Server) moment(r *http.Request, id int64, revision int, at string, width int) ([]byte, error) {
	d, err := s.House.Orders.LoadAt(r.Context(), id, revision)
	if err != nil {
		return nil, err
	}
	return s.House.Looking.Frame(r.Context(), orders.Seen{Order: id}, revision, frameAt(d, at), width)
}

// frameAt is the frame of a moment.
func frameAt(d *orders.Dossier, at string) timecode.Frames {
	if len(d.Plan.Slides) == 0 {
		return 0
	}
	i := 0
	if n, err := strconv.Atoi(strings.TrimPrefix(at, "slide-")); err == nil && strings.HasPrefix(at, "slide-") {
		i = min(max(0, n-1), len(d.Plan.Slides)-1)
	} else if share, err := strconv.ParseFloat(at, 64); err == nil && share >= 0 && share <= 1 {
		return timecode.Frames(share * float64(d.Plan.Frames-1))
	} else if at == string(doc.Closing) {
		i = len(d.Plan.Slides) - 1
	}
	sl := d.Plan.Slides[i]
	if at == string(doc.Closing) {
		return sl.Start + sl.Length*2/3
	}
	return sl.Start + (sl.Length-sl.Overlap)*2/3
}

// proofreadPDF is the sheet of proofs on paper, for someone else's eyes.
func (s *Server) proofreadPDF(w http.ResponseWriter, r *http.Request) {
	sh := s.sheetOf(w, r)
	if sh == nil {
		return
	}
	of, slide, moments := momentsOf(r)
	var proofs []paper.Proof
	for _, row := range sh.Rows {
		if row.PictureSeconds == 0 {
			continue
		}
		for i, m := range moments {
			b, err := s.moment(r, row.ID, row.Head, m, 640)
			if err != nil {
				s.fail(w, r, err)
				return
			}
			p := paper.Proof{Key: row.RunKey, Name: row.Client, JPEG: b, Note: row.Needs[list.DetailRole("names")]}
			if i > 0 {
				p.Key, p.Name, p.Note = "", "", ""
			}
			proofs = append(proofs, p)
		}
	}
	across := 3
	if of == "strip" {
		across = len(strip)
	}
	title := map[string]string{"opening": "openings", "closing": "closings", "slide": fmt.Sprintf("slide %d", slide), "strip": "four moments each"}[of]
	var b bytes.Buffer
	if err := paper.Proofs(&b, sh.Name+": "+title+", "+s.House.Orders.Now().Format("2 January 2006"), across, proofs); err != nil {
		s.message(w, r, http.StatusUnprocessableEntity, "Not printed", "There is nothing to proofread yet: no row has pictures.", fmt.Sprintf("/runs/%d", sh.ID), "Back to the sheet")
		return
	}
	download(w, "application/pdf", sh.Name+" - "+title+".pdf")
	_, _ = w.Write(b.Bytes())
}

// download heads a file to be kept under a name.
func download(w http.ResponseWriter, kind, name string) {
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
}

func (s *Server) runFilms(w http.ResponseWriter, r *http.Request) {
	sh := s.sheetOf(w, r)
	if sh == nil {
		return
	}
	if sh.Finished() == 0 {
		s.message(w, r, http.StatusUnprocessableEntity, "No films yet", "No film of this Run is made as it is now.", fmt.Sprintf("/runs/%d", sh.ID), "Back to the sheet")
		return
	}
	download(w, "application/zip", sh.Name+".zip")
	if err := s.House.Runs.Films(r.Context(), sh, w); err != nil {
		panic(http.ErrAbortHandler) // the browser must see that the file is not whole
	}
}

func (s *Server) runPattern(w http.ResponseWriter, r *http.Request) {
	run, err := s.House.Runs.Load(r.Context(), number(r, "run"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	download(w, "application/zip", run.Name+" pattern.zip")
	if err := s.House.Runs.PatternZip(r.Context(), run, w); err != nil {
		panic(http.ErrAbortHandler)
	}
}

func (s *Server) runLinks(w http.ResponseWriter, r *http.Request) {
	sh := s.sheetOf(w, r)
	if sh == nil {
		return
	}
	download(w, "text/csv; charset=utf-8", sh.Name+" links.csv")
	if err := s.House.Runs.Links(sh, w); err != nil {
		panic(http.ErrAbortHandler)
	}
}

func (s *Server) runCards(w http.ResponseWriter, r *http.Request) {
	sh := s.sheetOf(w, r)
	if sh == nil {
		return
	}
	s.print(w, r, sh.Name+" cards.pdf", fmt.Sprintf("/runs/%d/out", sh.ID), func(b io.Writer) error { return s.House.Runs.Cards(r.Context(), sh, b) })
}

func (s *Server) runFaces(w http.ResponseWriter, r *http.Request) {
	sh := s.sheetOf(w, r)
	if sh == nil {
		return
	}
	s.print(w, r, sh.Name+" disc faces.pdf", fmt.Sprintf("/runs/%d/out", sh.ID), func(b io.Writer) error {
		ids, err := s.House.Runs.Faces(r.Context(), sh)
		if err != nil {
			return err
		}
		return s.House.Pressing.Faces(r.Context(), ids, b)
	})
}

// outView is what goes out of a Run, and what went where.
type outView struct {
	base
	*runs.Sheet
	Leaves                             []leafLink
	Lines                              []outLine
	Fields                             string
	Subject, Text                      string // of the mail, as kept
	TrySubject                         string
	TryBody                            string
	TryOf                              string
	TryID                              int64
	Links, Mails, Proofs, Discs, Burns plannedView
	Choices                            []discChoice
	Standards                          []string
	Watched                            string
	MayWatch                           bool
	Doings                             []doing
	Poll                               bool   // its acts are asked for again by themselves
	Together                           string // how much work all films on discs are
}

// plannedView is an act for all rows, as a key with what it would do.
type plannedView struct {
	Words, Left string // what is done, and what is left out
	Lasts       string // how long; empty: under a minute
	Rows        int
}

// handOut fills in what each act for all rows would do.
func (s *Server) handOut(r *http.Request, v *outView) error {
	for act, view := range map[runs.Act]*plannedView{runs.Link: &v.Links, runs.Mail: &v.Mails, runs.Proof: &v.Proofs, runs.Disc: &v.Discs, runs.Burn: &v.Burns} {
		p, err := s.House.Runs.Plan(r.Context(), v.Sheet, act)
		if err != nil {
			return err
		}
		*view = plannedView{p.InWords(), p.WhyLeftOut(), p.Lasts(), len(p.Rows)}
	}
	var longest float64
	for _, row := range v.Rows {
		longest = max(longest, row.PictureSeconds)
	}
	v.Choices, v.Standards = discChoices([]float64{longest}), standards()
	return nil
}

type outLine struct {
	ID                    int64
	Key, Name, File, Film string
	Link, Mail, Seen      string
	Said, Need            string // what the client said, what is needed first
	Made                  bool
}

func (s *Server) outPage(w http.ResponseWriter, r *http.Request) {
	sh := s.sheetOf(w, r)
	if sh == nil {
		return
	}
	b, err := s.base(r, "Out · "+sh.Name)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v := outView{base: b, Sheet: sh, Leaves: leavesOf(sh, "out"), Fields: "{" + strings.Join(sh.FieldNames(), "}, {") + "}, {counter}", Watched: sh.Watches, MayWatch: s.House.Runs.Watch != ""}
	names := sh.Names()
	now := s.House.Orders.Now()
	for i, row := range sh.Rows {
		l := outLine{ID: row.ID, Key: row.RunKey, Name: row.Client, File: names[i], Film: row.FilmText(now), Made: row.Current() && row.Render.State == store.RenderDone, Said: row.Said.Text()}
		_, l.Need = sh.Exception(row)
		if row.Link != nil {
			l.Link, l.Seen = "until "+row.Link.ExpiresAt.Format("2 Jan 2006"), views(row.Link.Link)
			if row.Link.MailedTo != "" {
				l.Mail = mailState(row.Link.Link)
			}
		}
		v.Lines = append(v.Lines, l)
	}
	if v.Doings, err = s.doings(r.Context(), sh.ID); err != nil {
		s.fail(w, r, err)
		return
	}
	v.Poll = true
	if v.Together, err = s.House.Runs.TogetherText(r.Context(), sh); err != nil {
		s.fail(w, r, err)
		return
	}
	if sh.Mail != nil {
		v.Subject, v.Text = sh.Mail.Subject, sh.Mail.Text
	}
	try := queryInt(r, "as", 0)
	for _, row := range sh.Rows {
		if row.ID == try || try == 0 {
			v.TrySubject, v.TryBody = s.House.Runs.Mail(sh.Run, row)
			v.TryOf, v.TryID = row.Client, row.ID
			break
		}
	}
	if err := s.handOut(r, &v); err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, http.StatusOK, "runout", v)
}

// givePart gives parts of a row back to its pattern.
func (s *Server) givePart(w http.ResponseWriter, r *http.Request) {
	wk, err := s.House.Orders.See(r.Context(), seen(r))
	if err == nil {
		err = s.House.Runs.Back(r.Context(), wk.Order, []string{r.PostFormValue("part")}, &user(r).ID)
	}
	s.answer(w, r, err, nil)
}
