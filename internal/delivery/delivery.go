// Package delivery is how clients get their films: what is delivered by which
// way, with its history and the proof that it arrived: by links, mailed or
// handed over, and as files in the studio's folder.
package delivery

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/accounts"
	"nelko/internal/core/profile"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/store"
	"nelko/internal/token"
)

// Delivery is the room.
type Delivery struct {
	Store   *store.Store
	Blobs   *store.Blobs
	Queue   orders.Queue
	Orders  *orders.Orders
	Now     func() time.Time
	Mailer  Mailer // of a process that works on jobs
	BaseURL string // the address clients reach
}

// SendLink is the job that mails a link to the client.
type SendLink struct {
	LinkID int64 `json:"link_id"`
}

// Kind implements river.JobArgs.
func (SendLink) Kind() string { return "send_link" }

// outgoing is the queue of mail.
const outgoing = "mail"

// InsertOpts implements river.JobArgsWithInsertOpts.
func (SendLink) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: outgoing, MaxAttempts: queue.Tries(queue.Outside)}
}

// Jobs implements queue.Room.
func (dl *Delivery) Jobs(js *queue.Jobs) {
	js.Serve(outgoing, 2)
	dl.fileJobs(js)
	queue.Handle(js, queue.Kind[TryMail]{Work: func(ctx context.Context, j queue.Job[TryMail]) error {
		st, err := store.StudioOf(dl.Store.DB.WithContext(ctx))
		if err != nil {
			return err
		}
		return dl.Mailer.Send(ctx, Mail{From: st.Name, To: j.Args.To, Subject: j.Args.Subject, Body: j.Args.Body})
	}})
	queue.Handle(js, queue.Kind[ProofMail]{Needs: dl.Blobs.Here, Work: func(ctx context.Context, j queue.Job[ProofMail]) error {
		waits, err := dl.SendProof(ctx, j.Args)
		if waits {
			return queue.Later(proofLooks)
		}
		switch {
		case errors.Is(err, errBusy):
			return queue.Later(busyFor)
		case undeliverable(err):
			return dl.proofFailed(ctx, j.Args, err.Error())
		case err != nil && j.Last && ctx.Err() == nil:
			return errors.Join(err, dl.proofFailed(ctx, j.Args, err.Error()))
		}
		return err
	}})
	queue.Handle(js, queue.Kind[SendLink]{
		Needs: dl.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[SendLink]) error {
			err := dl.Send(ctx, j.Args)
			switch {
			case errors.Is(err, errBusy):
				return queue.Later(busyFor)
			case undeliverable(err):
				return dl.forgetToken(ctx, j.Args.LinkID, err.Error())
			case err != nil && j.Last && ctx.Err() == nil:
				return errors.Join(err, dl.forgetToken(ctx, j.Args.LinkID, err.Error()))
			}
			return err
		},
		Refuse: func(ctx context.Context, j SendLink, why string) error { return dl.forgetToken(ctx, j.LinkID, why) },
	})
}

// NewLink is what makes a link.
type NewLink struct {
	RenderID     int64   // 0: the order's latest film that is done
	Also         []int64 // renders of more films, of this order or others, which the page offers as cards
	Title        string
	Downloadable bool
	Days         int    // until it expires, 1 to 3650
	Mail         bool   // send it to the client
	Keep         bool   // keep the token, to be listed and printed
	Subject      string // of the mail; empty: the title
	Text         string // of the mail, {link} for the address; empty: the usual one
	Note         string // to the client, on the page
	Password     string // asked for before anything is shown; empty: none
	Devices      int    // that may open it, at most; 0: any number
	Embed        bool   // the studio's sites may show it in their pages
	Poster       string // a stored JPEG of a moment of the film; empty: the render's own
	Proof        bool   // of the latest draft, to be remarked on and approved
}

// maxNote is the longest note to a client, in bytes; minPassword the shortest
// password of a link.
const (
	maxNote     = 2000
	minPassword = 4
)

func noAddress() error {
	return invalid.Field("mail", "The order has no e-mail address of the client. Add it above, or send the address yourself.")
}

