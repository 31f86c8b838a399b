package runs

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"time"

	"nelko/internal/core/naming"
	"nelko/internal/patternfile"

	"github.com/riverqueue/river"

	"nelko/internal/core/follow"
	"nelko/internal/core/list"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

func rowSlide(s doc.Slide) bool { return s.Row }

// SeeAs fills the pattern with a row's material and details, to look at.
func (r *Patterns) SeeAs(ctx context.Context, id, order int64, author *int64) error {
	run, err := r.Load(ctx, id)
	if err != nil {
		return err
	}
	d, err := r.Orders.Load(ctx, order)
	if err != nil {
		return err
	}
	if d.Order.RunID == nil || *d.Order.RunID != id || d.Order.RunKey == "" {
		return invalid.Field("row", "There is no such row in this Run.")
	}
	row := d.Doc
	if row.Details == nil {
		row.Details = d.Order.Details
	}
	p, err := r.Orders.Edits.Do(ctx, *run.PatternID, edit.SeeAs{
		Row:     row,
		Called:  d.Order.Client,
		Details: run.ByRow(),
	}, author)
	if err != nil {
		return err
	}
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		set := map[string]any{"seen_as": order}
		if run.Given == run.Pattern.Slideshow.Head {
			set["given"] = p.Slideshow.Head // to look at it otherwise changes nothing for the rows
		}
		return change(tx, id, set)
	})
}

// Give makes every row of a Run as the pattern has it, but for its own parts.
// Films that were made stay and say which revision they are of.
func (r *Patterns) Give(ctx context.Context, id int64) error {
	run, err := r.Load(ctx, id)
	if err != nil {
		return err
	}
	held, err := rows(r.Store.DB.WithContext(ctx), id, true)
	if err != nil {
		return err
	}
	for _, o := range held {
		_, err := r.Orders.Edits.Do(ctx, o.ID, edit.Follow{Pattern: run.Pattern.Doc}, nil)
		if errors.Is(err, store.ErrNotFound) {
			continue // deleted meanwhile
		}
		if err != nil {
			return fmt.Errorf("row %s: %w", o.RunKey, err)
		}
	}
	if run.Given == run.Pattern.Slideshow.Head {
		return nil
	}
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		return change(tx, id, map[string]any{"given": run.Pattern.Slideshow.Head})
	})
}

// Following is the edit by which a row is as its pattern was when it was given to the rows
// last; nil for the pattern itself, and where nothing was given yet.
func (r *Patterns) Following(ctx context.Context, tx *gorm.DB, o store.Order) (edit.Op, error) {
	run, err := store.One[store.Run](tx.Omit("list", "pending"), "id = ?", *o.RunID)
	if err != nil || run.PatternID == nil || *run.PatternID == o.ID || run.Given == 0 {
		return nil, err
	}
	p, err := r.Orders.LoadAtIn(ctx, tx, *run.PatternID, run.Given)
	if err != nil {
		return nil, err
	}
	return edit.Follow{Pattern: p.Doc}, nil
}

// made counts a Run's rows that have films, or are getting them.
func (h *room) made(ctx context.Context, id int64) (n int64, err error) {
	err = h.Store.DB.WithContext(ctx).Model(&store.Render{}).Distinct("order_id").
		Where("state IN ('waiting', 'running', 'done') AND order_id IN (SELECT id FROM orders WHERE run_id "+
			"= ? AND run_key <> '')", id).Count(&n).Error
	return n, err
}

// Impact is what giving the pattern's changes to the rows touches.
type Impact struct {
	Rows    int             // that would change
	Films   int             // made already, of those
	Frames  timecode.Frames // to be made anew for these
	Minutes float64         // about, on the workers there are
}

// Impact tells what Give would do.
func (r *Patterns) Impact(ctx context.Context, run *Run) (Impact, error) {
	var out Impact
	held, err := rows(r.Store.DB.WithContext(ctx), run.ID, false)
	if err != nil {
		return out, err
	}
	var done []int64
	err = r.Store.DB.WithContext(ctx).Model(&store.Render{}).Distinct().
		Where("state = 'done' AND order_id IN (SELECT id FROM orders WHERE run_id = ?)", run.ID).
		Pluck("order_id", &done).Error
	if err != nil {
		return out, err
	}
	seen := map[string]bool{}
	for _, o := range held {
		d, err := r.Orders.Load(ctx, o.ID)
		if err != nil {
			return out, err
		}
		n, err := edit.Do(d.Doc, edit.Follow{Pattern: run.Pattern.Doc}, edit.Context{
			Theme:   d.Theme,
			Library: d.Library,
		})
		if err != nil {
			return out, err
		}
		if same, err := sameFilm(d.Doc, n); err != nil || same {
			if err != nil {
				return out, err
			}
			continue
		}
		out.Rows++
		if !slices.Contains(done, o.ID) {
			continue
		}
		out.Films++
		before, err := r.Orders.Film(d, d.Profile, "")
		if err != nil {
			return out, err
		}
		old, err := before.Segments()
		if err != nil {
			return out, err
		}
		for _, s := range old {
			seen[s.Key] = true
		}
		t, err := r.Shelf.Themes.At(n.Theme, n.ThemeVersion)
		if err != nil {
			return out, err
		}
		d.Doc, d.Theme = n, t
		// What the pattern shows since is the Run's, not yet in the row's library.
		for id, m := range run.Pattern.Library {
			if _, ok := d.Library[id]; !ok {
				d.Library[id] = m
			}
		}
		after, err := r.Orders.Film(d, d.Profile, "")
		if err != nil {
			return out, err
		}
		segs, err := after.Segments()
		if err != nil {
			return out, err
		}
		out.Frames += unseen(segs, seen)
	}
	out.Minutes, _, err = r.sheets.lasts(ctx, float64(out.Frames), out.Films)
	return out, err
}

