// Package hosting is films on a video host: the studio's sign-in there (OAuth
// 2.0, RFC 6749, with a proof key, RFC 7636), and films that are sent in pieces
// which can be taken up again (tus 1.0), with what goes wrong at hosts.
package hosting

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"golang.org/x/oauth2"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/store"
)

// Hosting is the room.
type Hosting struct {
	Store  *store.Store
	Blobs  *store.Blobs
	Queue  orders.Queue
	Orders *orders.Orders
	Now    func() time.Time
	Host   string // the host's address; empty: there is none
	Back   string // where the host sends the browser after the sign-in
	Piece  int64  // bytes sent at once; 0: the usual
}

// Send is the job that sends a film to the host.
type Send struct {
	DeliveryID int64 `json:"delivery_id"`
}

// Kind implements river.JobArgs.
func (Send) Kind() string { return "host_film" }

const sending = "hosts"

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Send) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: sending, MaxAttempts: queue.Tries(queue.Outside)}
}

// Jobs implements queue.Room.
func (h *Hosting) Jobs(js *queue.Jobs) {
	js.Serve(sending, 2)
	queue.Handle(js, queue.Kind[Send]{
		Needs: h.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Send]) error {
			wait, err := h.Send(ctx, j.Args)
			if wait > 0 {
				return queue.Later(wait)
			}
			if err != nil && j.Last && ctx.Err() == nil {
				return errors.Join(err, h.failed(ctx, j.Args.DeliveryID, err.Error()))
			}
			return err
		},
		Refuse: func(ctx context.Context, j Send, why string) error {
			return h.failed(ctx, j.DeliveryID, why)
		},
	})
}

func (h *Hosting) oauth() *oauth2.Config {
	return &oauth2.Config{ClientID: "nelko", RedirectURL: h.Back, Scopes: []string{"films"},
		Endpoint: oauth2.Endpoint{
			AuthURL:   h.Host + "/authorize",
			TokenURL:  h.Host + "/token",
			AuthStyle: oauth2.AuthStyleInParams,
		}}
}

// SignIn is where a browser is sent to sign in. The state and the verifier are
// kept with the person who does it.
func (h *Hosting) SignIn() (address, state, verifier string) {
	state, verifier = oauth2.GenerateVerifier(), oauth2.GenerateVerifier()
	return h.oauth().AuthCodeURL(state, oauth2.AccessTypeOffline, oauth2.S256ChallengeOption(verifier)),
		state, verifier
}

// SignedIn takes the code that the host sent back.
func (h *Hosting) SignedIn(ctx context.Context, code, verifier string) error {
	token, err := h.oauth().Exchange(ctx, code, oauth2.VerifierOption(verifier))
	if err != nil {
		return invalid.Field("host", "The host did not sign the studio in. Try again.")
	}
	b, err := json.Marshal(token)
	if err != nil {
		return err
	}
	a := store.HostAccount{ID: 1, Host: h.Host, Token: b, ConnectedAt: h.Now()}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&a).Error; err != nil {
			return err
		}
		return store.Note(tx, store.DidSettings, 0, "Signed the studio in at the video host")
	})
}

// SignOut forgets the sign-in.
func (h *Hosting) SignOut(ctx context.Context) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("id = 1").Delete(&store.HostAccount{}).Error; err != nil {
			return err
		}
		return store.Note(tx, store.DidSettings, 0, "Signed the studio out at the video host")
	})
}

// Account is the studio's sign-in, or nil.
func (h *Hosting) Account(ctx context.Context) (*store.HostAccount, error) {
	a, err := store.One[store.HostAccount](h.Store.DB.WithContext(ctx), "id = 1 AND host = ?", h.Host)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil //nolint:nilnil // there is none
	}
	return &a, err
}

// Visibilities are who may see a film at the host.
var Visibilities = []string{"unlisted", "private", "public"}

// New is a film to be put on the host.
type New struct {
	RenderID   int64
	Title      string
	Note       string
	Tags       string // separated by commas
	Visibility string
}

// Limits of what is told of a film.
const (
	maxTitle = 100
	maxNote  = 5000
	maxTags  = 500
)