// MakeLink delivers a finished render by link. The token is part of the
// address; it is returned once and only its hash is kept, and itself until it
// was mailed.
func (dl *Delivery) MakeLink(ctx context.Context, orderID int64, n NewLink) (l store.Link, key string, err error) {
	err = dl.Store.Tx(ctx, func(tx *gorm.DB) error {
		l, key, err = dl.MakeLinkIn(ctx, tx, orderID, n)
		return err
	})
	return l, key, err
}

// MakeLinkIn is MakeLink in a transaction.
func (dl *Delivery) MakeLinkIn(ctx context.Context, tx *gorm.DB, orderID int64, n NewLink) (store.Link, string, error) {
	o, err := store.One[store.Order](tx, "id = ?", orderID)
	if err != nil {
		return store.Link{}, "", err
	}
	var r store.Render
	if !n.Proof {
		r, err = store.One[store.Render](tx.Order("id DESC"), "state = 'done' AND (id = ? OR (? = 0 AND main AND order_id = ?))", n.RenderID, n.RenderID, orderID)
		if err != nil {
			return store.Link{}, "", invalid.Field("render", "There is no finished render to deliver. Render the film first.")
		}
	}
	films := []store.Render{r}
	for _, id := range n.Also {
		x, err := store.One[store.Render](tx, "id = ? AND state = 'done'", id)
		if errors.Is(err, store.ErrNotFound) {
			return store.Link{}, "", invalid.Field("also", "One of the other films is not rendered yet.")
		}
		if err != nil {
			return store.Link{}, "", err
		}
		if x.ID != r.ID {
			films = append(films, x)
		}
	}
	n.Title, n.Note = strings.TrimSpace(n.Title), strings.TrimSpace(n.Note)
	switch {
	case n.Title == "" || len(n.Title) > 200:
		return store.Link{}, "", invalid.Field("title", "The link needs a title of at most 200 characters.")
	case n.Days < 1 || n.Days > 3650:
		return store.Link{}, "", invalid.Field("days", "A link can be open for 1 to 3650 days.")
	case n.Mail && o.ClientEmail == "":
		return store.Link{}, "", noAddress()
	case len(n.Note) > maxNote:
		return store.Link{}, "", invalid.Field("note", "The note to the client may have at most %d characters.", maxNote)
	case n.Password != "" && len(n.Password) < minPassword || len(n.Password) > 200:
		return store.Link{}, "", invalid.Field("password", "A link's password needs at least %d characters.", minPassword)
	case n.Devices < 0 || n.Devices > 1000:
		return store.Link{}, "", invalid.Field("devices", "At most 1 to 1000 devices, or any number.")
	}
	key := token.New()
	l := store.Link{TokenHash: token.Hash(key), Downloadable: n.Downloadable, ExpiresAt: dl.Now().AddDate(0, 0, n.Days),
		Note: n.Note, Devices: n.Devices, Embed: n.Embed && !n.Proof && n.Password == "", Proof: n.Proof}
	if n.Poster != "" {
		l.Poster = &n.Poster
	}
	if n.Password != "" {
		if l.PasswordHash, err = accounts.Hash(n.Password); err != nil {
			return store.Link{}, "", err
		}
	}
	d := store.Delivery{OrderID: orderID, Kind: store.LinkDelivery, State: store.DeliveryDone, Title: n.Title}
	if n.Proof {
		d.Kind, films = store.ProofDelivery, nil // it shows the latest draft
	}
	if n.Mail {
		l.MailedTo, l.UnsentToken, d.State = o.ClientEmail, key, store.DeliveryRunning
		l.MailSubject, l.MailText = strings.Join(strings.Fields(n.Subject), " "), n.Text
	}
	if n.Keep || n.Proof {
		l.KeptToken = key // cards, lists and reminders name it again
	}
	err = dl.keepLink(ctx, tx, d, films, &l)
	return l, key, err
}

// keepLink writes a delivery by link of films down, and has it mailed if it is to be.
func (dl *Delivery) keepLink(ctx context.Context, tx *gorm.DB, d store.Delivery, films []store.Render, l *store.Link) error {
	if err := tx.Create(&d).Error; err != nil {
		return err
	}
	for i, x := range films {
		if err := tx.Create(&store.DeliveryRender{DeliveryID: d.ID, RenderID: x.ID, Position: i}).Error; err != nil {
			return err
		}
	}
	l.DeliveryID = d.ID
	if err := tx.Create(l).Error; err != nil {
		return err
	}
	if l.UnsentToken != "" {
		if err := dl.Queue.Insert(ctx, tx, SendLink{l.ID}); err != nil {
			return err
		}
	}
	return dl.Orders.NoteDelivery(ctx, tx, d, "Made the link")
}

