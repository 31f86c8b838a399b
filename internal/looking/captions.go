package looking

import (
	"fmt"
	"io"
	"strings"

	"nelko/internal/captions"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// maxSubtitles is the largest file of subtitles, in bytes.
const maxSubtitles = 2 << 20

// ReadCaptions is the edit that captions an order's film from a file of
// subtitles, SubRip or WebVTT. lost is how many of them stand where the film
// has no slide.
func (r *room) ReadCaptions(d *orders.Dossier, file string) (op edit.Subtitles, lost int, err error) {
	if len(file) > maxSubtitles {
		return op, 0, invalid.Field("subtitles", "A file of subtitles has at most %d MB.", maxSubtitles>>20)
	}
	cues, err := captions.Read(strings.NewReader(file), d.Doc.Rate)
	if err != nil {
		return op, 0, invalid.Field("subtitles", "The subtitles cannot be read: %v.", err)
	}
	if op.Of, lost = d.Plan.Place(cues, d.Doc.Rate); len(op.Of) == 0 {
		return op, lost, invalid.Field("subtitles",
			"None of these subtitles stands where this film has slides.")
	}
	return op, lost, nil
}

// WriteCaptions writes an order's captions as they stand, in the format of an
// extension. A film without any is store.ErrNotFound.
func (r *room) WriteCaptions(d *orders.Dossier, extension string, w io.Writer) error {
	write, ok := captions.Formats[extension]
	if !ok {
		return fmt.Errorf("captions as %s: %w", extension, store.ErrNotFound)
	}
	f, err := r.film(d, profile.Look(SmallSide, d.Doc.Rate), false)
	if err != nil {
		return err
	}
	lines := f.Captions()
	if len(lines) == 0 {
		return fmt.Errorf("captions of order %d: %w", d.Order.ID, store.ErrNotFound)
	}
	return write(w, lines, d.Doc.Rate)
}
