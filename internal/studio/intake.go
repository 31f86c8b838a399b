package studio

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/media"
	"nelko/internal/store"
)

// Receive keeps a received file and has it looked at. uploadID names the
// upload: receiving the same one twice does nothing. The file is there wholly
// or, on an error, not at all.
func (s *Studio) Receive(ctx context.Context, orderID int64, uploadID, name string, r io.Reader) (store.Media, error) {
	m := store.Media{OrderID: orderID, UploadID: uploadID, Name: media.Base(name), State: store.Waiting}
	if old, err := store.One[store.Media](s.Store.DB.WithContext(ctx).Omit("waveform"), "upload_id = ?", uploadID); err == nil {
		return old, nil
	} else if !errors.Is(err, store.ErrNotFound) {
		return m, err
	}
	var err error
	if m.SHA256, m.Size, err = s.Blobs.Put(ctx, r); err != nil {
		return m, fmt.Errorf("%s: %w", m.Name, err)
	}
	err = s.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := keepBlob(tx, m.SHA256, m.Size); err != nil {
			return err
		}
		twin, err := store.One[store.Media](tx.Omit("waveform"), "order_id = ? AND sha256 = ? AND state <> 'refused'", orderID, m.SHA256)
		if err == nil {
			m.State, m.Reason = store.Refused, fmt.Sprintf("the same file as %s, which is here already", twin.Name)
		} else if !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if err := tx.Create(&m).Error; err != nil {
			if errors.Is(err, gorm.ErrDuplicatedKey) {
				return nil // another process received the same upload
			}
			return err
		}
		if m.State == store.Refused {
			return nil
		}
		return s.enqueue(ctx, tx, Ingest{m.ID})
	})
	return m, err
}

func keepBlob(tx *gorm.DB, sha string, size int64) error {
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&store.Blob{SHA256: sha, Size: size}).Error
}

func (s *Studio) enqueue(ctx context.Context, tx *gorm.DB, j Job) error {
	raw, err := store.RawTx(tx)
	if err != nil {
		return err
	}
	return s.Queue.Insert(ctx, raw, j)
}

// thumbSide is the longer side of thumbnails in pixels: enough for the
// running order on a dense screen.
const thumbSide = 480

// DoIngest looks at a waiting file: kind, size, capture time, thumbnail,
// waveform. A file that cannot be used is refused with the reason.
func (s *Studio) DoIngest(ctx context.Context, j Ingest) error {
	m, err := store.One[store.Media](s.Store.DB.WithContext(ctx), "id = ?", j.MediaID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && m.State != store.Waiting) {
		return nil // removed, or done by an earlier attempt
	}
	if err != nil {
		return err
	}
	path, err := s.Blobs.Path(ctx, m.SHA256)
	if err != nil {
		return err
	}
	facts, wave, err := media.Probe(ctx, path, m.Name)
	var refused *media.Refused
	if err != nil && !errors.As(err, &refused) {
		return err
	}
	if refused == nil && facts.Kind != doc.SongMedia {
		if m.Thumbnail, err = s.smaller(ctx, path, facts, thumbSide); err != nil {
			return fmt.Errorf("%s: thumbnail: %w", m.Name, err)
		}
		if facts.Kind == doc.PhotoMedia && max(facts.W, facts.H) > 2*proxySide && !facts.Clear {
			if m.Proxy, err = s.smaller(ctx, path, facts, proxySide); err != nil {
				return fmt.Errorf("%s: copy for previews: %w", m.Name, err)
			}
		}
	}
	return s.Store.Tx(ctx, func(tx *gorm.DB) error {
		if refused != nil {
			m.State, m.Reason = store.Refused, refused.Reason
			if err := tx.Save(&m).Error; err != nil {
				return err
			}
			// Others may have waited for this one to be read.
			return s.enqueue(ctx, tx, Pour{m.OrderID})
		}
		m.State, m.Kind, m.Width, m.Height = store.Ready, facts.Kind, facts.W, facts.H
		m.Samples, m.LUFS, m.PeakDB, m.Waveform = int64(facts.Length), facts.LUFS, facts.PeakDB, wave
		m.Seen = &store.Seen{Faces: facts.Faces, Focus: facts.Focus, Print: facts.Print, Sound: facts.Sound, Clear: facts.Clear}
		if !facts.Captured.IsZero() {
			m.Captured = &facts.Captured
		}
		if err := tx.Save(&m).Error; err != nil {
			return err
		}
		return s.enqueue(ctx, tx, Pour{m.OrderID})
	})
}

