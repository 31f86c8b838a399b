package pressing

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Drive burns discs.
type Drive interface {
	// Tray looks at what lies in the drive.
	Tray(ctx context.Context) (discs.Tray, error)
	// Burn burns an image of a size, and tells how much of it is burned.
	Burn(ctx context.Context, image io.Reader, size int64, tell func(done int64)) error
	// Read reads back what was burned.
	Read(ctx context.Context) (io.ReadCloser, error)
	// Eject opens the drawer.
	Eject(ctx context.Context) error
}

// Burn is the job that burns a copy of a disc.
type Burn struct {
	BurnID int64 `json:"burn_id"`
}

// Kind implements river.JobArgs.
func (Burn) Kind() string { return "burn" }

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Burn) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: burning, MaxAttempts: 3} }

// trayLook is how often the tray is looked at while something is asked for;
// turnLook how often a copy looks whether it is its turn.
const (
	trayLook = time.Second
	turnLook = 2 * time.Second
)

// maxCopies is how many copies are burned from one press of a key.
const maxCopies = 50

// Copies queues copies of a disc, one after the other.
func (r *Burner) Copies(ctx context.Context, id int64, n int) error {
	if n < 1 || n > maxCopies {
		return invalid.Field("copies", "Burn 1 to %d copies at a time.", maxCopies)
	}
	x, d, err := r.Find(ctx, id)
	if err != nil {
		return err
	}
	if x.Image == nil || d.State == store.DeliveryClosed {
		return invalid.Field("copies", "The disc is not made yet.")
	}
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		// One at a time, so that two presses count on.
		if err := tx.Exec("SELECT 1 FROM discs WHERE delivery_id = ? FOR UPDATE", id).Error; err != nil {
			return err
		}
		var last int
		if err := tx.Raw("SELECT coalesce(max(copy), 0) FROM burns WHERE delivery_id = ?", id).
			Scan(&last).Error; err != nil {
			return err
		}
		for i := range n {
			b := store.Burn{
				DeliveryID: id,
				Copy:       last + i + 1,
				Words:      x.Setting.Name,
				State:      store.BurnWaiting,
				Total:      x.Size,
			}
			if err := r.queueBurn(ctx, tx, &b); err != nil {
				return err
			}
		}
		return r.Orders.Heads.NoteDelivery(ctx, tx, d, wording.Counted(n, "copy")+" to be burned")
	})
}

func (r *Burner) queueBurn(ctx context.Context, tx *gorm.DB, b *store.Burn) error {
	if err := tx.Create(b).Error; err != nil {
		return err
	}
	return r.Queue.Insert(ctx, tx, Burn{b.ID})
}

// BurnAgain burns a copy that failed, or was cancelled, onto another blank.
func (r *Burner) BurnAgain(ctx context.Context, burnID int64) error {
	b, err := store.One[store.Burn](r.Store.DB.WithContext(ctx), "id = ? AND finished_at IS NOT NULL", burnID)
	if err != nil {
		return err
	}
	return r.Copies(ctx, b.DeliveryID, 1)
}

// CancelBurn ends a copy that waits. One that is being burned goes on: the
// blank would be spoiled.
func (r *Burner) CancelBurn(ctx context.Context, burnID int64) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		b, err := store.One[store.Burn](tx, "id = ?", burnID)
		if err != nil {
			return err
		}
		res := tx.Model(&b).Where("state = ?", store.BurnWaiting).Updates(map[string]any{
			"state":       store.BurnCancelled,
			"asks":        "",
			"finished_at": r.Now(),
		})
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		return r.burnChanged(ctx, tx, b, "Copy %d cancelled", b.Copy)
	})
}

// burnChanged notes a step of a copy with its disc.
func (r *Burner) burnChanged(ctx context.Context, tx *gorm.DB, b store.Burn, said string, a ...any) error {
	d, err := store.One[store.Delivery](tx, "id = ?", b.DeliveryID)
	if err != nil {
		return err
	}
	return r.Orders.Heads.NoteDelivery(ctx, tx, d, fmt.Sprintf(said, a...))
}

