// Package making is how films are rendered: what is queued and running, the
// parts that workers share, the segments that are kept.
package making

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/captions"
	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/film"
	"nelko/internal/invalid"
	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/render"
	"nelko/internal/store"
)

// Making is the room.
type Making struct {
	Store   *store.Store
	Blobs   *store.Blobs
	Queue   orders.Queue
	Orders  *orders.Orders
	Kept    *Segments
	Sprites *media.Sprites
	Now     func() time.Time
	Films   int // rendered at the same time in this process, at least 1
}

// Film is the job that makes a render's film.
type Film struct {
	RenderID int64     `json:"render_id"`
	Turn     time.Time `json:"turn,omitzero"` // by which those that wait are ordered (see turn)
}

// Kind implements river.JobArgs.
func (Film) Kind() string { return "render" }

// The queues of the room.
const (
	films   = "films"
	helping = "help"
)

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Film) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: films, MaxAttempts: 5} }

// Help is the job that makes parts of a film another worker is making.
type Help struct {
	RenderID int64 `json:"render_id"`
}

// Kind implements river.JobArgs.
func (Help) Kind() string { return "help" }

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Help) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: helping, MaxAttempts: 3} }

// Jobs implements queue.Room.
func (mk *Making) Jobs(js *queue.Jobs) {
	js.Serve(films, mk.Films)
	js.Serve(helping, 1)
	queue.Handle(js, queue.Kind[Film]{
		Work: func(ctx context.Context, j queue.Job[Film]) error {
			led, err := mk.led(ctx, j.Args.RenderID)
			if err != nil {
				return err
			}
			if led {
				return queue.Later(ledFor)
			}
			err = mk.Film(ctx, j.Args, j.Worker, j.Last)
			switch {
			case errors.Is(err, render.ErrFull):
				return queue.Later(fullFor)
			case errors.Is(err, store.ErrAway):
				return queue.Later(awayFor)
			}
			return err
		},
		Refuse: func(ctx context.Context, j Film, why string) error { return mk.refuse(ctx, j, why) },
	})
	queue.Handle(js, queue.Kind[Help]{Needs: mk.Blobs.Here, Work: func(ctx context.Context, j queue.Job[Help]) error {
		own, err := mk.Help(ctx, j.Args, j.Worker)
		if own {
			return queue.Later(2 * time.Second) // for another worker
		}
		return err
	}})
}

// Begin queues a render of the order's present slideshow in a profile; the
// usual one without a name.
func (mk *Making) Begin(ctx context.Context, orderID int64, profileName string) (store.Render, error) {
	list, err := mk.BeginAll(ctx, orderID, Wanted{Profiles: []string{profileName}})
	if err != nil {
		return store.Render{}, err
	}
	return list[0], nil
}

// Wanted is what is to be made of an order's slideshow.
type Wanted struct {
	Shapes   []doc.Frame // further frame shapes; the zero Frame is the first; nil: the first alone
	Profiles []string    // by name
	Teaser   *float64    // seconds into the film at which teasers begin; nil: as their profiles say
	Anyway   bool        // though the client has not approved it
	Missing  bool        // only what is smaller than the slideshow's own frame and not made yet
}

// StreamSizes are the profiles whose films are streamed beside an order's own,
// so that one of them suits any line.
var StreamSizes = []string{"Phone 360", "Web 720"}

// ErrNotApproved means that the order asks for the client's approval, which its
// film does not have.
var ErrNotApproved = &invalid.Input{Field: "approval", Problem: "Not rendered: this order asks for the client's approval, and the film as it is now has none. Send a proof, or say that it is to be rendered anyway."}

