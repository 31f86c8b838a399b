package studio

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/scene"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
	"nelko/internal/media/pango"
	"nelko/internal/render"
	"nelko/internal/store"
	"nelko/themes"
)

// previews keeps the films that are being looked at open, so that a seen
// slide is drawn at once.
type previews struct {
	mu     sync.Mutex
	open   map[string]*openFilm
	order  []string
	making map[string]*making
	slots  chan struct{}

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

// making is something one goroutine makes and others wait for.
type making struct {
	done chan struct{}
	path string
	err  error
}

const (
	openFilms     = 6
	previewBudget = 48 << 20 // bytes of sprites for each open film
	previewMakers = 2
)

// draftWidth is the longer side of a played preview in pixels.
const draftWidth = 640

// preview opens an order's slideshow at a width.
func (s *Studio) preview(w *Work, width int, o scene.Options) (*openFilm, error) {
	s.look.lock()
	defer s.look.mu.Unlock()
	name := fmt.Sprintf("%d.%d.%d.%d.%q.%q", w.Slideshow.ID, w.Slideshow.Head, width, len(w.Library), o.Watermark, o.Mark)
	if f, ok := s.look.open[name]; ok {
		return f, nil
	}
	d := w.Doc.Clone()
	d.Frame = fitFrame(d.Frame, width)
	// What is open outlives the request that opened it.
	files := s.previewFiles(context.Background(), w.Media)
	f := &openFilm{doc: d, plan: w.Plan, lib: w.Library, files: files, scene: scene.Build(d, w.Theme, w.Plan, w.Library, pango.Words, o)}
	f.assets = media.NewAssets(context.Background(), files, w.Library, previewBudget)
	if len(s.look.order) >= openFilms {
		delete(s.look.open, s.look.order[0])
		s.look.order = s.look.order[1:]
	}
	s.look.open[name] = f
	s.look.order = append(s.look.order, name)
	var err error
	content := contents(w.Media)
	if f.segs, err = render.Cut(f.scene, render.Draft, content, render.DraftFrames); err != nil {
		return nil, err
	}
	f.sound, err = render.SoundKey(d, w.Plan, w.Library, render.Draft, content)
	return f, err
}

// Frame is one frame of an order's slideshow as a JPEG, at most width pixels
// wide. n outside the film is moved to its nearest end.
func (s *Studio) Frame(_ context.Context, w *Work, n timecode.Frames, width int) ([]byte, error) {
	if w.Plan.Pictures < 1 {
		return nil, fmt.Errorf("the slideshow is empty: %w", store.ErrNotFound)
	}
	f, err := s.preview(w, width, scene.Options{Mark: w.Settings.Mark})
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

// once makes something under a name, unless it is being made: then it waits.
// At most so many things are made at the same time.
func (s *Studio) once(ctx context.Context, name string, f func() (string, error)) (string, error) {
	s.look.lock()
	m, ok := s.look.making[name]
	if !ok {
		m = &making{done: make(chan struct{})}
		s.look.making[name] = m
		go func() {
			s.look.slots <- struct{}{}
			m.path, m.err = f()
			<-s.look.slots
			s.look.mu.Lock()
			delete(s.look.making, name)
			s.look.mu.Unlock()
			close(m.done)
		}()
	}
	s.look.mu.Unlock()
	select {
	case <-m.done:
		return m.path, m.err
	case <-ctx.Done():
		return "", ctx.Err()
	}
}

// draft is what stands on a played preview.
func (w *Work) draft() scene.Options {
	return scene.Options{Watermark: w.Settings.Watermark, Mark: w.Settings.Mark}
}

// Played is an order's slideshow as it is played: segments in order.
func (s *Studio) Played(w *Work) ([]render.Segment, error) {
	if w.Plan.Pictures < 1 {
		return nil, fmt.Errorf("the slideshow is empty: %w", store.ErrNotFound)
	}
	f, err := s.preview(w, draftWidth, w.draft())
	if err != nil {
		return nil, err
	}
	return f.segs, nil
}

// PlayedSegment is segment n of a played preview as MPEG-TS, its times those
// of the film. It is made when it is first asked for, and so are the two that
// follow.
func (s *Studio) PlayedSegment(ctx context.Context, w *Work, n int) ([]byte, error) {
	f, err := s.preview(w, draftWidth, w.draft())
	if err != nil {
		return nil, err
	}
	if n < 0 || n >= len(f.segs) {
		return nil, fmt.Errorf("segment %d: %w", n, store.ErrNotFound)
	}
	path, err := s.draftSegment(ctx, f, f.segs[n])
	if err != nil {
		return nil, err
	}
	for k := n + 1; k <= n+2 && k < len(f.segs); k++ {
		go func() { _, _ = s.draftSegment(context.WithoutCancel(ctx), f, f.segs[k]) }() // an error comes again when it is asked for
	}
	var stderr strings.Builder
	cmd := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-nostdin", "-i", path, "-map", "0:v", "-c", "copy",
		"-output_ts_offset", fmt.Sprintf("%.6f", f.scene.Rate.Seconds(f.segs[n].From)), "-muxdelay", "0", "-muxpreload", "0", "-f", "mpegts", "pipe:1")
	cmd.Stderr = &stderr
	out, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("packing segment %d: %s: %w", n, strings.TrimSpace(stderr.String()), err)
	}
	return out, nil
}

