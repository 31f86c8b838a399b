// Package intake is how material comes in: files are kept exactly as received,
// looked at in the background, and poured into the slideshow.
package intake

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/invalid"
	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/store"
)

// Read is the job that looks at a received file.
type Read struct {
	MediaID int64 `json:"media_id"`
	Song    bool  `json:"song,omitempty"` // likely to be a song
	Slow    bool  `json:"slow,omitempty"` // found to take longer than most files
	Of      int64 `json:"of,omitempty"`   // whose it is: an order, or a Run below zero; 0: the studio's music
}

// Kind implements river.JobArgs.
func (Read) Kind() string { return "ingest" }

// The queues of the room. Reading files never waits for anything else, nor
// anything else for it; and photos and short looks at clips wait for nothing
// that takes longer than they do.
const (
	reading = "reading"
	songs   = "songs"
	slow    = "slow"
	pours   = "pours"
)

// fullFor is how long a file waits for room on a full disk before it is looked
// at again.
const fullFor = 10 * time.Second

// InsertOpts implements river.JobArgsWithInsertOpts.
func (r Read) InsertOpts() river.InsertOpts {
	o := river.InsertOpts{Queue: reading, MaxAttempts: 8, Priority: 2}
	switch {
	case r.Slow:
		o.Queue = slow
	case r.Song:
		o.Queue = songs
	}
	return o
}

// turnsFrom is when the first file of everyone is due.
var turnsFrom = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// toRead has a file looked at. Orders take turns: the first files of all come before the second ones.
func (h *room) toRead(ctx context.Context, tx *gorm.DB, m *store.Media, r Read) error {
	r.MediaID = m.ID
	switch {
	case m.RunID != nil:
		r.Of = -*m.RunID
	case m.OrderID != nil:
		r.Of = *m.OrderID
	}
	var place int64
	err := tx.Raw("SELECT count(*) FROM river_job WHERE kind = ? AND queue = ? AND finalized_at IS NULL "+
		"AND coalesce((args->>'of')::bigint, 0) = ?",
		r.Kind(), r.InsertOpts().Queue, r.Of).Scan(&place).Error
	if err != nil {
		return err
	}
	if err := h.Queue.Insert(ctx, tx, r); err != nil {
		return err
	}
	turn := turnsFrom.Add(time.Duration(place) * time.Second)
	return queue.Move(tx, r.Kind(), "media_id", []int64{m.ID}, &turn)
}

// sounds are the endings of files that are likely to be songs.
var sounds = []string{".mp3", ".m4a", ".aac", ".flac", ".wav", ".ogg", ".opus", ".aif", ".aiff", ".wma"}

// Jobs implements queue.Room.
func (in *Intake) Jobs(js *queue.Jobs) {
	js.Serve(reading, 2)
	js.Serve(songs, 2)
	js.Serve(slow, 1)
	js.Serve(pours, 2)
	queue.Handle(js, queue.Kind[Read]{
		Needs: in.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Read]) error {
			err := in.Reader.Read(ctx, j.Args)
			if store.Full(err) {
				return queue.Later(fullFor) // nothing is wrong with the file
			}
			return err
		},
		Refuse: in.Reader.refuse,
	})
	js.Serve(fetching, 1)
	queue.Handle(js, queue.Kind[Fetch]{
		Needs: in.Blobs.Here,
		Work:  func(ctx context.Context, j queue.Job[Fetch]) error { return in.Source.Fetch(ctx, j.Args) },
	})
	queue.Handle(js, queue.Kind[Pour]{
		Needs: in.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Pour]) error {
			err := in.Pourer.Pour(ctx, j.Args)
			var c *orders.Conflict
			if errors.As(err, &c) {
				return queue.Later(time.Second)
			}
			return err
		},
	})
}

// Receive keeps a received file and has it looked at. uploadID names the
// upload: receiving the same one twice does nothing. The file is there wholly
// or, on an error, not at all.
func (h *Receiver) Receive(ctx context.Context, orderID int64, uploadID, name string,
	r io.Reader) (store.Media, error) {
	return h.receive(ctx, store.Media{OrderID: &orderID, UploadID: uploadID, Name: media.Base(name)}, r)
}

// Known is a file of which more is known than it says itself.
type Known struct {
	OrderID      int64
	Upload, Name string
	Captured     *time.Time // put right; nil: as the file says
	Stars        int
	Sent         *time.Time // nil: when it arrives
}

