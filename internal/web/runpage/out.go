package runpage

import (
	"fmt"
	"io"
	"net/http"
	"strings"

	"nelko/internal/runs"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

func (o *out) runFilms(w http.ResponseWriter, r *http.Request) {
	sh := o.sheetOf(w, r)
	if sh == nil {
		return
	}
	if sh.Finished() == 0 {
		o.Message(w, r, http.StatusUnprocessableEntity, "No films yet",
			"No film of this Run is made as it is now.", fmt.Sprintf("/runs/%d", sh.ID), "Back to the sheet")
		return
	}
	page.Download(w, "application/zip", sh.Name+".zip")
	if err := o.Runs.Out.Films(r.Context(), sh, w); err != nil {
		panic(http.ErrAbortHandler) // the browser must see that the file is not whole
	}
}

func (o *out) runPattern(w http.ResponseWriter, r *http.Request) {
	run, err := o.Runs.Load(r.Context(), page.Number(r, "run"))
	if err != nil {
		o.Fail(w, r, err)
		return
	}
	page.Download(w, "application/zip", run.Name+" pattern.zip")
	if err := o.Runs.Patterns.PatternZip(r.Context(), run, w); err != nil {
		panic(http.ErrAbortHandler)
	}
}

func (o *out) runLinks(w http.ResponseWriter, r *http.Request) {
	sh := o.sheetOf(w, r)
	if sh == nil {
		return
	}
	page.Download(w, "text/csv; charset=utf-8", sh.Name+" links.csv")
	if err := o.Runs.Out.Links(sh, w); err != nil {
		panic(http.ErrAbortHandler)
	}
}

func (o *out) runCards(w http.ResponseWriter, r *http.Request) {
	sh := o.sheetOf(w, r)
	if sh == nil {
		return
	}
	o.SendPDF(w, r, sh.Name+" cards.pdf", fmt.Sprintf("/runs/%d/out", sh.ID), func(b io.Writer) error {
		return o.Runs.Out.Cards(r.Context(), sh, b)
	})
}

func (o *out) runFaces(w http.ResponseWriter, r *http.Request) {
	sh := o.sheetOf(w, r)
	if sh == nil {
		return
	}
	o.SendPDF(w, r, sh.Name+" disc faces.pdf", fmt.Sprintf("/runs/%d/out", sh.ID), func(b io.Writer) error {
		ids, err := o.Runs.Out.Faces(r.Context(), sh)
		if err != nil {
			return err
		}
		return o.Pressing.Prints.Faces(r.Context(), ids, b)
	})
}

// outView is what goes out of a Run, and what went where.
type outView struct {
	page.Base
	*runs.Sheet
	Leaves                             []parts.LeafLink
	Lines                              []outLine
	Fields                             string
	Subject, Text                      string // of the mail, as kept
	TrySubject                         string
	TryBody                            string
	TryOf                              string
	TryID                              int64
	Links, Mails, Proofs, Discs, Burns plannedView
	Choices                            []parts.DiscChoice
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
func (o *out) handOut(r *http.Request, v *outView) error {
	for act, view := range map[runs.Act]*plannedView{
		runs.Link:  &v.Links,
		runs.Mail:  &v.Mails,
		runs.Proof: &v.Proofs,
		runs.Disc:  &v.Discs,
		runs.Burn:  &v.Burns,
	} {
		p, err := o.Runs.Work.Plan(r.Context(), v.Sheet, act)
		if err != nil {
			return err
		}
		*view = plannedView{p.InWords(), p.WhyLeftOut(), p.Lasts(), len(p.Rows)}
	}
	var longest float64
	for _, row := range v.Rows {
		longest = max(longest, row.PictureSeconds)
	}
	v.Choices, v.Standards = parts.DiscChoices([]float64{longest}), parts.Standards()
	return nil
}

type outLine struct {
	ID                    int64
	Key, Name, File, Film string
	Link, Mail, Seen      string
	Said, Need            string // what the client said, what is needed first
	Made                  bool
}

func (o *out) outPage(w http.ResponseWriter, r *http.Request) {
	sh := o.sheetOf(w, r)
	if sh == nil {
		return
	}
	b, err := o.Base(r, "Out · "+sh.Name)
	if err != nil {
		o.Fail(w, r, err)
		return
	}
	v := outView{
		Base:     b,
		Sheet:    sh,
		Leaves:   leavesOf(sh, "out"),
		Fields:   "{" + strings.Join(sh.FieldNames(), "}, {") + "}, {counter}",
		Watched:  sh.Watches,
		MayWatch: o.Runs.Watch != "",
	}
	names := sh.Names()
	now := o.Orders.Now()
	for i, row := range sh.Rows {
		l := outLine{
			ID:   row.ID,
			Key:  row.RunKey,
			Name: row.Client,
			File: names[i],
			Film: row.FilmText(now),
			Made: row.Current() && row.Render.State == store.RenderDone,
			Said: row.Said.Text(),
		}
		_, l.Need = sh.Exception(row)
		if row.Link != nil {
			l.Link, l.Seen = "until "+row.Link.ExpiresAt.Format("2 Jan 2006"), parts.Views(row.Link.Link)
			if row.Link.MailedTo != "" {
				l.Mail = parts.MailState(row.Link.Link)
			}
		}
		v.Lines = append(v.Lines, l)
	}
	if v.Doings, err = o.doings(r.Context(), sh.ID); err != nil {
		o.Fail(w, r, err)
		return
	}
	v.Poll = true
	if v.Together, err = o.Runs.Out.TogetherText(r.Context(), sh); err != nil {
		o.Fail(w, r, err)
		return
	}
	if sh.Mail != nil {
		v.Subject, v.Text = sh.Mail.Subject, sh.Mail.Text
	}
	try := page.QueryInt(r, "as", 0)
	for _, row := range sh.Rows {
		if row.ID == try || try == 0 {
			v.TrySubject, v.TryBody = o.Runs.Out.Mail(sh.Run, row)
			v.TryOf, v.TryID = row.Client, row.ID
			break
		}
	}
	if err := o.handOut(r, &v); err != nil {
		o.Fail(w, r, err)
		return
	}
	o.Render(w, r, http.StatusOK, "runout", v)
}
