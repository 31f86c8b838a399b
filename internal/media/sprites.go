package media

import (
	"context"
	"fmt"
	"math"
	"runtime"
	"sync"

	"golang.org/x/sync/semaphore"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/latest"
	"nelko/internal/media/pango"
	"nelko/internal/shared"
)

// Files finds the local file of a medium by its content.
type Files interface {
	Path(ctx context.Context, id doc.MediaID) (string, error)
}

// Sprites prepares what scenes ask for, each once, and keeps the latest used
// in memory. What it holds is named by content, so one serves all films, and
// outlives every edit of them.
type Sprites struct {
	files   Files
	shelf   Shelf
	readers *Readers // nil: pictures are read in this process

	making    shared.Group[*raster.Sprite]
	fromStart sync.Map            // of doc.MediaID: clips whose decoder complained when begun in the middle
	slots     *semaphore.Weighted // held while one is being prepared
	kept      *latest.Sized[spriteKey, *raster.Sprite]
}

// spriteKey names a sprite by all it depends on.
type spriteKey struct {
	asset  scene.Asset
	matrix raster.Matrix
	small  bool // made from a small copy
}

// DefaultBudget is the memory for prepared sprites in bytes.
const DefaultBudget = 128 << 20

// mostSprites bounds how many are kept, whatever their size.
const mostSprites = 1 << 16

// NewSprites prepares sprites from clients' files and those of themes, and
// keeps at most budget bytes of them.
// Pictures are read by r, in processes of their own; nil: in this one.
func NewSprites(files Files, shelf Shelf, r *Readers, budget int) *Sprites {
	return &Sprites{
		files:   files,
		shelf:   shelf,
		readers: r,
		slots:   semaphore.NewWeighted(int64(2 * runtime.GOMAXPROCS(0))),
		kept:    latest.NewSized[spriteKey](mostSprites, budget, (*raster.Sprite).Bytes),
	}
}

// Smaller is Readers.Smaller of the readers that these sprites are prepared by.
func (s *Sprites) Smaller(ctx context.Context, path string, side int, on raster.RGB) ([]byte, error) {
	return s.readers.Smaller(ctx, path, side, on)
}

// Held is the memory that prepared sprites take, in bytes.
func (s *Sprites) Held() int { return s.kept.Held() }

// get prepares a sprite, or waits for whoever prepares it already. It ends
// with ctx.
func (s *Sprites) get(ctx context.Context, k spriteKey, lib doc.Library) (*raster.Sprite, error) {
	if sp, ok := s.kept.Get(k); ok {
		return sp, nil
	}
	return s.making.Do(ctx, fmt.Sprintf("%#v", k), func(ctx context.Context) (*raster.Sprite, error) {
		if sp, ok := s.kept.Get(k); ok {
			return sp, nil
		}
		if err := s.slots.Acquire(ctx, 1); err != nil {
			return nil, err
		}
		defer s.slots.Release(1)
		sp, err := s.prepare(ctx, k, lib)
		if err == nil {
			s.kept.Add(k, sp)
		}
		return sp, err
	})
}

