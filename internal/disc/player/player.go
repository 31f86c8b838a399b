// Package player plays DVD-Videos as a player under a television does, by
// libdvdnav, from the very image that is to be burned: where its menus' buttons
// lead, what follows a film, and the streams themselves.
package player

// #cgo pkg-config: dvdnav
// #include <dvdnav/dvdnav.h>
// #include <stdlib.h>
//
// // What the library has to say goes nowhere: errors are asked for.
// static void quiet(void *p, dvdnav_logger_level_t l, const char *f, va_list a) {}
// static int nelko_open(dvdnav_t **d, const char *path) {
//   static const dvdnav_logger_cb cb = { quiet };
//   return dvdnav_open2(d, NULL, &cb, path) == DVDNAV_STATUS_OK;
// }
// static int nelko_buttons(dvdnav_t *d) {
//   pci_t *pci = dvdnav_get_current_nav_pci(d);
//   return pci ? pci->hli.hl_gi.btn_ns : 0;
// }
// static void nelko_button(dvdnav_t *d, int i, int *x0, int *y0, int *x1, int *y1) {
//   btni_t b = dvdnav_get_current_nav_pci(d)->hli.btnit[i];
//   *x0 = b.x_start; *y0 = b.y_start; *x1 = b.x_end; *y1 = b.y_end;
// }
// static int nelko_page(dvdnav_t *d) {
//   dsi_t *dsi = dvdnav_get_current_nav_dsi(d);
//   return dsi && nelko_buttons(d) > 0 ? dsi->dsi_gi.vobu_vob_idn : 0;
// }
// static int nelko_press(dvdnav_t *d, int n) {
//   return dvdnav_button_select_and_activate(d, dvdnav_get_current_nav_pci(d), n) == DVDNAV_STATUS_OK;
// }
import "C"

import (
	"errors"
	"fmt"
	"image"
	"io"
	"runtime"
	"unsafe"
)

// block is the size of what libdvdnav gives at once: a sector, or a block of
// the library's own for an event.
const block = 2048

// Disc is a disc being played. It is not safe for use by several goroutines.
type Disc struct {
	nav    *C.dvdnav_t
	buf    [block]byte
	colour [16]uint32 // of subtitles and buttons, as the disc has them: 0x00YYRRBB
	place  Place
}

// Place is where a disc stands: on a page of its menu, in a film, or at its
// end, when both are 0.
type Place struct {
	Page  int `json:"page,omitempty"`  // from 1, in the order of the disc
	Title int `json:"title,omitempty"` // from 1
}

// Open puts a disc's image in.
func Open(path string) (*Disc, error) {
	d := &Disc{}
	name := C.CString(path)
	defer C.free(unsafe.Pointer(name))
	if C.nelko_open(&d.nav, name) == 0 {
		return nil, fmt.Errorf("the disc %s cannot be opened", path)
	}
	C.dvdnav_set_readahead_flag(d.nav, 0)
	C.dvdnav_set_PGC_positioning_flag(d.nav, 1)
	runtime.SetFinalizer(d, (*Disc).Close)
	return d, nil
}

// Close takes the disc out. It may be called twice.
func (d *Disc) Close() {
	if d.nav != nil {
		C.dvdnav_close(d.nav)
		d.nav = nil
	}
}

func (d *Disc) err() error { return errors.New(C.GoString(C.dvdnav_err_to_string(d.nav))) }

// next gets the next block: an event and, of picture and sound, a sector.
func (d *Disc) next() (event C.int32_t, sector []byte, err error) {
	var n C.int32_t
	if C.dvdnav_get_next_block(d.nav, (*C.uint8_t)(unsafe.Pointer(&d.buf[0])), &event,
		&n) != C.DVDNAV_STATUS_OK {
		return 0, nil, d.err()
	}
	switch event {
	case C.DVDNAV_STILL_FRAME:
		C.dvdnav_still_skip(d.nav)
	case C.DVDNAV_WAIT:
		C.dvdnav_wait_skip(d.nav)
	case C.DVDNAV_SPU_CLUT_CHANGE:
		for i := range d.colour {
			d.colour[i] = *(*uint32)(unsafe.Pointer(&d.buf[4*i]))
		}
	}
	return event, d.buf[:n], nil
}

// now is where the disc stands, as libdvdnav has it.
func (d *Disc) now() Place {
	if C.dvdnav_is_domain_vmgm(d.nav) != 0 {
		return Place{Page: int(C.nelko_page(d.nav))} // each page is a video object of its own
	}
	var title, part C.int32_t
	if C.dvdnav_is_domain_vts(d.nav) != 0 && C.dvdnav_current_title_info(d.nav, &title,
		&part) == C.DVDNAV_STATUS_OK {
		return Place{Title: max(0, int(title))}
	}
	return Place{}
}

// most is how many blocks are played until something must have been reached.
const most = 5_000_000