// BeginAll queues renders of the order's present slideshow in several profiles and shapes, all
// of them or none. What is being made already is not queued again.
func (mk *Making) BeginAll(ctx context.Context, orderID int64, n Wanted) ([]store.Render, error) {
	d, err := mk.Orders.Load(ctx, orderID)
	if err != nil {
		return nil, err
	}
	if err := May(d, n.Anyway); err != nil {
		return nil, err
	}
	if len(n.Profiles) == 0 {
		return nil, invalid.Field("profile", "Choose what to make.")
	}
	if len(n.Shapes) == 0 {
		n.Shapes = []doc.Frame{{}}
	}
	var out []store.Render
	err = mk.Store.Tx(ctx, func(tx *gorm.DB) error {
		out = nil
		// One press after the other: what was pressed twice, even at the same moment,
		// is made once.
		if _, err := store.One[store.Order](tx.Clauses(clause.Locking{Strength: "NO KEY UPDATE"}).Select("id"), "id = ?", orderID); err != nil {
			return err
		}
		for _, f := range n.Shapes {
			in := d.In(f)
			if in.Shape != f {
				return invalid.Field("shape", "The film is not made in %s.", f.Ratio())
			}
			made, err := mk.beginIn(ctx, tx, in, n)
			if err != nil {
				return err
			}
			out = append(out, made...)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return out, nil
}

// beginIn is BeginAll in the shape an order is seen in.
func (mk *Making) beginIn(ctx context.Context, tx *gorm.DB, d *orders.Dossier, n Wanted) ([]store.Render, error) {
	w, h := d.Doc.Frame.W, d.Doc.Frame.H
	seconds := d.Plan.Rate.Seconds(d.Plan.Frames)
	var wanted []profile.Profile
	out := make([]store.Render, 0, len(n.Profiles))
	for _, name := range n.Profiles {
		p, err := mk.Orders.Shelf.ProfileIn(tx, name)
		if err != nil {
			return nil, err
		}
		if n.Missing && p.Lines >= min(w, h) {
			continue // no smaller than the film itself
		}
		lasts := seconds
		if p.Teaser != nil {
			t := *p.Teaser
			if n.Teaser != nil {
				t.From = max(0, *n.Teaser)
			}
			p.Teaser, lasts = &t, min(lasts, t.Seconds)
		}
		if p, err = p.Sized(p.Rate.Frames(lasts), w, h); err != nil {
			return nil, invalid.Field("profile", "Not rendered as %s: %v.", name, err)
		}
		wanted = append(wanted, p)
	}
	var there []store.Render
	if err := tx.Where("order_id = ? AND revision = ? AND shape = ?", d.Order.ID, d.Slideshow.Head, d.ShapeName()).Order("id").Find(&there).Error; err != nil {
		return nil, err
	}
	wanted = slices.DeleteFunc(wanted, func(p profile.Profile) bool {
		running := slices.IndexFunc(there, func(r store.Render) bool {
			return (!r.State.Over() || n.Missing && r.State == store.RenderDone) && r.Profile == p.Name
		})
		if running >= 0 {
			out = append(out, there[running])
		}
		return running >= 0
	})
	if len(wanted) == 0 {
		return out, nil
	}
	drawn, leads := profile.Together(wanted, w, h)
	made, err := mk.queue(ctx, tx, d, drawn, leads, n.Missing)
	return append(out, made...), err
}

// Draft queues a draft of the order's present slideshow for the client to look
// at. One that is there already, or being made, is not made again.
func (mk *Making) Draft(ctx context.Context, tx *gorm.DB, d *orders.Dossier) error {
	for _, c := range d.Checks {
		if c.Weight == plan.Stops {
			return invalid.Field(orders.Place(c.Field), "No proof was made. %s.", c.Text)
		}
	}
	p := profile.Proof
	for _, r := range d.Renders {
		if r.Profile == p.Name && r.Revision == d.Slideshow.Head && r.State != store.RenderFailed && r.State != store.RenderCancelled {
			return nil
		}
	}
	r := store.Render{
		OrderID: d.Order.ID, SlideshowID: d.Slideshow.ID, Revision: d.Slideshow.Head, Watermark: d.Settings.Watermark,
		Profile: p.Name, Setting: &p, Details: d.Order.Details, State: store.RenderWaiting, FramesTotal: int64(d.Plan.Frames),
	}
	return mk.insert(ctx, tx, d.Order, &r)
}

// For queues a film of the order's present slideshow in a profile, for something
// else to be made of it. One that was made in just that profile, or is being
// made, is not made again.
func (mk *Making) For(ctx context.Context, tx *gorm.DB, d *orders.Dossier, p profile.Profile) (store.Render, error) {
	for _, r := range d.Renders {
		if r.Revision == d.Slideshow.Head && r.Shape == d.ShapeName() && r.State != store.RenderFailed && r.State != store.RenderCancelled && r.Damage == "" &&
			r.Setting != nil && reflect.DeepEqual(*r.Setting, p) && maps.Equal(r.Details, d.Order.Details) {
			return r, nil
		}
	}
	r := renderOf(d, p)
	if err := mk.insert(ctx, tx, d.Order, &r); err != nil {
		return r, err
	}
	return r, mk.changed(ctx, tx, d.Order.ID)
}

// renderOf is a render of an order as it stands, with the studio's mark.
func renderOf(d *orders.Dossier, p profile.Profile) store.Render {
	return store.Render{
		OrderID: d.Order.ID, SlideshowID: d.Slideshow.ID, Revision: d.Slideshow.Head, Shape: d.ShapeName(), Mark: d.Settings.Mark, MarkPicture: d.Settings.MarkPicture,
		Profile: p.Name, Setting: &p, Details: d.Order.Details, State: store.RenderWaiting, FramesTotal: int64(d.Plan.Frames),
	}
}

// May reports why an order's film cannot be rendered as it stands; anyway is the
// operator's word where the client's approval is missing.
func May(d *orders.Dossier, anyway bool) error {
	for _, c := range d.Checks {
		if c.Weight == plan.Stops {
			return invalid.Field(orders.Place(c.Field), "Not rendered. %s.", c.Text)
		}
	}
	if d.Order.AsksApproval && !d.Approved() && !anyway {
		return ErrNotApproved
	}
	return nil
}

// insert writes a render and its job down.
func (mk *Making) insert(ctx context.Context, tx *gorm.DB, o store.Order, r *store.Render) error {
	// GORM leaves false to the column's default unless it is told.
	if err := tx.Select("*").Omit("id", "created_at").Create(r).Error; err != nil {
		return err
	}
	if err := store.Note(tx, store.DidRender, o.ID, "Render in "+r.Profile); err != nil {
		return err
	}
	return mk.enqueue(ctx, tx, o, r.ID)
}

// enqueue queues the making of a render, at the turn of its order.
func (mk *Making) enqueue(ctx context.Context, tx *gorm.DB, o store.Order, renderID int64) error {
	when, err := mk.turn(tx, o)
	if err != nil {
		return err
	}
	if err := mk.Queue.Insert(ctx, tx, Film{renderID, when}); err != nil {
		return err
	}
	return queue.Move(tx, Film{}.Kind(), "render_id", []int64{renderID}, &when)
}

// mainOf is the place of the profile whose film is the order's, or -1: of those a
// client can play at once the largest.
func mainOf(all []profile.Profile, w, h int) int {
	best, area := -1, 0
	for i, p := range all {
		x, y := p.Size(w, h)
		if p.Plays() && x*y > area {
			best, area = i, x*y
		}
	}
	return best
}

// queue writes down renders and their jobs, those that others are drawn with
// first.
func (mk *Making) queue(ctx context.Context, tx *gorm.DB, d *orders.Dossier, all []profile.Profile, leads []int, beside bool) ([]store.Render, error) {
	out := make([]store.Render, len(all))
	main := mainOf(all, d.Doc.Frame.W, d.Doc.Frame.H)
	if beside || d.ShapeName() != "" {
		main = -1 // they stand beside the film that is there
	}
	names := make([]string, len(all))
	for _, led := range []bool{false, true} {
		for i, p := range all {
			if names[i] = p.Name; (leads[i] != i) != led {
				continue
			}
			r := renderOf(d, p)
			r.Main = i == main
			if led {
				r.LeadID = &out[leads[i]].ID
			}
			if err := mk.insert(ctx, tx, d.Order, &r); err != nil {
				return nil, err
			}
			out[i] = r
		}
	}
	if err := tx.Model(&store.Profile{}).Where("name IN ?", names).Update("used_at", mk.Now()).Error; err != nil {
		return nil, err
	}
	return out, mk.changed(ctx, tx, d.Order.ID)
}

// changed tells that a render of an order has changed.
func (mk *Making) changed(ctx context.Context, tx *gorm.DB, orderID int64) error {
	if err := mk.Orders.Changed(ctx, tx, orderID); err != nil {
		return err
	}
	return store.Tell(tx, store.Event{What: store.QueueChanged})
}

// Cancel stops a render that is waiting or running.
func (mk *Making) Cancel(ctx context.Context, orderID, renderID int64) error {
	return mk.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Render{}).Where("id = ? AND order_id = ? AND state IN ('waiting', 'running')", renderID, orderID).
			Updates(map[string]any{"state": store.RenderCancelled, "finished_at": mk.Now()})
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		if err := store.Note(tx, store.DidRender, orderID, "Stopped a render"); err != nil {
			return err
		}
		return mk.changed(ctx, tx, orderID)
	})
}

