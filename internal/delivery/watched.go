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

	"gorm.io/gorm"

	"nelko/internal/accounts"
	"nelko/internal/core/profile"
	"nelko/internal/core/wording"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/token"
)

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
func (h *Links) Open(ctx context.Context, key string, film int64) (Watched, error) {
	tx := h.Store.DB.WithContext(ctx)
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
	if !w.Link.Open(h.Now()) || w.Order.DeletedAt != nil {
		return w, ErrClosed
	}
	if w.Link.Proof {
		w.Render, err = store.One[store.Render](tx.Order("id DESC"),
			"order_id = ? AND profile = ? AND state = 'done'", w.Order.ID, profile.Proof.Name)
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
	w.Sizes, err = h.sizes(tx, w.Render)
	return w, err
}

// Films are all films a link shows, the first played first; of a proof none.
func (h *Links) Films(ctx context.Context, w Watched) ([]Shown, error) {
	if w.Link.Proof {
		return nil, nil
	}
	return h.films(h.Store.DB.WithContext(ctx), w.Delivery.ID)
}

// filmsOf are the renders of a delivery, in their order; of none, not found.
func filmsOf(tx *gorm.DB, id int64) (out []int64, err error) {
	err = tx.Raw("SELECT render_id FROM delivery_renders WHERE delivery_id = ? ORDER BY position, render_id",
		id).Scan(&out).Error
	if err == nil && len(out) == 0 {
		err = fmt.Errorf("the films of delivery %d: %w", id, store.ErrNotFound)
	}
	return out, err
}

// films are the films of a delivery, in their order.
func (h *room) films(tx *gorm.DB, id int64) (out []Shown, err error) {
	var all []store.Render
	if err := tx.Joins("JOIN delivery_renders dr ON dr.render_id = renders.id AND dr.delivery_id = ?", id).
		Order("dr.position, renders.id").Find(&all).Error; err != nil {
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
func (h *Links) SizeOf(ctx context.Context, w Watched, id int64) (store.Render, bool) {
	if r, ok := w.Size(id); ok {
		return r, true
	}
	tx := h.Store.DB.WithContext(ctx)
	// Of its films those that can have it: of the same revision.
	var films []store.Render
	if err := tx.Joins("JOIN delivery_renders dr ON dr.render_id = renders.id AND dr.delivery_id = ?",
		w.Delivery.ID).
		Where("(slideshow_id, revision) = (SELECT slideshow_id, revision FROM renders WHERE id = ?)", id).
		Find(&films).Error; err != nil {
		return store.Render{}, false
	}
	for _, x := range films {
		sizes, err := h.sizes(tx, x)
		if r, ok := (Watched{Render: x, Sizes: sizes}).Size(id); ok && err == nil {
			return r, true
		}
	}
	return store.Render{}, false
}

// sizes are the finished renders of the same film that can be streamed, the
// latest of each profile, the largest first.
func (h *room) sizes(tx *gorm.DB, r store.Render) ([]store.Render, error) {
	var all []store.Render
	if err := tx.Where("slideshow_id = ? AND revision = ? AND shape = ? AND state = 'done' AND stream IS "+
		"NOT NULL AND profile <> ?", r.SlideshowID, r.Revision, r.Shape, profile.Proof.Name).Order("id DESC").
		Find(&all).Error; err != nil {
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
func (h *Links) OrderOf(ctx context.Context, w Watched, r store.Render) (store.Order, error) {
	if r.OrderID == w.Order.ID {
		return w.Order, nil
	}
	return store.One[store.Order](h.Store.DB.WithContext(ctx), "id = ?", r.OrderID)
}

// Unlock checks a link's password.
func (h *Links) Unlock(w Watched, password string) bool {
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
func (h *Links) Admit(ctx context.Context, w Watched, device string) error {
	if w.Link.Devices == 0 {
		return nil
	}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		// One at a time, so that two new devices do not both take the last place.
		if err := tx.Exec("SELECT 1 FROM links WHERE id = ? FOR UPDATE", w.Link.ID).Error; err != nil {
			return err
		}
		var known, all int64
		q := func() *gorm.DB { return tx.Model(&store.LinkDevice{}).Where("link_id = ?", w.Link.ID) }
		if err := errors.Join(q().Where("device = ?", token.Hash(device)).Count(&known).Error,
			q().Count(&all).Error); err != nil || known > 0 {
			return err
		}
		if all >= int64(w.Link.Devices) {
			return ErrDevices
		}
		return tx.Create(&store.LinkDevice{
			LinkID: w.Link.ID,
			Device: token.Hash(device),
			SeenAt: h.Now(),
		}).Error
	})
}

// CountDownload notes that a film was downloaded.
func (h *Links) CountDownload(ctx context.Context, w Watched) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&store.Link{}).Where("id = ?", w.Link.ID).Update("downloads",
			gorm.Expr("downloads + 1")).Error; err != nil {
			return err
		}
		if err := store.Note(tx, store.DidWatch, w.Order.ID, "Downloaded: "+w.Delivery.Title); err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: w.Order.ID})
	})
}

// CountView notes that a link's film was opened.
func (h *Links) CountView(ctx context.Context, w Watched) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		err := tx.Model(&store.Link{}).Where("id = ?", w.Link.ID).Updates(map[string]any{
			"views":     gorm.Expr("views + 1"),
			"last_view": h.Now(),
		}).Error
		if err != nil {
			return err
		}
		if err := store.Note(tx, store.DidWatch, w.Order.ID, "Watched: "+w.Delivery.Title); err != nil {
			return err
		}
		err = tx.Model(&store.Delivery{}).Where("id = ? AND proof = ''", w.Delivery.ID).
			Update("proof", "watched "+h.Now().Format("2 January 2006 15:04")).Error
		if err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: w.Order.ID})
	})
}
