package render

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
)

// Head is what the beginning of a film in fragments says of its picture and sound.
type Head struct {
	W, H   int    // of the picture, in pixels
	Codecs string // as RFC 6381 names them, such as avc1.640028,mp4a.40.2
}

// HeadBytes is how much of a film is enough for ReadHead: its index comes first.
const HeadBytes = 64 << 10

// ReadHead reads the sample entries at the beginning of a film in fragments: size and decoder
// configuration of H.264 (ISO/IEC 14496-12, 12.1.3, and 14496-15, 5.3.3; the names by RFC 6381,
// 3.3 and 3.4), and whether there is AAC.
func ReadHead(b []byte) (h Head, err error) {
	const size, most = 24, 28 // before the size, and of a visual sample entry's fields up to its end
	entry, config := bytes.Index(b, []byte("avc1")), bytes.Index(b, []byte("avcC"))
	if config >= 0 {
		entry = bytes.LastIndex(b[:config], []byte("avc1")) // the first may be a brand
	}
	if entry < 0 || config < entry || entry+4+most > len(b) || config+8 > len(b) {
		return h, errors.New("the film's beginning names no H.264")
	}
	at := b[entry+4+size:]
	h.W, h.H = int(binary.BigEndian.Uint16(at)), int(binary.BigEndian.Uint16(at[2:]))
	h.Codecs = fmt.Sprintf("avc1.%02x%02x%02x", b[config+5], b[config+6], b[config+7])
	if bytes.Contains(b, []byte("mp4a")) {
		h.Codecs += ",mp4a.40.2"
	}
	return h, nil
}