// Burn burns a copy and reads it back; wait is for how long it is to be put
// off: until its turn, or until someone did what it asks for.
func (r *Burner) Burn(ctx context.Context, j Burn) (wait time.Duration, err error) {
	tx := r.Store.DB.WithContext(ctx)
	b, err := store.One[store.Burn](tx, "id = ?", j.BurnID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && b.FinishedAt != nil) {
		return 0, nil
	}
	if err != nil {
		return 0, err
	}
	if b.State != store.BurnWaiting {
		// The process that burned it died.
		return 0, r.spoiled(ctx, b.ID, "burning was interrupted; the blank is spoiled")
	}
	var earlier bool
	if err := tx.Raw("SELECT EXISTS (SELECT 1 FROM burns WHERE finished_at IS NULL AND id < ?)", b.ID).
		Scan(&earlier).Error; err != nil || earlier {
		return turnLook, err
	}
	x, d, err := r.Find(ctx, b.DeliveryID)
	if err != nil {
		return 0, err
	}
	if x.Image == nil {
		if d.State == store.DeliveryFailed || d.State == store.DeliveryClosed {
			return 0, r.spoiled(ctx, b.ID, "the disc's image is gone")
		}
		return turnLook, nil // it is being made again
	}
	t, err := r.Drive.Tray(ctx)
	if err != nil {
		return 0, err
	}
	if asks := asks(t, x, b); asks != "" {
		if asks != b.Asks {
			err = r.step(ctx, b.ID, map[string]any{"asks": asks})
		}
		return trayLook, err
	}
	if err := r.burn(ctx, x, b); err != nil {
		if ctx.Err() != nil {
			return 0, err
		}
		return 0, errors.Join(r.spoiled(ctx, b.ID, err.Error()), r.Drive.Eject(ctx))
	}
	return 0, errors.Join(r.burned(ctx, x, b), r.Drive.Eject(ctx))
}

// asks is what someone must do before a copy can be burned; empty: nothing.
func asks(t discs.Tray, x store.Disc, b store.Burn) string {
	want := fmt.Sprintf("put in a blank %s and close the drawer; write “%s” on it", x.Setting.Blank, b.Words)
	switch {
	case t.Open && t.Burned:
		return "Take the finished disc out, " + want
	case t.Open:
		return "The drawer is open: " + want
	case t.Blank == "":
		return "There is no disc in the drive: " + want
	case t.Burned:
		return "The disc in the drive is burned already: " + want
	case t.Bytes < x.Size:
		return fmt.Sprintf("The %s in the drive is too small for %.0f MB: %s", t.Blank, float64(x.Size)/1e6,
			want)
	}
	return ""
}

// step writes how far a copy is.
func (r *Burner) step(ctx context.Context, id int64, set map[string]any) error {
	return r.Store.DB.WithContext(ctx).Model(&store.Burn{}).Where("id = ? AND finished_at IS NULL", id).
		Updates(set).Error
}

// told is how often progress is written down.
const told = 500 * time.Millisecond

// burn burns and reads back.
func (r *Burner) burn(ctx context.Context, x store.Disc, b store.Burn) error {
	var last time.Time
	progress := func(done int64) {
		if now := time.Now(); now.Sub(last) > told {
			last = now
			// A step that is not written is no reason to spoil a blank.
			_ = r.step(ctx, b.ID, map[string]any{"done": done})
		}
	}
	if err := r.step(ctx, b.ID, map[string]any{
		"state": store.BurnRunning,
		"asks":  "",
		"done":  0,
		"total": x.Size,
	}); err != nil {
		return err
	}
	in, err := r.Blobs.Open(ctx, *x.Image)
	if err != nil {
		return err
	}
	defer in.Close()
	if err := r.Drive.Burn(ctx, in, x.Size, progress); err != nil {
		return err
	}
	if err := r.step(ctx, b.ID, map[string]any{"state": store.BurnVerifying, "done": 0}); err != nil {
		return err
	}
	return r.compare(ctx, x, progress)
}