// WarmUp makes the preview segment at a frame, and the soundtrack, in the
// background, so that playing from there starts at once. While one is being
// made others are not begun.
func (s *Studio) WarmUp(w *Work, frame timecode.Frames) {
	if !s.look.warming.CompareAndSwap(false, true) {
		return
	}
	go func() {
		defer s.look.warming.Store(false)
		f, err := s.preview(w, draftWidth, w.draft())
		if err != nil {
			return // it comes again when the film is played
		}
		for _, seg := range f.segs {
			if frame >= seg.From && frame < seg.To {
				_, _ = s.draftSegment(context.Background(), f, seg) // likewise
			}
		}
		dir := filepath.Join(s.Blobs.Cache(), "play", f.sound)
		list := filepath.Join(dir, "sound.m3u8")
		if _, err := os.Stat(list); err != nil && len(f.doc.Soundtrack.Songs) > 0 {
			<-s.beginSound(f, dir, list).done
		}
	}()
}

// draftSegment makes a preview segment unless it is kept.
func (s *Studio) draftSegment(ctx context.Context, f *openFilm, seg render.Segment) (string, error) {
	cache := &segmentCache{s}
	return s.once(ctx, seg.Key, func() (string, error) {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Minute)
		defer cancel()
		if kept, err := cache.Find(ctx, []string{seg.Key}); err != nil || kept[seg.Key] != "" {
			return kept[seg.Key], err
		}
		dir, err := os.MkdirTemp(s.Blobs.Cache(), "draft-*")
		if err != nil {
			return "", err
		}
		defer os.RemoveAll(dir)
		job := render.Job{Scene: f.scene, Lanes: func() render.Lane { return f.assets.Lane() }, Profile: render.Draft, Cache: cache, Content: func(doc.MediaID) string { return "" }}
		made, err := job.Encode(ctx, []render.Segment{seg}, dir, func(timecode.Frames) {})
		if err != nil {
			return "", err
		}
		return made[0], nil
	})
}

// PlayedSound is the lengths in seconds of a played preview's sound segments.
func (s *Studio) PlayedSound(w *Work) []float64 {
	return render.SoundSegments(w.Doc.Rate.SampleAt(w.Plan.Pictures))
}

// soundPatience is how long a sound segment is waited for.
const soundPatience = time.Minute

// PlayedSoundSegment is segment n of a played preview's sound as MPEG-TS. The
// whole soundtrack is made from its beginning when any of it is first asked
// for; a segment is handed out as soon as it is there.
func (s *Studio) PlayedSoundSegment(ctx context.Context, w *Work, n int) ([]byte, error) {
	if n < 0 || n >= len(s.PlayedSound(w)) {
		return nil, fmt.Errorf("sound segment %d: %w", n, store.ErrNotFound)
	}
	f, err := s.preview(w, draftWidth, w.draft())
	if err != nil {
		return nil, err
	}
	dir := filepath.Join(s.Blobs.Cache(), "play", f.sound)
	list, name := filepath.Join(dir, "sound.m3u8"), filepath.Join(dir, fmt.Sprintf("%05d.ts", n))
	ready := func() bool { // whole once the next has begun or the list is closed
		if _, err := os.Stat(filepath.Join(dir, fmt.Sprintf("%05d.ts", n+1))); err == nil {
			return true
		}
		b, err := os.ReadFile(list)
		return err == nil && strings.Contains(string(b), "#EXT-X-ENDLIST")
	}
	if !ready() {
		failed := s.beginSound(f, dir, list)
		ctx, cancel := context.WithTimeout(ctx, soundPatience)
		defer cancel()
		for !ready() {
			select {
			case <-failed.done:
				if failed.err != nil {
					return nil, failed.err
				}
			case <-ctx.Done():
				return nil, ctx.Err()
			case <-time.After(15 * time.Millisecond):
			}
		}
	}
	return os.ReadFile(name)
}

