package pressing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"gorm.io/gorm"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/profile"
	"nelko/internal/disc"
	"nelko/internal/disc/player"
	"nelko/internal/film"
	"nelko/internal/render"
	"nelko/internal/store"
)

// Press makes a disc's image once all its films are rendered; wait is for how
// long it is to be put off.
func (h *Images) Press(ctx context.Context, j Press) (wait time.Duration, err error) {
	x, d, err := h.Find(ctx, j.DeliveryID)
	if errors.Is(err, store.ErrNotFound) ||
		(err == nil && (d.State == store.DeliveryClosed || x.Image != nil)) {
		return 0, nil
	}
	if err != nil {
		return 0, err
	}
	films, err := h.films(ctx, x)
	if err != nil {
		return 0, err
	}
	for i, r := range films {
		switch r.State {
		case store.RenderDone:
		case store.RenderFailed, store.RenderCancelled:
			return 0, h.discs.failed(ctx, d.ID, fmt.Sprintf("the film of %s: %s", x.Setting.Titles[i].Name,
				cause(r)))
		default:
			return filmsLook, nil
		}
		if r.Damage != "" {
			return filmsLook, nil // it is made again
		}
	}
	if err := h.discs.set(ctx, d.ID, store.DeliveryRunning, map[string]any{"error": ""}, ""); err != nil {
		return 0, err
	}
	begun := time.Now()
	err = h.Blobs.Blame(ctx, begun, h.press(ctx, x, films))
	if errors.Is(err, store.ErrAway) {
		return filmsLook, h.discs.set(ctx, d.ID, store.DeliveryWaiting,
			map[string]any{"error": store.ErrAway.Error()}, "")
	}
	if store.Full(err) || errors.Is(err, render.ErrFull) {
		return fullLook, h.discs.set(ctx, d.ID, store.DeliveryWaiting,
			map[string]any{"error": render.ErrFull.Error()}, "")
	}
	return 0, err
}

func cause(r store.Render) string {
	if r.State == store.RenderCancelled {
		return "rendering was cancelled"
	}
	return r.Error
}

// onDisc is a film as a disc takes it.
type onDisc struct {
	*film.Film
	name, file, poster string
	profile            profile.Profile
}

// gather brings a disc's films and their posters into a folder.
func (h *Images) gather(ctx context.Context, x store.Disc, films []store.Render, dir string) (out []onDisc,
	err error) {
	for i, r := range films {
		o := onDisc{name: x.Setting.Titles[i].Name, profile: *r.Setting}
		if o.file, err = h.Blobs.Path(ctx, *r.SHA256); err != nil {
			return nil, err
		}
		// Named like a film, for pages that link to it.
		named := filepath.Join(dir, fmt.Sprintf("%03d.%s", i+1, r.Setting.File.Extension))
		if err := disc.Link(o.file, named); err != nil {
			return nil, err
		}
		o.file = named
		if o.Film, err = h.Orders.FilmOf(ctx, r); err != nil {
			return nil, err
		}
		if i == 0 || x.Setting.Titles[i].OrderID != x.Setting.Titles[i-1].OrderID {
			if o.poster, err = h.poster(ctx, r,
				filepath.Join(dir, fmt.Sprintf("%03d.jpg", i+1))); err != nil {
				return nil, err
			}
		}
		out = append(out, o)
	}
	return out, nil
}

// posterWidth is how large posters are drawn for menus and paper.
const posterWidth = 960

// poster draws a film's poster frame into a file, in square pixels whatever the
// disc has.
func (h *Images) poster(ctx context.Context, r store.Render, path string) (string, error) {
	jpg, err := h.Poster(ctx, r)
	if err != nil {
		return "", err
	}
	return path, os.WriteFile(path, jpg, 0o600)
}