// led reports whether a render waits for another that makes its segments too.
func (mk *Making) led(ctx context.Context, renderID int64) (led bool, err error) {
	err = mk.Store.DB.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM renders r JOIN renders l ON l.id = r.lead_id WHERE r.id = ? AND l.state IN ('waiting', 'running'))", renderID).Scan(&led).Error
	return led, err
}

// errTaken means that the render was cancelled or begun anew by another
// worker: this attempt must stop and write nothing more.
var errTaken = errors.New("the render was cancelled or taken over")

// Film makes a film. It may be called again after a crash: it then begins
// anew. final says that the queue will not try again.
func (mk *Making) Film(ctx context.Context, j Film, worker string, final bool) error {
	r, err := store.One[store.Render](mk.Store.DB.WithContext(ctx), "id = ?", j.RenderID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && r.State.Over()) {
		return nil
	}
	if err != nil {
		return err
	}
	if away := mk.Blobs.Here(ctx); away != nil {
		if r.Error == store.ErrAway.Error() {
			return away // said already
		}
		return errors.Join(away, mk.putOff(ctx, r, store.ErrAway))
	}
	r.Attempt++
	r.Worker, r.Tools = worker, mk.Orders.House.Tools.String()
	mine := false
	err = mk.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Render{}).Where("id = ? AND attempt = ? AND state IN ('waiting', 'running')", r.ID, r.Attempt-1).
			Updates(map[string]any{"state": store.RenderRunning, "attempt": r.Attempt, "worker": worker, "tools": r.Tools, "frames_done": 0, "frames_kept": 0, "started_at": mk.Now(), "error": ""})
		if mine = res.RowsAffected > 0; res.Error != nil || !mine {
			return res.Error // someone else has it
		}
		if err := mk.present(ctx, tx, &r); err != nil {
			return err
		}
		return mk.changed(ctx, tx, r.OrderID)
	})
	if err != nil || !mine {
		return err
	}
	err = mk.attempt(ctx, r)
	if errors.Is(err, errTaken) {
		return mk.taken(ctx, r)
	}
	if store.Full(err) {
		err = errors.Join(render.ErrFull, err)
	}
	err = mk.Blobs.Blame(ctx, err)
	for _, lacking := range []error{store.ErrAway, render.ErrFull} {
		if errors.Is(err, lacking) && ctx.Err() == nil {
			// Nothing is wrong with the film: it waits for the store, or for room.
			e := mk.end(ctx, r, map[string]any{"state": store.RenderWaiting, "error": lacking.Error()})
			return errors.Join(err, e)
		}
	}
	if err != nil && ctx.Err() == nil && (final || isHopeless(err)) {
		if e := mk.end(ctx, r, map[string]any{"state": store.RenderFailed, "error": mk.inWords(ctx, r, err), "finished_at": mk.Now()}); e != nil {
			return errors.Join(err, e)
		}
		return nil
	}
	return err
}