// beginSound begins to pack a soundtrack unless that is being done.
func (s *Studio) beginSound(f *openFilm, dir, list string) *making {
	s.look.lock()
	defer s.look.mu.Unlock()
	if m, ok := s.look.making[dir]; ok {
		return m
	}
	m := &making{done: make(chan struct{})}
	s.look.making[dir] = m
	go func() {
		m.err = os.MkdirAll(dir, 0o755)
		if m.err == nil {
			m.err = s.packSound(f, dir, list)
		}
		s.look.mu.Lock()
		delete(s.look.making, dir)
		s.look.mu.Unlock()
		close(m.done)
	}()
	return m
}

// packSound mixes a soundtrack into segments.
func (s *Studio) packSound(f *openFilm, dir, list string) error {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Minute)
	defer cancel()
	t, closeAll, err := render.SoundTrack(ctx, f.doc, f.plan, f.lib, f.files)
	if err != nil {
		return err
	}
	defer closeAll()
	err = render.PackSound(ctx, t, render.Draft, dir, list)
	if err != nil {
		return errors.Join(err, os.RemoveAll(dir)) // so that it is made anew
	}
	return nil
}

// loopSlides and the rest are the measures of a theme's loop.
const (
	loopSlides  = 4
	loopPace    = 1.6 // seconds
	loopOpening = 3.2
	loopWidth   = 480
)

// ThemeLoop is a short film, without sound, of a theme with an order's own
// pictures and names, as an MP4 file. It is made when it is first asked for.
func (s *Studio) ThemeLoop(ctx context.Context, w *Work, themeID string) (string, error) {
	t, err := themes.Get(themeID)
	if err != nil {
		return "", fmt.Errorf("%w: %w", store.ErrNotFound, err)
	}
	f, err := s.loop(w, t)
	if err != nil {
		return "", err
	}
	segs, err := render.Cut(f.scene, render.Draft, contents(w.Media), f.scene.Frames)
	if err != nil {
		return "", err
	}
	h := sha256.New()
	for _, g := range segs {
		h.Write([]byte(g.Key))
	}
	key := "loop" + hex.EncodeToString(h.Sum(nil))[:60]
	cache := &segmentCache{s}
	return s.once(ctx, key, func() (string, error) {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Minute)
		defer cancel()
		if kept, err := cache.Find(ctx, []string{key}); err != nil || kept[key] != "" {
			return kept[key], err
		}
		dir, err := os.MkdirTemp(s.Blobs.Cache(), "loop-*")
		if err != nil {
			return "", err
		}
		defer os.RemoveAll(dir)
		job := render.Job{Scene: f.scene, Lanes: func() render.Lane { return f.assets.Lane() }, Profile: render.Draft}
		out, err := job.Silent(ctx, dir)
		if err != nil {
			return "", err
		}
		return cache.Keep(ctx, key, out)
	})
}

// ThemeStill is the opening of a theme with an order's own pictures and
// names, as a JPEG.
func (s *Studio) ThemeStill(w *Work, themeID string) ([]byte, error) {
	t, err := themes.Get(themeID)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", store.ErrNotFound, err)
	}
	f, err := s.loop(w, t)
	if err != nil {
		return nil, err
	}
	lane := f.assets.Lane()
	defer lane.Close()
	return still(f.scene, lane, posterFrame(f.scene), 85)
}

// loop lays a theme's loop out: its opening and a few of the order's slides,
// quickly.
func (s *Studio) loop(w *Work, t *theme.Theme) (*openFilm, error) {
	d := w.Doc.Clone()
	d.Theme, d.Frame, d.Rate = t.ID, fitFrame(d.Frame, loopWidth), timecode.R25
	d.Soundtrack.Songs, d.Decor = nil, nil
	d.Fit = doc.Fit{Mode: doc.AtPace, PaceSeconds: loopPace}
	for _, det := range t.Details {
		if d.Details[det.Key] == "" {
			d.Details[det.Key] = det.Example
		}
	}
	var keep []doc.Slide
	for _, sl := range d.Slides {
		if sl.Kind == doc.Pictures && len(keep) < loopSlides {
			sl.Pinned, sl.Linger = 0, 1
			keep = append(keep, sl)
		}
	}
	d.Slides = append([]doc.Slide{{ID: "opening", Kind: doc.Opening, Linger: 1, Pinned: loopOpening}}, keep...)
	p := plan.Build(d, t, w.Library)
	f := &openFilm{doc: d, plan: p, lib: w.Library, files: s.previewFiles(context.Background(), w.Media)}
	f.scene = scene.Build(d, t, p, w.Library, pango.Words, scene.Options{})
	f.scene.FadeIn, f.scene.FadeOut = 0, 0 // a loop goes round without black
	f.assets = media.NewAssets(context.Background(), f.files, w.Library, previewBudget)
	return f, nil
}