// proxySide is the longer side of the copies that previews are made from, in
// pixels: enough for a frame of 960×540 with a zoom.
const proxySide = 1200

// smaller stores a smaller copy of a photo, or of a clip's first frame.
func (s *Studio) smaller(ctx context.Context, path string, facts doc.Media, side int) (*string, error) {
	jpg, err := media.Thumbnail(ctx, path, facts, side, media.White)
	if err != nil {
		return nil, err
	}
	sha, size, err := s.Blobs.Put(ctx, bytes.NewReader(jpg))
	if err != nil {
		return nil, err
	}
	return &sha, keepBlob(s.Store.DB.WithContext(ctx), sha, size)
}

// DoPour brings all ready media into the order's slideshow that are neither
// in it nor left out by hand.
func (s *Studio) DoPour(ctx context.Context, j Pour) error {
	w, err := s.Load(ctx, j.OrderID)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	if w.moreToCome(s.Now()) {
		return nil
	}
	used := w.Doc.Uses()
	var ids []doc.MediaID
	for _, m := range w.Media {
		id := m.DocID()
		if m.State == store.Ready && !used[id] && !slices.Contains(w.Doc.Soundtrack.Songs, id) && !slices.Contains(w.Doc.LeftOut, id) {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	_, err = s.Edit(ctx, j.OrderID, w.Slideshow.Head, edit.Pour{Media: ids}, nil)
	return err // a conflict is tried again by the queue
}

// pourEvery is the least time between two pours while files are being read.
const pourEvery = 3 * time.Second

// moreToCome reports whether the program poured a moment ago and files are
// still being read: each of them brings a pour of its own, so this one can be
// left out and the history stays short.
func (w *Work) moreToCome(now time.Time) bool {
	if w.Revision.AuthorID != nil || now.Sub(w.Revision.CreatedAt) > pourEvery {
		return false
	}
	return slices.ContainsFunc(w.Media, func(m store.Media) bool { return m.State == store.Waiting })
}

// Dismiss forgets a refused file.
func (s *Studio) Dismiss(ctx context.Context, orderID, mediaID int64) error {
	return s.Store.DB.WithContext(ctx).Where("id = ? AND order_id = ? AND state = 'refused'", mediaID, orderID).Delete(&store.Media{}).Error
}

// Conflict means that someone else changed the slideshow since the caller
// looked at it. Nothing was changed.
type Conflict struct {
	By    string
	At    time.Time
	Title string
}

func (c *Conflict) Error() string {
	return fmt.Sprintf("%s changed this slideshow meanwhile (%s). Your change was not made; this is how it stands now.", c.By, lowerFirst(c.Title))
}

func lowerFirst(s string) string {
	if s == "" {
		return s
	}
	return string(s[0]|0x20) + s[1:]
}

// Edit applies op to revision base of an order's slideshow and makes it the
// head. When the head has moved on, the edit is applied to the head if only
// the program itself brought in material meanwhile; otherwise a *Conflict is
// returned.
func (s *Studio) Edit(ctx context.Context, orderID int64, base int, op edit.Op, author *int64) (int, error) {
	return s.change(ctx, orderID, base, func(tx *gorm.DB, w *Work) (int, error) {
		d, err := edit.Do(w.Doc, op, edit.Context{Theme: w.Theme, Library: w.Library, Words: w.wordsBox})
		if err != nil {
			return 0, err
		}
		b, err := d.Marshal()
		if err != nil {
			return 0, err
		}
		if before, err := w.Doc.Marshal(); err == nil && bytes.Equal(before, b) {
			return w.Slideshow.Head, nil // nothing changed: no step to undo
		}
		var top int
		if err := tx.Model(&store.Revision{}).Where("slideshow_id = ?", w.Slideshow.ID).Select("max(number)").Scan(&top).Error; err != nil {
			return 0, err
		}
		r := store.Revision{SlideshowID: w.Slideshow.ID, Number: top + 1, Parent: w.Slideshow.Head, Title: op.Title(), AuthorID: author, Document: b}
		return r.Number, tx.Create(&r).Error
	})
}

// Undo moves an order's slideshow back to the revision before base.
func (s *Studio) Undo(ctx context.Context, orderID int64, base int) (int, error) {
	return s.change(ctx, orderID, base, func(_ *gorm.DB, w *Work) (int, error) {
		if w.Revision.Parent == 0 {
			return 0, &Invalid{"undo", "There is nothing to undo."}
		}
		return w.Revision.Parent, nil
	})
}

// Redo moves an order's slideshow forward again to the newest edit of base.
func (s *Studio) Redo(ctx context.Context, orderID int64, base int) (int, error) {
	return s.change(ctx, orderID, base, func(tx *gorm.DB, w *Work) (int, error) {
		var next *int
		err := tx.Model(&store.Revision{}).Where("slideshow_id = ? AND parent = ?", w.Slideshow.ID, w.Slideshow.Head).
			Select("max(number)").Scan(&next).Error
		if err == nil && next == nil {
			return 0, &Invalid{"redo", "There is nothing to redo."}
		}
		if err != nil {
			return 0, err
		}
		return *next, nil
	})
}

// change moves the head of an order's slideshow under a lock, after checking
// that base is still what the caller sees.
func (s *Studio) change(ctx context.Context, orderID int64, base int, to func(*gorm.DB, *Work) (int, error)) (int, error) {
	head := 0
	err := s.Store.Tx(ctx, func(tx *gorm.DB) error {
		w := &Work{}
		var err error
		if w.Slideshow, err = store.One[store.Slideshow](tx.Clauses(clause.Locking{Strength: "UPDATE"}), "order_id = ?", orderID); err != nil {
			return fmt.Errorf("order %d: %w", orderID, err)
		}
		if err := s.checkBase(tx, w.Slideshow, base); err != nil {
			return err
		}
		if w.Revision, err = store.One[store.Revision](tx, "slideshow_id = ? AND number = ?", w.Slideshow.ID, w.Slideshow.Head); err != nil {
			return err
		}
		if w.Media, err = listMedia(tx, orderID); err != nil {
			return err
		}
		if err := w.layOut(); err != nil {
			return err
		}
		if head, err = to(tx, w); err != nil {
			return err
		}
		return tx.Model(&store.Slideshow{}).Where("id = ?", w.Slideshow.ID).Update("head", head).Error
	})
	return head, err
}

// checkBase walks from the head back to base; steps of the program itself may
// lie between, steps of people not.
func (s *Studio) checkBase(tx *gorm.DB, show store.Slideshow, base int) error {
	for at := show.Head; at != base; {
		r, err := store.One[store.Revision](tx.Omit("document"), "slideshow_id = ? AND number = ?", show.ID, at)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if err != nil || r.AuthorID != nil {
			return s.conflict(tx, show, r)
		}
		at = r.Parent
	}
	return nil
}

func (s *Studio) conflict(tx *gorm.DB, show store.Slideshow, r store.Revision) error {
	c := &Conflict{By: "Someone else", At: r.CreatedAt, Title: r.Title}
	if r.Number == 0 {
		// Undone past base: name the step that is the head now.
		if h, err := store.One[store.Revision](tx.Omit("document"), "slideshow_id = ? AND number = ?", show.ID, show.Head); err == nil {
			c.Title = "went back to: " + h.Title
		}
	}
	if r.AuthorID != nil {
		if u, err := store.One[store.User](tx, "id = ?", *r.AuthorID); err == nil {
			c.By = u.Name
		}
	}
	return c
}
