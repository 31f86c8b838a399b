package studio

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"

	"gorm.io/gorm"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
	"nelko/internal/media/pango"
	"nelko/internal/media/vips"
	"nelko/internal/render"
	"nelko/internal/store"
	"nelko/themes"
)

// StartRender queues a render of the order's present slideshow.
func (s *Studio) StartRender(ctx context.Context, orderID int64) (store.Render, error) {
	w, err := s.Load(ctx, orderID)
	if err != nil {
		return store.Render{}, err
	}
	for _, c := range w.Checks {
		if c.Weight == plan.Stops {
			return store.Render{}, &Invalid{anchor(c.Field), "Not rendered. " + c.Text + "."}
		}
	}
	if len(w.Renders) > 0 && !w.Renders[0].State.Over() && w.Renders[0].Revision == w.Slideshow.Head {
		return w.Renders[0], nil // pressed twice
	}
	r := store.Render{
		OrderID: orderID, SlideshowID: w.Slideshow.ID, Mark: w.Settings.Mark, MarkPicture: w.Settings.MarkPicture, Revision: w.Slideshow.Head, Profile: render.MP4.Name,
		State: store.RenderWaiting, FramesTotal: int64(w.Plan.Pictures),
	}
	err = s.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(&r).Error; err != nil {
			return err
		}
		return s.enqueue(ctx, tx, Render{r.ID})
	})
	return r, err
}

// CancelRender stops a render that is waiting or running.
func (s *Studio) CancelRender(ctx context.Context, orderID, renderID int64) error {
	return s.Store.DB.WithContext(ctx).Model(&store.Render{}).
		Where("id = ? AND order_id = ? AND state IN ('waiting', 'running')", renderID, orderID).
		Updates(map[string]any{"state": store.RenderCancelled, "finished_at": s.Now()}).Error
}

// errTaken means that the render was cancelled or begun anew by another
// worker: this attempt must stop and write nothing more.
var errTaken = errors.New("the render was cancelled or taken over")

