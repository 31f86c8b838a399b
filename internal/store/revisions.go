package store

import (
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

// pack compresses a document, against another if there is one.
func pack(document, against []byte) ([]byte, error) {
	opts := []zstd.EOption{zstd.WithEncoderConcurrency(1), zstd.WithEncoderLevel(zstd.SpeedBetterCompression)}
	if against != nil {
		opts = append(opts, zstd.WithEncoderDictRaw(packID, against))
	}
	e, err := zstd.NewWriter(nil, opts...)
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

// wholes remembers the whole documents that differences were last read
// against, which many revisions share.
type wholes struct {
	mu   sync.Mutex
	kept map[wholeKey][]byte
}

type wholeKey struct {
	slideshow int64
	number    int
}

const rememberWholes = 64

func (w *wholes) get(k wholeKey) ([]byte, bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	b, ok := w.kept[k]
	return b, ok
}

func (w *wholes) put(k wholeKey, b []byte) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.kept == nil || len(w.kept) >= rememberWholes {
		w.kept = map[wholeKey][]byte{}
	}
	w.kept[k] = b
}

// whole reads the document of a revision that is kept whole.
func (s *Store) whole(tx *gorm.DB, slideshow int64, number int) ([]byte, error) {
	k := wholeKey{slideshow, number}
	if b, ok := s.wholes.get(k); ok {
		return b, nil
	}
	r, err := One[Revision](tx, "slideshow_id = ? AND number = ?", slideshow, number)
	if err != nil {
		return nil, fmt.Errorf("revision %d: %w", number, err)
	}
	b, err := unpack(r.Packed, nil)
	if err == nil {
		s.wholes.put(k, b)
	}
	return b, err
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
	return unpack(r.Packed, against)
}

// Pack puts a document into a revision: against the whole document that its
// parent is kept against, or whole when that no longer saves much.
func (s *Store) Pack(tx *gorm.DB, r *Revision, parent *Revision, document []byte) error {
	whole, err := pack(document, nil)
	if err != nil {
		return err
	}
	r.Packed, r.Base = whole, nil
	if parent == nil {
		return nil
	}
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
	if diff, err := pack(document, against); err != nil {
		return err
	} else if len(diff) < len(whole)/4 {
		r.Packed, r.Base = diff, &base
	}
	return nil
}