// ErrClosed means that a link has expired or was closed.
var ErrClosed = errors.New("this link is no longer open")

// Watched is what a client with a link may see. Of a proof whose draft is still
// being made there is no render.
type Watched struct {
	Link     store.Link
	Delivery store.Delivery
	Order    store.Order
	Render   store.Render
	First    bool           // of its films this is the first, whose poster can be chosen
	Sizes    []store.Render // the same film in sizes that can be streamed, the largest first
	Studio   store.Studio
}

// Shown is a film of a link, on a card beside the others.
type Shown struct {
	Render store.Render
	Title  string
}

// Open finds the film behind a token; of several the one with the render film,
// the first if that is none of them.
func (dl *Delivery) Open(ctx context.Context, key string, film int64) (Watched, error) {
	tx := dl.Store.DB.WithContext(ctx)
	w := Watched{First: true}
	var err error
	if w.Studio, err = store.StudioOf(tx); err != nil {
		return w, err
	}
	if w.Link, err = store.One[store.Link](tx, "token_hash = ?", token.Hash(key)); err != nil {
		return w, err
	}
	if w.Delivery, err = store.One[store.Delivery](tx, "id = ?", w.Link.DeliveryID); err != nil {
		return w, err
	}
	if w.Order, err = store.One[store.Order](tx, "id = ?", w.Delivery.OrderID); err != nil {
		return w, err
	}
	if !w.Link.Open(dl.Now()) || w.Order.DeletedAt != nil {
		return w, ErrClosed
	}
	if w.Link.Proof {
		w.Render, err = store.One[store.Render](tx.Order("id DESC"), "order_id = ? AND profile = ? AND state = 'done'", w.Order.ID, profile.Proof.Name)
		if errors.Is(err, store.ErrNotFound) {
			return w, nil
		}
		w.Sizes = []store.Render{w.Render}
		return w, err
	}
	ids, err := filmsOf(tx, w.Delivery.ID)
	if err != nil {
		return w, err
	}
	if !slices.Contains(ids, film) {
		film = ids[0]
	}
	w.First = film == ids[0]
	if w.Render, err = store.One[store.Render](tx, "id = ?", film); err != nil {
		return w, err
	}
	w.Sizes, err = dl.sizes(tx, w.Render)
	return w, err
}

// Films are all films a link shows, the first played first; of a proof none.
func (dl *Delivery) Films(ctx context.Context, w Watched) ([]Shown, error) {
	if w.Link.Proof {
		return nil, nil
	}
	return dl.films(dl.Store.DB.WithContext(ctx), w.Delivery.ID)
}

// filmsOf are the renders of a delivery, in their order; of none, not found.
func filmsOf(tx *gorm.DB, id int64) (out []int64, err error) {
	err = tx.Raw("SELECT render_id FROM delivery_renders WHERE delivery_id = ? ORDER BY position, render_id", id).Scan(&out).Error
	if err == nil && len(out) == 0 {
		err = fmt.Errorf("the films of delivery %d: %w", id, store.ErrNotFound)
	}
	return out, err
}

// films are the films of a delivery, in their order.
func (dl *Delivery) films(tx *gorm.DB, id int64) (out []Shown, err error) {
	var all []store.Render
	if err := tx.Joins("JOIN delivery_renders dr ON dr.render_id = renders.id AND dr.delivery_id = ?", id).Order("dr.position, renders.id").Find(&all).Error; err != nil {
		return nil, err
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("the films of delivery %d: %w", id, store.ErrNotFound)
	}
	ids := make([]int64, len(all))
	for i, r := range all {
		ids[i] = r.OrderID
	}
	of, err := orders.ByID(tx, ids)
	for _, r := range all {
		out = append(out, Shown{r, filmTitle(r, of[r.OrderID])})
	}
	return out, err
}

// filmTitle is what a film is called beside others: by its names, and what it is
// where it is not the order's main one.
func filmTitle(r store.Render, o store.Order) string {
	title := cmp.Or(strings.Join(strings.Fields(r.Details["names"]), " "), o.Client)
	if !r.Main {
		title = wording.Beside(title, r.Profile)
	}
	return title
}