// compare reads a burned disc back and compares it with its image.
func (r *Burner) compare(ctx context.Context, x store.Disc, tell func(int64)) error {
	image, err := r.Blobs.Open(ctx, *x.Image)
	if err != nil {
		return err
	}
	defer image.Close()
	back, err := r.Drive.Read(ctx)
	if err != nil {
		return err
	}
	defer back.Close()
	const chunk = 512 * discs.Sector
	want, got := make([]byte, chunk), make([]byte, chunk)
	a, b := bufio.NewReaderSize(image, chunk), bufio.NewReaderSize(back, chunk)
	for at := int64(0); at < x.Size; at += chunk {
		n := int(min(chunk, x.Size-at))
		if _, err := io.ReadFull(a, want[:n]); err != nil {
			return fmt.Errorf("reading the image: %w", err)
		}
		if m, err := io.ReadFull(b, got[:n]); err != nil {
			return fmt.Errorf("sector %d cannot be read back: %w", (at+int64(m))/discs.Sector, err)
		}
		if !bytes.Equal(want[:n], got[:n]) {
			for i := range n {
				if want[i] != got[i] {
					return fmt.Errorf("sector %d does not read back as it was written",
						(at+int64(i))/discs.Sector)
				}
			}
		}
		tell(at + int64(n))
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
	}
	return nil
}

// spoiled ends a copy that failed.
func (r *Burner) spoiled(ctx context.Context, id int64, why string) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		b, err := store.One[store.Burn](tx, "id = ? AND finished_at IS NULL", id)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := tx.Model(&b).Updates(map[string]any{
			"state":       store.BurnFailed,
			"error":       why,
			"asks":        "",
			"finished_at": r.Now(),
		}).Error; err != nil {
			return err
		}
		return r.burnChanged(ctx, tx, b, "Copy %d failed: %s", b.Copy, why)
	})
}

// burned ends a copy that was read back; it is the proof of the delivery.
func (r *Burner) burned(ctx context.Context, x store.Disc, b store.Burn) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Burn{}).Where("id = ? AND finished_at IS NULL", b.ID).Updates(map[string]any{
			"state":       store.BurnDone,
			"done":        x.Size,
			"finished_at": r.Now(),
		})
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		var n int64
		if err := tx.Model(&store.Burn{}).Where("delivery_id = ? AND state = ?", x.DeliveryID,
			store.BurnDone).Count(&n).Error; err != nil {
			return err
		}
		proof := fmt.Sprintf("%s burned and read back, the last %s", wording.Counted(int(n), "copy"),
			r.Now().Format("2 January 2006 15:04"))
		if err := tx.Model(&store.Delivery{}).Where("id = ? AND state <> ?", x.DeliveryID,
			store.DeliveryClosed).Updates(map[string]any{
			"state": store.DeliveryDone,
			"proof": proof,
		}).Error; err != nil {
			return err
		}
		return r.burnChanged(ctx, tx, b, "Copy %d burned and read back", b.Copy)
	})
}

// Queued is a copy in the list of what is burned, with its disc.
type Queued struct {
	store.Burn
	OrderID       int64
	Client, Event string
	Blank         string
}

// Percent is how much of it is burned, or read back.
func (q Queued) Percent() int { return int(100 * q.Done / max(1, q.Total)) }

// Burns lists the copies that are not over, in their order, and then the latest
// that are.
func (r *Burner) Burns(ctx context.Context) (open, over []Queued, err error) {
	q := func() *gorm.DB {
		return r.Store.DB.WithContext(ctx).Table("burns b").
			Select("b.*, d.order_id, o.client, o.event, x.setting->>'blank' AS blank").
			Joins("JOIN deliveries d ON d.id = b.delivery_id JOIN orders o ON o.id = d.order_id JOIN discs " +
				"x ON x.delivery_id = d.id")
	}
	err = errors.Join(q().Where("b.finished_at IS NULL").Order("b.id").Scan(&open).Error,
		q().Where("b.finished_at IS NOT NULL").Order("b.finished_at DESC").Limit(30).Scan(&over).Error)
	return open, over, err
}
