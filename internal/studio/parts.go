package studio

import (
	"context"
	"errors"
	"fmt"
	"os"
	"runtime"
	"sync"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/timecode"
	"nelko/internal/render"
	"nelko/internal/store"
)

// work is one attempt at a render: its parts are made by this worker and by
// any others that help.
type work struct {
	s    *Studio
	r    store.Render
	film *film
	segs []render.Segment
	dir  string
	stop context.CancelCauseFunc

	mu   sync.Mutex
	made map[int]int64 // frames of parts being made here, by number
}

// plan writes down which parts are to be made, and asks other workers to
// help.
func (w *work) plan(ctx context.Context) error {
	kept, err := w.film.job.Cache.Find(ctx, render.Keys(w.segs))
	if err != nil {
		return err
	}
	var missing []render.Segment
	at := map[timecode.Frames]int{}
	var total, had int64
	for i, s := range w.segs {
		at[s.From] = i
		if _, ok := kept[s.Key]; ok {
			had += int64(s.Frames())
			continue
		}
		missing = append(missing, s)
		total += int64(s.Frames())
	}
	var parts []store.RenderPart
	runs := render.Runs(missing, runtime.GOMAXPROCS(0))
	w.film.job.Threads = render.Threads(len(runs), runtime.GOMAXPROCS(0))
	for i, run := range runs {
		p := store.RenderPart{RenderID: w.r.ID, Attempt: w.r.Attempt, Number: i, First: at[run[0].From], Last: at[run[len(run)-1].From], State: "waiting"}
		for _, s := range run {
			p.Frames += int64(s.Frames())
		}
		parts = append(parts, p)
	}
	if err := w.s.mine(ctx, w.r, map[string]any{"frames_total": total, "frames_kept": had}); err != nil {
		return err
	}
	if len(parts) == 0 {
		return nil
	}
	return w.s.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(&parts).Error; err != nil {
			return err
		}
		var others int64
		err := tx.Table("workers").Where("id <> ? AND seen_at > now() - interval '15 seconds'", w.r.Worker).Count(&others).Error
		if err != nil {
			return err
		}
		for range min(int(others), len(parts)-1) {
			if err := w.s.enqueue(ctx, tx, Help{w.r.ID}); err != nil {
				return err
			}
		}
		return nil
	})
}

// all makes parts until every one is done, by whomever.
func (w *work) all(ctx context.Context) error {
	var wg sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			if err := w.some(ctx, w.r.Worker, true); err != nil {
				w.stop(err)
			}
		})
	}
	wg.Wait()
	return context.Cause(ctx)
}

// partPoll is how often a worker looks whether the others have come further.
const partPoll = 400 * time.Millisecond

// some takes parts and makes them until there is none left to take; toEnd
// waits until those others make are done too.
func (w *work) some(ctx context.Context, worker string, toEnd bool) error {
	for ctx.Err() == nil {
		p, ok, err := w.claim(ctx, worker)
		if err != nil {
			return err
		}
		if ok {
			if err := w.make(ctx, p); err != nil {
				return err
			}
			continue
		}
		if !toEnd {
			return nil
		}
		open, err := w.open(ctx)
		if err != nil || open == 0 {
			return err
		}
		select {
		case <-ctx.Done():
		case <-time.After(partPoll):
		}
	}
	return context.Cause(ctx)
}

// claim takes a part that waits, or one whose worker has died.
func (w *work) claim(ctx context.Context, worker string) (p store.RenderPart, ok bool, err error) {
	err = w.s.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Raw(`UPDATE render_parts SET state = 'running', worker = ?, frames_done = 0
			WHERE (render_id, attempt, number) IN (
				SELECT render_id, attempt, number FROM render_parts
				WHERE render_id = ? AND attempt = ? AND (state = 'waiting' OR (state = 'running' AND worker <> ? AND worker NOT IN
					(SELECT id FROM workers WHERE seen_at > now() - interval '15 seconds')))
				ORDER BY number LIMIT 1 FOR UPDATE SKIP LOCKED)
			RETURNING *`, worker, w.r.ID, w.r.Attempt, worker).Scan(&p)
		ok = res.RowsAffected > 0
		return res.Error
	})
	return p, ok, err
}

