package studio

import (
	"context"
	"fmt"
	"sync"
	"sync/atomic"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
	"nelko/internal/media/pango"
	"nelko/internal/render"
	"nelko/internal/store"
)

// previews keeps the films that are being looked at open, so that a seen
// slide is drawn at once.
type previews struct {
	mu     sync.Mutex
	open   map[string]*openFilm
	order  []string
	making map[string]*making
	slots  chan struct{} // held while a picture of a film is made

	warming atomic.Bool
}

// lock takes the lock, and makes what the zero value lacks.
func (p *previews) lock() {
	p.mu.Lock()
	if p.open == nil {
		p.open, p.making, p.slots = map[string]*openFilm{}, map[string]*making{}, make(chan struct{}, previewMakers)
	}
}

// openFilm is a slideshow laid out at a small size.
type openFilm struct {
	doc    doc.Slideshow
	plan   plan.Plan
	lib    doc.Library
	files  media.Files
	scene  *scene.Scene
	assets *media.Assets
	segs   []render.Segment
	sound  string // key of the soundtrack
}

const (
	openFilms     = 6
	previewBudget = 48 << 20 // bytes of sprites for each open film
	previewMakers = 2
)

// preview opens an order's slideshow at a width.
func (s *Studio) preview(w *Work, width int, o scene.Options) (*openFilm, error) {
	s.look.lock()
	defer s.look.mu.Unlock()
	name := fmt.Sprintf("%d.%d.%d.%d.%q.%q.%v", w.Slideshow.ID, w.Slideshow.Head, width, len(w.Library), o.Watermark, o.Mark, w.Settings.MarkPicture)
	if f, ok := s.look.open[name]; ok {
		return f, nil
	}
	list, picture := marked(w.Media, w.Settings.MarkPicture)
	lib := library(list)
	o.Picture = picture
	d := w.Doc.Clone()
	d.Frame = fitFrame(d.Frame, width)
	// What is open outlives the request that opened it.
	files := s.previewFiles(s.background.Context(), list)
	f := &openFilm{doc: d, plan: w.Plan, lib: lib, files: files, scene: scene.Build(d, w.Theme, w.Plan, lib, pango.Words, o)}
	f.assets = media.NewAssets(s.background.Context(), files, lib, previewBudget)
	if len(s.look.order) >= openFilms {
		delete(s.look.open, s.look.order[0])
		s.look.order = s.look.order[1:]
	}
	s.look.open[name] = f
	s.look.order = append(s.look.order, name)
	var err error
	content := contents(list)
	if f.segs, err = render.Cut(f.scene, render.Draft, content, render.DraftFrames); err != nil {
		return nil, err
	}
	f.sound, err = render.SoundKey(d, w.Plan, lib, render.Draft, content)
	return f, err
}

// Frame is one frame of an order's slideshow as a JPEG, at most width pixels
// wide. n outside the film is moved to its nearest end.
func (s *Studio) Frame(_ context.Context, w *Work, n timecode.Frames, width int) ([]byte, error) {
	if w.Plan.Pictures < 1 {
		return nil, fmt.Errorf("the slideshow is empty: %w", store.ErrNotFound)
	}
	f, err := s.preview(w, width, w.final())
	if err != nil {
		return nil, err
	}
	lane := f.assets.Lane()
	defer lane.Close()
	return still(f.scene, lane, max(0, min(n, f.scene.Frames-1)), 85)
}

// fitFrame shrinks a frame so that its longer side is at most the given
// pixels, keeping sides even.
func fitFrame(f doc.Frame, side int) doc.Frame {
	k := min(1, float64(side)/float64(max(f.W, f.H)))
	return doc.Frame{W: max(2, int(float64(f.W)*k+1)/2*2), H: max(2, int(float64(f.H)*k+1)/2*2)}
}
