package runpage

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/list"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/runs"
	"nelko/internal/store"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

func (g *sheets) runsPage(w http.ResponseWriter, r *http.Request) {
	b, err := g.Base(r, "Runs")
	if err != nil {
		g.Fail(w, r, err)
		return
	}
	archived := r.URL.Query().Get("which") == "archived"
	lines, err := g.Runs.Sheets.Lines(r.Context(), archived)
	if err != nil {
		g.Fail(w, r, err)
		return
	}
	g.Render(w, r, http.StatusOK, "runs", struct {
		page.Base
		Lines    []parts.RunsLine
		Archived bool
	}{b, parts.RunLines(lines), archived})
}

// sheetOf reads the sheet a request is about; it answers itself when it
// cannot.
func (s *shared) sheetOf(w http.ResponseWriter, r *http.Request) *runs.Sheet {
	sh, err := s.Runs.Sheets.Sheet(r.Context(), page.Number(r, "run"))
	if err != nil {
		s.Fail(w, r, err)
		return nil
	}
	return sh
}

func (g *sheets) runPage(w http.ResponseWriter, r *http.Request) {
	sh := g.sheetOf(w, r)
	if sh == nil {
		return
	}
	v, err := g.runView(r.Context(), sh, r.URL.Query().Get("only") != "")
	if err == nil {
		v.Base, err = g.Base(r, sh.Name)
	}
	if err == nil {
		err = g.drawRun(v)
	}
	if err != nil {
		g.Fail(w, r, err)
		return
	}
	g.Render(w, r, http.StatusOK, "run", v)
}

// runLive answers with the parts of the sheet that changed since they were
// drawn.
func (g *sheets) runLive(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 4<<20)
	sh := g.sheetOf(w, r)
	if sh == nil {
		return
	}
	v, err := g.runView(r.Context(), sh, false)
	if err == nil {
		err = g.drawRun(v)
	}
	if err != nil {
		g.Fail(w, r, err)
		return
	}
	b := v.since(r.PostFormValue("seen"))
	if len(b) == 0 {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	page.SendParts(w, http.StatusOK, v.Seen, b)
}

// said answers a script with what became of an act.
func (s *shared) said(w http.ResponseWriter, r *http.Request, text string, refused []runs.Refused,
	err error) {
	kind := "good"
	var inv *invalid.Input
	if errors.As(err, &inv) {
		kind, text, err = "bad", inv.Problem, nil
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if len(refused) > 0 {
		kind = "bad"
		lines := []string{}
		for _, x := range refused[:min(len(refused), 5)] {
			lines = append(lines, fmt.Sprintf("%s: %s", x.Key, x.Why))
		}
		text = strings.TrimSpace(fmt.Sprintf("%s not changed. %s", wording.Counted(len(refused), "cell"),
			strings.Join(lines, " ")))
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	// the browser may have gone
	_ = json.NewEncoder(w).Encode(map[string]any{
		"kind":    kind,
		"text":    wording.IsolatedQuotes(text),
		"refused": refused,
	})
}

func (g *sheets) setCells(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Title string
		Cells []runs.Cell
	}
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 16<<20)).Decode(&in); err != nil {
		g.said(w, r, "", nil, &invalid.Input{
			Field:   "cells",
			Problem: "What was typed did not arrive whole; it is sent again.",
		})
		return
	}
	refused, err := g.Runs.Cells.Set(r.Context(), page.Number(r, "run"), in.Title, in.Cells, &page.User(r).ID)
	g.said(w, r, "", refused, err)
}

func (g *sheets) stepRun(w http.ResponseWriter, r *http.Request) {
	do := g.Runs.Cells.Undo
	if chi.URLParam(r, "step") == "redo" {
		do = g.Runs.Cells.Redo
	}
	text, err := do(r.Context(), page.Number(r, "run"), &page.User(r).ID)
	g.said(w, r, text, nil, err)
}