// ReceiveKnown is Receive of a file of which more is known.
func (h *Receiver) ReceiveKnown(ctx context.Context, k Known, r io.Reader) (store.Media, error) {
	return h.receive(ctx, store.Media{
		OrderID:  &k.OrderID,
		UploadID: k.Upload,
		Name:     k.Name,
		Captured: k.Captured,
		Stars:    k.Stars,
		SentAt:   k.Sent,
	}, r)
}

func (h *room) receive(ctx context.Context, m store.Media, r io.Reader) (store.Media, error) {
	orderID, uploadID := *m.OrderID, m.UploadID
	if old, err := store.One[store.Media](h.Store.DB.WithContext(ctx).Omit("waveform"), "upload_id = ?",
		uploadID); err == nil {
		return old, nil
	} else if !errors.Is(err, store.ErrNotFound) {
		return m, err
	}
	var err error
	if m.SHA256, m.Size, err = h.Blobs.Keep(ctx, r); err != nil {
		return m, fmt.Errorf("%s: %w", m.Name, err)
	}
	err = h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := store.KeepBlob(tx, m.SHA256, m.Size); err != nil {
			return err
		}
		if err := h.Take(ctx, tx, &m); err != nil {
			return err
		}
		if err := store.Note(tx, store.DidUpload, orderID, m.Name); err != nil {
			return err
		}
		// Where others are being read already, their pour will say what there is.
		var others int64
		err := tx.Model(&store.Media{}).Where("order_id = ? AND state = 'waiting' AND id <> ?", orderID,
			m.ID).Limit(1).Count(&others).Error
		if err != nil {
			return err
		}
		if others == 0 || m.State == store.Refused {
			return h.Orders.Days.Changed(ctx, tx, orderID)
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: orderID})
	})
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		// another process received the same upload
		return store.One[store.Media](h.Store.DB.WithContext(ctx).Omit("waveform"), "upload_id = ?",
			uploadID)
	}
	return m, err
}

// Take registers a file whose content is kept as a medium of an order or of a
// Run, and has it looked at. One that is there already is refused.
func (h *room) Take(ctx context.Context, tx *gorm.DB, m *store.Media) error {
	m.State = store.Waiting
	if err := h.hold(tx, m); err != nil {
		return err
	}
	// A pattern's own material is the Run's, so that all rows may show it.
	if m.OrderID != nil {
		var runs []int64
		if err := tx.Model(&store.Run{}).Where("pattern_id = ?", *m.OrderID).
			Pluck("id", &runs).Error; err != nil {
			return err
		}
		if len(runs) > 0 {
			m.OrderID, m.RunID = nil, &runs[0]
		}
	}
	twin, err := store.One[store.Media](tx.Omit("waveform"),
		"(order_id = ? OR run_id = ?) AND (sha256 = ? OR original = ?) AND state <> 'refused'", m.OrderID,
		m.RunID, m.SHA256, m.SHA256)
	if err == nil {
		m.State, m.Reason = store.Refused, store.SameAs(twin)
		if twin.Damage != "" {
			// It was stored with this one.
			if err := tx.Model(&store.Media{}).Where("sha256 = ?", twin.SHA256).Updates(map[string]any{
				"damage":      "",
				"verified_at": nil,
			}).Error; err != nil {
				return err
			}
		}
	} else if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if m.State != store.Refused && m.ClientPageID != nil {
		if m.Reason, err = h.tooMuch(tx, m); err != nil {
			return err
		}
		if m.Reason != "" {
			m.State = store.Refused
		}
	}
	if err := tx.Create(m).Error; err != nil || m.State == store.Refused {
		return err
	}
	return h.toRead(ctx, tx, m, Read{Song: slices.Contains(sounds, strings.ToLower(path.Ext(m.Name)))})
}

// home is the order whose film a medium goes into; 0 if there is none.
func home(tx *gorm.DB, m *store.Media) (int64, error) {
	if m.OrderID != nil {
		return *m.OrderID, nil
	}
	if m.RunID == nil {
		return 0, nil
	}
	r, err := store.One[store.Run](tx.Select("id", "pattern_id"), "id = ?", *m.RunID)
	if err != nil || r.PatternID == nil {
		return 0, err
	}
	return *r.PatternID, nil
}

// MayReceive tells whether there is an order to bring files into.
func (h *room) MayReceive(ctx context.Context, orderID int64) error {
	_, err := store.One[store.Order](h.Store.DB.WithContext(ctx), "id = ? AND deleted_at IS NULL", orderID)
	if errors.Is(err, store.ErrNotFound) {
		return invalid.Field("order", "there is no such order")
	}
	return err
}
