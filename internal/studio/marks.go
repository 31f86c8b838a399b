package studio

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/media"
	"nelko/internal/store"
)

// MaxMarkBytes is the largest file of a picture that is the studio's mark.
const MaxMarkBytes = 8 << 20

// SetMark makes a picture what stands in a corner of films from now on.
func (s *Studio) SetMark(ctx context.Context, name string, r io.Reader) error {
	refuse := func(why string) error {
		return &Invalid{"picture", fmt.Sprintf("%s cannot be the mark: %s.", name, why)}
	}
	tmp, err := os.CreateTemp(s.Blobs.Cache(), "mark-*")
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
	facts, _, err := media.Probe(ctx, tmp.Name(), name)
	var refused *media.Refused
	switch {
	case errors.As(err, &refused):
		return refuse(refused.Reason)
	case err != nil:
		return err
	case facts.Kind != doc.PhotoMedia:
		return refuse("it is not a picture")
	}
	if _, err := tmp.Seek(0, io.SeekStart); err != nil {
		return err
	}
	p := store.Picture{W: facts.W, H: facts.H}
	size := int64(0)
	if p.SHA256, size, err = s.Blobs.Put(ctx, tmp); err != nil {
		return err
	}
	return s.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := keepBlob(tx, p.SHA256, size); err != nil {
			return err
		}
		return tx.Model(&store.Studio{ID: 1}).Select("MarkPicture").Updates(store.Studio{MarkPicture: &p}).Error
	})
}

// ClearMark takes the picture off the films rendered from now on.
func (s *Studio) ClearMark(ctx context.Context) error {
	return s.Store.DB.WithContext(ctx).Model(&store.Studio{ID: 1}).Select("MarkPicture").Updates(store.Studio{}).Error
}

// marked is a film's media, and with them the picture that is the mark, if
// there is one, under the name given.
func marked(list []store.Media, p *store.Picture) ([]store.Media, doc.MediaID) {
	if p == nil {
		return list, ""
	}
	m := store.Media{Name: "the studio's mark", State: store.Ready, Kind: doc.PhotoMedia, SHA256: p.SHA256, Width: p.W, Height: p.H} // no order's medium has the row 0
	return append(list[:len(list):len(list)], m), m.DocID()
}

// markSide and markGround are how the mark is shown in the settings: on a
// grey on which both dark and light are seen.
const markSide = 320

var markGround = raster.RGB{R: 118, G: 118, B: 118}

// MarkImage is the picture that is the mark as a small JPEG.
func (s *Studio) MarkImage(ctx context.Context, p store.Picture) ([]byte, error) {
	path, err := s.Blobs.Path(ctx, p.SHA256)
	if err != nil {
		return nil, err
	}
	return media.Thumbnail(ctx, path, doc.Media{Kind: doc.PhotoMedia, W: p.W, H: p.H}, markSide, markGround)
}

// draft is what stands on a played preview.
func (w *Work) draft() scene.Options {
	return scene.Options{Watermark: w.Settings.Watermark, Mark: w.Settings.Mark}
}

// final is what stands on a film.
func (w *Work) final() scene.Options { return scene.Options{Mark: w.Settings.Mark} }
