package media

import (
	"context"
	"errors"
	"fmt"
	"math"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/media/vips"
)

// Looked is what is known of a file that was looked at.
type Looked struct {
	Facts doc.Media
	Wave  []byte // of a song; see Probe
	Thumb []byte // JPEG; nil for songs
	Small []byte // JPEG of a large photo for previews, SmallSide; nil where the photo itself will do
}

// copyQuality is the JPEG quality of thumbnails and small copies.
const copyQuality = 82

// LookAtPicture is LookAt of a picture, in this process. What is no picture is
// vips.ErrFormat.
func LookAtPicture(path, name string, side int) (l Looked, err error) {
	h, err := header(path)
	if err != nil {
		return l, err
	}
	large := max(h.Width, h.Height) > 2*SmallSide
	read := side
	if large {
		read = SmallSide
	}
	var p raster.Pixels
	if l.Facts, p, err = photo(doc.Media{Name: name}, h, path, read); err != nil {
		return l, err
	}
	if l.Thumb, err = smaller(p, side); err == nil && large && !l.Facts.Clear {
		l.Small, err = smaller(p, SmallSide)
	}
	return l, err
}

// smaller is a JPEG of pixels, at most side on their longer side.
func smaller(p raster.Pixels, side int) ([]byte, error) {
	if k := math.Min(1, float64(side)/float64(max(p.W, p.H))); k < 1 {
		var err error
		if p, err = vips.Resize(p, max(1, int(float64(p.W)*k)), max(1, int(float64(p.H)*k))); err != nil {
			return nil, err
		}
	}
	return vips.JPEG(Flatten(p, White), copyQuality)
}

// LookAt finds out all that is to be known of a file, and makes its thumbnail,
// side pixels on its longer side, and a small copy of a large photo. A file that
// cannot be used is a *Refused error. Pictures are read by r, in a process of
// their own; without one in this process.
func LookAt(ctx context.Context, r *Readers, path, name string, side int) (l Looked, err error) {
	if r != nil {
		l, err = r.Look(ctx, path, name, side)
	} else {
		l, err = LookAtPicture(path, name, side)
	}
	if !errors.Is(err, vips.ErrFormat) {
		return l, err
	}
	// No picture: ffmpeg's own processes read it.
	l.Facts, l.Wave, err = inTime(ctx, doc.Media{Name: name}, path)
	if err != nil || l.Facts.Kind == doc.SongMedia {
		return l, err
	}
	if l.Thumb, err = Thumbnail(ctx, path, l.Facts, side, White); err != nil {
		err = fmt.Errorf("thumbnail: %w", err)
	}
	return l, err
}