// Poster draws a film's poster frame as a JPEG.
func (h *room) Poster(ctx context.Context, r store.Render) ([]byte, error) {
	look := profile.Look(posterWidth, r.Setting.Rate)
	look.Shape = r.Setting.Shape
	r.Setting = &look
	f, err := h.Orders.FilmOf(ctx, r)
	if err != nil {
		return nil, err
	}
	lane := h.Making.Sprites.Lane(ctx, f.Library, false)
	defer lane.Close()
	return f.Still(lane, f.Poster(), 90)
}

// press makes the image in a folder of its own and keeps it.
func (h *Images) press(ctx context.Context, x store.Disc, films []store.Render) error {
	dir, err := h.Blobs.TempDir("disc-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	list, err := h.gather(ctx, x, films, dir)
	if err != nil {
		return err
	}
	out := filepath.Join(dir, "out.iso")
	if x.Setting.Kind == store.DataDisc {
		err = h.data(ctx, x, films, list, out)
	} else {
		err = h.video(ctx, x, list, out)
	}
	if err != nil {
		return err
	}
	var guide json.RawMessage
	if x.Setting.Kind == store.DVDVideo {
		if guide, err = walked(out, len(list)); err != nil {
			return fmt.Errorf("the disc does not play as it should: %w", err)
		}
	}
	return h.keep(ctx, x, out, guide)
}

// walked steps through a DVD-Video and checks that each film is reached.
func walked(path string, films int) (json.RawMessage, error) {
	g, err := player.Walk(path)
	if err != nil {
		return nil, err
	}
	if len(g.Titles) != films {
		return nil, fmt.Errorf("it has %d films, not %d", len(g.Titles), films)
	}
	reached := map[player.Place]bool{g.First: true}
	for _, page := range g.Pages {
		for _, b := range page.Buttons {
			reached[b.To] = true
			for _, then := range b.Then {
				reached[then] = true
			}
		}
	}
	for n := range films {
		if len(g.Pages) > 0 && !reached[player.Place{Title: n + 1}] {
			return nil, fmt.Errorf("no button leads to film %d", n+1)
		}
	}
	return json.Marshal(g)
}

func (h *Images) keep(ctx context.Context, x store.Disc, path string, guide json.RawMessage) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	sha, size, err := h.Blobs.Put(ctx, f)
	if err != nil {
		return err
	}
	blank, _ := discs.Named(x.Setting.Blank)
	said := fmt.Sprintf("The image is made: %.0f MB, %.0f MB to spare", float64(size)/1e6,
		float64(blank.Bytes()-size)/1e6)
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = ? AND state <> ?", x.DeliveryID, store.DeliveryClosed)
		if errors.Is(err, store.ErrNotFound) {
			return nil // taken back meanwhile
		}
		if err != nil {
			return err
		}
		if err := store.KeepBlob(tx, sha, size); err != nil {
			return err
		}
		now := h.Now()
		if err := tx.Model(&x).Updates(map[string]any{
			"image":       sha,
			"size":        size,
			"guide":       guide,
			"tools":       h.Orders.House.Tools.String(),
			"error":       "",
			"pressed_at":  now,
			"verified_at": now,
		}).Error; err != nil {
			return err
		}
		// Made, not yet with the client: it waits to be burned.
		if err := tx.Model(&d).Update("state", store.DeliveryWaiting).Error; err != nil {
			return err
		}
		return h.Orders.Heads.NoteDelivery(ctx, tx, d, said)
	})
}

