package looking

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/orders"
	"nelko/internal/render"
	"nelko/internal/store"
)

// playBase is the time, in ticks, at which played pictures and sound begin, so
// that pictures that are decoded before they are shown have no time below
// zero.
const playBase = render.TicksPerSecond

// draft is the film as it is played while one works.
func (r *Player) draft(d *orders.Dossier) (*film.Film, error) {
	p := profile.Draft
	p.Rate = d.Doc.Rate
	return r.film(d, p, true)
}

// Played is an order's slideshow as it is played: segments in order.
func (r *Player) Played(d *orders.Dossier) ([]film.Segment, error) {
	f, err := r.draft(d)
	if err != nil {
		return nil, err
	}
	return f.Segments()
}

// PlayedSegment is segment n of a played preview as MPEG-TS, its times those
// of the film. It is made when it is first asked for, and so are the two that
// follow.
func (r *Player) PlayedSegment(ctx context.Context, d *orders.Dossier, n int) ([]byte, error) {
	f, err := r.draft(d)
	if err != nil {
		return nil, err
	}
	segs, err := f.Segments()
	if err != nil {
		return nil, err
	}
	if n < 0 || n >= len(segs) {
		return nil, fmt.Errorf("segment %d: %w", n, store.ErrNotFound)
	}
	path, err := r.draftSegment(ctx, f, segs[n])
	if err != nil {
		return nil, err
	}
	for k := n + 1; k <= n+2 && k < len(segs); k++ {
		// an error comes again when it is asked for
		r.background.Go(func(ctx context.Context) { _, _ = r.draftSegment(ctx, f, segs[k]) })
	}
	ts, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	first, err := render.FirstTime(ts)
	if err == nil {
		at := f.Scene.Rate.SampleAt(segs[n].From) * render.TicksPerSecond / timecode.SampleRate
		err = render.ShiftTimes(ts, playBase+int64(at)-first)
	}
	if err != nil {
		return nil, fmt.Errorf("segment %d: %w", n, err)
	}
	return ts, nil
}

// WarmUp makes the preview segment at a frame, and the soundtrack, in the
// background, so that playing from there starts at once. It waits until the
// operator stays somewhere: who goes on quickly wants the machine for that.
func (r *Player) WarmUp(d *orders.Dossier, frame timecode.Frames) {
	mine := &warmth{d, frame}
	if r.warm.Swap(mine) != nil {
		return // whoever waits finds this one
	}
	r.background.Go(func(ctx context.Context) {
		for {
			select {
			case <-ctx.Done():
				return
			case <-time.After(warmAfter):
			}
			now := r.warm.Load()
			if now != mine {
				mine = now
				continue
			}
			r.warmUp(ctx, now)
			if r.warm.CompareAndSwap(now, nil) {
				return
			}
			mine = r.warm.Load()
		}
	})
}

// warmth is where an operator stays in a film.
type warmth struct {
	d     *orders.Dossier
	frame timecode.Frames
}

// warmAfter is how long an operator must have stayed there.
const warmAfter = 900 * time.Millisecond

func (r *Player) warmUp(ctx context.Context, w *warmth) {
	f, err := r.draft(w.d)
	if err != nil {
		return // it comes again when the film is played
	}
	segs, err := f.Segments()
	if err != nil {
		return // likewise
	}
	for _, seg := range segs {
		if w.frame >= seg.From && w.frame < seg.To {
			_, _ = r.draftSegment(ctx, f, seg) // likewise
		}
	}
	dir, list, err := r.soundFiles(f)
	if err != nil {
		return // likewise
	}
	if _, err := os.Stat(list); err != nil && !f.Silent() {
		<-r.beginSound(f, dir, list).done
	}
}

// soundFiles is the folder of a played soundtrack and the list in it.
func (r *Player) soundFiles(f *film.Film) (dir, list string, err error) {
	key, err := f.SoundKey()
	dir = filepath.Join(r.Blobs.Cache(), PlayFolder, key)
	return dir, filepath.Join(dir, "sound.m3u8"), err
}

// PlayFolder is the folder below the cache in which played soundtracks lie,
// each in a folder of its own.
const PlayFolder = "play"

