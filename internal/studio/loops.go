package studio

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"os"
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
	return s.once(ctx, key, func(ctx context.Context) (string, error) {
		ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
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
	f := &openFilm{doc: d, plan: p, lib: w.Library, files: s.previewFiles(s.background.Context(), w.Media)}
	f.scene = scene.Build(d, t, p, w.Library, pango.Words, scene.Options{})
	f.scene.FadeIn, f.scene.FadeOut = 0, 0 // a loop goes round without black
	f.assets = media.NewAssets(s.background.Context(), f.files, w.Library, previewBudget)
	return f, nil
}
