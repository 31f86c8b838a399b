// Package studio is what can be done in the application, one method an act:
// open an order, receive a file, edit, render, deliver. Web pages and
// background workers call it; it knows neither.
package studio

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/mail"
	"strings"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/theme"
	"nelko/internal/store"
	"nelko/themes"
)

// Jobs of the background. Each names the row it works on; workers read the
// rest from there.
type (
	// Ingest looks at a received file.
	Ingest struct {
		MediaID int64 `json:"media_id"`
	}
	// Pour brings ready media into an order's slideshow.
	Pour struct {
		OrderID int64 `json:"order_id"`
	}
	// Render makes a film.
	Render struct {
		RenderID int64 `json:"render_id"`
	}
	// Help makes parts of a film another worker is making.
	Help struct {
		RenderID int64 `json:"render_id"`
	}
	// SendLink mails a link to the client. The token is needed for the
	// address and kept nowhere else.
	SendLink struct {
		LinkID int64  `json:"link_id"`
		Token  string `json:"token"`
	}
	// Demo paints the material of one order of the demo or, later, brings
	// the order to its state.
	Demo struct {
		Number int  `json:"number"`
		Finish bool `json:"finish"`
	}
)

// Kind implements river.JobArgs.
func (Ingest) Kind() string { return "ingest" }

// Kind implements river.JobArgs.
func (Pour) Kind() string { return "pour" }

// Kind implements river.JobArgs.
func (Render) Kind() string { return "render" }

// Kind implements river.JobArgs.
func (Help) Kind() string { return "help" }

// Kind implements river.JobArgs.
func (SendLink) Kind() string { return "send_link" }

// Kind implements river.JobArgs.
func (Demo) Kind() string { return "demo" }

// Job is one of the types above.
type Job interface{ Kind() string }

// Queue inserts jobs in a transaction.
type Queue interface {
	Insert(ctx context.Context, tx *sql.Tx, j Job) error
}

// Studio is the application.
type Studio struct {
	Store *store.Store
	Blobs *store.Blobs
	Queue Queue
	Now   func() time.Time

	// MaxSegmentBytes is how much room kept segments may take; 0 is
	// DefaultSegmentBytes.
	MaxSegmentBytes int64

	look       previews
	found      findings
	background background
}

// Invalid is an error of input: which field, and what is wrong with it.
type Invalid struct{ Field, Problem string }

func (e *Invalid) Error() string { return e.Problem }

// DefaultTheme is the theme of new orders.
const DefaultTheme = "tideline"

// NewOrder is what opens an order.
type NewOrder struct {
	Client, ClientEmail, Event string
	Due                        time.Time
	Theme                      string
	Details                    map[string]string
}

func (n *NewOrder) check() error {
	n.Client, n.Event, n.ClientEmail = strings.TrimSpace(n.Client), strings.TrimSpace(n.Event), strings.TrimSpace(n.ClientEmail)
	switch {
	case n.Client == "":
		return &Invalid{"client", "Who is the order for? The client's name is missing."}
	case len(n.Client) > 200 || len(n.Event) > 200:
		return &Invalid{"client", "Client and event may have at most 200 characters."}
	case n.Event == "":
		return &Invalid{"event", "The event is missing."}
	case n.Due.IsZero():
		return &Invalid{"due", "The due date is missing."}
	}
	if n.ClientEmail != "" {
		if a, err := mail.ParseAddress(n.ClientEmail); err != nil || a.Address != n.ClientEmail {
			return &Invalid{"client_email", fmt.Sprintf("%q is not an e-mail address.", n.ClientEmail)}
		}
	}
	return nil
}

