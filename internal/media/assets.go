package media

import (
	"container/list"
	"context"
	"fmt"
	"io/fs"
	"math"
	"os"
	"slices"
	"sync"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/media/pango"
	"nelko/internal/media/vips"
)

// Files finds the local file of a medium.
type Files interface {
	Path(id doc.MediaID) (string, error)
}

// Smaller is implemented by Files that have small copies of large photos.
type Smaller interface {
	// Small is a copy good enough for the given longer side in pixels.
	Small(id doc.MediaID, side int) (path string, ok bool)
}

// Assets prepares sprites from a client's files and keeps the latest of them
// in memory up to a budget. Clips are read through lanes.
type Assets struct {
	ctx    context.Context
	files  Files
	lib    doc.Library
	budget int

	mu      sync.Mutex
	entries map[spriteKey]*list.Element
	recent  *list.List // of *spriteEntry, latest first
	held    int
}

type spriteKey struct {
	asset  scene.Asset
	matrix raster.Matrix
}

type spriteEntry struct {
	key    spriteKey
	ready  chan struct{}
	sprite *raster.Sprite
	err    error
}

// DefaultBudget is the memory for prepared sprites in bytes.
const DefaultBudget = 128 << 20

// NewAssets prepares assets from files until ctx ends.
func NewAssets(ctx context.Context, files Files, lib doc.Library, budget int) *Assets {
	return &Assets{ctx: ctx, files: files, lib: lib, budget: budget, entries: map[spriteKey]*list.Element{}, recent: list.New()}
}

// Sprite prepares an asset once; callers that ask meanwhile wait for it.
func (a *Assets) Sprite(as scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	key := spriteKey{as, m}
	a.mu.Lock()
	if el, ok := a.entries[key]; ok {
		a.recent.MoveToFront(el)
		a.mu.Unlock()
		e := el.Value.(*spriteEntry)
		<-e.ready
		return e.sprite, e.err
	}
	e := &spriteEntry{key: key, ready: make(chan struct{})}
	a.entries[key] = a.recent.PushFront(e)
	a.mu.Unlock()

	e.sprite, e.err = a.prepare(as, m)
	close(e.ready)
	a.mu.Lock()
	defer a.mu.Unlock()
	if e.err != nil {
		a.drop(a.entries[key])
		return nil, e.err
	}
	a.held += e.sprite.Bytes()
	for el := a.recent.Back(); el != nil && a.held > a.budget; {
		prev := el.Prev()
		if old := el.Value.(*spriteEntry); old != e && old.sprite != nil {
			a.held -= old.sprite.Bytes()
			a.drop(el)
		}
		el = prev
	}
	return e.sprite, nil
}

func (a *Assets) drop(el *list.Element) {
	if el != nil {
		a.recent.Remove(el)
		delete(a.entries, el.Value.(*spriteEntry).key)
	}
}

func (a *Assets) prepare(as scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	if s, ok, err := compose.Paint(as, m); ok {
		return s, err
	}
	switch as.Kind {
	case scene.Photo:
		p, err := a.photo(as, as.W, as.H)
		if err != nil {
			return nil, a.named(as.Media, err)
		}
		as.Look.Apply(p)
		return raster.NewSprite(p, m)
	case scene.Print:
		p, err := a.inside(as)
		if err != nil {
			return nil, a.named(as.Media, err)
		}
		as.Look.Apply(p)
		return compose.NewPrint(p, as, m)
	case scene.Soft:
		p, err := a.photo(as, as.W, as.H)
		if err != nil {
			return nil, a.named(as.Media, err)
		}
		p = Flatten(p, as.Colour)
		as.Look.Apply(p)
		raster.Blur(p, as.Blur)
		raster.Tone(p, as.Colour, as.Tone)
		return raster.NewSprite(p, m)
	case scene.Text:
		p, err := pango.Draw(as.Text, as.W, as.H)
		if err != nil {
			return nil, fmt.Errorf("%q: %w", as.Text.Words, err)
		}
		return raster.NewSprite(p, m)
	case scene.Image:
		p, err := shelfPicture(as)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", as.File, err)
		}
		return raster.NewSprite(p, m)
	}
	return nil, fmt.Errorf("asset of kind %d is not a sprite", as.Kind)
}

// photo reads a photo, or a clip's first frame, turned, at w×h pixels.
func (a *Assets) photo(as scene.Asset, w, h int) (raster.Pixels, error) {
	path, err := a.files.Path(as.Media)
	if err != nil {
		return raster.Pixels{}, err
	}
	if f, ok := a.files.(Smaller); ok {
		if small, ok := f.Small(as.Media, max(w, h)); ok {
			path = small
		}
	}
	if as.Turn%2 == 1 {
		w, h = h, w
	}
	var p raster.Pixels
	if a.lib[as.Media].Kind == doc.ClipMedia {
		p, err = clipPixels(a.ctx, path, w, h, float64(as.Begin)/timecode.SampleRate)
	} else {
		p, err = vips.Load(path, w, h)
	}
	if err != nil {
		return p, err
	}
	return raster.Turn(p, as.Turn), nil
}

// inside reads the window of a photo that a print shows, at the print's size
// less its mat.
func (a *Assets) inside(as scene.Asset) (raster.Pixels, error) {
	w, h := as.W-2*as.Mat, as.H-2*as.Mat
	if w < 1 || h < 1 {
		return raster.Pixels{}, fmt.Errorf("a print of %d×%d pixels has no room for its mat", as.W, as.H)
	}
	fw, fh := max(w, int(math.Round(float64(w)/as.Crop.W))), max(h, int(math.Round(float64(h)/as.Crop.H)))
	p, err := a.photo(as, fw, fh)
	if err != nil {
		return p, err
	}
	x, y := min(fw-w, int(math.Round(as.Crop.X*float64(fw)))), min(fh-h, int(math.Round(as.Crop.Y*float64(fh))))
	return raster.Cut(p, max(0, x), max(0, y), w, h), nil
}

