package runs

import (
	"archive/zip"
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"

	"gorm.io/gorm"

	"nelko/internal/core/list"
	"nelko/internal/core/naming"
	"nelko/internal/delivery"
	"nelko/internal/invalid"
	"nelko/internal/making"
	"nelko/internal/paper"
	"nelko/internal/store"
	"nelko/internal/zipentry"
)

// FieldNames are the fields that names of files and mails may have of a row.
func (r *Run) FieldNames() []string {
	out := []string{"key", "client", "event", "due"}
	for _, d := range r.Pattern.Theme.Details {
		if !slices.Contains(out, d.Key) {
			out = append(out, d.Key)
		}
	}
	if r.List != nil {
		for i, role := range r.List.Roles {
			if role == list.Unused && !strings.ContainsAny(r.List.Headings[i], "{}") &&
				!slices.Contains(out, r.List.Headings[i]) {
				out = append(out, r.List.Headings[i])
			}
		}
	}
	return out
}

// Fields are a row's values by field; empty where its cell is.
func (r *Run) Fields(x Row) map[string]string {
	out := map[string]string{}
	for _, f := range r.FieldNames() {
		out[f] = ""
	}
	for k, v := range x.RunCells {
		out[k] = v
	}
	for k, v := range x.Details {
		out[k] = v
	}
	out["key"], out["client"], out["event"], out["due"] = x.RunKey, x.Client, x.Event,
		x.Due.Format("2 January 2006")
	return out
}

// fill puts a row's values into a text. What is no field stays as it is.
func fill(text string, fields map[string]string) string {
	for k, v := range fields {
		text = strings.ReplaceAll(text, "{"+k+"}", v)
	}
	return text
}

// FileName gives the pattern of the films' names.
func (r *Run) FileName() string {
	if r.FileNames == "" {
		return naming.Usual
	}
	return r.FileNames
}

// Names are the films' names, one a row, in the rows' order.
func (s *Sheet) Names() []string {
	fields := make([]map[string]string, len(s.Rows))
	ending := making.Extension(store.Render{}) // of the usual profile
	for i, r := range s.Rows {
		fields[i] = s.Fields(r)
		if r.Render != nil {
			ending = making.Extension(*r.Render)
		}
	}
	return naming.Names(s.FileName(), fields, ending)
}

// SetNames sets the pattern of the films' names.
func (o *Out) SetNames(ctx context.Context, id int64, pattern string) error {
	run, err := o.Load(ctx, id)
	if err != nil {
		return err
	}
	pattern = strings.TrimSpace(pattern)
	if pattern != "" {
		if err := naming.Check(pattern, run.FieldNames()); err != nil {
			return invalid.Field("file_names", "The names of files: %v.", err)
		}
	}
	return o.Store.Tx(ctx, func(tx *gorm.DB) error {
		return change(tx, id, map[string]any{"file_names": pattern})
	})
}

// SetMail sets what clients of the Run are written; both empty: the usual.
func (o *Out) SetMail(ctx context.Context, id int64, m store.RunMail) error {
	run, err := o.Load(ctx, id)
	if err != nil {
		return err
	}
	if len(m.Subject) > 300 || len(m.Text) > 20_000 {
		return invalid.Field("mail", "The mail is too long.")
	}
	for _, f := range naming.Fields(m.Subject + m.Text) {
		if f != "link" && !slices.Contains(run.FieldNames(), f) {
			return invalid.Field("mail", "The mail has no field {%s}; there are {link}, {%s}.", f,
				strings.Join(run.FieldNames(), "}, {"))
		}
	}
	var keep *store.RunMail
	if strings.TrimSpace(m.Subject+m.Text) != "" {
		keep = &m
	}
	return o.Store.Tx(ctx, func(tx *gorm.DB) error { return change(tx, id, map[string]any{"mail": keep}) })
}

