package store

import (
	"errors"
	"fmt"
	"sync"

	"github.com/klauspost/compress/zstd"
	"gorm.io/gorm"
)

// A revision's document is kept packed: whole now and then, and between as
// what differs from such a whole one. Both are Zstandard frames (RFC 8878); a
// difference is one whose dictionary is the other document.

// packID is the dictionary's number in packed differences.
const packID = 1

// window is how far back the compressor looks: a document of some hundred
// slides fits, and little memory is cleared for each.
const window = 1 << 20

// encoders that compress whole documents, used again and again.
var encoders = sync.Pool{New: func() any {
	e, err := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1), zstd.WithWindowSize(window))
	if err != nil {
		return err // its options are constants
	}
	return e
}}

// pack compresses a document, against another if there is one.
func pack(document, against []byte) ([]byte, error) {
	if against == nil {
		e, ok := encoders.Get().(*zstd.Encoder)
		if !ok {
			return nil, errors.New("packing a revision: no encoder")
		}
		defer encoders.Put(e)
		return e.EncodeAll(document, nil), nil
	}
	e, err := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1), zstd.WithWindowSize(window),
		zstd.WithEncoderDictRaw(packID, against))
	if err != nil {
		return nil, fmt.Errorf("packing a revision: %w", err)
	}
	defer e.Close()
	return e.EncodeAll(document, nil), nil
}

// maxDocument bounds what a packed document may unpack to.
const maxDocument = 64 << 20

func unpack(packed, against []byte) ([]byte, error) {
	opts := []zstd.DOption{zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(maxDocument)}
	if against != nil {
		opts = append(opts, zstd.WithDecoderDictRaw(packID, against))
	}
	d, err := zstd.NewReader(nil, opts...)
	if err != nil {
		return nil, fmt.Errorf("unpacking a revision: %w", err)
	}
	defer d.Close()
	out, err := d.DecodeAll(packed, nil)
	if err != nil {
		return nil, fmt.Errorf("unpacking a revision: %w", err)
	}
	return out, nil
}

// whole is a document, and how many bytes it takes packed.
type whole struct {
	document []byte
	packed   int
}

type wholeKey struct {
	slideshow int64
	number    int
}

// rememberWholes is how many whole documents are remembered that differences
// were last read against, which many revisions share.
const rememberWholes = 64

// whole reads the document of a revision that is kept whole.
func (s *Store) whole(tx *gorm.DB, slideshow int64, number int) (whole, error) {
	k := wholeKey{slideshow, number}
	if b, ok := s.wholes.Get(k); ok {
		return b, nil
	}
	r, err := One[Revision](tx, "slideshow_id = ? AND number = ?", slideshow, number)
	if err != nil {
		return whole{}, fmt.Errorf("revision %d: %w", number, err)
	}
	b, err := unpack(r.Packed, nil)
	w := whole{b, len(r.Packed)}
	if err == nil {
		s.wholes.Add(k, w)
	}
	return w, err
}

// Document unpacks a revision's document.
func (s *Store) Document(tx *gorm.DB, r Revision) ([]byte, error) {
	if r.Base == nil {
		return unpack(r.Packed, nil)
	}
	against, err := s.whole(tx, r.SlideshowID, *r.Base)
	if err != nil {
		return nil, err
	}
	return unpack(r.Packed, against.document)
}

// Pack puts a document into a revision: against the whole document that its
// parent is kept against, or whole when that no longer saves much.
func (s *Store) Pack(tx *gorm.DB, r *Revision, parent *Revision, document []byte) (err error) {
	if parent != nil {
		base := parent.Number
		if parent.Base != nil {
			base = *parent.Base
		}
		against, err := s.whole(tx, r.SlideshowID, base)
		if err != nil {
			return err
		}
		// At a quarter of the whole, differences kept so far and one more whole
		// document take about as much as going on would.
		diff, err := pack(document, against.document)
		if err != nil {
			return err
		}
		if len(diff) < against.packed/4 {
			r.Packed, r.Base = diff, &base
			return nil
		}
	}
	r.Base = nil
	r.Packed, err = pack(document, nil)
	return err
}