// SizeOf finds a size of any film behind a link, by its render.
func (dl *Delivery) SizeOf(ctx context.Context, w Watched, id int64) (store.Render, bool) {
	if r, ok := w.Size(id); ok {
		return r, true
	}
	tx := dl.Store.DB.WithContext(ctx)
	// Of its films those that can have it: of the same revision.
	var films []store.Render
	if err := tx.Joins("JOIN delivery_renders dr ON dr.render_id = renders.id AND dr.delivery_id = ?", w.Delivery.ID).
		Where("(slideshow_id, revision) = (SELECT slideshow_id, revision FROM renders WHERE id = ?)", id).Find(&films).Error; err != nil {
		return store.Render{}, false
	}
	for _, x := range films {
		sizes, err := dl.sizes(tx, x)
		if r, ok := (Watched{Render: x, Sizes: sizes}).Size(id); ok && err == nil {
			return r, true
		}
	}
	return store.Render{}, false
}

// sizes are the finished renders of the same film that can be streamed, the
// latest of each profile, the largest first.
func (dl *Delivery) sizes(tx *gorm.DB, r store.Render) ([]store.Render, error) {
	var all []store.Render
	if err := tx.Where("slideshow_id = ? AND revision = ? AND shape = ? AND state = 'done' AND stream IS NOT NULL AND profile <> ?", r.SlideshowID, r.Revision, r.Shape, profile.Proof.Name).Order("id DESC").Find(&all).Error; err != nil {
		return nil, err
	}
	seen := map[string]bool{}
	shape := func(x store.Render) profile.Shape {
		if x.Setting == nil {
			return profile.Shape{}
		}
		return x.Setting.Shape
	}
	all = slices.DeleteFunc(all, func(x store.Render) bool {
		again := seen[x.Profile]
		seen[x.Profile] = true
		return again || shape(x) != shape(r) || !maps.Equal(x.Details, r.Details)
	})
	slices.SortStableFunc(all, func(a, b store.Render) int { return cmp.Compare(b.Size, a.Size) })
	return all, nil
}

// Files are what can be downloaded of the film: the latest file of each profile. The film itself
// is among them unless it was made anew in its profile.
func (w Watched) Files() []store.Render {
	if slices.ContainsFunc(w.Sizes, func(x store.Render) bool { return x.Profile == w.Render.Profile }) {
		return w.Sizes
	}
	return append([]store.Render{w.Render}, w.Sizes...)
}

// Size is one of the sizes behind a link, by its render.
func (w Watched) Size(id int64) (store.Render, bool) {
	for _, r := range append(w.Sizes, w.Render) {
		if r.ID == id && id != 0 {
			return r, true
		}
	}
	return store.Render{}, false
}

// OrderOf is the order of a film behind a link.
func (dl *Delivery) OrderOf(ctx context.Context, w Watched, r store.Render) (store.Order, error) {
	if r.OrderID == w.Order.ID {
		return w.Order, nil
	}
	return store.One[store.Order](dl.Store.DB.WithContext(ctx), "id = ?", r.OrderID)
}

// Unlock checks a link's password.
func (dl *Delivery) Unlock(w Watched, password string) bool {
	ok, err := accounts.Matches(password, w.Link.PasswordHash)
	return err == nil && ok
}

// Key is what a browser is given once it has told a link's password: it opens
// this link as long as the password is this one.
func (w Watched) Key(token string) string {
	h := sha256.Sum256([]byte(token + "\n" + w.Link.PasswordHash))
	return base64.RawURLEncoding.EncodeToString(h[:])
}

// ErrDevices means that a link is open on as many devices as it may be.
var ErrDevices = errors.New("the link is open on as many devices as it may be")

