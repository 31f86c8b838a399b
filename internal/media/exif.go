package media

import (
	"bytes"
	"encoding/binary"
)

// WithEXIF puts what a camera says of a picture into a JPEG as EXIF (CIPA
// DC-008): orientation 1 to 8, when it was taken as "2006:01:02 15:04:05", and
// what the camera calls itself. Either of the latter may be empty.
func WithEXIF(jpg []byte, orientation int, taken, camera string) []byte {
	var t bytes.Buffer
	le := binary.LittleEndian
	u16 := func(v int) { t.Write(le.AppendUint16(nil, uint16(v))) }
	u32 := func(v int) { t.Write(le.AppendUint32(nil, uint32(v))) }
	entry := func(tag, kind, count, value int) { u16(tag); u16(kind); u32(count); u32(value) }
	// Words of up to four bytes would stand in the entry itself.
	padded := func(s string) string {
		s += "\x00"
		for len(s)%2 == 1 || len(s) < 6 {
			s += "\x00"
		}
		return s
	}
	model, date := padded(camera), padded(taken)
	t.WriteString("II*\x00")
	u32(8)
	const ifd0 = 8
	const exif = ifd0 + 2 + 3*12 + 4
	const data = exif + 2 + 12 + 4
	u16(3)
	entry(0x0110, 2, len(model), data) // Model
	entry(0x0112, 3, 1, orientation)   // Orientation
	entry(0x8769, 4, 1, exif)          // Exif IFD
	u32(0)
	u16(1)
	entry(0x9003, 2, len(date), data+len(model)) // DateTimeOriginal
	u32(0)
	t.WriteString(model)
	t.WriteString(date)
	body := append([]byte("Exif\x00\x00"), t.Bytes()...)
	out := append([]byte{0xff, 0xd8, 0xff, 0xe1}, byte((len(body)+2)>>8), byte(len(body)+2))
	return append(append(out, body...), jpg[2:]...)
}