// made makes something of a film unless it is kept, and keeps it.
func (r *room) made(ctx context.Context, key string, f *film.Film, how func(ctx context.Context,
	j *render.Job, dir string) (string, error)) (string, error) {
	return r.once(ctx, key, func(ctx context.Context) (string, error) {
		ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
		defer cancel()
		if kept, err := r.Kept.Find(ctx, []string{key}); err != nil || kept[key] != "" {
			return kept[key], err
		}
		dir, err := r.Blobs.TempDir("draft-*")
		if err != nil {
			return "", err
		}
		defer os.RemoveAll(dir)
		job := render.Job{
			Film:  f,
			Lanes: func(ctx context.Context) render.Lane { return r.Sprites.Lane(ctx, f.Library, true) },
		}
		out, err := how(ctx, &job, dir)
		if err != nil {
			return "", err
		}
		return r.Kept.Keep(ctx, key, out)
	})
}

// draftSegment makes a preview segment unless it is kept. Drafts are made from
// small copies, so they are kept apart from films of the same size.
func (r *Player) draftSegment(ctx context.Context, f *film.Film, seg film.Segment) (string, error) {
	return r.made(ctx, "draft"+seg.Key, f, func(ctx context.Context, j *render.Job, dir string) (string,
		error) {
		made, err := j.Encode(ctx, []film.Segment{seg}, dir, func(timecode.Frames) {})
		if err != nil {
			return "", err
		}
		return made[0], nil
	})
}

// PlayedSound is the lengths in seconds of a played preview's sound segments.
func (r *Player) PlayedSound(d *orders.Dossier) []float64 {
	return render.SoundSegments(d.Doc.Rate.SampleAt(d.Plan.Frames))
}

// soundPatience is how long a sound segment is waited for.
const soundPatience = time.Minute

// PlayedSoundSegment is segment n of a played preview's sound as MPEG-TS. The
// whole soundtrack is made from its beginning when any of it is first asked
// for; a segment is handed out as soon as it is there.
func (r *Player) PlayedSoundSegment(ctx context.Context, d *orders.Dossier, n int) ([]byte, error) {
	if n < 0 || n >= len(r.PlayedSound(d)) {
		return nil, fmt.Errorf("sound segment %d: %w", n, store.ErrNotFound)
	}
	f, err := r.draft(d)
	if err != nil {
		return nil, err
	}
	dir, list, err := r.soundFiles(f)
	if err != nil {
		return nil, err
	}
	name := filepath.Join(dir, fmt.Sprintf("%05d.ts", n))
	ready := func() bool { // whole once the next has begun or the list is closed
		if _, err := os.Stat(filepath.Join(dir, fmt.Sprintf("%05d.ts", n+1))); err == nil {
			return true
		}
		b, err := os.ReadFile(list)
		return err == nil && strings.Contains(string(b), "#EXT-X-ENDLIST")
	}
	if !ready() {
		failed := r.beginSound(f, dir, list)
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
func (r *Player) beginSound(f *film.Film, dir, list string) *underway {
	return r.begin(dir, func(ctx context.Context) (string, error) {
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return "", err
		}
		return dir, r.packSound(ctx, f, dir, list)
	})
}

// packSound mixes a soundtrack into segments.
func (r *Player) packSound(ctx context.Context, f *film.Film, dir, list string) error {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Minute)
	defer cancel()
	t, closeAll, err := f.Track(ctx, store.MediaFiles{Blobs: r.Blobs})
	if err != nil {
		return err
	}
	defer closeAll()
	err = render.PackSound(ctx, t, f.Profile.Audio, dir, list)
	if err != nil {
		return errors.Join(err, os.RemoveAll(dir)) // so that it is made anew
	}
	return nil
}

// Song is one item of a soundtrack by itself as a WAV file, to be heard before it is
// taken. It is gone when it is closed.
func (r *Player) Song(ctx context.Context, d *orders.Dossier, it doc.Item) (*os.File, error) {
	t, closeAll, err := film.Song(ctx, store.MediaFiles{Blobs: r.Blobs}, d.Library, it)
	if err != nil {
		return nil, err
	}
	defer closeAll()
	file, err := r.Blobs.TempFile("song-*.wav")
	if err != nil {
		return nil, err
	}
	err = errors.Join(os.Remove(file.Name()), render.WriteWAV(t, file))
	if err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		return nil, errors.Join(err, file.Close())
	}
	return file, nil
}