// OpenOrder opens an order with an empty slideshow.
func (s *Studio) OpenOrder(ctx context.Context, n NewOrder, author *int64) (store.Order, error) {
	if err := n.check(); err != nil {
		return store.Order{}, err
	}
	if n.Theme == "" {
		n.Theme = DefaultTheme
	}
	if _, err := themes.Get(n.Theme); err != nil {
		return store.Order{}, &Invalid{"theme", err.Error()}
	}
	o := store.Order{Client: n.Client, ClientEmail: n.ClientEmail, Event: n.Event, Due: n.Due}
	err := s.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(&o).Error; err != nil {
			return err
		}
		show := store.Slideshow{OrderID: o.ID, Head: 1}
		if err := tx.Create(&show).Error; err != nil {
			return err
		}
		d := doc.New(n.Theme, uint64(o.ID))
		for k, v := range n.Details {
			if v = strings.TrimSpace(v); v != "" {
				d.Details[k] = v
			}
		}
		if err := d.Validate(); err != nil {
			return &Invalid{"details", err.Error()}
		}
		b, err := d.Marshal()
		if err != nil {
			return err
		}
		return tx.Create(&store.Revision{SlideshowID: show.ID, Number: 1, Title: "Opened the order", AuthorID: author, Document: b}).Error
	})
	return o, err
}

// UpdateOrder changes an order's head.
func (s *Studio) UpdateOrder(ctx context.Context, id int64, n NewOrder) error {
	if err := n.check(); err != nil {
		return err
	}
	res := s.Store.DB.WithContext(ctx).Model(&store.Order{}).Where("id = ?", id).
		Updates(map[string]any{"client": n.Client, "client_email": n.ClientEmail, "event": n.Event, "due": n.Due})
	if res.Error == nil && res.RowsAffected == 0 {
		return store.ErrNotFound
	}
	return res.Error
}

// Work is an order with all that belongs to it, laid out.
type Work struct {
	Settings  store.Studio // the studio's own
	Order     store.Order
	Slideshow store.Slideshow
	Revision  store.Revision
	Doc       doc.Slideshow
	Theme     *theme.Theme
	Library   doc.Library
	Media     []store.Media // all, waveforms left out
	Plan      plan.Plan
	Checks    []plan.Check
	Renders   []store.Render // newest first
	Links     []store.Link   // newest first
	CanUndo   bool
	CanRedo   bool
}

// Load reads an order and lays it out.
func (s *Studio) Load(ctx context.Context, orderID int64) (*Work, error) {
	tx := s.Store.DB.WithContext(ctx)
	w := &Work{}
	var err error
	if w.Settings, err = store.One[store.Studio](tx, "id = 1"); err != nil {
		return nil, fmt.Errorf("the studio's settings: %w", err)
	}
	if w.Order, err = store.One[store.Order](tx, "id = ?", orderID); err != nil {
		return nil, fmt.Errorf("order %d: %w", orderID, err)
	}
	if w.Slideshow, err = store.One[store.Slideshow](tx, "order_id = ?", orderID); err != nil {
		return nil, fmt.Errorf("slideshow of order %d: %w", orderID, err)
	}
	if w.Revision, err = store.One[store.Revision](tx, "slideshow_id = ? AND number = ?", w.Slideshow.ID, w.Slideshow.Head); err != nil {
		return nil, fmt.Errorf("revision %d: %w", w.Slideshow.Head, err)
	}
	if w.Media, err = listMedia(tx, orderID); err != nil {
		return nil, err
	}
	if err := tx.Where("order_id = ?", orderID).Order("id DESC").Find(&w.Renders).Error; err != nil {
		return nil, err
	}
	if err := tx.Where("order_id = ?", orderID).Order("id DESC").Find(&w.Links).Error; err != nil {
		return nil, err
	}
	var children int64
	if err := tx.Model(&store.Revision{}).Where("slideshow_id = ? AND parent = ?", w.Slideshow.ID, w.Slideshow.Head).Count(&children).Error; err != nil {
		return nil, err
	}
	w.CanUndo, w.CanRedo = w.Revision.Parent > 0, children > 0
	return w, w.layOut()
}

// LoadRevision is Load with the slideshow as it stood at a revision.
func (s *Studio) LoadRevision(ctx context.Context, orderID int64, number int) (*Work, error) {
	w, err := s.Load(ctx, orderID)
	if err != nil || w.Slideshow.Head == number {
		return w, err
	}
	if w.Revision, err = store.One[store.Revision](s.Store.DB.WithContext(ctx), "slideshow_id = ? AND number = ?", w.Slideshow.ID, number); err != nil {
		return nil, fmt.Errorf("revision %d: %w", number, err)
	}
	w.Slideshow.Head = number
	return w, w.layOut()
}