// open counts the parts that are not done.
func (w *work) open(ctx context.Context) (n int64, err error) {
	err = w.s.Store.DB.WithContext(ctx).Model(&store.RenderPart{}).
		Where("render_id = ? AND attempt = ? AND state <> 'done'", w.r.ID, w.r.Attempt).Count(&n).Error
	return n, err
}

// make encodes a part and marks it done.
func (w *work) make(ctx context.Context, p store.RenderPart) error {
	if p.First < 0 || p.Last >= len(w.segs) || p.First > p.Last {
		return fmt.Errorf("part %d of render %d names segments %d to %d of %d", p.Number, p.RenderID, p.First, p.Last, len(w.segs))
	}
	dir, err := os.MkdirTemp(w.dir, "part-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	w.count(p.Number, 0)
	_, err = w.film.job.Encode(ctx, w.segs[p.First:p.Last+1], dir, func(n timecode.Frames) { w.count(p.Number, int64(n)) })
	set := map[string]any{"state": "done", "frames_done": p.Frames}
	if err != nil {
		// Another worker may have more luck with it.
		set = map[string]any{"state": "waiting", "worker": "", "error": err.Error()}
	}
	return errors.Join(err, w.s.Store.DB.WithContext(context.WithoutCancel(ctx)).Model(&store.RenderPart{}).
		Where("render_id = ? AND attempt = ? AND number = ? AND worker = ?", p.RenderID, p.Attempt, p.Number, p.Worker).Updates(set).Error)
}

func (w *work) count(part int, n int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.made == nil {
		w.made = map[int]int64{}
	}
	w.made[part] += n
}

// files are the segments' files, all of which must be kept by now.
func (w *work) files(ctx context.Context) ([]string, error) {
	kept, err := w.film.job.Cache.Find(ctx, render.Keys(w.segs))
	if err != nil {
		return nil, err
	}
	files := make([]string, len(w.segs))
	for i, s := range w.segs {
		if files[i] = kept[s.Key]; files[i] == "" {
			return nil, errors.New("a segment that was made is gone from the store")
		}
	}
	return files, nil
}

// report writes progress once a second until ctx ends, and stops the work
// when the render was cancelled or taken over. A database that is away is
// waited for.
func (w *work) report(ctx context.Context) {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			w.mu.Lock()
			made := map[int]int64{}
			for k, v := range w.made {
				made[k] = v
			}
			w.mu.Unlock()
			tx := w.s.Store.DB.WithContext(ctx)
			for k, v := range made {
				// Progress only: the next second brings the next figure.
				_ = tx.Model(&store.RenderPart{}).Where("render_id = ? AND attempt = ? AND number = ? AND state = 'running'", w.r.ID, w.r.Attempt, k).Update("frames_done", v).Error
			}
			done := tx.Model(&store.RenderPart{}).Select("coalesce(sum(frames_done), 0)").Where("render_id = ? AND attempt = ?", w.r.ID, w.r.Attempt)
			if err := w.s.mine(ctx, w.r, map[string]any{"frames_done": done}); errors.Is(err, errTaken) {
				w.stop(errTaken)
				return
			}
		}
	}
}

// DoHelp makes parts of a film another worker is making. own says that the
// worker asked is the one making it.
func (s *Studio) DoHelp(ctx context.Context, j Help, worker string) (own bool, err error) {
	r, err := store.One[store.Render](s.Store.DB.WithContext(ctx), "id = ?", j.RenderID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && r.State != store.RenderRunning) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	if r.Worker == worker {
		return true, nil
	}
	dir, err := os.MkdirTemp(s.Blobs.Cache(), "help-*")
	if err != nil {
		return false, err
	}
	defer os.RemoveAll(dir)
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	f, err := s.film(ctx, r, dir)
	if err != nil {
		return false, err
	}
	w := &work{s: s, r: r, film: f, dir: dir, stop: stop}
	if w.segs, err = render.Segments(f.scene, f.job.Profile, f.job.Content); err != nil {
		return false, err
	}
	go w.report(ctx)
	err = w.some(ctx, worker, false)
	if errors.Is(context.Cause(ctx), errTaken) {
		return false, nil // the film was cancelled
	}
	return false, err
}
