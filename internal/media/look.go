package media

import (
	"context"
	"errors"
	"fmt"
	"time"

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

// lookAtPicture is LookAt of a picture with a header, in this process.
func lookAtPicture(h vips.Header, path, name string, side int) (l Looked, err error) {
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
	w, h := within(p.W, p.H, side)
	p, err := vips.Resize(p, w, h)
	if err != nil {
		return nil, err
	}
	return vips.JPEG(Flatten(p, White), copyQuality)
}

// Looker is what looks at files.
type Looker struct {
	Pictures *Readers // read pictures in processes of their own; nil: in this one
	// Quick leaves what takes longer than most files, songs among them, to
	// others: it is ErrSlow or ErrSong.
	Quick bool
}

// ErrSong means that a file is a song, which takes longer than most files.
var ErrSong = errors.New("it is a song")

// quickClip is how long a quick look at a clip may take.
const quickClip = 5 * time.Second

// LookAt finds out all that is to be known of a file, and makes its thumbnail,
// side pixels on its longer side, and a small copy of a large photo. A file that
// cannot be used is a *Refused error.
func (k Looker) LookAt(ctx context.Context, path, name string, side int) (l Looked, err error) {
	l, err = k.Pictures.Look(ctx, path, name, side)
	if !errors.Is(err, vips.ErrFormat) {
		return l, err
	}
	// No picture: ffmpeg's own processes read it.
	within, cancel := ctx, context.CancelFunc(func() {})
	if k.Quick {
		within, cancel = context.WithTimeout(ctx, quickClip)
	}
	defer cancel()
	m := doc.Media{Name: name}
	if l.Facts, l.Wave, err = inTime(within, m, path, !k.Quick); err == nil && l.Facts.Kind == doc.ClipMedia {
		if l.Thumb, err = firstFrame(within, path, l.Facts, side); err != nil {
			err = fmt.Errorf("thumbnail: %w", err)
		}
	}
	if within.Err() != nil && ctx.Err() == nil {
		return Looked{}, ErrSlow
	}
	return l, err
}
