package shelf

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/invalid"
	"nelko/internal/media"
	"nelko/internal/store"
)

// MaxMarkBytes is the largest file of a picture that is the studio's mark.
const MaxMarkBytes = 8 << 20

// SetMark makes a picture what stands in a corner of films from now on.
func (w *Watermarks) SetMark(ctx context.Context, name string, r io.Reader) error {
	refuse := func(why string) error {
		return invalid.Field("picture", "%s cannot be the mark: %s.", name, why)
	}
	tmp, err := w.Blobs.TempFile("mark-*")
	if err != nil {
		return err
	}
	defer os.Remove(tmp.Name())
	defer tmp.Close()
	n, err := io.Copy(tmp, io.LimitReader(r, MaxMarkBytes+1))
	if err != nil {
		return err
	}
	if n > MaxMarkBytes {
		return refuse(fmt.Sprintf("it is larger than %d MB", MaxMarkBytes>>20))
	}
	l, err := media.Looker{Pictures: w.Readers, Quick: true}.LookAt(ctx, tmp.Name(), name, markSide)
	facts := l.Facts
	var refused *media.Refused
	switch {
	case errors.As(err, &refused):
		return refuse(refused.Reason)
	case errors.Is(err, media.ErrSlow):
		return refuse("reading it takes too long")
	case err != nil && !errors.Is(err, media.ErrSong):
		return err
	case facts.Kind != doc.PhotoMedia:
		return refuse("it is not a picture")
	}
	if _, err := tmp.Seek(0, io.SeekStart); err != nil {
		return err
	}
	p := store.Picture{W: facts.W, H: facts.H}
	size := int64(0)
	if p.SHA256, size, err = w.Blobs.Keep(ctx, tmp); err != nil {
		return err
	}
	return w.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := store.KeepBlob(tx, p.SHA256, size); err != nil {
			return err
		}
		return setMark(tx, &p)
	})
}

// ClearMark takes the picture off the films rendered from now on.
func (w *Watermarks) ClearMark(ctx context.Context) error {
	return w.Store.Tx(ctx, func(tx *gorm.DB) error { return setMark(tx, nil) })
}

func setMark(tx *gorm.DB, p *store.Picture) error {
	if err := tx.Model(&store.Studio{ID: 1}).Select("MarkPicture").
		Updates(store.Studio{MarkPicture: p}).Error; err != nil {
		return err
	}
	if err := store.Note(tx, store.DidSettings, 0, "Changed the studio's mark"); err != nil {
		return err
	}
	return store.Tell(tx, store.Event{What: store.StudioChanged})
}

// Marks is what the studio lays over a film: words or a picture.
type Marks struct {
	Words   string
	Picture *store.Picture
}

// Lay gives what stands on a film, and a library that holds the picture of the
// mark beside the film's own media. watermark is laid over drafts.
func (m Marks) Lay(lib doc.Library, watermark string) (scene.Options, doc.Library) {
	o := scene.Options{Watermark: watermark, Mark: m.Words}
	if m.Picture == nil {
		return o, lib
	}
	o.Picture = doc.MediaID(m.Picture.SHA256)
	with := maps.Clone(lib)
	with[o.Picture] = doc.Media{
		ID:   o.Picture,
		Kind: doc.PhotoMedia,
		Name: "the studio's mark",
		W:    m.Picture.W,
		H:    m.Picture.H,
	}
	return o, with
}

// markSide and markGround are how the mark is shown in the settings: on a
// grey on which both dark and light are seen.
const markSide = 320

var markGround = raster.RGB{R: 118, G: 118, B: 118}

// MarkImage is the picture that is the mark as a small JPEG.
func (w *Watermarks) MarkImage(ctx context.Context, p store.Picture) ([]byte, error) {
	path, err := w.Blobs.Path(ctx, p.SHA256)
	if err != nil {
		return nil, err
	}
	return w.Readers.Smaller(ctx, path, markSide, markGround)
}