// Put delivers a finished film by the host.
func (h *Hosting) Put(ctx context.Context, orderID int64, n New) error {
	a, err := h.Account(ctx)
	if err != nil {
		return err
	}
	n.Title = strings.Join(strings.Fields(n.Title), " ")
	switch {
	case a == nil:
		return invalid.Field("host",
			"The studio is not signed in at the host. An owner does that in the settings.")
	case n.Title == "" || len(n.Title) > maxTitle:
		return invalid.Field("title", "The film needs a title of at most %d characters.", maxTitle)
	case len(n.Note) > maxNote:
		return invalid.Field("note", "The note may have at most %d characters.", maxNote)
	case len(n.Tags) > maxTags:
		return invalid.Field("tags", "The tags may have at most %d characters together.", maxTags)
	case !slices.Contains(Visibilities, n.Visibility):
		return invalid.Field("visibility", "Say who may see the film.")
	}
	r, err := store.One[store.Render](h.Store.DB.WithContext(ctx).Order("id DESC"),
		"order_id = ? AND state = 'done' AND (id = ? OR (? = 0 AND main))", orderID, n.RenderID, n.RenderID)
	if errors.Is(err, store.ErrNotFound) {
		return invalid.Field("render", "There is no finished film to send. Render it first.")
	}
	if err != nil {
		return err
	}
	u := store.Upload{
		RenderID:   r.ID,
		Title:      n.Title,
		Note:       strings.TrimSpace(n.Note),
		Visibility: n.Visibility,
		Size:       r.Size,
	}
	for t := range strings.SplitSeq(n.Tags, ",") {
		if t = strings.TrimSpace(t); t != "" {
			u.Tags = append(u.Tags, t)
		}
	}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		d := store.Delivery{
			OrderID: orderID,
			Kind:    store.UploadDelivery,
			State:   store.DeliveryWaiting,
			Title:   n.Title,
		}
		if err := tx.Create(&d).Error; err != nil {
			return err
		}
		u.DeliveryID = d.ID
		if err := errors.Join(tx.Create(&store.DeliveryRender{
			DeliveryID: d.ID,
			RenderID:   r.ID,
		}).Error, tx.Create(&u).Error, h.Queue.Insert(ctx, tx, Send{d.ID})); err != nil {
			return err
		}
		return h.Orders.Heads.NoteDelivery(ctx, tx, d, "To be put on the host")
	})
}

// Again sends a film that failed once more, where it stopped.
func (h *Hosting) Again(ctx context.Context, id int64) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = ? AND kind = 'upload'", id)
		if err != nil || d.State != store.DeliveryFailed {
			return err // it is on its way, or there
		}
		if err := errors.Join(tx.Model(&d).Update("state", store.DeliveryWaiting).Error,
			tx.Model(&store.Upload{}).Where("delivery_id = ?", id).Update("error", "").Error,
			h.Queue.Insert(ctx, tx, Send{id})); err != nil {
			return err
		}
		return h.Orders.Heads.NoteDelivery(ctx, tx, d, "To be tried again")
	})
}

// ended writes down how a film's way to the host ended.
func (h *Hosting) ended(ctx context.Context, id int64, d, u map[string]any, said string) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		row, err := store.One[store.Delivery](tx, "id = ? AND state NOT IN ('done', 'closed')", id)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := errors.Join(tx.Model(&row).Updates(d).Error, tx.Model(&store.Upload{}).
			Where("delivery_id = ?", id).Updates(u).Error); err != nil {
			return err
		}
		return h.Orders.Heads.NoteDelivery(ctx, tx, row, said)
	})
}

func (h *Hosting) failed(ctx context.Context, id int64, why string) error {
	return h.ended(ctx, id, map[string]any{"state": store.DeliveryFailed}, map[string]any{"error": why},
		"Not put on the host: "+why)
}

// Films are an order's films on the host, newest first.
func (h *Hosting) Films(ctx context.Context, orderID int64) (out []Film, err error) {
	return out, h.Store.DB.WithContext(ctx).Table("uploads u").Select("u.*, d.state").
		Joins("JOIN deliveries d ON d.id = u.delivery_id").
		Where("d.order_id = ?", orderID).Order("u.delivery_id DESC").Limit(100).Scan(&out).Error
}

// Film is a film on the host, or on its way there.
type Film struct {
	store.Upload
	State store.DeliveryState
}

// usualPiece is how much of a film is sent at once.
const usualPiece = 8 << 20

// looks is how often a film that the host works on is looked at.
const looks = 2 * time.Second

// atHost is a film as the host tells of it.
type atHost struct {
	ID      string `json:"id"`
	State   string `json:"state"`
	Why     string `json:"why"`
	Upload  string `json:"upload"`
	Address string `json:"address"`
}

// refused is an answer of the host that trying again does not change.
type refused struct{ why string }

func (e *refused) Error() string { return e.why }

// later is an answer of the host that asks to come back.
type later struct{ wait time.Duration }

