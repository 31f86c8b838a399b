// Package pango sets words: any script, right to left, with fallback fonts
// and coloured emoji. It measures where every letter comes to stand and draws
// the whole with outline and shadow.
package pango

/*
#cgo pkg-config: pangocairo pangoft2 fontconfig
#include "pango.h"
*/
import "C"

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"
	"unsafe"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
)

// Setter sets words and remembers what it measured.
type Setter struct {
	mu   sync.Mutex
	seen map[scene.Type]scene.Setting
}

var _ scene.Typesetter = (*Setter)(nil)

// Words is the setter everyone uses: its memory serves all films.
var Words = &Setter{seen: map[scene.Type]scene.Setting{}}

// lock guards Pango's font maps, which are not safe for use by several
// threads, and the fonts known.
var (
	lock sync.Mutex
	maps = map[string]unsafe.Pointer{}
	conf = map[string]string{"": ""}
)

// AddFonts makes fonts known under a name that is their content: those of a
// fontconfig file. Words that name them (scene.Type.Fonts) are set with them
// and no others but the system's, so that two versions of a font do not
// meet. Adding the same name again does nothing.
func AddFonts(content, fontconfig string) {
	lock.Lock()
	defer lock.Unlock()
	if _, ok := conf[content]; !ok {
		conf[content] = fontconfig
	}
}

// fontMap is the font map for fonts of a name, made when it is first needed.
// The lock must be held.
func fontMap(content string) (unsafe.Pointer, error) {
	if m, ok := maps[content]; ok {
		return m, nil
	}
	file, ok := conf[content]
	if !ok {
		return nil, fmt.Errorf("the fonts %.12s… are not installed", content)
	}
	var name *C.char
	if file != "" {
		name = C.CString(file)
		defer C.free(unsafe.Pointer(name))
	}
	m := C.nelko_font_map(name)
	if m == nil {
		return nil, fmt.Errorf("the fonts of %s cannot be read", file)
	}
	maps[content] = m
	return m, nil
}

// maxSeen bounds what is remembered.
const maxSeen = 4096

// Set implements scene.Typesetter.
func (s *Setter) Set(t scene.Type) (scene.Setting, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	key := t
	key.Colour, key.OutlineRGB = raster.RGB{}, raster.RGB{} // colours do not matter to measures
	if m, ok := s.seen[key]; ok {
		return m, nil
	}
	m, err := measure(t)
	if err == nil {
		if len(s.seen) >= maxSeen {
			clear(s.seen)
		}
		s.seen[key] = m
	}
	return m, err
}

// Version is the version of Pango in use.
func Version() string { return C.GoString(C.pango_version_string()) }

// clean is text Pango can take: valid UTF-8 without NUL.
func clean(s string) string {
	return strings.ReplaceAll(strings.ToValidUTF8(s, "\uFFFD"), "\x00", "")
}

// words are the words for C, freed by free. The lock must be held.
func words(t scene.Type) (w C.nelko_words, free func(), err error) {
	m, err := fontMap(t.Fonts)
	if err != nil {
		return w, nil, err
	}
	text, face := C.CString(clean(t.Words)), C.CString(clean(t.Face))
	w = C.nelko_words{
		_map:    m,
		text:    text,
		face:    face,
		size:    C.double(t.Size),
		spacing: C.double(t.Track * t.Size),
		leading: C.double(t.Leading),
		width:   C.int(t.Width),
	}
	switch t.Align {
	case "centre":
		w.align = 1
	case "right":
		w.align = 2
	}
	return w, func() { C.free(unsafe.Pointer(text)); C.free(unsafe.Pointer(face)) }, nil
}

var errSize = errors.New("words need a size above 0 and a width")