// DoRender makes a film. It may be called again after a crash: it then begins
// anew. final says that the queue will not try again.
func (s *Studio) DoRender(ctx context.Context, j Render, worker string, final bool) error {
	r, err := store.One[store.Render](s.Store.DB.WithContext(ctx), "id = ?", j.RenderID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && r.State.Over()) {
		return nil
	}
	if err != nil {
		return err
	}
	r.Attempt++
	r.Worker = worker
	now := s.Now()
	res := s.Store.DB.WithContext(ctx).Model(&store.Render{}).
		Where("id = ? AND attempt = ? AND state IN ('waiting', 'running')", r.ID, r.Attempt-1).
		Updates(map[string]any{"state": store.RenderRunning, "attempt": r.Attempt, "worker": worker, "frames_done": 0, "frames_kept": 0, "started_at": now, "error": ""})
	if res.Error != nil {
		return res.Error
	}
	if res.RowsAffected == 0 {
		return nil // someone else has it
	}
	err = s.renderAttempt(ctx, r)
	if errors.Is(err, errTaken) {
		return nil
	}
	if err != nil && ctx.Err() == nil && (final || isHopeless(err)) {
		if e := s.mine(ctx, r, map[string]any{"state": store.RenderFailed, "error": s.inWords(ctx, r, err), "finished_at": s.Now()}); e != nil {
			return errors.Join(err, e)
		}
		return nil
	}
	return err
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
func (s *Studio) inWords(ctx context.Context, r store.Render, err error) string {
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
	rev, e := s.revision(ctx, r)
	if e != nil {
		return err.Error()
	}
	return fmt.Sprintf("slide %d: %v", rev.Index(slide)+1, cause)
}

func (s *Studio) revision(ctx context.Context, r store.Render) (doc.Slideshow, error) {
	rev, err := store.One[store.Revision](s.Store.DB.WithContext(ctx), "slideshow_id = ? AND number = ?", r.SlideshowID, r.Revision)
	if err != nil {
		return doc.Slideshow{}, err
	}
	return doc.Parse(rev.Document)
}

// mine updates the render as long as this attempt owns it, else errTaken.
func (s *Studio) mine(ctx context.Context, r store.Render, set map[string]any) error {
	res := s.Store.DB.WithContext(ctx).Model(&store.Render{}).
		Where("id = ? AND attempt = ? AND state = 'running'", r.ID, r.Attempt).Updates(set)
	if res.Error == nil && res.RowsAffected == 0 {
		return errTaken
	}
	return res.Error
}

// film is one slideshow ready to be made.
type film struct {
	doc    doc.Slideshow
	scene  *scene.Scene
	assets *media.Assets
	job    render.Job
}

// film lays a render's slideshow out. dir is where its files are written.
func (s *Studio) film(ctx context.Context, r store.Render, dir string) (*film, error) {
	d, err := s.revision(ctx, r)
	if err != nil {
		return nil, err
	}
	t, err := themes.Get(d.Theme)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errMaterial, err)
	}
	list, err := listMedia(s.Store.DB.WithContext(ctx), r.OrderID)
	if err != nil {
		return nil, err
	}
	list, picture := marked(list, r.MarkPicture)
	lib, from := library(list), s.mediaFiles(ctx, list)
	p := plan.Build(d, t, lib)
	if p.FitError != nil {
		return nil, fmt.Errorf("%w: %w", errMaterial, p.FitError)
	}
	content := contents(list)
	key, err := render.SoundKey(d, p, lib, render.MP4, content)
	if err != nil {
		return nil, err
	}
	f := &film{doc: d, scene: scene.Build(d, t, p, lib, pango.Words, scene.Options{Mark: r.Mark, Picture: picture})}
	f.assets = media.NewAssets(ctx, from, lib, media.DefaultBudget)
	f.job = render.Job{
		Scene: f.scene, Lanes: func() render.Lane { return f.assets.Lane() }, Profile: render.MP4, Out: filepath.Join(dir, "film.mp4"),
		Track:    func(ctx context.Context) (sound.Track, func(), error) { return render.SoundTrack(ctx, d, p, lib, from) },
		SoundKey: key, Content: content, Cache: &segmentCache{s}, Title: d.Details["names"],
	}
	return f, nil
}

// contents names media by what they hold.
func contents(list []store.Media) func(doc.MediaID) string {
	sha := map[doc.MediaID]string{}
	for _, m := range list {
		sha[m.DocID()] = m.SHA256
	}
	return func(id doc.MediaID) string { return sha[id] }
}