func (e *later) Error() string { return "the host asks to come back later" }

// errGone means that the host knows nothing of an upload it knew.
var errGone = errors.New("the host has forgotten the upload")

// Send sends a film, from where the host has it; wait is for how long it is to
// be put off. What cannot be helped ends it, with the host's own words; after
// anything else it is tried again.
func (h *Hosting) Send(ctx context.Context, j Send) (wait time.Duration, err error) {
	tx := h.Store.DB.WithContext(ctx)
	u, err := store.One[store.Upload](tx, "delivery_id = ?", j.DeliveryID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && u.DoneAt != nil) {
		return 0, nil
	}
	if err != nil {
		return 0, err
	}
	wait, err = h.send(ctx, &u)
	var no *refused
	var not *later
	switch {
	case errors.As(err, &no):
		return 0, h.failed(ctx, u.DeliveryID, no.why)
	case errors.As(err, &not):
		return not.wait, nil
	case errors.Is(err, errGone):
		// From the beginning, under a new name.
		return time.Second, tx.Model(&u).Updates(map[string]any{
			"video_id": "",
			"goes_to":  "",
			"address":  "",
			"sent":     0,
		}).Error
	case err != nil && ctx.Err() == nil:
		// Told while it is tried again.
		return 0, errors.Join(err, tx.Model(&u).Update("error", err.Error()).Error)
	}
	return wait, err
}

func (h *Hosting) send(ctx context.Context, u *store.Upload) (time.Duration, error) {
	c, err := h.client(ctx)
	if err != nil {
		return 0, err
	}
	tx := h.Store.DB.WithContext(ctx)
	if u.VideoID == "" {
		var v atHost
		if err := c.json(ctx, http.MethodPost, h.Host+"/videos", map[string]any{
			"title":      u.Title,
			"note":       u.Note,
			"tags":       u.Tags,
			"visibility": u.Visibility,
			"size":       u.Size,
		}, &v); err != nil {
			return 0, err
		}
		u.VideoID, u.GoesTo, u.Address = v.ID, v.Upload, v.Address
		if err := tx.Model(u).Updates(map[string]any{
			"video_id": v.ID,
			"goes_to":  v.Upload,
			"address":  v.Address,
			"sent":     0,
		}).Error; err != nil {
			return 0, err
		}
	}
	if u.Sent < u.Size {
		if err := h.pieces(ctx, c, u); err != nil {
			return 0, err
		}
	}
	var v atHost
	if err := c.json(ctx, http.MethodGet, h.Host+"/videos/"+u.VideoID, nil, &v); err != nil {
		return 0, err
	}
	switch v.State {
	case "ready":
		now := h.Now()
		proof := "published " + now.Format("2 January 2006 15:04")
		return 0, h.ended(ctx, u.DeliveryID, map[string]any{
			"state": store.DeliveryDone,
			"proof": proof,
		}, map[string]any{"done_at": now, "error": "", "sent": u.Size}, "On the host at "+u.Address)
	case "failed":
		return 0, &refused{"the host took the film and could not work on it: " + v.Why}
	}
	return looks, tx.Model(u).Updates(map[string]any{"error": "", "sent": u.Sent}).Error
}

// pieces sends what the host does not have yet.
func (h *Hosting) pieces(ctx context.Context, c *client, u *store.Upload) error {
	r, err := store.One[store.Render](h.Store.DB.WithContext(ctx), "id = ?", u.RenderID)
	if err != nil {
		return err
	}
	in, err := h.Blobs.Open(ctx, *r.SHA256)
	if err != nil {
		return err
	}
	defer in.Close()
	if u.Sent, err = c.offset(ctx, u.GoesTo); err != nil {
		return err
	}
	if _, err := in.Seek(u.Sent, io.SeekStart); err != nil {
		return err
	}
	piece := cmp.Or(h.Piece, usualPiece)
	for u.Sent < u.Size {
		b := make([]byte, min(piece, u.Size-u.Sent))
		if _, err := io.ReadFull(in, b); err != nil {
			return fmt.Errorf("reading the film: %w", err)
		}
		at, err := c.patch(ctx, u.GoesTo, u.Sent, b)
		if err != nil {
			return err
		}
		if at != u.Sent+int64(len(b)) {
			return fmt.Errorf("the host stands at %d in place of %d", at, u.Sent+int64(len(b)))
		}
		u.Sent = at
		if err := h.Store.DB.WithContext(ctx).Model(u).
			Updates(map[string]any{"sent": at, "error": ""}).Error; err != nil {
			return err
		}
	}
	return nil
}
