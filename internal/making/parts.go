package making

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/compose"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/queue"
	"nelko/internal/render"
	"nelko/internal/store"
)

// parts hands out the parts of an attempt at a render: rows that this worker
// and any others take.
type parts struct {
	by     *Attempts
	r      store.Render
	worker string

	claiming sync.Mutex // of who takes a part

	mu   sync.Mutex
	made map[int]int64 // frames of parts being made here, by number
}

var _ render.Parts = (*parts)(nil)

// encoders is how many parts a worker makes at the same time.
func encoders() int { return runtime.GOMAXPROCS(0) }

// setting is the profile a render was begun with.
func setting(r store.Render) profile.Profile {
	if r.Setting != nil {
		return *r.Setting
	}
	return profile.Film
}

// divide writes down which parts are to be made, and asks other workers to
// help. The film's name lets them see whether they would make the same.
func (a *Attempts) divide(ctx context.Context, r store.Render, b *begun) error {
	kept, err := a.Kept.Find(ctx, film.Keys(b.segs))
	if err != nil {
		return err
	}
	name, err := b.film.Name()
	if err != nil {
		return err
	}
	var total, had int64
	for _, s := range b.segs {
		if kept[s.Key] != "" {
			had += int64(s.Frames())
		}
	}
	divided := film.Divide(b.segs, func(s film.Segment) bool {
		return kept[s.Key] != ""
	}, encoders(), b.film.LongestRun())
	rows := make([]store.RenderPart, 0, len(divided))
	for _, p := range divided {
		total += int64(p.Frames)
		rows = append(rows, store.RenderPart{
			RenderID: r.ID,
			Attempt:  r.Attempt,
			Number:   p.Number,
			First:    p.First,
			Last:     p.Last,
			Frames:   int64(p.Frames),
			State:    "waiting",
		})
	}
	return a.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := a.mine(tx, r, map[string]any{
			"frames_total": total,
			"frames_kept":  had,
			"film":         name,
		}); err != nil {
			return err
		}
		if len(rows) == 0 {
			return nil
		}
		return errors.Join(tx.Create(&rows).Error, a.callHelp(ctx, tx, r))
	})
}

// callHelp asks workers that draw with the same and do not help yet to help with a render, as
// long as parts of it wait that this worker does not come to at once.
func (a *Attempts) callHelp(ctx context.Context, tx *gorm.DB, r store.Render) error {
	var n struct{ Waiting, Others, Asked int }
	err := tx.Raw(`SELECT (SELECT count(*) FROM render_parts WHERE render_id = ? AND attempt = ? AND state = 'waiting') waiting,
		(SELECT count(*) FROM workers WHERE id <> ? AND tools = ? AND note = '' AND `+queue.Alive+`) others,
		(SELECT count(*) FROM river_job WHERE kind = ? AND (args->>'render_id')::bigint = ? AND finalized_at IS NULL) asked`,
		r.ID, r.Attempt, r.Worker, r.Tools, Help{}.Kind(), r.ID).Scan(&n).Error
	if err != nil {
		return err
	}
	for range min(n.Others, n.Waiting-1) - n.Asked {
		if err := a.Queue.Insert(ctx, tx, Help{r.ID}); err != nil {
			return err
		}
	}
	return nil
}

// Claim implements render.Parts: a part that waits, or one whose worker has
// died. The database being away is waited for; what was claimed when the answer
// was lost is claimed again.
func (p *parts) Claim(ctx context.Context) (part film.Part, ok bool, err error) {
	p.claiming.Lock()
	defer p.claiming.Unlock()
	err = store.Patiently(ctx, func() error {
		part, ok, err = p.claim(ctx)
		return err
	})
	return part, ok, err
}