// Settle plays until the disc stands on a page of its menu whose buttons are
// known, or in a film, or is at its end.
func (d *Disc) Settle() (Place, error) {
	for range most {
		event, _, err := d.next()
		if err != nil {
			return Place{}, err
		}
		switch event {
		case C.DVDNAV_STOP:
			d.place = Place{}
			return d.place, nil
		case C.DVDNAV_NAV_PACKET:
			if p := d.now(); p != (Place{}) {
				d.place = p
				return p, nil
			}
		}
	}
	return Place{}, errors.New("the disc leads nowhere")
}

// Buttons are the places of the buttons of the page the disc stands on, in
// pixels of the stored frame, from the first to the last row and column.
func (d *Disc) Buttons() (out []image.Rectangle) {
	for i := range int(C.nelko_buttons(d.nav)) {
		var x0, y0, x1, y1 C.int
		C.nelko_button(d.nav, C.int(i), &x0, &y0, &x1, &y1)
		out = append(out, image.Rect(int(x0), int(y0), int(x1), int(y1)))
	}
	return out
}

// Press presses a button of the page, from 1.
func (d *Disc) Press(n int) error {
	if C.nelko_press(d.nav, C.int(n)) == 0 {
		return fmt.Errorf("button %d: %w", n, d.err())
	}
	return nil
}

// Menu presses the key that leads to the disc's menu.
func (d *Disc) Menu() error {
	if C.dvdnav_menu_call(d.nav, C.DVD_MENU_Title) != C.DVDNAV_STATUS_OK {
		return d.err()
	}
	return nil
}

// Play goes to a chapter of a film, both from 1.
func (d *Disc) Play(title, chapter int) error {
	if C.dvdnav_part_play(d.nav, C.int32_t(title), C.int32_t(chapter)) != C.DVDNAV_STATUS_OK {
		return fmt.Errorf("title %d, chapter %d: %w", title, chapter, d.err())
	}
	return nil
}

// Titles is how many films the disc has.
func (d *Disc) Titles() (int, error) {
	var n C.int32_t
	if C.dvdnav_get_number_of_titles(d.nav, &n) != C.DVDNAV_STATUS_OK {
		return 0, d.err()
	}
	return int(n), nil
}

// clock is what libdvdnav counts time in, per second.
const clock = 90000.0

// Title is a film of a disc.
type Title struct {
	Seconds  float64   `json:"seconds"`
	Chapters []float64 `json:"chapters"` // where they begin, in seconds; the first is 0
	Words    bool      `json:"words"`    // it has subtitles
	Shown    bool      `json:"shown"`    // which are switched on at the start
}

// Film tells of the film the disc stands in.
func (d *Disc) Film() Title {
	var times *C.uint64_t
	var whole C.uint64_t
	n := C.dvdnav_describe_title_chapters(d.nav, C.int32_t(d.place.Title), &times, &whole)
	t := Title{Seconds: float64(whole) / clock, Chapters: []float64{0}}
	if times != nil {
		ends := unsafe.Slice(times, int(n))
		for _, at := range ends[:max(0, len(ends)-1)] {
			t.Chapters = append(t.Chapters, float64(at)/clock)
		}
		C.free(unsafe.Pointer(times))
	}
	t.Words = C.dvdnav_get_spu_logical_stream(d.nav, 0) >= 0
	t.Shown = t.Words && C.dvdnav_get_active_spu_stream(d.nav) >= 0
	return t
}

// Copy writes the sectors of what plays now, until the film is over, or the
// page goes round or has been still.
func (d *Disc) Copy(w io.Writer) error {
	from := d.place
	cells := 0
	for range most {
		event, sector, err := d.next()
		if err != nil {
			return err
		}
		switch event {
		case C.DVDNAV_BLOCK_OK:
			if _, err := w.Write(sector); err != nil {
				return err
			}
		case C.DVDNAV_STOP:
			d.place = Place{}
			return nil
		case C.DVDNAV_STILL_FRAME:
			if from.Page > 0 {
				return nil
			}
		case C.DVDNAV_CELL_CHANGE:
			if cells++; from.Page > 0 && cells > 1 {
				return nil // round again
			}
		case C.DVDNAV_NAV_PACKET:
			if p := d.now(); p != (Place{}) && p != from {
				d.place = p
				return nil
			}
			if _, err := w.Write(sector); err != nil {
				return err
			}
		}
	}
	return nil
}

// Palette is the disc's colours for subtitles as 24 bits of red, green and
// blue, known once a film plays.
func (d *Disc) Palette() (out [16]uint32) {
	for i, c := range d.colour {
		y, cr, cb := 1.164*(float64(c>>16&255)-16), float64(c>>8&255)-128, float64(c&255)-128
		byteOf := func(v float64) uint32 { return uint32(max(0, min(255, v+0.5))) }
		out[i] = byteOf(y+1.596*cr)<<16 | byteOf(y-0.813*cr-0.391*cb)<<8 | byteOf(y+2.018*cb)
	}
	return out
}
