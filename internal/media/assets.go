package media

import (
	"container/list"
	"context"
	"fmt"
	"html"
	"math"
	"os"
	"sync"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/media/vips"
)

// Files finds the local file of a medium.
type Files interface {
	Path(id doc.MediaID) (string, error)
}

// Assets prepares sprites from a client's files and keeps the latest of them
// in memory up to a budget.
type Assets struct {
	ctx    context.Context
	files  Files
	lib    doc.Library
	budget int

	mu      sync.Mutex
	entries map[spriteKey]*list.Element
	recent  *list.List // of *spriteEntry, latest first
	held    int

	clipMu sync.Mutex
	clips  map[scene.Asset]*clipStream
	order  []scene.Asset // open clips, oldest first
}

var _ compose.Assets = (*Assets)(nil)

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

// NewAssets prepares assets from files until ctx ends or Close is called.
func NewAssets(ctx context.Context, files Files, lib doc.Library, budget int) *Assets {
	return &Assets{
		ctx: ctx, files: files, lib: lib, budget: budget,
		entries: map[spriteKey]*list.Element{}, recent: list.New(), clips: map[scene.Asset]*clipStream{},
	}
}

// Close stops decoders.
func (a *Assets) Close() {
	a.clipMu.Lock()
	defer a.clipMu.Unlock()
	for _, c := range a.clips {
		c.close()
	}
	a.clips, a.order = map[scene.Asset]*clipStream{}, nil
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
	switch as.Kind {
	case scene.Photo:
		path, err := a.files.Path(as.Media)
		if err != nil {
			return nil, a.named(as.Media, err)
		}
		p, err := vips.Load(path, as.W, as.H)
		if err != nil {
			return nil, a.named(as.Media, err)
		}
		return raster.NewSprite(p, m)
	case scene.Soft:
		p, err := a.small(as)
		if err != nil {
			return nil, a.named(as.Media, err)
		}
		raster.Blur(p, as.Blur)
		raster.Tone(p, as.Colour, as.Tone)
		return raster.NewSprite(p, m)
	case scene.Text:
		p, err := SetText(as)
		if err != nil {
			return nil, err
		}
		return raster.NewSprite(p, m)
	case scene.Shadow:
		return compose.NewShadow(as, m)
	}
	return nil, fmt.Errorf("asset of kind %d is not a sprite", as.Kind)
}

func (a *Assets) named(id doc.MediaID, err error) error {
	if m, ok := a.lib[id]; ok {
		return fmt.Errorf("%s: %w", m.Name, err)
	}
	return err
}

// small reads a photo, or a clip's first frame, at the asset's size, flat on
// its colour where it is transparent.
func (a *Assets) small(as scene.Asset) (raster.Pixels, error) {
	path, err := a.files.Path(as.Media)
	if err != nil {
		return raster.Pixels{}, err
	}
	if a.lib[as.Media].Kind == doc.ClipMedia {
		return clipPixels(a.ctx, path, as.W, as.H, 0)
	}
	p, err := vips.Load(path, as.W, as.H)
	if err != nil || p.Channels == 3 {
		return p, err
	}
	return Flatten(p, as.Colour), nil
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

// Clip implements compose.Assets.
func (a *Assets) Clip(as scene.Asset, m raster.Matrix, rate timecode.Rate, n timecode.Frames) (*raster.Sprite, error) {
	a.clipMu.Lock()
	defer a.clipMu.Unlock()
	if c, ok := a.clips[as]; ok {
		s, near, err := c.frame(n)
		if near || err != nil {
			return s, err
		}
		a.closeClip(as)
	}
	path, err := a.files.Path(as.Media)
	if err != nil {
		return nil, a.named(as.Media, err)
	}
	// A jump into the middle (a preview) seeks; a render begins at 0 or, in
	// a join, a frame or two later, and then reads from the start.
	from := n
	if n < keptFrames {
		from = 0
	}
	if last := rate.FramesIn(a.lib[as.Media].Length) - 1; from > last {
		from = max(0, last-1)
	}
	c, err := openClip(a.ctx, path, as.W, as.H, m, rate, from)
	if err != nil {
		return nil, a.named(as.Media, err)
	}
	if len(a.order) >= 3 {
		a.closeClip(a.order[0])
	}
	a.clips[as] = c
	a.order = append(a.order, as)
	s, _, err := c.frame(n)
	if err != nil {
		return nil, a.named(as.Media, err)
	}
	return s, nil
}

func (a *Assets) closeClip(as scene.Asset) {
	a.clips[as].close()
	delete(a.clips, as)
	for i, o := range a.order {
		if o == as {
			a.order = append(a.order[:i], a.order[i+1:]...)
			break
		}
	}
}

// textFloor is how far type may be shrunk to fit its box.
const textFloor = 0.4

// SetText sets the words of a Text asset, shrinking the type until it fits
// the box. At the floor, what is still too large is scaled.
func SetText(as scene.Asset) (raster.Pixels, error) {
	size := float64(as.Size)
	markup := html.EscapeString(as.Words)
	var p raster.Pixels
	for {
		track := int(math.Round(as.Track * size * 1024))
		var err error
		p, err = vips.Text(fmt.Sprintf(`<span foreground="%s" letter_spacing="%d">%s</span>`, as.Colour, track, markup),
			fmt.Sprintf("%s %.1f", as.Face, size), as.W)
		if err != nil {
			return p, fmt.Errorf("%q: %w", as.Words, err)
		}
		if (p.W <= as.W && p.H <= as.H) || size <= textFloor*float64(as.Size) {
			break
		}
		size = max(size*0.94, textFloor*float64(as.Size))
	}
	return cleanInk(p, as.Colour), nil
}

// cleanInk gives transparent pixels the text's colour, so that edges keep it.
func cleanInk(p raster.Pixels, c raster.RGB) raster.Pixels {
	for i := 0; i+3 < len(p.Pix); i += 4 {
		if p.Pix[i+3] == 0 {
			p.Pix[i], p.Pix[i+1], p.Pix[i+2] = c.R, c.G, c.B
		}
	}
	return p
}

// Thumbnail makes a small JPEG of a photo or of a clip's first frame, at most
// side pixels on its longer side.
func Thumbnail(ctx context.Context, path string, m doc.Media, side int) ([]byte, error) {
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
	return vips.JPEG(Flatten(p, raster.RGB{R: 255, G: 255, B: 255}), 82)
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
