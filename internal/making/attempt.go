package making

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/film"
	"nelko/internal/queue"
	"nelko/internal/render"
	"nelko/internal/store"
)

// errTaken means that the render was cancelled or begun anew by another
// worker: this attempt must stop and write nothing more.
var errTaken = errors.New("the render was cancelled or taken over")

// Film makes a film. It may be called again after a crash: it then begins
// anew. final says that the queue will not try again.
func (a *Attempts) Film(ctx context.Context, j Film, worker string, final bool) error {
	r, err := store.One[store.Render](a.Store.DB.WithContext(ctx), "id = ?", j.RenderID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && r.State.Over()) {
		return nil
	}
	if err != nil {
		return err
	}
	if away := a.Blobs.Here(ctx); away != nil {
		if r.Error == store.ErrAway.Error() {
			return away // said already
		}
		return errors.Join(away, a.putOff(ctx, r, store.ErrAway))
	}
	r.Attempt++
	r.Worker, r.Tools = worker, a.Orders.House.Tools.String()
	mine := false
	err = a.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Render{}).Where("id = ? AND attempt = ? AND state IN ('waiting', 'running')",
			r.ID, r.Attempt-1).
			Updates(map[string]any{
				"state":       store.RenderRunning,
				"attempt":     r.Attempt,
				"worker":      worker,
				"tools":       r.Tools,
				"frames_done": 0,
				"frames_kept": 0,
				"started_at":  a.Now(),
				"error":       "",
			})
		if mine = res.RowsAffected > 0; res.Error != nil || !mine {
			return res.Error // someone else has it
		}
		if err := a.present(ctx, tx, &r); err != nil {
			return err
		}
		return a.changed(ctx, tx, r.OrderID)
	})
	if err != nil || !mine {
		return err
	}
	begun := time.Now()
	err = a.attempt(ctx, r)
	if errors.Is(err, errTaken) {
		return a.taken(ctx, r)
	}
	if store.Full(err) {
		err = errors.Join(render.ErrFull, err)
	}
	err = a.Blobs.Blame(ctx, begun, err)
	for _, lacking := range []error{store.ErrAway, render.ErrFull} {
		if errors.Is(err, lacking) && ctx.Err() == nil {
			// Nothing is wrong with the film: it waits for the store, or for room.
			e := a.end(ctx, r, map[string]any{"state": store.RenderWaiting, "error": lacking.Error()})
			return errors.Join(err, e)
		}
	}
	if err != nil && ctx.Err() == nil && (final || isHopeless(err)) {
		if e := a.end(ctx, r, map[string]any{
			"state":       store.RenderFailed,
			"error":       a.inWords(ctx, r, err),
			"finished_at": a.Now(),
		}); e != nil {
			return errors.Join(err, e)
		}
		return nil
	}
	return err
}

// refuse fails a render on which workers died.
func (a *Attempts) refuse(ctx context.Context, j Film, why string) error {
	return a.Store.Tx(ctx, func(tx *gorm.DB) error {
		r, err := store.One[store.Render](tx, "id = ?", j.RenderID)
		if errors.Is(err, store.ErrNotFound) || (err == nil && r.State.Over()) {
			return nil
		}
		if err != nil {
			return err
		}
		err = tx.Model(&store.Render{}).Where("id = ? AND state IN ('waiting', 'running')", r.ID).
			Updates(map[string]any{"state": store.RenderFailed, "error": why, "finished_at": a.Now()}).Error
		if err != nil {
			return err
		}
		return a.changed(ctx, tx, r.OrderID)
	})
}

// ledFor is how long a film that another is drawn with waits before it looks
// again.
const ledFor = 2 * time.Second

// fullFor is how long a film waits for room on a full disk before it is tried
// again. That is no failure and costs no try.
const fullFor = time.Minute

// awayFor is the same of a store of files that is away.
const awayFor = 5 * time.Second

// taken is what becomes of an attempt that may write no more: nothing if the render is over,
// else somebody else has begun it anew.
func (a *Attempts) taken(ctx context.Context, r store.Render) error {
	now, err := store.One[store.Render](a.Store.DB.WithContext(ctx).Select("id", "state"), "id = ?", r.ID)
	if errors.Is(err, store.ErrNotFound) || err == nil && now.State.Over() {
		return nil
	}
	if err != nil {
		return err
	}
	return queue.ErrSuperseded
}

// putOff says of a render that waits, or that a worker began which is no more, what it waits for.
func (a *Attempts) putOff(ctx context.Context, r store.Render, lacking error) error {
	return a.Store.Tx(ctx, func(tx *gorm.DB) error {
		err := tx.Model(&store.Render{}).Where("id = ? AND attempt = ? AND state IN ('waiting', 'running')",
			r.ID, r.Attempt).
			Updates(map[string]any{"state": store.RenderWaiting, "error": lacking.Error()}).Error
		if err != nil {
			return err
		}
		return a.changed(ctx, tx, r.OrderID)
	})
}