// Admit lets a device open a link whose devices are counted.
func (dl *Delivery) Admit(ctx context.Context, w Watched, device string) error {
	if w.Link.Devices == 0 {
		return nil
	}
	return dl.Store.Tx(ctx, func(tx *gorm.DB) error {
		// One at a time, so that two new devices do not both take the last place.
		if err := tx.Exec("SELECT 1 FROM links WHERE id = ? FOR UPDATE", w.Link.ID).Error; err != nil {
			return err
		}
		var known, all int64
		q := func() *gorm.DB { return tx.Model(&store.LinkDevice{}).Where("link_id = ?", w.Link.ID) }
		if err := errors.Join(q().Where("device = ?", token.Hash(device)).Count(&known).Error, q().Count(&all).Error); err != nil || known > 0 {
			return err
		}
		if all >= int64(w.Link.Devices) {
			return ErrDevices
		}
		return tx.Create(&store.LinkDevice{LinkID: w.Link.ID, Device: token.Hash(device), SeenAt: dl.Now()}).Error
	})
}

// CountDownload notes that a film was downloaded.
func (dl *Delivery) CountDownload(ctx context.Context, w Watched) error {
	return dl.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&store.Link{}).Where("id = ?", w.Link.ID).Update("downloads", gorm.Expr("downloads + 1")).Error; err != nil {
			return err
		}
		if err := store.Note(tx, store.DidWatch, w.Order.ID, "Downloaded: "+w.Delivery.Title); err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: w.Order.ID})
	})
}

// CountView notes that a link's film was opened.
func (dl *Delivery) CountView(ctx context.Context, w Watched) error {
	return dl.Store.Tx(ctx, func(tx *gorm.DB) error {
		err := tx.Model(&store.Link{}).Where("id = ?", w.Link.ID).Updates(map[string]any{"views": gorm.Expr("views + 1"), "last_view": dl.Now()}).Error
		if err != nil {
			return err
		}
		if err := store.Note(tx, store.DidWatch, w.Order.ID, "Watched: "+w.Delivery.Title); err != nil {
			return err
		}
		err = tx.Model(&store.Delivery{}).Where("id = ? AND proof = ''", w.Delivery.ID).Update("proof", "watched "+dl.Now().Format("2 January 2006 15:04")).Error
		if err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: w.Order.ID})
	})
}

// Forget does away with the kept tokens of links that have expired, and tells
// of how many.
func (dl *Delivery) Forget(ctx context.Context, dryRun bool) (n int64, err error) {
	q := dl.Store.DB.WithContext(ctx).Model(&store.Link{}).Where("kept_token <> '' AND expires_at < ?", dl.Now())
	if dryRun {
		return n, q.Count(&n).Error
	}
	res := q.Update("kept_token", "")
	return res.RowsAffected, res.Error
}

// Close ends a link before its time.
func (dl *Delivery) Close(ctx context.Context, orderID, linkID int64) error {
	return dl.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "order_id = ? AND id = (SELECT delivery_id FROM links WHERE id = ? AND closed_at IS NULL)", orderID, linkID)
		if errors.Is(err, store.ErrNotFound) {
			return nil // closed already
		}
		if err != nil {
			return err
		}
		if err := tx.Model(&store.Link{}).Where("id = ?", linkID).Updates(map[string]any{"closed_at": dl.Now(), "unsent_token": "", "kept_token": ""}).Error; err != nil {
			return err
		}
		if err := tx.Model(&d).Update("state", store.DeliveryClosed).Error; err != nil {
			return err
		}
		return dl.Orders.NoteDelivery(ctx, tx, d, "Closed the link")
	})
}

// days is for how many days a link was made.
func days(l store.Link) int { return max(1, int(l.ExpiresAt.Sub(l.CreatedAt).Hours()/24+0.5)) }

// Mail is a message of plain text.
type Mail struct {
	ID                      string // of mailID; empty: it need not be known again
	From, To, Subject, Body string // From is a name, To an address

	// Handing is called once the server is reached and before anything is handed to it;
	// after an error nothing is. Nil: nothing is done.
	Handing func() error
}

// Mailer sends mail.
type Mailer interface {
	Send(ctx context.Context, m Mail) error
}

// Address is where a link with a token leads.
func (dl *Delivery) Address(token string) string {
	return strings.TrimRight(dl.BaseURL, "/") + "/watch/" + token
}