func measure(t scene.Type) (scene.Setting, error) {
	if !(t.Size > 0) || t.Width < 1 {
		return scene.Setting{}, errSize
	}
	lock.Lock()
	defer lock.Unlock()
	w, free, err := words(t)
	if err != nil {
		return scene.Setting{}, err
	}
	defer free()
	var out C.nelko_setting
	C.nelko_measure(&w, &out)
	defer C.free(unsafe.Pointer(out.clusters))
	s := scene.Setting{W: float64(out.w), H: float64(out.h), Lines: int(out.lines)}
	clusters := slices.Clone(unsafe.Slice(out.clusters, int(out.n)))
	// In reading order, whatever the direction of writing.
	slices.SortStableFunc(clusters, func(a, b C.nelko_cluster) int { return cmp.Compare(a.index, b.index) })
	text := clean(t.Words)
	open := false
	for _, c := range clusters {
		r := framing.Rect{X: float64(c.x), Y: float64(c.y), W: float64(c.w), H: float64(c.h)}
		if r.W < 0 {
			r.X, r.W = r.X+r.W, -r.W
		}
		if ch, _ := utf8.DecodeRuneInString(text[min(int(c.index), len(text)):]); unicode.IsSpace(ch) ||
			ch == utf8.RuneError {
			open = false
			continue
		}
		s.Letters = append(s.Letters, r)
		last := len(s.Words) - 1
		if open && s.Words[last].Y == r.Y {
			s.Words[last] = s.Words[last].Union(r)
		} else {
			s.Words = append(s.Words, r)
		}
		open = true
	}
	return s, nil
}

// Draw draws words into a sprite of w×h pixels, which is their measured size
// and the padding around it, in straight alpha.
func Draw(t scene.Type, w, h int) (raster.Pixels, error) {
	if !(t.Size > 0) || t.Width < 1 || w < 1 || h < 1 {
		return raster.Pixels{}, errSize
	}
	p, err := draw(t, w, h, t.Colour, t.Outline, t.OutlineRGB)
	if err != nil || t.Shadow <= 0 {
		return inked(p, t.Colour), err
	}
	below, err := draw(t, w, h, raster.RGB{}, t.Outline, raster.RGB{})
	if err != nil {
		return p, err
	}
	return underlaid(p, below, t), nil
}

func draw(t scene.Type, w, h int, c raster.RGB, outline float64, oc raster.RGB) (raster.Pixels, error) {
	lock.Lock()
	defer lock.Unlock()
	cw, free, err := words(t)
	if err != nil {
		return raster.Pixels{}, err
	}
	defer free()
	p := raster.Pixels{W: w, H: h, Channels: 4, Pix: make([]byte, w*h*4)}
	rgb := func(c raster.RGB) C.nelko_rgb {
		return C.nelko_rgb{C.double(c.R) / 255, C.double(c.G) / 255, C.double(c.B) / 255}
	}
	if C.nelko_draw(&cw, C.int(w), C.int(h), C.int(t.Pad()), rgb(c), C.double(outline), rgb(oc),
		(*C.uchar)(unsafe.Pointer(&p.Pix[0]))) != 0 {
		return p, errors.New("the words cannot be drawn")
	}
	return p, nil
}

// inked gives transparent pixels the words' colour, so that edges keep it.
func inked(p raster.Pixels, c raster.RGB) raster.Pixels {
	for i := 0; i+3 < len(p.Pix); i += 4 {
		if p.Pix[i+3] == 0 {
			p.Pix[i], p.Pix[i+1], p.Pix[i+2] = c.R, c.G, c.B
		}
	}
	return p
}

// underlaid puts a soft shadow of the words under them, a little lower.
func underlaid(p, below raster.Pixels, t scene.Type) raster.Pixels {
	// Only the shadow's strength is blurred.
	soft := raster.Pixels{W: p.W, H: p.H, Channels: 1, Pix: make([]byte, p.W*p.H)}
	for i := range soft.Pix {
		soft.Pix[i] = below.Pix[4*i+3]
	}
	raster.Blur(soft, max(1, int(t.Size*0.05)))
	down := int(t.Size*0.04) + 1
	out := raster.Pixels{W: p.W, H: p.H, Channels: 4, Pix: make([]byte, len(p.Pix))}
	for y := range p.H {
		for x := range p.W {
			i := (y*p.W + x) * 4
			a := float64(p.Pix[i+3]) / 255
			s := 0.0
			if y >= down {
				s = float64(soft.Pix[(y-down)*p.W+x]) / 255 * t.Shadow
			}
			sum := a + s*(1-a)
			if sum <= 0 {
				continue
			}
			for c := range 3 {
				out.Pix[i+c] = byte(float64(p.Pix[i+c])*a/sum + 0.5)
			}
			out.Pix[i+3] = byte(sum*255 + 0.5)
		}
	}
	return out
}