// isHopeless tells errors of the material, which come again on every try,
// from those of the moment.
func isHopeless(err error) bool {
	var s *compose.SlideError
	var g *render.SegmentError
	return errors.As(err, &s) || errors.As(err, &g) || errors.Is(err, errMaterial)
}

var errMaterial = errors.New("cannot be rendered")

// inWords names the slide a failure belongs to by its position.
func (a *Attempts) inWords(ctx context.Context, r store.Render, err error) string {
	var se *compose.SlideError
	var ge *render.SegmentError
	var slide doc.SlideID
	var cause error
	switch {
	case errors.As(err, &se):
		slide, cause = se.Slide, se.Err
	case errors.As(err, &ge):
		slide, cause = ge.Slide, ge.Err
	default:
		return err.Error()
	}
	f, e := a.Orders.FilmOf(ctx, r)
	if e != nil {
		return err.Error()
	}
	return fmt.Sprintf("slide %d: %v", f.Doc.Index(slide)+1, cause)
}

// mine updates the render as long as this attempt owns it, else errTaken.
func (h *room) mine(tx *gorm.DB, r store.Render, set map[string]any) error {
	res := tx.Model(&store.Render{}).Where("id = ? AND attempt = ? AND state = 'running'", r.ID, r.Attempt).
		Updates(set)
	if res.Error == nil && res.RowsAffected == 0 {
		return errTaken
	}
	return res.Error
}

// end is mine for the last update of an attempt.
func (a *Attempts) end(ctx context.Context, r store.Render, set map[string]any) error {
	return a.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := a.mine(tx, r, set); err != nil {
			return err
		}
		return a.changed(ctx, tx, r.OrderID)
	})
}

// begun is a render being made by this worker: alone, or with others.
type begun struct {
	film *film.Film
	segs []film.Segment
	job  render.Job
	dir  string
}

// lay lays a render's slideshow out. dir is where its files are written.
func (a *Attempts) lay(ctx context.Context, r store.Render, dir string) (*begun, error) {
	f, err := a.Orders.FilmOf(ctx, r)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errMaterial, err)
	}
	if f.Plan.FitError != nil {
		return nil, fmt.Errorf("%w: %w", errMaterial, f.Plan.FitError)
	}
	told, also, err := a.beside(ctx, r)
	if err != nil {
		return nil, err
	}
	b := &begun{film: f, dir: dir, job: render.Job{
		Told:  told,
		Also:  also,
		Film:  f,
		Files: store.MediaFiles{Blobs: a.Blobs},
		Cache: a.Kept,
		Out:   filepath.Join(dir, "film."+f.Profile.File.Extension),
		Lanes: func(ctx context.Context) render.Lane { return a.Sprites.Lane(ctx, f.Library, false) },
	}}
	b.segs, err = f.Segments()
	if err == nil && store.Free(dir) < roomFor(f) {
		err = render.ErrFull
	}
	return b, err
}

// roomFor is how much room making a film takes, in bytes, with its segments
// beside it: some bits for each pixel, as is usual for what cameras see (common
// practice, no source).
func roomFor(f *film.Film) int64 {
	const bytesAPixel = 0.04
	return int64(bytesAPixel * float64(f.Scene.W*f.Scene.H) * float64(f.Frames()))
}

// beside is what a render's file tells of its film, and the films of renders
// that wait to be drawn with it.
func (a *Attempts) beside(ctx context.Context, r store.Render) (told render.Told, also []*film.Film,
	err error) {
	tx := a.Store.DB.WithContext(ctx)
	st, err := a.Orders.Shelf.Studio(ctx)
	if err != nil {
		return told, nil, err
	}
	var led []store.Render
	if err := tx.Where("lead_id = ? AND state = 'waiting'", r.ID).Order("id").Find(&led).Error; err != nil {
		return told, nil, err
	}
	for _, l := range led {
		f, err := a.Orders.FilmOf(ctx, l)
		if err != nil {
			return told, nil, err
		}
		also = append(also, f)
	}
	return render.Told{Language: st.Language}, also, nil
}