// shelfPicture reads a picture of a theme, in the middle of W×H pixels.
func shelfPicture(as scene.Asset) (raster.Pixels, error) {
	if shelf == nil {
		return raster.Pixels{}, fs.ErrNotExist
	}
	b, err := fs.ReadFile(shelf, as.File)
	if err != nil {
		return raster.Pixels{}, err
	}
	p, err := vips.LoadBuffer(b, as.W, as.H, as.Cover)
	if err != nil {
		return p, err
	}
	if as.Tone > 0 {
		raster.Tone(p, as.Colour, as.Tone)
	}
	if p.W == as.W && p.H == as.H {
		return p, nil
	}
	out := raster.Pixels{W: as.W, H: as.H, Channels: 4, Pix: make([]byte, as.W*as.H*4)}
	left, top := (as.W-p.W)/2, (as.H-p.H)/2
	for y := range min(p.H, as.H) {
		for x := range min(p.W, as.W) {
			src, dst := p.Pix[(y*p.W+x)*p.Channels:], out.Pix[((y+max(0, top))*as.W+x+max(0, left))*4:]
			copy(dst[:3], src[:3])
			dst[3] = 255
			if p.Channels == 4 {
				dst[3] = src[3]
			}
		}
	}
	return out, nil
}

func (a *Assets) named(id doc.MediaID, err error) error {
	if m, ok := a.lib[id]; ok {
		return fmt.Errorf("%s: %w", m.Name, err)
	}
	return err
}

// Flatten puts pixels with transparency on a colour.
func Flatten(p raster.Pixels, on raster.RGB) raster.Pixels {
	if p.Channels == 3 {
		return p
	}
	out := raster.Pixels{W: p.W, H: p.H, Channels: 3, Pix: make([]byte, p.W*p.H*3)}
	for i := range p.W * p.H {
		al := int(p.Pix[4*i+3])
		for c, back := range [3]byte{on.R, on.G, on.B} {
			out.Pix[3*i+c] = byte((int(p.Pix[4*i+c])*al + int(back)*(255-al) + 127) / 255)
		}
	}
	return out
}

// Lane is one goroutine's view of assets: sprites are shared with the others,
// clips are read by decoders of its own.
type Lane struct {
	*Assets
	clips map[scene.Asset]*clipStream
	order []scene.Asset // open clips, oldest first
}

var _ compose.Assets = (*Lane)(nil)

// Lane opens a lane. It must be closed.
func (a *Assets) Lane() *Lane { return &Lane{Assets: a, clips: map[scene.Asset]*clipStream{}} }

// Close stops the lane's decoders.
func (l *Lane) Close() {
	for _, c := range l.clips {
		c.close()
	}
	l.clips, l.order = map[scene.Asset]*clipStream{}, nil
}

// maxClips is how many clips a lane reads at the same time.
const maxClips = 8

// Clip implements compose.Assets.
func (l *Lane) Clip(as scene.Asset, m raster.Matrix, rate timecode.Rate, n timecode.Frames) (*raster.Sprite, error) {
	if c, ok := l.clips[as]; ok {
		s, near, err := c.frame(n)
		if near || err != nil {
			return s, err
		}
		l.closeClip(as)
	}
	path, err := l.files.Path(as.Media)
	if err != nil {
		return nil, l.named(as.Media, err)
	}
	begin := float64(as.Begin) / timecode.SampleRate
	from := n
	if last := rate.FramesIn(l.lib[as.Media].Length-as.Begin) - 1; from > last {
		from = max(0, last-1)
	}
	c, err := openClip(l.ctx, path, as, m, rate, begin, from)
	if err != nil {
		return nil, l.named(as.Media, err)
	}
	if len(l.order) >= maxClips {
		l.closeClip(l.order[0])
	}
	l.clips[as] = c
	l.order = append(l.order, as)
	s, _, err := c.frame(n)
	if err != nil {
		return nil, l.named(as.Media, err)
	}
	return s, nil
}

func (l *Lane) closeClip(as scene.Asset) {
	l.clips[as].close()
	delete(l.clips, as)
	l.order = slices.DeleteFunc(l.order, func(o scene.Asset) bool { return o == as })
}

// White is what pictures with transparency are shown on where nothing else is
// behind them.
var White = raster.RGB{R: 255, G: 255, B: 255}

// Thumbnail makes a small JPEG of a photo or of a clip's first frame, at most
// side pixels on its longer side. What is transparent shows the colour on.
func Thumbnail(ctx context.Context, path string, m doc.Media, side int, on raster.RGB) ([]byte, error) {
	k := math.Min(1, float64(side)/float64(max(m.W, m.H)))
	w, h := max(1, int(float64(m.W)*k)), max(1, int(float64(m.H)*k))
	var p raster.Pixels
	var err error
	if m.Kind == doc.ClipMedia {
		p, err = clipPixels(ctx, path, w, h, 0)
	} else {
		p, err = vips.Load(path, w, h)
	}
	if err != nil {
		return nil, err
	}
	return vips.JPEG(Flatten(p, on), 82)
}

// FilesIn are media that lie in the local file system, by ID.
type FilesIn map[doc.MediaID]string

// Path implements Files.
func (f FilesIn) Path(id doc.MediaID) (string, error) {
	p, ok := f[id]
	if !ok {
		return "", fmt.Errorf("medium %s: %w", id, os.ErrNotExist)
	}
	return p, nil
}
