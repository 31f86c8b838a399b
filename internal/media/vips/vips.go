// Package vips is the part of libvips that Nelko uses: reading pictures of
// any common format upright, in sRGB and scaled; writing JPEG. Startup must be called once before
// anything else.
package vips

/*
#cgo pkg-config: vips
#include "vips.h"
*/
import "C"

import (
	"bytes"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"sync"
	"unsafe"

	"nelko/internal/core/raster"
)

var start = sync.OnceValue(func() error {
	if C.nelko_init(C.int(runtime.NumCPU())) != 0 {
		return lastError("starting libvips")
	}
	return nil
})

// Startup starts libvips once. The environment variable FONTCONFIG_FILE must
// be set before if other fonts than the system's are wanted.
func Startup() error { return start() }

// Version is libvips' own.
func Version() string { return C.GoString(C.vips_version_string()) }

// ErrFormat means that a file is not a picture in a format Nelko reads.
var ErrFormat = errors.New("not a picture in a known format")

// lastError takes libvips' error text, first line only. The goroutine must
// have been locked to its thread since the failing call.
func lastError(doing string) error {
	text := strings.TrimSpace(C.GoString(C.vips_error_buffer()))
	C.vips_error_clear()
	text, _, _ = strings.Cut(text, "\n")
	return fmt.Errorf("%s: %s", doing, text)
}

// Header is what a picture file says of itself. Width and Height are as
// stored, before Orientation.
type Header struct {
	Loader        string // libvips' name of the format reader, such as "jpegload"
	Width, Height int
	Orientation   int // EXIF 1…8, 1 if none
	Taken         string
	TakenOffset   string
	Camera        string // what it calls itself
	Needs         int64  // bytes that decoding it takes at once, about
}

// Drawing is the Loader of pictures of lines and areas (SVG), which have no
// size of their own in pixels: Width and Height are what they ask for.
const Drawing = "svgload"

// readable lists the format readers a client's pictures may use. Others, such
// as the ones that run scripts or draw text files, are refused.
var readable = map[string]bool{
	"jpegload": true,
	"pngload":  true,
	"webpload": true,
	"tiffload": true,
	"heifload": true,
	"gifload":  true,
	Drawing:    true,
}

// ReadHeader reads a file's header without decoding its pixels.
func ReadHeader(path string) (Header, error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	p := C.CString(path)
	defer C.free(unsafe.Pointer(p))
	name := C.nelko_loader(p)
	if name == nil {
		C.vips_error_clear()
		return Header{}, ErrFormat
	}
	loader := strings.TrimSuffix(strings.ToLower(C.GoString(name)), "_source")
	loader = strings.TrimSuffix(strings.TrimPrefix(loader, "vipsforeignload"), "file")
	loader = strings.TrimPrefix(loader, "ns") // GIF's reader is called by its author
	h := Header{Loader: loader + "load"}
	if !readable[h.Loader] {
		return h, ErrFormat
	}
	var head C.nelko_head
	if C.nelko_header(p, &head) != 0 {
		return h, lastError("reading the picture's header")
	}
	h.Width, h.Height, h.Orientation = int(head.w), int(head.h), int(head.orientation)
	h.Taken, h.TakenOffset, h.Camera = C.GoString(&head.taken[0]), C.GoString(&head.offset[0]),
		exifText(C.GoString(&head.camera[0]))
	h.Needs = needs(h, int64(head.bands), int64(head.bytes), head.whole != 0, C.GoString(&head.sampling[0]))
	return h, nil
}

// needs is how many bytes decoding a picture takes at once. Most formats are
// decoded some rows at a time; others only whole.
func needs(h Header, bands, depth int64, whole bool, sampling string) int64 {
	pixels, rows := int64(h.Width)*int64(h.Height), int64(h.Width)*512*bands*depth
	switch {
	case h.Loader == "jpegload" && whole:
		// All coefficients, of two bytes (ITU-T T.81, A.4: each scan tells a little
		// more of all of them), where colours may have fewer than brightness.
		if sampling == "4:2:0" {
			return pixels*3 + rows
		}
		return pixels*2*bands + rows
	case h.Loader == "pngload" && whole:
		return pixels*bands*depth + rows // seven passes over all of it (PNG, 8.2)
	case h.Loader == "webpload", h.Loader == "gifload":
		return pixels * 4
	case h.Loader == "heifload":
		return pixels * (3 + bands) * depth // planes, and what is made of them
	}
	return rows
}

