// Package disc is what fits on a disc: its capacity, the bit rate that fills it,
// how large its image will be.
package disc

import (
	"fmt"
	"math"

	"nelko/internal/core/timecode"
)

// Sector is the size of a disc's sector in bytes (ECMA-267, ECMA-119).
const Sector = 2048

// Blank is a kind of blank disc.
type Blank struct {
	Name    string
	Sectors int64
}

// Bytes is the blank's capacity.
func (b Blank) Bytes() int64 { return b.Sectors * Sector }

// The blanks there are: of the recordable kinds of a size the one with the
// fewest sectors, so that an image fits on any (DVD+R: 2,295,104, ECMA-349;
// DVD+R DL: 4,173,824, ECMA-364; from memory. BD-R: 12,219,392, from memory).
var (
	DVD5 = Blank{"DVD 4.7 GB", 2_295_104}
	DVD9 = Blank{"DVD 8.5 GB", 4_173_824}
	BD25 = Blank{"HD disc 25 GB", 12_219_392}
)

// Named finds a blank by its name.
func Named(name string) (Blank, bool) {
	for _, b := range []Blank{DVD5, DVD9, BD25} {
		if b.Name == name {
			return b, true
		}
	}
	return Blank{}, false
}

// Tray is what lies in a burner's drawer.
type Tray struct {
	Open   bool
	Blank  string // its kind; empty: nothing lies in it
	Bytes  int64  // that it holds
	Burned bool   // it is no longer blank
}

// PutIn puts a blank in and closes the drawer.
func (t *Tray) PutIn(b Blank) { *t = Tray{Blank: b.Name, Bytes: b.Bytes()} }

// Rates are the bit rates of a disc's films, in kbit/s.
type Rates struct {
	Most  int // of the picture; more is never used
	Least int // of the picture; less looks bad
	Sound int
	Words int // of subtitles, while they are there

	// What a byte of the streams takes in the file, with the heads of packs and packets, and
	// how many times its bit rate an encoder may use.
	Written, Missed float64
}

// DVD are the rates of DVD-Video: picture, sound and subtitles together must
// stay below 10,080 kbit/s, the picture below 9,800 (from memory). Players are
// known to stumble near the ceiling of recordable discs, so less is used
// (common practice, no source). Below 2,000 kbit/s blocks are seen.
var DVD = Rates{Most: 8000, Least: 2000, Sound: 192, Words: 8, Written: Sector / payload, Missed: 1}

// HD are those of a high-definition disc. A packet of 192 bytes holds 184 of the stream (ISO/IEC
// 13818-1, 2.4.3, with the 4 bytes of time that discs put before each), less the heads of its
// pictures. A film is encoded in runs, each in one pass that begins with a full buffer: of fine
// noise, a run of two seconds was 12 % above its rate, one of four 5 %, one of twelve as said.
var HD = Rates{Most: 24000, Least: 6000, Sound: 448, Words: 16, Written: 192.0 / 184 * 1.012, Missed: 1.13}

// Menu is what a disc's menus take.
type Menu struct {
	Pages   int
	Seconds float64 // of each page, until it goes round
	Kbps    int     // picture and sound
}

// What the format takes of a disc beside picture and sound: of each sector the
// heads of the pack and the packet; a sector of navigation for each group of
// pictures; tables, for the disc, each menu and each film.
const (
	payload    = 2019.0 // bytes of a sector of 2048, on average
	navEvery   = 0.5    // seconds of picture for each sector of navigation
	fixed      = 512 << 10
	perFilm    = 48 << 10
	perMinute  = 3 << 10 // of the tables of time
	spareShare = 0.004   // what two passes of encoding may miss
)

// film is how many bytes a film of so many seconds takes at a bit rate of all
// its streams.
func film(seconds, kbps float64, r Rates) float64 {
	return seconds*kbps*1000/8*r.Written + seconds/navEvery*Sector + perFilm + seconds/60*perMinute
}