// video makes a DVD-Video or an HD disc.
func (h *Images) video(ctx context.Context, x store.Disc, list []onDisc, out string) error {
	set := x.Setting
	st, err := h.Shelf.Studio(ctx)
	if err != nil {
		return err
	}
	blank, _ := discs.Named(set.Blank)
	spec := disc.Spec{
		Name:      set.Name,
		Profile:   list[0].profile,
		Blank:     blank,
		Theme:     list[0].Theme,
		Shelf:     h.Shelf.Themes,
		Language:  disc.Language(st.Language),
		Menu:      menuOf(set),
		PlayFirst: set.PlayFirst,
		Loop:      set.Loop,
	}
	if spec.Menu != nil && set.Music != "" {
		if spec.Menu.Music, err = h.Blobs.Path(ctx, set.Music); err != nil {
			return err
		}
	}
	if set.Subtitles != "" {
		c, err := colour(set.Colour)
		if err != nil {
			return err
		}
		spec.Subtitles = &disc.Subtitles{On: set.Subtitles == "on", Colour: c}
	}
	for _, o := range list {
		t := disc.Title{
			File:     o.file,
			Name:     o.name,
			Frames:   o.Frames(),
			Rate:     o.Doc.Rate,
			Chapters: o.Chapters(),
			Lines:    o.Captions(),
			Poster:   o.poster,
		}
		if set.Every > 0 {
			t.Chapters = o.Plan.Every(set.Every)
		}
		spec.Titles = append(spec.Titles, t)
	}
	if set.Kind == store.HDVideo {
		return disc.BDMV(ctx, spec, out, "")
	}
	return disc.DVD(ctx, spec, out, "")
}

// data makes a data disc with a page that plays its films.
func (h *Images) data(ctx context.Context, x store.Disc, films []store.Render, list []onDisc,
	out string) error {
	var files []disc.File
	for i, o := range list {
		files = append(files, disc.File{
			Path:    o.file,
			Title:   o.name,
			Profile: o.profile.Name,
			Plays:   o.profile.Plays(),
			Seconds: films[i].Seconds,
			Bytes:   films[i].Size,
			Poster:  o.poster,
		})
	}
	blank, _ := discs.Named(x.Setting.Blank)
	return disc.Data(ctx, x.Setting.Name, files, blank.Bytes(), out)
}

// Verify reads discs' images back, those first that were looked at longest ago,
// and has those made again that are damaged: all of them, or those not looked at
// for a month and at most so many. It tells of how many files it read and what
// was wrong.
func (h *Images) Verify(ctx context.Context, all bool, most int) (files int, damaged []string, err error) {
	q := h.Store.DB.WithContext(ctx).Where("image IS NOT NULL")
	if !all {
		q = q.Where("verified_at < ?", h.Now().AddDate(0, -1, 0)).Limit(most)
	}
	var list []store.Disc
	if err := q.Order("verified_at, delivery_id").Find(&list).Error; err != nil {
		return 0, nil, err
	}
	for _, x := range list {
		why, _, err := h.Blobs.Damaged(ctx, *x.Image, "the image")
		if err != nil {
			return files, damaged, err
		}
		files++
		if why == "" {
			if err := h.Store.DB.WithContext(ctx).Model(&x).Update("verified_at", h.Now()).Error; err != nil {
				return files, damaged, err
			}
			continue
		}
		damaged = append(damaged, fmt.Sprintf("disc %d, %s: %s", x.DeliveryID, x.Setting.Name, why))
		if err := h.mend(ctx, x, why); err != nil {
			return files, damaged, err
		}
	}
	return files, damaged, nil
}

// mend has a damaged image made again; what is left of it goes, so that a new
// one takes its place.
func (h *Images) mend(ctx context.Context, x store.Disc, why string) error {
	if err := h.Blobs.Delete(ctx, *x.Image); err != nil {
		return err
	}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = ?", x.DeliveryID)
		if err != nil {
			return err
		}
		if err := tx.Model(&x).Updates(map[string]any{
			"image": nil,
			"guide": nil,
			"error": why,
		}).Error; err != nil {
			return err
		}
		if err := h.Queue.Insert(ctx, tx, Press{d.ID}); err != nil {
			return err
		}
		return h.Orders.Heads.NoteDelivery(ctx, tx, d, "Damaged, and made again: "+why)
	})
}

func (h *room) image(ctx context.Context, x store.Disc) (string, error) {
	if x.Image == nil {
		return "", store.ErrNotFound
	}
	return h.Blobs.Path(ctx, *x.Image)
}