func listMedia(tx *gorm.DB, orderID int64) ([]store.Media, error) {
	var list []store.Media
	err := tx.Omit("waveform").Where("order_id = ?", orderID).Order("id").Find(&list).Error
	return list, err
}

// layOut parses the document and computes the plan and its checks.
func (w *Work) layOut() error {
	var err error
	if w.Doc, err = doc.Parse(w.Revision.Document); err != nil {
		return err
	}
	if w.Theme, err = themes.Get(w.Doc.Theme); err != nil {
		return err
	}
	w.Library = library(w.Media)
	w.Plan = plan.Build(w.Doc, w.Theme, w.Library)
	w.Checks = plan.Checks(w.Doc, w.Plan, w.Theme, w.Library)
	return nil
}

func library(media []store.Media) doc.Library {
	lib := doc.Library{}
	for _, m := range media {
		if m.State == store.Ready {
			lib[m.DocID()] = m.Facts()
		}
	}
	return lib
}

// Step is the one next thing an order needs, and where it is done.
type Step struct {
	Text   string
	Anchor string // fragment of the order's page
	Kind   StepKind
}

// StepKind groups steps for display; each has its own word or shape there.
type StepKind string

// The kinds of step.
const (
	NeedsHand StepKind = "todo"
	Works     StepKind = "works" // the program is at it
	CanGo     StepKind = "ready"
	Finished  StepKind = "done"
	Failed    StepKind = "failed"
)

// Next is computed from facts, never set by hand.
func (w *Work) Next() Step {
	waiting := 0
	for _, m := range w.Media {
		if m.State == store.Waiting {
			waiting++
		}
	}
	var last *store.Render
	if len(w.Renders) > 0 {
		last = &w.Renders[0]
	}
	current := last != nil && last.Revision == w.Slideshow.Head
	switch {
	case last != nil && !last.State.Over():
		return Step{"Rendering", "renders", Works}
	case waiting > 0:
		return Step{fmt.Sprintf("Reading %s", files(waiting)), "material", Works}
	}
	for _, c := range w.Checks {
		if c.Weight == plan.Stops {
			return Step{c.Text, anchor(c.Field), NeedsHand}
		}
	}
	switch {
	case current && last.State == store.RenderFailed:
		return Step{"Render failed: " + last.Error, "renders", Failed}
	case current && last.State == store.RenderDone && w.delivered(last.ID):
		return Step{"Delivered", "deliveries", Finished}
	case current && last.State == store.RenderDone:
		return Step{"Rendered; send the link", "deliveries", CanGo}
	}
	for _, c := range w.Checks {
		if c.Field == "fit" && w.Doc.Fit.Mode == doc.AtPace {
			return Step{c.Text, "fit", NeedsHand}
		}
	}
	if last != nil && last.State == store.RenderDone {
		return Step{"Changed since it was rendered; render again", "renders", CanGo}
	}
	return Step{"Ready to render", "renders", CanGo}
}

func (w *Work) delivered(renderID int64) bool {
	for _, l := range w.Links {
		if l.RenderID == renderID && l.ClosedAt == nil {
			return true
		}
	}
	return false
}

func files(n int) string {
	if n == 1 {
		return "1 file"
	}
	return fmt.Sprintf("%d files", n)
}

// anchor turns a check's field into a fragment of the order's page.
func anchor(field string) string { return strings.ReplaceAll(field, ":", "-") }

// ListOrders loads every order, the earliest due first.
func (s *Studio) ListOrders(ctx context.Context) ([]*Work, error) {
	var orders []store.Order
	if err := s.Store.DB.WithContext(ctx).Order("due, id").Find(&orders).Error; err != nil {
		return nil, err
	}
	var out []*Work
	for _, o := range orders {
		w, err := s.Load(ctx, o.ID)
		if errors.Is(err, store.ErrNotFound) {
			continue // removed meanwhile
		}
		if err != nil {
			return nil, err
		}
		out = append(out, w)
	}
	return out, nil
}