func (s *Studio) renderAttempt(ctx context.Context, r store.Render) error {
	dir, err := os.MkdirTemp(s.Blobs.Cache(), "film-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	f, err := s.film(ctx, r, dir)
	if err != nil {
		return err
	}
	segs, err := render.Segments(f.scene, f.job.Profile, f.job.Content)
	if err != nil {
		return err
	}
	w := &work{s: s, r: r, film: f, segs: segs, dir: dir, stop: stop}
	if err := w.plan(ctx); err != nil {
		return err
	}
	go w.report(ctx)
	track := make(chan soundMade, 1)
	go func() {
		path, err := f.job.Soundtrack(ctx, dir)
		if err != nil {
			stop(err)
		}
		track <- soundMade{path, err}
	}()
	err = w.all(ctx)
	made := <-track
	if cause := context.Cause(ctx); cause != nil {
		return cause
	}
	if err != nil {
		return err
	}
	files, err := w.files(ctx)
	if err != nil {
		return err
	}
	facts, err := f.job.Join(ctx, files, made.path, dir)
	if cause := context.Cause(ctx); cause != nil {
		return cause
	}
	if err != nil {
		return err
	}
	if err := s.keepFilm(ctx, r, f.job.Out, facts, f.scene, f.assets); err != nil {
		return err
	}
	// The film is done whatever becomes of old segments; the next one tries again.
	if err := s.evictSegments(context.WithoutCancel(ctx)); err != nil {
		slog.Warn("old segments stay", "error", err)
	}
	return nil
}

type soundMade struct {
	path string
	err  error
}

func (s *Studio) keepFilm(ctx context.Context, r store.Render, out string, facts render.Facts, sc *scene.Scene, assets *media.Assets) error {
	f, err := os.Open(out)
	if err != nil {
		return err
	}
	defer f.Close()
	sha, size, err := s.Blobs.Put(ctx, f)
	if err != nil {
		return err
	}
	lane := assets.Lane()
	defer lane.Close()
	jpg, err := still(sc, lane, posterFrame(sc), 90)
	if err != nil {
		return err
	}
	poster, posterSize, err := s.Blobs.Put(ctx, bytes.NewReader(jpg))
	if err != nil {
		return err
	}
	return s.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := errors.Join(keepBlob(tx, sha, size), keepBlob(tx, poster, posterSize)); err != nil {
			return err
		}
		res := tx.Model(&store.Render{}).Where("id = ? AND attempt = ? AND state = 'running'", r.ID, r.Attempt).Updates(map[string]any{
			"state": store.RenderDone, "sha256": sha, "poster": poster, "size": size, "seconds": facts.PictureSec,
			"frames_done": gorm.Expr("frames_total"), "finished_at": s.Now(),
		})
		if res.Error == nil && res.RowsAffected == 0 {
			return errTaken
		}
		return res.Error
	})
}

// posterFrame is the middle of the opening, when its words have come in.
func posterFrame(sc *scene.Scene) timecode.Frames {
	first := sc.Slides[0]
	return min(sc.Frames-1, first.Start+(first.Length-first.Overlap)*2/3)
}

func still(sc *scene.Scene, a compose.Assets, n timecode.Frames, quality int) ([]byte, error) {
	f := raster.NewFrame(sc.W, sc.H)
	if err := compose.New(sc, a).Frame(f, n); err != nil {
		return nil, err
	}
	return vips.JPEG(f.RGB(sc.Matrix), quality)
}

// mediaFiles finds media in the blob store.
func (s *Studio) mediaFiles(ctx context.Context, list []store.Media) media.Files {
	f := blobFiles{ctx: ctx, blobs: s.Blobs, sha: map[doc.MediaID]string{}}
	for _, m := range list {
		f.sha[m.DocID()] = m.SHA256
	}
	return f
}

// previewFiles are mediaFiles that also know the small copies.
func (s *Studio) previewFiles(ctx context.Context, list []store.Media) media.Files {
	f := withProxies{Files: s.mediaFiles(ctx, list), small: blobFiles{ctx: ctx, blobs: s.Blobs, sha: map[doc.MediaID]string{}}}
	for _, m := range list {
		if m.Proxy != nil {
			f.small.sha[m.DocID()] = *m.Proxy
		}
	}
	return f
}

type withProxies struct {
	media.Files
	small blobFiles
}

var _ media.Smaller = withProxies{}

// Small implements media.Smaller.
func (f withProxies) Small(id doc.MediaID, side int) (string, bool) {
	if side > proxySide {
		return "", false
	}
	p, err := f.small.Path(id)
	return p, err == nil
}

type blobFiles struct {
	ctx   context.Context
	blobs *store.Blobs
	sha   map[doc.MediaID]string
}

func (f blobFiles) Path(id doc.MediaID) (string, error) {
	sha, ok := f.sha[id]
	if !ok {
		return "", fmt.Errorf("medium %s: %w", id, store.ErrNotFound)
	}
	return f.blobs.Path(f.ctx, sha)
}

// FileName is the name a film is downloaded under.
func FileName(o store.Order) string {
	clean := func(r rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, r) || r < 32 {
			return '-'
		}
		return r
	}
	return strings.Map(clean, o.Client+" - "+o.Event) + ".mp4"
}