// Mail is the mail a row's client would be sent.
func (o *Out) Mail(run *Run, r Row) (subject, body string) {
	l := store.Link{ExpiresAt: o.Now().AddDate(0, 0, linkDays)}
	if run.Mail != nil {
		l.MailSubject, l.MailText = fill(run.Mail.Subject, run.Fields(r)), fill(run.Mail.Text, run.Fields(r))
	}
	return delivery.Message(l, titleOf(run, r), o.Delivery.Address("…"), run.Pattern.Settings.Name)
}

// TryMail sends a row's mail to an address of the studio's, to see it.
func (o *Out) TryMail(ctx context.Context, run *Run, r Row, to string) error {
	subject, body := o.Mail(run, r)
	return o.Delivery.Post.TryMail(ctx, to, subject, body)
}

// Films writes all films of a Run that are made as they are now, into a zip,
// named by the Run's pattern. They are stored, not compressed again.
func (o *Out) Films(ctx context.Context, s *Sheet, w io.Writer) error {
	z := zip.NewWriter(w)
	for i, name := range s.Names() {
		r := s.Rows[i]
		if !r.Current() || r.Render.State != store.RenderDone || r.Render.SHA256 == nil {
			continue
		}
		f, err := z.CreateHeader(zipentry.New(name, zip.Store, *r.Render.FinishedAt))
		if err != nil {
			return err
		}
		if err := o.copy(ctx, f, *r.Render.SHA256); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
	}
	return z.Close()
}

func (o *Out) copy(ctx context.Context, w io.Writer, sha string) error {
	f, err := o.Blobs.Open(ctx, sha)
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = io.Copy(w, f)
	return err
}

// Finished counts the rows whose film is made as it is now.
func (s *Sheet) Finished() int { return len(s.finished()) }

// Linked counts the rows that have a link to hand over.
func (s *Sheet) Linked() (n int) {
	for _, r := range s.Rows {
		if r.Link != nil && r.Link.KeptToken != "" {
			n++
		}
	}
	return n
}

// Links writes a CSV of names, addresses and links, for the studio's own
// mailing: UTF-8 with its mark, which spreadsheets know it by.
func (o *Out) Links(s *Sheet, w io.Writer) error {
	if _, err := io.WriteString(w, "\ufeff"); err != nil {
		return err
	}
	c := csv.NewWriter(w)
	c.UseCRLF = true
	head := []string{"Key", "Client", "E-mail", "Names", "Link", "Open until", "Watched"}
	if err := c.Write(head); err != nil {
		return err
	}
	for _, r := range s.Rows {
		if r.Link == nil || r.Link.KeptToken == "" {
			continue
		}
		row := []string{r.RunKey, r.Client, r.ClientEmail, r.Details["names"],
			o.Delivery.Address(r.Link.KeptToken), r.Link.ExpiresAt.Format("2006-01-02"),
			fmt.Sprint(r.Link.Views)}
		for i, v := range row {
			row[i] = harmless(v)
		}
		if err := c.Write(row); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}

// harmless keeps a spreadsheet from taking a text for a formula (OWASP, "CSV
// Injection").
func harmless(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}

// Cards writes a PDF of cards to hand out, one for each row with a link.
func (o *Out) Cards(ctx context.Context, s *Sheet, w io.Writer) error {
	var cards []paper.Card
	for _, r := range s.Rows {
		if r.Link == nil || r.Link.KeptToken == "" {
			continue
		}
		title := r.Details["names"]
		if title == "" {
			title = r.Client
		}
		cards = append(cards, paper.Card{
			Title:   title,
			Line:    s.Event,
			Address: o.Delivery.Address(r.Link.KeptToken),
			Foot:    "open until " + r.Link.ExpiresAt.Format("2 January 2006"),
		})
	}
	if len(cards) == 0 {
		return invalid.Field("cards", "There are no links yet to print on cards. Make the links first.")
	}
	st, err := o.Delivery.Cards.Stationery(ctx)
	if err != nil {
		return err
	}
	return paper.Cards(w, st, cards)
}
