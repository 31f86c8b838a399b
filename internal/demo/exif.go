package demo

import (
	"time"

	"nelko/internal/core/raster"
	"nelko/internal/media"
)

// withEXIF puts an APP1 segment with orientation and capture time into a JPEG
// (CIPA DC-008-2019, 4.5 to 4.6: TIFF header, IFD0, Exif IFD).
func withEXIF(jpg []byte, orientation int, taken time.Time, camera string) []byte {
	return media.WithEXIF(jpg, orientation, taken.Format("2006:01:02 15:04:05"), camera)
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
