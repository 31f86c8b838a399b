package render

import (
	"bufio"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"os"
)

// spool keeps a soundtrack in a file while its loudness is measured.
type spool struct {
	f   *os.File
	w   *bufio.Writer
	r   *bufio.Reader
	raw []byte
}

// newSpool makes one in a folder. It has no name any more: when it is closed, or the
// program ends, it is gone.
func newSpool(dir string) (*spool, error) {
	f, err := os.CreateTemp(dir, "sound-*.raw")
	if err != nil {
		return nil, err
	}
	if err := os.Remove(f.Name()); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return &spool{f: f, w: bufio.NewWriterSize(f, 1<<18), r: bufio.NewReaderSize(f, 1<<18)}, nil
}

// Write implements sound.Spool.
func (s *spool) Write(p []float32) error {
	s.raw = floats(s.raw[:0], p)
	_, err := s.w.Write(s.raw)
	return err
}

// Rewind implements sound.Spool.
func (s *spool) Rewind() error {
	if err := s.w.Flush(); err != nil {
		return err
	}
	_, err := s.f.Seek(0, io.SeekStart)
	s.r.Reset(s.f)
	return err
}

// Read implements sound.Source.
func (s *spool) Read(p []float32) (int, error) {
	if want := 4 * len(p); cap(s.raw) < want {
		s.raw = make([]byte, want)
	}
	s.raw = s.raw[:4*len(p)]
	n, err := io.ReadFull(s.r, s.raw)
	for i := range n / 4 {
		p[i] = math.Float32frombits(binary.LittleEndian.Uint32(s.raw[4*i:]))
	}
	if errors.Is(err, io.ErrUnexpectedEOF) {
		err = io.EOF
	}
	return n / 4, err
}

// Close gives the room back.
func (s *spool) Close() error { return s.f.Close() }

// floats appends samples as raw 32-bit floats.
func floats(raw []byte, p []float32) []byte {
	for _, v := range p {
		raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(v))
	}
	return raw
}