func (g *sheets) bringList(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxListForm)
	var t *list.Table
	err := r.ParseMultipartForm(8 << 20)
	if err != nil && !errors.Is(err, http.ErrNotMultipart) {
		err = &invalid.Input{Field: "list", Problem: "The list is too large or did not arrive whole."}
	} else if t, err = listOf(r); err == nil && t == nil {
		err = invalid.Field("list", "There is no list in it.")
	}
	if err == nil {
		err = g.Runs.Lists.Bring(r.Context(), page.Number(r, "run"), *t, &page.User(r).ID)
	}
	g.back(w, r, "", err)
}

// back answers a form of the sheet: scripts by what became of it, others by
// the page they came from.
func (s *shared) back(w http.ResponseWriter, r *http.Request, text string, err error) {
	if r.Header.Get("HX-Request") != "" {
		s.said(w, r, text, nil, err)
		return
	}
	to := fmt.Sprintf("/runs/%d", page.Number(r, "run"))
	if p := page.LocalPath(r.PostFormValue("back")); p != "/" {
		to = p
	}
	var inv *invalid.Input
	if errors.As(err, &inv) {
		s.Message(w, r, http.StatusUnprocessableEntity, "Not done", inv.Problem, to, "Back")
		return
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if text != "" {
		s.Tell(r, text)
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// actOnRun does what a form of the sheet asks for.
func (o *out) actOnRun(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<18)
	ctx, id, in, who := r.Context(), page.Number(r, "run"), o.Runs, &page.User(r).ID
	if err := r.ParseForm(); err != nil {
		o.back(w, r, "", &invalid.Input{Field: "form", Problem: "The form could not be read."})
		return
	}
	order, _ := strconv.ParseInt(r.PostForm.Get("order"), 10, 64) // 0: none
	text := ""
	var err error
	switch chi.URLParam(r, "act") {
	case "agree", "agree-all":
		err = in.Lists.Agree(ctx, id, chi.URLParam(r, "act") == "agree-all", who)
		text = "The list is taken."
	case "refuse":
		err, text = in.Lists.Refuse(ctx, id), "The list is left; nothing was changed."
	case "roles":
		var roles []list.Role
		for i := 0; r.PostForm.Has(fmt.Sprint("role-", i)); i++ {
			roles = append(roles, list.Role(r.PostForm.Get(fmt.Sprint("role-", i))))
		}
		err, text = in.Lists.Roles(ctx, id, roles, who), "The columns are read so."
	case "folder":
		err = in.Folders.Answer(ctx, id, r.PostForm.Get("folder"), order, who)
	case "folders":
		err = in.Folders.AnswerAll(ctx, id, who)
	case "go":
		text, err = o.start(r, id, runs.Ask{Act: runs.Act(r.PostForm.Get("act"))})
	case "discs", "alldiscs":
		var f parts.DiscForm
		if f, err = field.Decode[parts.DiscForm](r.PostForm); err != nil {
			break
		}
		how := f.Disc(0).DiscSetting
		ask := runs.Ask{Act: runs.Disc, How: how}
		if chi.URLParam(r, "act") == "alldiscs" {
			ask.Act, ask.Made = runs.Together, r.PostForm.Get("finished") != ""
		}
		text, err = o.start(r, id, ask)
	case "all":
		var address string
		address, err = in.Out.LinkTogether(ctx, id)
		text = "One link for all films: " + address
	case "pause":
		err, text = in.Work.Pause(ctx, id), "Paused: what is rendering goes on, what waits is kept."
	case "goon":
		err, text = in.Work.GoOn(ctx, id), "Goes on."
	case "cancel":
		var n int
		var only []int64
		if only, err = page.FormIDs(r, "rows"); err != nil {
			break
		}
		n, err = in.Work.Cancel(ctx, id, only...)
		text = wording.Counted(n, "film") + " cancelled; drafts for clients go on."
	case "first":
		err, text = in.Work.MoveFirst(ctx, id, order), "This film is made next."
	case "give":
		err, text = in.Patterns.Give(ctx, id), "All rows follow the pattern as it is now."
	case "see":
		err = in.Patterns.SeeAs(ctx, id, order, who)
	case "names":
		err, text = in.Out.SetNames(ctx, id, r.PostForm.Get("file_names")), "The films are named so."
	case "mail":
		err = in.Out.SetMail(ctx, id, store.RunMail{
			Subject: r.PostForm.Get("subject"),
			Text:    strings.ReplaceAll(r.PostForm.Get("text"), "\r\n", "\n"),
		})
		text = "The mail is kept."
	case "try":
		err = o.tryMail(r, id, order)
		text = "Sent to " + page.User(r).Email + "."
	case "watch":
		err, text = in.Material.WatchFolder(ctx, id, r.PostForm.Get("watches")), "Kept."
	case "archive", "restore":
		err = in.Archive(ctx, id, chi.URLParam(r, "act") == "archive")
		text = map[string]string{
			"archive": "The Run is archived.",
			"restore": "The Run is back.",
		}[chi.URLParam(r, "act")]
	case "dismiss":
		err = in.Material.Dismiss(ctx, id)
	case "stop":
		err, text = in.Acts.Stop(ctx, id, page.FormInt(r, "which")), "Stopped; what was done stays."
	case "seen":
		err = in.Acts.SeenAct(ctx, id, page.FormInt(r, "which"))
	}
	o.back(w, r, text, err)
}

// mostWait is how long a page waits for an act; longer ones go on by themselves.
const mostWait = 1500 * time.Millisecond

// start has an act done with the rows a form names, or all, and says what became of it; nothing
// of one that still goes on.
func (s *shared) start(r *http.Request, id int64, a runs.Ask) (string, error) {
	only, err := page.FormIDs(r, "rows")
	if err != nil {
		return "", err
	}
	if a.Only = only; a.How.Kind == "" {
		a.How = runs.UsualDisc
	}
	act, err := s.Runs.Acts.Start(r.Context(), id, a, page.User(r))
	if err != nil {
		return "", err
	}
	if act, err = s.Runs.Acts.Await(r.Context(), act, mostWait); err != nil || act.State.Open() {
		return "", err // the page shows how far it is
	}
	return runs.Told(act), nil
}

// doing is an act of a Run that goes on, or ended while nobody looked.
type doing struct {
	ID   int64
	Text string
	Open bool
}

func (s *shared) doings(ctx context.Context, run int64) (out []doing, err error) {
	acts, err := s.Runs.Acts.Acts(ctx, run)
	for _, a := range acts {
		out = append(out, doing{a.ID, runs.Told(a), a.State.Open()})
	}
	return out, err
}

// runActs answers with what goes on with a Run's rows.
func (o *out) runActs(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "run")
	acts, err := o.doings(r.Context(), id)
	if err != nil {
		o.Fail(w, r, err)
		return
	}
	o.Render(w, r, http.StatusOK, "runacts", struct {
		ID     int64
		Doings []doing
		Poll   bool
	}{id, acts, true})
}

func (o *out) tryMail(r *http.Request, id, order int64) error {
	sh, err := o.Runs.Sheets.Sheet(r.Context(), id)
	if err != nil {
		return err
	}
	for _, row := range sh.Rows {
		if row.ID == order || order == 0 {
			return o.Runs.Out.TryMail(r.Context(), sh.Run, row, page.User(r).Email)
		}
	}
	return invalid.Field("order", "There is no row to write of.")
}

// runImpact says what giving the pattern's changes to the rows touches.
func (g *sheets) runImpact(w http.ResponseWriter, r *http.Request) {
	run, err := g.Runs.Load(r.Context(), page.Number(r, "run"))
	if err != nil {
		g.Fail(w, r, err)
		return
	}
	i, err := g.Runs.Patterns.Impact(r.Context(), run)
	if err != nil {
		g.Fail(w, r, err)
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
func (g *sheets) runEstimate(w http.ResponseWriter, r *http.Request) {
	sh := g.sheetOf(w, r)
	if sh == nil {
		return
	}
	p, err := g.Runs.Work.Reckon(r.Context(), sh, runs.Render)
	if err != nil {
		g.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	_, _ = io.WriteString(w, p.InWords()) // the browser may have gone
}
