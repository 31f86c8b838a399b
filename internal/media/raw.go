package media

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"os"
	"path"
	"slices"
	"strings"
)

// The endings of camera raw files. All but the last two are TIFF (6.0) with the
// camera's own JPEG of the picture in it.
var rawEndings = []string{".dng", ".nef", ".nrw", ".cr2", ".arw", ".sr2", ".pef", ".srw", ".orf", ".rw2",
	".3fr", ".erf", ".raf", ".cr3"}

// IsRaw reports whether a file is a camera raw file, by its name.
func IsRaw(name string) bool { return slices.Contains(rawEndings, strings.ToLower(path.Ext(name))) }

// rawPreview is a JPEG found in a raw file.
type rawPreview struct {
	at, length int64
	w, h       int
}

// The bounds within which a raw file is searched.
const (
	rawDirectories = 40
	rawEntries     = 400
	largestPreview = 64 << 20
	leastPreview   = 1000 // pixels of the longer side: smaller ones are for the camera's screen
)

// errNoPreview means that a raw file holds no picture that can be used.
var errNoPreview = errors.New("no preview in the raw file")

// RawPreview is the largest picture that a camera put into a raw file beside
// what its sensor saw, as a JPEG with the raw file's orientation, time and
// camera. A file without one is a *Refused error.
func RawPreview(r io.ReaderAt, size int64) ([]byte, error) {
	s := rawSearch{r: r, size: size, orientation: 1}
	var head [92]byte
	if n, err := r.ReadAt(head[:], 0); n < len(head) {
		return nil, refuse("the camera raw file is cut off (%v)", err)
	}
	switch {
	case bytes.HasPrefix(head[:], []byte("FUJIFILMCCD-RAW")):
		// Its JPEG lies where the header says, with EXIF of its own.
		s.candidate(int64(binary.BigEndian.Uint32(head[84:])), int64(binary.BigEndian.Uint32(head[88:])))
	case head[0] == 'I' && head[1] == 'I':
		s.order = binary.LittleEndian
		s.directory(int64(s.order.Uint32(head[4:])), 0)
	case head[0] == 'M' && head[1] == 'M':
		s.order = binary.BigEndian
		s.directory(int64(s.order.Uint32(head[4:])), 0)
	}
	jpg, err := s.best()
	if err != nil {
		return nil, refuse("the camera raw file holds no picture that can be read here; send a JPEG made " +
			"of it")
	}
	if !bytes.Contains(jpg[:min(len(jpg), 64)], []byte("Exif\x00\x00")) {
		jpg = WithEXIF(jpg, s.orientation, s.taken, s.camera)
	}
	return jpg, nil
}

// rawPicture is RawPreview of a file; nothing of one that is a JPEG itself.
func rawPicture(path string) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil {
		return nil, err
	}
	var begins [2]byte
	if _, err := f.ReadAt(begins[:], 0); err == nil && begins == [2]byte{0xff, 0xd8} {
		return nil, nil
	}
	return RawPreview(f, st.Size())
}

// rawSearch looks through a TIFF's directories.
type rawSearch struct {
	r           io.ReaderAt
	size        int64
	order       binary.ByteOrder
	seen        []int64
	found       []rawPreview
	orientation int
	taken       string
	camera      string
}

// Tags of TIFF 6.0, its JPEG of old, and EXIF.
const (
	tagCompression = 0x103
	tagModel       = 0x110
	tagStrip       = 0x111
	tagOrientation = 0x112
	tagStripLength = 0x117
	tagSubIFDs     = 0x14a
	tagJPEG        = 0x201
	tagJPEGLength  = 0x202
	tagEXIF        = 0x8769
	tagTaken       = 0x9003
)