func (p *parts) claim(ctx context.Context) (part film.Part, ok bool, err error) {
	p.mu.Lock()
	here := slices.Collect(maps.Keys(p.made))
	p.mu.Unlock()
	var row store.RenderPart
	res := p.by.Store.DB.WithContext(ctx).
		Raw(`UPDATE render_parts SET state = 'running', worker = ?, frames_done = 0
		WHERE (render_id, attempt, number) IN (
			SELECT render_id, attempt, number FROM render_parts
			WHERE render_id = ? AND attempt = ? AND (state = 'waiting'
				OR state = 'running' AND worker <> ? AND worker NOT IN (SELECT id FROM workers WHERE `+queue.Alive+`)
				OR state = 'running' AND worker = ? AND NOT number = ANY (?::int[]))
			ORDER BY tries, number LIMIT 1 FOR UPDATE SKIP LOCKED)
		RETURNING *`, p.worker, p.r.ID, p.r.Attempt, p.worker, p.worker, numbers(here)).Scan(&row)
	if res.Error != nil || res.RowsAffected == 0 {
		return part, false, res.Error
	}
	p.count(row.Number, 0)
	return film.Part{
		Number: row.Number,
		First:  row.First,
		Last:   row.Last,
		Frames: timecode.Frames(row.Frames),
	}, true, nil
}

// numbers are whole numbers as PostgreSQL writes an array of them.
func numbers(list []int) string {
	words := make([]string, len(list))
	for i, n := range list {
		words[i] = strconv.Itoa(n)
	}
	return "{" + strings.Join(words, ",") + "}"
}

// partTries is how often a part may fail for reasons of the moment, by
// whichever worker, before the film is given up.
const partTries = 3

// Done implements render.Parts. A part that failed for a reason of the moment
// goes back, for another worker or another try, and the film goes on; what is
// wrong with the material ends it.
func (p *parts) Done(ctx context.Context, part film.Part, err error) error {
	waits, cancel := context.WithTimeout(ctx, doneWithin)
	defer cancel()
	defer p.forget(part.Number)
	return store.Patiently(waits, func() error { return p.done(ctx, part, err) })
}

// doneWithin is how long the database may be away when a part is done. After that the attempt
// ends; the segments of the part are kept nevertheless.
const doneWithin = 10 * time.Minute

// forget says that a part is not being made here any more.
func (p *parts) forget(part int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	delete(p.made, part)
}

func (p *parts) done(ctx context.Context, part film.Part, err error) error {
	rows := p.by.Store.DB.WithContext(ctx).Model(&store.RenderPart{}).
		Where("render_id = ? AND attempt = ? AND number = ? AND worker = ?", p.r.ID, p.r.Attempt, part.Number,
			p.worker)
	if err == nil {
		return rows.Updates(map[string]any{"state": "done", "frames_done": part.Frames}).Error
	}
	e := rows.Updates(map[string]any{
		"state":  "waiting",
		"worker": "",
		"tries":  gorm.Expr("tries + 1"),
		"error":  err.Error(),
	}).Error
	var material *compose.SlideError
	if e != nil || errors.As(err, &material) || errors.Is(err, context.Canceled) || errors.Is(err, errTaken) {
		return errors.Join(err, e)
	}
	row, e := store.One[store.RenderPart](p.by.Store.DB.WithContext(ctx),
		"render_id = ? AND attempt = ? AND number = ?", p.r.ID, p.r.Attempt, part.Number)
	if e != nil || row.Tries >= partTries {
		return errors.Join(err, e)
	}
	return nil
}

// Open implements render.Parts.
func (p *parts) Open(ctx context.Context) (int, error) {
	var n int64
	err := store.Patiently(ctx, func() error {
		return p.by.Store.DB.WithContext(ctx).Model(&store.RenderPart{}).
			Where("render_id = ? AND attempt = ? AND state <> 'done'", p.r.ID, p.r.Attempt).Count(&n).Error
	})
	return int(n), err
}

// encode makes a part.
func (a *Attempts) encode(b *begun, p *parts) func(context.Context, film.Part) error {
	return func(ctx context.Context, part film.Part) error {
		if part.First < 0 || part.Last >= len(b.segs) || part.First > part.Last {
			return fmt.Errorf("part %d of render %d names segments %d to %d of %d", part.Number, p.r.ID,
				part.First, part.Last, len(b.segs))
		}
		dir, err := os.MkdirTemp(b.dir, "part-*")
		if err != nil {
			return err
		}
		defer os.RemoveAll(dir)
		_, err = b.job.Encode(ctx, b.segs[part.First:part.Last+1], dir, func(n timecode.Frames) {
			p.count(part.Number, int64(n))
		})
		return a.blame(ctx, err)
	}
}

func (p *parts) count(part int, n int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.made == nil {
		p.made = map[int]int64{}
	}
	p.made[part] += n
}