// Metadata is a block of metadata of a picture by libvips' name for it, such as
// "xmp-data" or "iptc-data"; nil if the picture has none.
func Metadata(path, name string) ([]byte, error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	p, n := C.CString(path), C.CString(name)
	defer C.free(unsafe.Pointer(p))
	defer C.free(unsafe.Pointer(n))
	var data unsafe.Pointer
	var length C.size_t
	if C.nelko_metadata(p, n, &data, &length) != 0 {
		return nil, lastError("reading the picture's metadata")
	}
	if data == nil {
		return nil, nil
	}
	defer C.g_free(C.gpointer(data))
	return C.GoBytes(data, C.int(min(length, 8<<20))), nil
}

// exifText is the value in libvips' account of an EXIF field, which reads
// "VALUE (VALUE, ASCII, 6 components, 6 bytes)".
func exifText(account string) string {
	value := account
	if at := strings.LastIndex(account, ", ASCII,"); at > 2 {
		value = account[:(at-2)/2]
	} else if cut, _, ok := strings.Cut(account, " ("); ok {
		value = cut
	}
	return strings.TrimSpace(value)
}

// Load reads a picture upright and in sRGB, scaled to exactly w×h pixels
// (of the upright picture). Profiles and CMYK are converted; transparency is
// kept as a fourth channel. A file that is cut off is an error.
func Load(path string, w, h int) (raster.Pixels, error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	p := C.CString(path)
	defer C.free(unsafe.Pointer(p))
	var out C.nelko_pixels
	if C.nelko_load(p, C.int(w), C.int(h), &out) != 0 {
		return raster.Pixels{}, lastError("reading the picture")
	}
	px := take(&out)
	if out.early != 0 && endsFlat(px) {
		return raster.Pixels{}, errors.New("the file ends before the picture does")
	}
	return px, nil
}

// endsFlat reports whether the lowest rows, an eighth of them, are all alike:
// what is drawn where there is no data left.
func endsFlat(p raster.Pixels) bool {
	row := p.W * p.Channels
	for y := max(1, p.H-max(1, p.H/8)); y < p.H; y++ {
		if !bytes.Equal(p.Pix[y*row:(y+1)*row], p.Pix[(y-1)*row:y*row]) {
			return false
		}
	}
	return p.H > 1
}

func take(o *C.nelko_pixels) raster.Pixels {
	n := int(o.w) * int(o.h) * int(o.bands)
	defer C.g_free(C.gpointer(o.data))
	return raster.Pixels{W: int(o.w), H: int(o.h), Channels: int(o.bands), Pix: C.GoBytes(o.data, C.int(n))}
}

// LoadBuffer reads a picture that ships with a theme, scaled to fit
// w×h pixels or, to cover, to fill them.
func LoadBuffer(b []byte, w, h int, cover bool) (raster.Pixels, error) {
	if len(b) == 0 {
		return raster.Pixels{}, ErrFormat
	}
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	data := C.CBytes(b)
	defer C.free(data)
	c := C.int(0)
	if cover {
		c = 1
	}
	var out C.nelko_pixels
	if C.nelko_load_buffer(data, C.size_t(len(b)), C.int(w), C.int(h), c, &out) != 0 {
		return raster.Pixels{}, lastError("reading the picture")
	}
	return take(&out), nil
}

// Resize scales pixels to exactly w×h, as Load does.
func Resize(p raster.Pixels, w, h int) (raster.Pixels, error) {
	if p.W == w && p.H == h {
		return p, nil
	}
	if p.Channels != 3 && p.Channels != 4 || len(p.Pix) != p.W*p.H*p.Channels || len(p.Pix) == 0 || w < 1 ||
		h < 1 {
		return raster.Pixels{}, fmt.Errorf("resizing %d×%d pixels of %d channels to %d×%d", p.W, p.H,
			p.Channels, w, h)
	}
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	var out C.nelko_pixels
	if C.nelko_resize(unsafe.Pointer(&p.Pix[0]), C.int(p.W), C.int(p.H), C.int(p.Channels), C.int(w),
		C.int(h), &out) != 0 {
		return raster.Pixels{}, lastError("resizing")
	}
	return take(&out), nil
}

// JPEG encodes RGB pixels.
func JPEG(p raster.Pixels, quality int) ([]byte, error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	if p.Channels != 3 && p.Channels != 4 || len(p.Pix) != p.W*p.H*p.Channels {
		return nil, fmt.Errorf("JPEG: %d×%d pixels of %d channels", p.W, p.H, p.Channels)
	}
	var buf unsafe.Pointer
	var n C.size_t
	if C.nelko_jpeg(unsafe.Pointer(&p.Pix[0]), C.int(p.W), C.int(p.H), C.int(p.Channels), C.int(quality),
		&buf, &n) != 0 {
		return nil, lastError("writing JPEG")
	}
	defer C.g_free(C.gpointer(buf))
	return C.GoBytes(buf, C.int(n)), nil
}
