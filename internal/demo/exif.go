package demo

import (
	"bytes"
	"encoding/binary"
	"time"

	"nelko/internal/core/raster"
)

// withEXIF puts an APP1 segment with orientation and capture time into a JPEG
// (CIPA DC-008-2019, 4.5 to 4.6: TIFF header, IFD0, Exif IFD).
func withEXIF(jpg []byte, orientation int, taken time.Time, camera string) []byte {
	var t bytes.Buffer
	le := binary.LittleEndian
	u16 := func(v int) { t.Write(le.AppendUint16(nil, uint16(v))) }
	u32 := func(v int) { t.Write(le.AppendUint32(nil, uint32(v))) }
	entry := func(tag, kind, count, value int) { u16(tag); u16(kind); u32(count); u32(value) }
	model := camera + "\x00"
	for len(model)%2 == 1 || len(model) < 6 {
		model += "\x00"
	}
	date := taken.Format("2006:01:02 15:04:05") + "\x00"
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

// stored turns an upright picture the way a camera that was held for the
// given EXIF orientation stores it.
func stored(p raster.Pixels, orientation int) raster.Pixels {
	if orientation == 1 {
		return p
	}
	w, h := p.W, p.H
	if orientation >= 5 {
		w, h = h, w
	}
	out := raster.Pixels{W: w, H: h, Channels: p.Channels, Pix: make([]byte, len(p.Pix))}
	for y := range h {
		for x := range w {
			var sx, sy int // where the stored pixel is in the upright picture
			switch orientation {
			case 2:
				sx, sy = p.W-1-x, y
			case 3:
				sx, sy = p.W-1-x, p.H-1-y
			case 4:
				sx, sy = x, p.H-1-y
			case 5:
				sx, sy = y, x
			case 6:
				sx, sy = p.W-1-y, x
			case 7:
				sx, sy = p.W-1-y, p.H-1-x
			case 8:
				sx, sy = y, p.H-1-x
			}
			copy(out.Pix[(y*w+x)*p.Channels:][:p.Channels], p.Pix[(sy*p.W+sx)*p.Channels:])
		}
	}
	return out
}