// files are the segments' files, all of which must be kept by now.
func (a *Attempts) files(ctx context.Context, b *begun) ([]string, error) {
	kept, err := a.Kept.Find(ctx, film.Keys(b.segs))
	if err != nil {
		return nil, err
	}
	files := make([]string, len(b.segs))
	for i, s := range b.segs {
		if files[i] = kept[s.Key]; files[i] == "" {
			return nil, errors.New("a segment that was made is gone from the store")
		}
	}
	return files, nil
}

// helpEvery is after how many reports it is looked whether more workers can help.
const helpEvery = 4

// report begins to write progress once a second until ctx ends, and stops the
// attempt when the render was cancelled or taken over. A database that is away
// is waited for. What is given ends it and returns when it writes no more: a
// report that waits while the render is ended would take it for taken over.
func (p *parts) report(ctx context.Context, stop context.CancelCauseFunc) (end func()) {
	ctx, cancel := context.WithCancel(ctx)
	over := make(chan struct{})
	go func() {
		defer close(over)
		p.reports(ctx, stop)
	}()
	return func() {
		cancel()
		<-over
	}
}

func (p *parts) reports(ctx context.Context, stop context.CancelCauseFunc) {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for n := 0; ; n++ {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			p.mu.Lock()
			made := map[int]int64{}
			for k, v := range p.made {
				made[k] = v
			}
			p.mu.Unlock()
			tx := p.by.Store.DB.WithContext(ctx)
			for k, v := range made {
				// Progress only: the next second brings the next figure.
				_ = tx.Model(&store.RenderPart{}).
					Where("render_id = ? AND attempt = ? AND number = ? AND state = 'running' AND worker = ?",
						p.r.ID, p.r.Attempt, k, p.worker).Update("frames_done", v).Error
			}
			done := tx.Model(&store.RenderPart{}).Select("coalesce(sum(frames_done), 0)").
				Where("render_id = ? AND attempt = ?", p.r.ID, p.r.Attempt)
			err := p.by.mine(tx, p.r, map[string]any{"frames_done": done})
			if errors.Is(err, errTaken) {
				stop(errTaken)
				return
			}
			if err == nil && p.worker == p.r.Worker && n%helpEvery == 0 {
				// Workers that began since take parts too; without them it takes longer.
				_ = p.by.Store.Tx(ctx, func(tx *gorm.DB) error { return p.by.callHelp(ctx, tx, p.r) })
			}
			if err == nil {
				// Whoever looks at the order is told; missing one is no harm.
				_ = errors.Join(store.Tell(tx, store.Event{
					What: store.OrderChanged,
					ID:   p.r.OrderID,
				}), store.Tell(tx, store.Event{What: store.QueueChanged}))
			}
		}
	}
}

// Help makes parts of a film another worker is making. own says that the
// worker asked is the one making it. A worker that would draw the film
// differently takes no part in it, and says so.
func (a *Attempts) Help(ctx context.Context, j Help, worker string) (own bool, err error) {
	r, err := store.One[store.Render](a.Store.DB.WithContext(ctx), "id = ?", j.RenderID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && r.State != store.RenderRunning) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	if r.Worker == worker {
		return true, nil
	}
	dir, err := a.Blobs.TempDir("help-*")
	if err != nil {
		return false, err
	}
	defer os.RemoveAll(dir)
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	b, err := a.lay(ctx, r, dir)
	if err != nil {
		return false, err
	}
	name, err := b.film.Name()
	if err != nil {
		return false, err
	}
	if name != r.Film {
		why := fmt.Sprintf("takes no part in render %d: it would draw it differently", r.ID)
		if tools := a.Orders.House.Tools.String(); tools != r.Tools {
			why = fmt.Sprintf("takes no part in render %d: it has %s, the film is made with %s", r.ID, tools,
				r.Tools)
		}
		return false, a.Store.Tx(ctx, func(tx *gorm.DB) error {
			if err := tx.Model(&store.Worker{}).Where("id = ?", worker).
				Update("note", why).Error; err != nil {
				return err
			}
			return store.Tell(tx, store.Event{What: store.QueueChanged})
		})
	}
	p := &parts{by: a, r: r, worker: worker}
	defer p.report(ctx, stop)()
	err = render.Help(ctx, p, encoders(), a.encode(b, p))
	if errors.Is(context.Cause(ctx), errTaken) {
		return false, nil // the film was cancelled
	}
	return false, err
}