func (a *Attempts) attempt(ctx context.Context, r store.Render) error {
	dir, err := a.Blobs.TempDir("film-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	b, err := a.lay(ctx, r, dir)
	if err != nil {
		return err
	}
	p := &parts{by: a, r: r, worker: r.Worker}
	if err := a.divide(ctx, r, b); err != nil {
		return err
	}
	quiet := p.report(ctx, stop)
	defer quiet()
	facts, err := b.job.Assemble(ctx, dir, func(ctx context.Context) ([]string, error) {
		if err := render.Share(ctx, p, encoders(), a.encode(b, p)); err != nil {
			return nil, err
		}
		return a.files(ctx, b)
	})
	if cause := context.Cause(ctx); cause != nil {
		return cause
	}
	if err != nil {
		return err
	}
	quiet()
	if err := a.keep(ctx, r, b, facts); err != nil {
		return err
	}
	// The film is done whatever becomes of old segments; the sweeper tries again.
	if _, err := a.Kept.Evict(context.WithoutCancel(ctx), false); err != nil {
		slog.WarnContext(ctx, "old segments stay", "error", err)
	}
	return nil
}

// keep stores a film and its poster and ends the render.
func (a *Attempts) keep(ctx context.Context, r store.Render, b *begun, facts render.Facts) error {
	f, err := os.Open(b.job.Out)
	if err != nil {
		return err
	}
	defer f.Close()
	sha, size, err := a.Blobs.Put(ctx, f)
	if err != nil {
		return err
	}
	lane := a.Sprites.Lane(ctx, b.film.Library, false)
	defer lane.Close()
	jpg, err := b.film.Still(lane, b.film.Poster(), 90)
	if err != nil {
		return err
	}
	poster, posterSize, err := a.Blobs.Put(ctx, bytes.NewReader(jpg))
	if err != nil {
		return err
	}
	var stream *string
	var list string
	var streamSize int64
	if setting(r).Plays() {
		s, l, n, err := a.stream(ctx, b)
		if err != nil {
			return err
		}
		stream, list, streamSize = &s, l, n
	}
	doubt := inDoubt(b.film)
	verified := new(a.Now())
	if doubt != "" {
		verified = nil
	}
	return a.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := errors.Join(store.KeepBlob(tx, sha, size), store.KeepBlob(tx, poster,
			posterSize)); err != nil {
			return err
		}
		if stream != nil {
			if err := store.KeepBlob(tx, *stream, streamSize); err != nil {
				return err
			}
		}
		err := a.mine(tx, r, map[string]any{
			"stream":      stream,
			"stream_list": list,
			"state":       store.RenderDone,
			"sha256":      sha,
			"poster":      poster,
			"size":        size,
			"seconds":     max(facts.PictureSec, facts.SoundSec),
			"frames_done": gorm.Expr("frames_total"),
			"finished_at": a.Now(),
			"verified_at": verified,
			"doubt":       doubt,
		})
		if err != nil {
			return err
		}
		now, err := store.One[store.Render](tx, "id = ?", r.ID)
		if err != nil {
			return err
		}
		if err := a.compared(tx, now, sha); err != nil {
			return err
		}
		return a.changed(ctx, tx, r.OrderID)
	})
}

// stream keeps a film in fragments, as it is streamed, and gives the list of
// them.
func (a *Attempts) stream(ctx context.Context, b *begun) (sha, list string, size int64, err error) {
	path, list, err := render.Fragments(ctx, b.job.Out, b.dir)
	if err != nil {
		return "", "", 0, err
	}
	f, err := os.Open(path)
	if err != nil {
		return "", "", 0, err
	}
	defer f.Close()
	sha, size, err = a.Blobs.Put(ctx, f)
	return sha, list, size, err
}

// compared ends making a film again: if it became the same its damage is
// mended, and what differs is said if it did not. The files of a damaged film are gone: what was
// made again takes their place whatever it became, with a word, so that its links go on.
func (a *Attempts) compared(tx *gorm.DB, r store.Render, sha string) error {
	if r.AgainOf == nil {
		return nil
	}
	of, err := store.One[store.Render](tx, "id = ?", *r.AgainOf)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	differs := ""
	switch {
	case of.SHA256 != nil && *of.SHA256 == sha:
		whole := map[string]any{"damage": "", "verified_at": a.Now()}
		// Other films of the same files are whole with it.
		others := tx.Model(&store.Render{}).
			Where("sha256 = ? AND (stream IS NULL OR stream = ?) AND damage <> ''", sha, r.Stream)
		if err := others.Updates(whole).Error; err != nil {
			return err
		}
		whole["stream"], whole["stream_list"] = r.Stream, r.StreamList
		return tx.Model(&of).Updates(whole).Error
	case of.Tools != r.Tools:
		differs = fmt.Sprintf("it was made with %s, now with %s", of.Tools, r.Tools)
	case of.Film != r.Film:
		differs = "its frames are drawn otherwise by this version of the program"
	default:
		differs = "its frames are the same, the file is not"
	}
	if of.Damage != "" {
		err := tx.Model(&of).Updates(map[string]any{
			"damage":      "",
			"verified_at": r.VerifiedAt,
			"doubt":       r.Doubt,
			"sha256":      r.SHA256,
			"poster":      r.Poster,
			"size":        r.Size,
			"seconds":     r.Seconds,
			"stream":      r.Stream,
			"stream_list": r.StreamList,
			"tools":       r.Tools,
			"film":        r.Film,
			"differs": fmt.Sprintf("its file was damaged (%s) and was replaced by one made anew: %s",
				of.Damage, differs),
		}).Error
		if err != nil {
			return err
		}
	}
	return tx.Model(&store.Render{}).Where("id = ?", r.ID).Update("differs", differs).Error
}