// unseen counts the frames of segments that were not there, and notes them.
func unseen(segs []film.Segment, seen map[string]bool) (n timecode.Frames) {
	for _, s := range segs {
		if !seen[s.Key] {
			seen[s.Key] = true
			n += s.Frames()
		}
	}
	return n
}

func sameFilm(a, b doc.Slideshow) (bool, error) {
	x, err := a.Marshal()
	if err != nil {
		return false, err
	}
	y, err := b.Marshal()
	return string(x) == string(y) && fmt.Sprint(a.Details) == fmt.Sprint(b.Details), err
}

// Tend is the job that waits for a Run's material to be read, and then fills
// the pattern with a row's and gives every row what the pattern has.
type Tend struct {
	RunID int64 `json:"run_id"`
}

// Kind implements river.JobArgs.
func (Tend) Kind() string { return "run_tend" }

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Tend) InsertOpts() river.InsertOpts {
	return river.InsertOpts{
		Queue:       sorting,
		MaxAttempts: 8,
		ScheduledAt: time.Now().Add(1500 * time.Millisecond),
	}
}

// Moved hears that the film of a row or a pattern has changed, and has what
// follows from it seen to: the rows follow their pattern, and the pattern is
// filled with the first row that can.
func (r *Patterns) Moved(ctx context.Context, tx *gorm.DB, o store.Order) error {
	if o.RunKey != "" {
		run, err := store.One[store.Run](tx.Select("id", "seen_as"), "id = ?", *o.RunID)
		if err != nil || run.SeenAs != nil {
			return err
		}
	}
	return r.once(ctx, tx, Tend{*o.RunID}, *o.RunID)
}

// Tend sees to what follows from new material: it fills the pattern with the
// first row's that has some, gives rows the songs their list names, and gives
// all rows what the pattern has unless films were made already. again says that
// files are still being read.
func (r *Patterns) Tend(ctx context.Context, j Tend) (again bool, err error) {
	run, err := r.Load(ctx, j.RunID)
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	var waiting int64
	err = r.Store.DB.WithContext(ctx).Model(&store.Media{}).
		Where("state = 'waiting' AND (run_id = ? OR order_id IN (SELECT id FROM orders WHERE run_id = ?))",
			run.ID, run.ID).Count(&waiting).Error
	if err != nil {
		return false, err
	}
	held, err := rows(r.Store.DB.WithContext(ctx), run.ID, false)
	if err != nil {
		return false, err
	}
	if waiting == 0 {
		if err := r.nameSongs(ctx, held); err != nil {
			return false, err
		}
	}
	if !slices.ContainsFunc(run.Pattern.Doc.Slides, rowSlide) {
		for _, o := range held {
			if o.Pictures > 0 {
				if err := r.SeeAs(ctx, run.ID, o.ID, nil); err != nil {
					return false, err
				}
				break
			}
		}
	}
	made, err := r.made(ctx, run.ID)
	if err != nil {
		return false, err
	}
	if made == 0 {
		if err := r.Give(ctx, run.ID); err != nil {
			return false, err
		}
	}
	return waiting > 0, nil
}

// nameSongs gives rows the songs their list names, if they are there by now.
func (r *Patterns) nameSongs(ctx context.Context, held []store.Order) error {
	for _, o := range held {
		v := o.RunValues[list.Songs]
		if v == "" || slices.Contains(o.Own, follow.Soundtrack) {
			continue
		}
		songs, missing, err := songsNamed(r.Store.DB.WithContext(ctx), o, v)
		if err != nil {
			return err
		}
		if missing == "" {
			if _, err := r.Orders.Edits.Do(ctx, o.ID, edit.Songs{Songs: songs}, nil); err != nil {
				return err
			}
		}
	}
	return nil
}

// PatternZip writes the pattern with its own media, to be made into films elsewhere.
func (r *Patterns) PatternZip(ctx context.Context, run *Run, w io.Writer) error {
	p := run.Pattern
	file := patternfile.Pattern{Doc: p.Doc, Details: maps.Clone(p.Order.Details)}
	for _, k := range run.ByRow() {
		delete(file.Details, k) // a row's, to look at
	}
	for i, m := range p.Media {
		if m.RunID != nil && m.State == store.Ready {
			name := fmt.Sprintf("%03d %s", i+1, naming.Safe(m.Name))
			file.Media = append(file.Media, patternfile.Medium{
				SHA256: m.SHA256,
				Name:   name,
				Came:   m.CreatedAt,
			})
		}
	}
	return patternfile.Write(w, file, r.Orders.Now(), func(sha string) (io.ReadCloser, error) {
		return r.Blobs.Open(ctx, sha)
	})
}