// Message is what a client is written of a link.
func Message(l store.Link, title, address, studio string) (subject, body string) {
	if subject = l.MailSubject; subject == "" {
		subject = title
	}
	if l.MailText != "" {
		body = strings.ReplaceAll(l.MailText, "{link}", address)
		if !strings.Contains(l.MailText, "{link}") {
			body += "\n\n" + address
		}
		return subject, body + "\n"
	}
	if l.Proof {
		return subject, fmt.Sprintf("The draft of your film is ready to look at.\n\n%s\n%s\n\nStop wherever something should be different and write it down there. When all is as you want it, approve it on the same page.\nThe link is open until %s.\n\n%s\n", title, address, l.ExpiresAt.Format("2 January 2006"), studio)
	}
	return subject, fmt.Sprintf("Your film is ready.\n\n%s\n%s\n\nThe link is open until %s.\n\n%s\n", title, address, l.ExpiresAt.Format("2 January 2006"), studio)
}

// TryMail is the job that sends a message that leads nowhere, to see it.
type TryMail struct {
	To      string `json:"to"`
	Subject string `json:"subject"`
	Body    string `json:"body"`
}

// Kind implements river.JobArgs.
func (TryMail) Kind() string { return "try_mail" }

// InsertOpts implements river.JobArgsWithInsertOpts.
func (TryMail) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: outgoing, MaxAttempts: 3}
}

// TryMail sends a message to see how it comes out.
func (dl *Delivery) TryMail(ctx context.Context, to, subject, body string) error {
	return dl.Store.Tx(ctx, func(tx *gorm.DB) error { return dl.Queue.Insert(ctx, tx, TryMail{to, subject, body}) })
}

// Send mails a link to the client. The token is forgotten once it was sent.
func (dl *Delivery) Send(ctx context.Context, j SendLink) error {
	tx := dl.Store.DB.WithContext(ctx)
	l, err := store.One[store.Link](tx, "id = ?", j.LinkID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && (l.MailedAt != nil || l.ClosedAt != nil || l.UnsentToken == "")) {
		return nil
	}
	if err != nil {
		return err
	}
	d, err := store.One[store.Delivery](tx, "id = ?", l.DeliveryID)
	if err != nil {
		return err
	}
	st, err := store.StudioOf(tx)
	if err != nil {
		return err
	}
	subject, body := Message(l, d.Title, dl.Address(l.UnsentToken), st.Name)
	if l.MailText == "" {
		o, err := store.One[store.Order](tx, "id = ?", d.OrderID)
		if err != nil {
			return err
		}
		if s, b, own := letter(st, LinkLetter, o, d.Title, l, dl.Address(l.UnsentToken)); own {
			subject, body = s, b
		}
	}
	m := Mail{From: st.Name, To: l.MailedTo, Subject: subject, Body: body}
	return dl.once(ctx, l, l.UnsentToken, m, func(tx *gorm.DB, at time.Time) error {
		if err := tx.Model(&l).Updates(map[string]any{"mailed_at": at, "mail_error": "", "unsent_token": ""}).Error; err != nil {
			return err
		}
		if err := tx.Model(&d).Update("state", store.DeliveryDone).Error; err != nil {
			return err
		}
		return dl.Orders.NoteDelivery(ctx, tx, d, "Mailed to "+l.MailedTo)
	})
}

// unsent notes why a link could not be mailed, without the token: a server may
// answer with what it was sent.
func unsent(tx *gorm.DB, l store.Link, token string, err error) error {
	return tx.Model(&l).Update("mail_error", withoutToken(err, token).Error()).Error
}

func withoutToken(err error, token string) error {
	return &unsentMail{strings.ReplaceAll(err.Error(), token, "…"), undeliverable(err)}
}

// forgetToken gives mailing a link up.
func (dl *Delivery) forgetToken(ctx context.Context, linkID int64, why string) error {
	return dl.Store.Tx(ctx, func(tx *gorm.DB) error {
		l, err := store.One[store.Link](tx, "id = ?", linkID)
		if errors.Is(err, store.ErrNotFound) || (err == nil && l.MailedAt != nil) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := tx.Model(&l).Updates(map[string]any{"unsent_token": "", "mail_error": why}).Error; err != nil {
			return err
		}
		d, err := store.One[store.Delivery](tx, "id = ?", l.DeliveryID)
		if err != nil {
			return err
		}
		if err := tx.Model(&d).Update("state", store.DeliveryFailed).Error; err != nil {
			return err
		}
		said := "Could not be mailed to "
		if why == MayHaveGone {
			said = "May have been mailed to "
		}
		return dl.Orders.NoteDelivery(ctx, tx, d, said+l.MailedTo)
	})
}