// refuse fails a render on which workers died.
func (mk *Making) refuse(ctx context.Context, j Film, why string) error {
	return mk.Store.Tx(ctx, func(tx *gorm.DB) error {
		r, err := store.One[store.Render](tx, "id = ?", j.RenderID)
		if errors.Is(err, store.ErrNotFound) || (err == nil && r.State.Over()) {
			return nil
		}
		if err != nil {
			return err
		}
		err = tx.Model(&store.Render{}).Where("id = ? AND state IN ('waiting', 'running')", r.ID).
			Updates(map[string]any{"state": store.RenderFailed, "error": why, "finished_at": mk.Now()}).Error
		if err != nil {
			return err
		}
		return mk.changed(ctx, tx, r.OrderID)
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
func (mk *Making) taken(ctx context.Context, r store.Render) error {
	now, err := store.One[store.Render](mk.Store.DB.WithContext(ctx).Select("id", "state"), "id = ?", r.ID)
	if errors.Is(err, store.ErrNotFound) || err == nil && now.State.Over() {
		return nil
	}
	if err != nil {
		return err
	}
	return queue.ErrSuperseded
}

// putOff says of a render that waits, or that a worker began which is no more, what it waits for.
func (mk *Making) putOff(ctx context.Context, r store.Render, lacking error) error {
	return mk.Store.Tx(ctx, func(tx *gorm.DB) error {
		err := tx.Model(&store.Render{}).Where("id = ? AND attempt = ? AND state IN ('waiting', 'running')", r.ID, r.Attempt).
			Updates(map[string]any{"state": store.RenderWaiting, "error": lacking.Error()}).Error
		if err != nil {
			return err
		}
		return mk.changed(ctx, tx, r.OrderID)
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
func (mk *Making) inWords(ctx context.Context, r store.Render, err error) string {
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
	f, e := mk.Orders.FilmOf(ctx, r)
	if e != nil {
		return err.Error()
	}
	return fmt.Sprintf("slide %d: %v", f.Doc.Index(slide)+1, cause)
}

// mine updates the render as long as this attempt owns it, else errTaken.
func (mk *Making) mine(tx *gorm.DB, r store.Render, set map[string]any) error {
	res := tx.Model(&store.Render{}).Where("id = ? AND attempt = ? AND state = 'running'", r.ID, r.Attempt).Updates(set)
	if res.Error == nil && res.RowsAffected == 0 {
		return errTaken
	}
	return res.Error
}

// end is mine for the last update of an attempt.
func (mk *Making) end(ctx context.Context, r store.Render, set map[string]any) error {
	return mk.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := mk.mine(tx, r, set); err != nil {
			return err
		}
		return mk.changed(ctx, tx, r.OrderID)
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
func (mk *Making) lay(ctx context.Context, r store.Render, dir string) (*begun, error) {
	f, err := mk.Orders.FilmOf(ctx, r)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errMaterial, err)
	}
	if f.Plan.FitError != nil {
		return nil, fmt.Errorf("%w: %w", errMaterial, f.Plan.FitError)
	}
	told, also, err := mk.beside(ctx, r)
	if err != nil {
		return nil, err
	}
	b := &begun{film: f, dir: dir, job: render.Job{
		Told: told, Also: also,
		Film: f, Files: store.MediaFiles{Blobs: mk.Blobs}, Cache: mk.Kept, Out: filepath.Join(dir, "film."+f.Profile.File.Extension),
		Lanes: func(ctx context.Context) render.Lane { return mk.Sprites.Lane(ctx, f.Library, false) },
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
func (mk *Making) beside(ctx context.Context, r store.Render) (told render.Told, also []*film.Film, err error) {
	tx := mk.Store.DB.WithContext(ctx)
	st, err := mk.Orders.Shelf.Studio(ctx)
	if err != nil {
		return told, nil, err
	}
	var led []store.Render
	if err := tx.Where("lead_id = ? AND state = 'waiting'", r.ID).Order("id").Find(&led).Error; err != nil {
		return told, nil, err
	}
	for _, l := range led {
		f, err := mk.Orders.FilmOf(ctx, l)
		if err != nil {
			return told, nil, err
		}
		also = append(also, f)
	}
	return render.Told{Language: st.Language}, also, nil
}

func (mk *Making) attempt(ctx context.Context, r store.Render) error {
	dir, err := mk.Blobs.TempDir("film-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	b, err := mk.lay(ctx, r, dir)
	if err != nil {
		return err
	}
	p := &parts{mk: mk, r: r, worker: r.Worker}
	if err := mk.divide(ctx, r, b); err != nil {
		return err
	}
	quiet := p.report(ctx, stop)
	defer quiet()
	facts, err := b.job.Assemble(ctx, dir, func(ctx context.Context) ([]string, error) {
		if err := render.Share(ctx, p, encoders(), mk.encode(b, p)); err != nil {
			return nil, err
		}
		return mk.files(ctx, b)
	})
	if cause := context.Cause(ctx); cause != nil {
		return cause
	}
	if err != nil {
		return err
	}
	quiet()
	if err := mk.keep(ctx, r, b, facts); err != nil {
		return err
	}
	// The film is done whatever becomes of old segments; the sweeper tries again.
	if _, err := mk.Kept.Evict(context.WithoutCancel(ctx), false); err != nil {
		slog.WarnContext(ctx, "old segments stay", "error", err)
	}
	return nil
}

// keep stores a film and its poster and ends the render.
func (mk *Making) keep(ctx context.Context, r store.Render, b *begun, facts render.Facts) error {
	f, err := os.Open(b.job.Out)
	if err != nil {
		return err
	}
	defer f.Close()
	sha, size, err := mk.Blobs.Put(ctx, f)
	if err != nil {
		return err
	}
	lane := mk.Sprites.Lane(ctx, b.film.Library, false)
	defer lane.Close()
	jpg, err := b.film.Still(lane, b.film.Poster(), 90)
	if err != nil {
		return err
	}
	poster, posterSize, err := mk.Blobs.Put(ctx, bytes.NewReader(jpg))
	if err != nil {
		return err
	}
	var stream *string
	var list string
	var streamSize int64
	if setting(r).Plays() {
		s, l, n, err := mk.stream(ctx, b)
		if err != nil {
			return err
		}
		stream, list, streamSize = &s, l, n
	}
	doubt := inDoubt(b.film)
	verified := new(mk.Now())
	if doubt != "" {
		verified = nil
	}
	return mk.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := errors.Join(store.KeepBlob(tx, sha, size), store.KeepBlob(tx, poster, posterSize)); err != nil {
			return err
		}
		if stream != nil {
			if err := store.KeepBlob(tx, *stream, streamSize); err != nil {
				return err
			}
		}
		err := mk.mine(tx, r, map[string]any{
			"stream": stream, "stream_list": list,
			"state": store.RenderDone, "sha256": sha, "poster": poster, "size": size, "seconds": max(facts.PictureSec, facts.SoundSec),
			"frames_done": gorm.Expr("frames_total"), "finished_at": mk.Now(), "verified_at": verified, "doubt": doubt,
		})
		if err != nil {
			return err
		}
		now, err := store.One[store.Render](tx, "id = ?", r.ID)
		if err != nil {
			return err
		}
		if err := mk.compared(tx, now, sha); err != nil {
			return err
		}
		return mk.changed(ctx, tx, r.OrderID)
	})
}

// Captions are the captions of a finished film as a file of an ending, and its
// name without one.
func (mk *Making) Captions(ctx context.Context, renderID int64, ending string) ([]byte, string, error) {
	r, o, err := mk.Finished(ctx, renderID)
	if err != nil {
		return nil, "", err
	}
	f, err := mk.Orders.FilmOf(ctx, r)
	if err != nil {
		return nil, "", err
	}
	write, lines := captions.Formats[ending], f.Captions()
	if write == nil || len(lines) == 0 {
		return nil, "", fmt.Errorf("captions: %w", store.ErrNotFound)
	}
	var b bytes.Buffer
	err = write(&b, lines, f.Scene.Rate)
	return b.Bytes(), strings.TrimSuffix(FileName(o, r), "."+setting(r).File.Extension), err
}

// stream keeps a film in fragments, as it is streamed, and gives the list of
// them.
func (mk *Making) stream(ctx context.Context, b *begun) (sha, list string, size int64, err error) {
	path, list, err := render.Fragments(ctx, b.job.Out, b.dir)
	if err != nil {
		return "", "", 0, err
	}
	f, err := os.Open(path)
	if err != nil {
		return "", "", 0, err
	}
	defer f.Close()
	sha, size, err = mk.Blobs.Put(ctx, f)
	return sha, list, size, err
}

// FileName is the name a film is downloaded under.
func FileName(o store.Order, r store.Render) string {
	clean := func(c rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, c) || c < 32 {
			return '-'
		}
		return c
	}
	name := o.Client + " - " + o.Event
	if f, err := doc.ParseFrame(r.Shape); err == nil {
		name += " - " + strings.ReplaceAll(f.Ratio(), ":", "x")
	}
	return strings.Map(clean, name) + "." + setting(r).File.Extension
}