// directory reads the directory at an offset, those it names and those after it.
func (s *rawSearch) directory(at int64, depth int) {
	for at > 0 && at < s.size-2 && depth < 4 && len(s.seen) < rawDirectories && !slices.Contains(s.seen, at) {
		s.seen = append(s.seen, at)
		n := int(s.number(at, 2))
		if n > rawEntries {
			return
		}
		var compression, jpeg, jpegLength, strip, stripLength int64
		for i := range n {
			e := at + 2 + 12*int64(i)
			tag, count := s.number(e, 2), s.number(e+4, 4)
			switch tag {
			case tagCompression:
				compression = s.value(e)
			case tagJPEG:
				jpeg = s.value(e)
			case tagJPEGLength:
				jpegLength = s.value(e)
			case tagStrip:
				if count == 1 {
					strip = s.value(e)
				}
			case tagStripLength:
				if count == 1 {
					stripLength = s.value(e)
				}
			case tagOrientation:
				if v := s.value(e); depth == 0 && len(s.seen) == 1 && v >= 1 && v <= 8 {
					s.orientation = int(v)
				}
			case tagModel:
				if s.camera == "" {
					s.camera = s.words(e, count)
				}
			case tagTaken:
				s.taken = s.words(e, count)
			case tagEXIF:
				s.directory(s.value(e), depth+1)
			case tagSubIFDs:
				if count == 1 {
					s.directory(s.value(e), depth+1)
				} else {
					for k := range min(count, 8) {
						s.directory(s.number(s.value(e)+4*k, 4), depth+1)
					}
				}
			}
		}
		s.candidate(jpeg, jpegLength)
		if compression == 6 || compression == 7 {
			s.candidate(strip, stripLength)
		}
		at = s.number(at+2+12*int64(n), 4)
	}
}

// number reads a number of so many bytes; 0 where there is none.
func (s *rawSearch) number(at int64, bytes int) int64 {
	var b [4]byte
	if at < 0 || at > s.size-int64(bytes) {
		return 0
	}
	if _, err := s.r.ReadAt(b[:bytes], at); err != nil {
		return 0
	}
	if bytes == 2 {
		return int64(s.order.Uint16(b[:]))
	}
	return int64(s.order.Uint32(b[:]))
}

// value is an entry's only value, which stands in it.
func (s *rawSearch) value(entry int64) int64 {
	if s.number(entry+2, 2) == 3 { // SHORT
		return s.number(entry+8, 2)
	}
	return s.number(entry+8, 4)
}

// words is an entry's text.
func (s *rawSearch) words(entry, count int64) string {
	if count < 1 || count > 256 {
		return ""
	}
	at := entry + 8
	if count > 4 {
		at = s.number(at, 4)
	}
	b := make([]byte, count)
	if at < 0 || at > s.size-count {
		return ""
	}
	if _, err := s.r.ReadAt(b, at); err != nil {
		return ""
	}
	text, _, _ := strings.Cut(string(b), "\x00")
	return strings.TrimSpace(text)
}

// candidate notes a JPEG if there is one, such as pictures are: baseline or
// progressive, not the lossless kind that sensors' values are kept in.
func (s *rawSearch) candidate(at, length int64) {
	if at <= 0 || length < 64 || length > largestPreview || at > s.size-length {
		return
	}
	head := make([]byte, min(length, 1<<17))
	if _, err := s.r.ReadAt(head, at); err != nil || head[0] != 0xff || head[1] != 0xd8 {
		return
	}
	for i := 2; i+9 < len(head) && head[i] == 0xff; {
		marker := head[i+1]
		if marker >= 0xc0 && marker <= 0xc2 {
			s.found = append(s.found, rawPreview{at, length, int(head[i+7])<<8 | int(head[i+8]),
				int(head[i+5])<<8 | int(head[i+6])})
			return
		}
		if marker == 0xda || marker == 0xc3 {
			return
		}
		i += 2 + (int(head[i+2])<<8 | int(head[i+3]))
	}
}

// best is the largest of what was found.
func (s *rawSearch) best() ([]byte, error) {
	var best rawPreview
	for _, p := range s.found {
		if p.w*p.h > best.w*best.h {
			best = p
		}
	}
	if max(best.w, best.h) < leastPreview {
		return nil, errNoPreview
	}
	b := make([]byte, best.length)
	_, err := s.r.ReadAt(b, best.at)
	return b, err
}