func (s *Sprites) prepare(ctx context.Context, k spriteKey, lib doc.Library) (*raster.Sprite, error) {
	as, m := k.asset, k.matrix
	if sp, ok, err := compose.Paint(as, m); ok {
		return sp, err
	}
	src := source{s, ctx, lib, k.small}
	switch as.Kind {
	case scene.Photo:
		p, err := src.photo(as, as.W, as.H)
		if err != nil {
			return nil, named(lib, as.Media, err)
		}
		as.Look.Apply(p)
		return raster.NewSprite(p, m)
	case scene.Print:
		p, err := src.inside(as)
		if err != nil {
			return nil, named(lib, as.Media, err)
		}
		as.Look.Apply(p)
		return compose.NewPrint(p, as, m)
	case scene.Soft:
		small := func(side int, share float64) int {
			return max(8, int(math.Round(float64(side)/share/scene.SoftShare)))
		}
		p, err := src.photo(as, small(as.W, as.Crop.W), small(as.H, as.Crop.H))
		if err != nil {
			return nil, named(lib, as.Media, err)
		}
		p = Flatten(p, as.Colour)
		as.Look.Apply(p)
		soft := raster.Soften(p, as.Blur, as.Colour, as.Tone)
		return soft.Sprite(raster.Window{
			X: as.Crop.X,
			Y: as.Crop.Y,
			W: as.Crop.W,
			H: as.Crop.H,
		}, as.W, as.H, m), nil
	case scene.Text:
		p, err := pango.Draw(as.Text, as.W, as.H)
		if err != nil {
			return nil, fmt.Errorf("%q: %w", as.Text.Words, err)
		}
		return raster.NewSprite(p, m)
	case scene.Image:
		p, err := s.shelfPicture(ctx, as)
		if err != nil {
			return nil, fmt.Errorf("a picture of the theme: %w", err)
		}
		return raster.NewSprite(p, m)
	}
	return nil, fmt.Errorf("asset of kind %d is not a sprite", as.Kind)
}

// source reads photos for a film.
type source struct {
	*Sprites
	ctx   context.Context
	lib   doc.Library
	small bool
}

// clip is how a clip is to be decoded.
func (s *Sprites) clip(path string, m doc.Media) clipFile {
	c := clipOf(path, m)
	if _, found := s.fromStart.Load(m.ID); found {
		c.starts = doc.AtStart
	}
	return c
}

// photo reads a photo, or a clip's first frame, turned, at w×h pixels.
func (s source) photo(as scene.Asset, w, h int) (raster.Pixels, error) {
	id := as.Media
	if small := s.lib[id].Small; s.small && small != "" && max(w, h) <= SmallSide {
		id = small
	}
	path, err := s.files.Path(s.ctx, id)
	if err != nil {
		return raster.Pixels{}, err
	}
	if as.Turn%2 == 1 {
		w, h = h, w
	}
	var p raster.Pixels
	if s.lib[as.Media].Kind == doc.ClipMedia {
		p, err = clipPixels(s.ctx, s.clip(path, s.lib[as.Media]), w, h, float64(as.Begin)/timecode.SampleRate,
			0)
	} else {
		p, err = s.readers.Load(s.ctx, path, w, h)
	}
	if err != nil {
		return p, err
	}
	return raster.Turn(p, as.Turn), nil
}

// SmallSide is the longer side, in pixels, of the copies of large photos that
// previews are made from: enough for a frame of 960×540 with a zoom.
const SmallSide = 1200

// inside reads the window of a photo that a print shows, at the print's size
// less its mat.
func (s source) inside(as scene.Asset) (raster.Pixels, error) {
	w, h := as.W-2*as.Mat, as.H-2*as.Mat
	if w < 1 || h < 1 {
		return raster.Pixels{}, fmt.Errorf("a print of %d×%d pixels has no room for its mat", as.W, as.H)
	}
	fw, fh := max(w, int(math.Round(float64(w)/as.Crop.W))), max(h, int(math.Round(float64(h)/as.Crop.H)))
	p, err := s.photo(as, fw, fh)
	if err != nil {
		return p, err
	}
	x, y := min(fw-w, int(math.Round(as.Crop.X*float64(fw)))),
		min(fh-h, int(math.Round(as.Crop.Y*float64(fh))))
	return raster.Cut(p, max(0, x), max(0, y), w, h), nil
}

// shelfPicture reads a picture of a theme, in the middle of W×H pixels.
func (s *Sprites) shelfPicture(ctx context.Context, as scene.Asset) (raster.Pixels, error) {
	b, err := s.shelf.File(as.File)
	if err != nil {
		return raster.Pixels{}, err
	}
	p, err := s.readers.LoadBuffer(ctx, b, as.W, as.H, as.Cover)
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

// named puts the file's name, as the client knows it, before an error.
func named(lib doc.Library, id doc.MediaID, err error) error {
	if m, ok := lib[id]; ok {
		return fmt.Errorf("%s: %w", m.Name, err)
	}
	return err
}