// Size is how many bytes the image of a disc takes, with films of so many
// seconds whose pictures have a bit rate.
func Size(films []float64, kbps int, r Rates, m Menu) int64 {
	sum := float64(fixed)
	for _, s := range films {
		sum += film(s, float64(kbps)*r.Missed+float64(r.Sound+r.Words), r)
	}
	for range m.Pages {
		sum += film(m.Seconds, float64(m.Kbps), r)
	}
	return int64(math.Ceil(sum/Sector)) * Sector
}

// Plan is how films come onto a disc.
type Plan struct {
	Blank Blank
	Kbps  int   // of the picture
	Bytes int64 // of the image
	Spare int64 // left on the disc
}

// String says it in a few words.
func (p Plan) String() string {
	return fmt.Sprintf("fits at %.1f Mbit/s, %.0f MB to spare", float64(p.Kbps)/1000, float64(p.Spare)/1e6)
}

// TooLong says that films do not fit, by how much, and what would.
type TooLong struct {
	Blank  Blank
	Over   float64 // seconds too long at the least bit rate
	Discs  int     // that it takes
	Kbps   int     // on each of so many
	Larger *Plan   // on the larger disc, if it fits there
}

func (e *TooLong) Error() string {
	s := fmt.Sprintf("%s too long for one %s: %d discs at %.1f Mbit/s", timecode.Clock(e.Over), e.Blank.Name,
		e.Discs, float64(e.Kbps)/1000)
	if e.Larger != nil {
		s += fmt.Sprintf(", or the %s at %.1f Mbit/s", e.Larger.Blank.Name, float64(e.Larger.Kbps)/1000)
	}
	return s
}

// fit is the highest bit rate at which films fit, 0 if none does.
func fit(b Blank, films []float64, r Rates, m Menu) int {
	fits := func(kbps int) bool { return Size(films, kbps, r, m) <= int64(float64(b.Bytes())*(1-spareShare)) }
	switch {
	case !fits(r.Least):
		return 0
	case fits(r.Most):
		return r.Most
	}
	low, high := r.Least, r.Most
	for high-low > 1 {
		if mid := (low + high) / 2; fits(mid) {
			low = mid
		} else {
			high = mid
		}
	}
	return low
}

// Budget finds the bit rate of the picture for films of so many seconds on one
// disc. The error is a *TooLong.
func Budget(b Blank, films []float64, r Rates, m Menu) (Plan, error) {
	if kbps := fit(b, films, r, m); kbps > 0 {
		size := Size(films, kbps, r, m)
		return Plan{b, kbps, size, b.Bytes() - size}, nil
	}
	e := &TooLong{Blank: b}
	total := 0.0
	for _, s := range films {
		total += s
	}
	// As if all were one film, which can be divided anywhere.
	room := float64(b.Bytes()) * (1 - spareShare)
	per := film(1000, float64(r.Least)*r.Missed+float64(r.Sound+r.Words), r)/1000 - perFilm/1000.0
	e.Over = (float64(Size(films, r.Least, r, m)) - room) / per
	for e.Discs = 2; e.Discs < 1000; e.Discs++ {
		part := []float64{total / float64(e.Discs)}
		for range (len(films) - 1) / e.Discs {
			part = append(part, 0)
		}
		if e.Kbps = fit(b, part, r, m); e.Kbps > 0 {
			break
		}
	}
	if b == DVD5 {
		if p, err := Budget(DVD9, films, r, m); err == nil {
			e.Larger = &p
		}
	}
	return Plan{}, e
}

// Divide shares films out to as few discs as hold them in their order, none
// divided. A film that is too long for a disc by itself is an error.
func Divide(b Blank, films []float64, r Rates, m Menu) ([][]int, error) {
	var out [][]int
	var now []int
	var lengths []float64
	for i, s := range films {
		if _, err := Budget(b, []float64{s}, r, m); err != nil {
			return nil, err
		}
		if _, err := Budget(b, append(lengths, s), r, m); err != nil {
			out, now, lengths = append(out, now), nil, nil
		}
		now, lengths = append(now, i), append(lengths, s)
	}
	return append(out, now), nil
}
