package studio

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
	"nelko/internal/render"
	"nelko/internal/store"
)

// playBase is the time, in ticks, at which played pictures and sound begin, so
// that pictures that are decoded before they are shown have no time below
// zero.
const playBase = render.TicksPerSecond

// draftWidth is the longer side of a played preview in pixels.
const draftWidth = 640

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
		s.background.Go(func(ctx context.Context) { _, _ = s.draftSegment(ctx, f, f.segs[k]) }) // an error comes again when it is asked for
	}
	ts, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	first, err := render.FirstTime(ts)
	if err == nil {
		at := f.scene.Rate.SampleAt(f.segs[n].From) * render.TicksPerSecond / timecode.SampleRate
		err = render.ShiftTimes(ts, playBase+int64(at)-first)
	}
	if err != nil {
		return nil, fmt.Errorf("segment %d: %w", n, err)
	}
	return ts, nil
}

// WarmUp makes the preview segment at a frame, and the soundtrack, in the
// background, so that playing from there starts at once. While one is being
// made others are not begun.
func (s *Studio) WarmUp(w *Work, frame timecode.Frames) {
	if !s.look.warming.CompareAndSwap(false, true) {
		return
	}
	s.background.Go(func(ctx context.Context) {
		defer s.look.warming.Store(false)
		f, err := s.preview(w, draftWidth, w.draft())
		if err != nil {
			return // it comes again when the film is played
		}
		for _, seg := range f.segs {
			if frame >= seg.From && frame < seg.To {
				_, _ = s.draftSegment(ctx, f, seg) // likewise
			}
		}
		dir := filepath.Join(s.Blobs.Cache(), "play", f.sound)
		list := filepath.Join(dir, "sound.m3u8")
		if _, err := os.Stat(list); err != nil && len(f.doc.Soundtrack.Songs) > 0 {
			<-s.beginSound(f, dir, list).done
		}
	})
}

// draftSegment makes a preview segment unless it is kept.
func (s *Studio) draftSegment(ctx context.Context, f *openFilm, seg render.Segment) (string, error) {
	cache := &segmentCache{s}
	return s.once(ctx, seg.Key, func(ctx context.Context) (string, error) {
		ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
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
	ts, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	if err := render.ShiftTimes(ts, playBase); err != nil {
		return nil, fmt.Errorf("sound segment %d: %w", n, err)
	}
	return ts, nil
}

// beginSound begins to pack a soundtrack unless that is being done.
func (s *Studio) beginSound(f *openFilm, dir, list string) *making {
	return s.begin(dir, func(ctx context.Context) (string, error) {
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return "", err
		}
		return dir, s.packSound(ctx, f, dir, list)
	})
}

// packSound mixes a soundtrack into segments.
func (s *Studio) packSound(ctx context.Context, f *openFilm, dir, list string) error {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Minute)
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
