package standin

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/disc"
	"nelko/internal/store"
)

// Drive is a disc burner that burns nothing: what is written lies in a file, and
// it takes its time. It does what it is told to, so that every failure can be
// tried.
type Drive struct {
	Store *store.Store
	Dir   string // where what is burned lies
}

// Tray is what lies in the drive, and what it is told to do.
type Tray struct {
	ID        int
	disc.Tray `gorm:"embedded"`
	Fails     Failure
	Speed     int64 // bytes a second
}

// TableName implements GORM's Tabler.
func (Tray) TableName() string { return "standin_drive" }

// Failure is a way in which a drive fails.
type Failure string

// The ways. An empty drive, an open drawer and a blank that is too small are
// what lies in the tray.
const (
	Works     Failure = ""
	BadSector Failure = "sector" // what is read back is not what was written
	Dies      Failure = "dies"   // burning ends half-way
)

// ErrSpoiled means that a blank was spoiled.
var ErrSpoiled = errors.New("burning stopped half-way; the blank is spoiled")

func (d *Drive) image() string { return filepath.Join(d.Dir, "disc.img") }

// Told looks into the drive, and at what it is told to do.
func (d *Drive) Told(ctx context.Context) (t Tray, err error) {
	return t, d.Store.DB.WithContext(ctx).First(&t, "id = 1").Error
}

// Tray looks into the drive.
func (d *Drive) Tray(ctx context.Context) (disc.Tray, error) {
	t, err := d.Told(ctx)
	return t.Tray, err
}

// Set puts something in, opens or closes the drawer, tells the drive to fail:
// whatever f does to the tray.
func (d *Drive) Set(ctx context.Context, f func(t *Tray)) error {
	return d.Store.Tx(ctx, func(tx *gorm.DB) error {
		var t Tray
		if err := tx.Raw("SELECT * FROM standin_drive WHERE id = 1 FOR UPDATE").Scan(&t).Error; err != nil {
			return err
		}
		f(&t)
		return tx.Select("*").Updates(&t).Error
	})
}

// Eject opens the drawer.
func (d *Drive) Eject(ctx context.Context) error {
	return d.Set(ctx, func(t *Tray) { t.Open = true })
}

// step is how much is burned at once.
const step = 1 << 20

// Burn burns an image onto the blank and tells of each byte.
func (d *Drive) Burn(ctx context.Context, image io.Reader, size int64, tell func(done int64)) (err error) {
	t, err := d.Told(ctx)
	switch {
	case err != nil:
		return err
	case t.Open, t.Blank == "", t.Burned:
		return errors.New("there is no blank in the drive")
	case size > t.Bytes:
		return fmt.Errorf("the blank holds %.0f MB, the image has %.0f MB", float64(t.Bytes)/1e6,
			float64(size)/1e6)
	}
	if err := d.Set(ctx, func(t *Tray) { t.Burned = true }); err != nil {
		return err
	}
	if err := os.MkdirAll(d.Dir, 0o755); err != nil {
		return err
	}
	w, err := os.Create(d.image())
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, w.Close()) }()
	began, done := time.Now(), int64(0)
	for done < size {
		n, err := io.CopyN(w, image, min(step, size-done))
		done += n
		if err != nil {
			return err
		}
		if t.Fails == Dies && done >= size/2 {
			return ErrSpoiled
		}
		tell(done)
		select {
		case <-ctx.Done():
			return context.Cause(ctx)
		case <-time.After(time.Until(
			began.Add(time.Duration(float64(done) / float64(t.Speed) * float64(time.Second))))):
		}
	}
	if t.Fails == BadSector {
		_, err = w.WriteAt([]byte("scratched"), size/disc.Sector/3*disc.Sector)
	}
	return err
}

// Read reads back what lies in the drive.
func (d *Drive) Read(context.Context) (io.ReadCloser, error) { return os.Open(d.image()) }
