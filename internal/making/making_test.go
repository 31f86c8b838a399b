package making_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/render"
	"nelko/internal/store"
)

var ctx = context.Background()

// After one caption was changed only the segments that show it are made
// again; the rest, and the sound, come from what is kept.
func TestOnlyWhatChangedIsMadeAgain(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	first := housetest.Rendered(t, s, order)
	assert.Zero(t, first.FramesKept)
	assert.EqualValues(t, 15*30, first.FramesTotal)
	assert.Equal(t, first.FramesTotal, first.FramesDone)
	w := housetest.Load(t, s, order)
	slide := w.Doc.Slides[1].ID
	_, err := s.Orders.Edits.Edit(ctx, order, w.Slideshow.Head, edit.Caption{
		Slides: []doc.SlideID{slide},
		Text:   "At the start",
	}, nil)
	require.NoError(t, err)
	again := housetest.Rendered(t, s, order)
	assert.EqualValues(t, 15*30, again.FramesTotal+again.FramesKept)
	assert.Equal(t, int64(w.Plan.Slides[1].Length), again.FramesTotal, "the slide with its joins")
	assert.NotEqual(t, *first.SHA256, *again.SHA256)
}

// A second worker takes parts of a film another is making; each makes some of
// it, together they make all of it.
func TestWorkersShareAFilm(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	require.NoError(t, s.Store.DB.Exec("INSERT INTO workers (id, seen_at) VALUES ('maker', now() + "+
		"interval '1 hour'), ('helper', now() + interval '1 hour')").Error)
	r, err := s.Making.Renders.Begin(ctx, order, "")
	require.NoError(t, err)
	// The maker claims nothing until the helper has claimed something.
	require.NoError(t, s.Store.DB.Exec(`CREATE FUNCTION hold() RETURNS trigger AS $$ BEGIN
			FOR i IN 1..600 LOOP
				EXIT WHEN EXISTS (SELECT 1 FROM render_parts WHERE worker = 'helper');
				PERFORM pg_sleep(0.05);
			END LOOP;
			RETURN NEW;
		END $$ LANGUAGE plpgsql`).Error)
	require.NoError(t, s.Store.DB.Exec(
		`CREATE TRIGGER hold BEFORE UPDATE ON render_parts FOR EACH ROW WHEN (NEW.state = 'running' AND NEW.worker = 'maker') EXECUTE FUNCTION hold()`).Error)
	var wg sync.WaitGroup
	wg.Go(func() {
		assert.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "maker", true))
	})
	require.Eventually(t, func() bool {
		var n int64
		return s.Store.DB.Table("render_parts").Count(&n).Error == nil && n > 0
	}, 20*time.Second, 2*time.Millisecond)
	own, err := s.Making.Attempts.Help(ctx, making.Help{RenderID: r.ID}, "maker")
	require.NoError(t, err)
	assert.True(t, own, "the maker does not help itself")
	_, err = s.Making.Attempts.Help(ctx, making.Help{RenderID: r.ID}, "helper")
	require.NoError(t, err)
	wg.Wait()
	r, err = store.One[store.Render](s.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	assert.Equal(t, store.RenderDone, r.State, r.Error)
	assert.Zero(t, count(t, s, "render_parts", "state <> 'done'"))
	assert.Positive(t, count(t, s, "render_parts", "worker = 'helper'"), "the helper made some")
	assert.Positive(t, count(t, s, "render_parts", "worker = 'maker'"), "and so did the maker")
	_, err = s.Making.Attempts.Help(ctx, making.Help{RenderID: r.ID}, "helper")
	assert.NoError(t, err, "a film that is done needs no help")
}

func count(t *testing.T, s *house.House, table, where string) (n int64) {
	require.NoError(t, s.Store.DB.Table(table).Where(where).Count(&n).Error)
	return n
}

// A worker whose tools differ would draw another film: it takes no part, and
// the queue says so.
func TestWorkersThatDrawDifferentlyTakeNoPart(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	r, err := s.Making.Renders.Begin(ctx, order, "")
	require.NoError(t, err)
	require.NoError(t, s.Store.DB.Exec(
		"INSERT INTO workers (id, seen_at) VALUES ('helper', now() + interval '1 hour')").Error)
	require.NoError(t, s.Store.DB.Model(&r).Updates(map[string]any{
		"state":   "running",
		"worker":  "maker",
		"attempt": 1,
		"film":    "as the maker draws it",
		"tools":   "libvips 7, Pango 1, ffmpeg 4",
	}).Error)
	require.NoError(t, s.Store.DB.Create(&store.RenderPart{
		RenderID: r.ID,
		Attempt:  1,
		Frames:   10,
		State:    "waiting",
	}).Error)
	own, err := s.Making.Attempts.Help(ctx, making.Help{RenderID: r.ID}, "helper")
	require.NoError(t, err)
	assert.False(t, own)
	assert.EqualValues(t, 1, count(t, s, "render_parts", "state = 'waiting' AND worker = ''"),
		"it was left alone")
	b, err := s.Making.Board(ctx)
	require.NoError(t, err)
	require.Len(t, b.Workers, 1)
	assert.Contains(t, b.Workers[0].Note, "takes no part in render")
	assert.Contains(t, b.Workers[0].Note, "the film is made with libvips 7")
}

// Two orders with the same pictures, details and music share every segment:
// nothing about a film depends on which order it is of.
func TestTwinsShareEverything(t *testing.T) {
	s := housetest.Open(t)
	first, second := housetest.Ready(t, s), housetest.Ready(t, s)
	a := housetest.Rendered(t, s, first)
	assert.Zero(t, a.FramesKept)
	b := housetest.Rendered(t, s, second)
	assert.EqualValues(t, 15*30, b.FramesKept)
	assert.Zero(t, b.FramesTotal)
	assert.Equal(t, *a.SHA256, *b.SHA256)
}

// A disk that is full is of the moment: the part goes back, the film waits for
// room however often it was tried, and what went wrong is told in words.
func TestFullDiskIsNotTheMaterialsFault(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	r, err := s.Making.Renders.Begin(ctx, order, "")
	require.NoError(t, err)
	s.Making.Kept = &making.Segments{Store: s.Store, Blobs: s.Blobs, Now: time.Now}
	require.NoError(t, os.Chmod(s.Blobs.Cache(), 0o755))
	full := s.Blobs.Touch
	s.Blobs.Touch = func(context.Context, string, int64) error { return unix.ENOSPC }
	for _, last := range []bool{false, true} {
		err := s.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "w", last)
		assert.ErrorIs(t, err, unix.ENOSPC)
		assert.ErrorIs(t, err, render.ErrFull)
	}
	got, err := store.One[store.Render](s.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	assert.Equal(t, store.RenderWaiting, got.State, "the queue tries again")
	assert.Equal(t, "the disk is full", got.Error)
	s.Blobs.Touch = full
	require.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "w", false))
	got, err = store.One[store.Render](s.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	assert.Equal(t, store.RenderDone, got.State, got.Error)
}

// A job on which workers went on dying, nobody knows why, fails its render in words.
func TestRefusedRenderSaysWhy(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	r, err := s.Making.Renders.Begin(ctx, order, "")
	require.NoError(t, err)
	w, err := queue.Start(ctx, s.Store, "", deadly{s.Making, s.Store})
	require.NoError(t, err)
	defer w.Stop(5 * time.Second)
	require.Eventually(t, func() bool {
		r, err = store.One[store.Render](s.Store.DB, "id = ?", r.ID)
		return err == nil && r.State.Over()
	}, 30*time.Second, 50*time.Millisecond)
	assert.Equal(t, store.RenderFailed, r.State)
	assert.Contains(t, r.Error, "the program ended 10 times")
	assert.Contains(t, housetest.Load(t, s, order).Next().Text, "Render failed: the program ended 10 times")
}

// deadly is the room with its jobs marked as if workers had died on them.
type deadly struct {
	*making.Making
	store *store.Store
}

// Jobs implements queue.Room.
func (d deadly) Jobs(js *queue.Jobs) {
	for range 10 {
		d.store.DB.Exec("UPDATE river_job SET state = 'running', attempt = 1, attempted_at = now(), " +
			"attempted_by = ARRAY['gone']")
		if err := queue.Rescue(ctx, d.store); err != nil {
			panic(err)
		}
	}
	d.Making.Jobs(js)
}

// The parts of a worker that died are taken by the others.
func TestPartsOfDeadWorkersGoOn(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	r, err := s.Making.Renders.Begin(ctx, order, "")
	require.NoError(t, err)
	go func() { // takes a part as soon as there is one, and is never seen again
		for range 2000 {
			if s.Store.DB.Exec("UPDATE render_parts SET state = 'running', worker = 'gone' WHERE number = "+
				"1 AND state = 'waiting'").RowsAffected > 0 {
				return
			}
			time.Sleep(2 * time.Millisecond)
		}
	}()
	require.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "w", true))
	r, err = store.One[store.Render](s.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	assert.Equal(t, store.RenderDone, r.State, r.Error)
}

// Segments beyond the room given to them go, the least recently used first,
// and their files with them; films and media stay, and a film can still be
// made.
func TestSegmentsAreEvicted(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	first := housetest.Rendered(t, s, order)
	var old []string
	require.NoError(t, s.Store.DB.Table("segments").Pluck("sha256", &old).Error)
	require.Greater(t, len(old), 4)
	require.NoError(t, s.Store.DB.Exec("UPDATE segments SET used_at = now() - interval '2 hours'").Error)
	require.NoError(t, s.Store.DB.Exec("UPDATE blobs SET touched_at = now() - interval '2 hours'").Error)
	s.Making.Kept.MaxBytes = 1
	n, err := s.Making.Kept.Evict(ctx, true)
	require.NoError(t, err)
	assert.EqualValues(t, len(old), n)
	assert.EqualValues(t, len(old), count(t, s, "segments", "true"), "a dry run removes nothing")
	housetest.Edit(t, s, order, edit.Details{Values: map[string]string{"names": "Other"}})
	again := housetest.Rendered(t, s, order)
	assert.Zero(t, count(t, s, "segments", "used_at < now() - interval '1 hour'"))
	exists := func(sha string) bool {
		ok, err := s.Blobs.Exists(ctx, sha)
		require.NoError(t, err)
		return ok
	}
	gone := 0
	for _, sha := range old {
		kept := count(t, s, "segments", "sha256 = '"+sha+"'") > 0
		assert.Equal(t, kept, exists(sha), "a file goes with its last segment")
		if !kept {
			gone++
		}
	}
	assert.Positive(t, gone)
	for _, sha := range []string{*first.SHA256, *again.SHA256} {
		assert.True(t, exists(sha), "films stay")
	}
	housetest.Rendered(t, s, order)
}

// A segment is not taken away between someone's finding it and using it, nor
// its file between someone's storing the same and saying so.
func TestEvictionWaitsForUse(t *testing.T) {
	s := housetest.Open(t)
	k := s.Making.Kept
	k.MaxBytes = 1
	file := filepath.Join(t.TempDir(), "segment")
	require.NoError(t, os.WriteFile(file, []byte("frames"), 0o644))
	path, err := k.Keep(ctx, "key", file)
	require.NoError(t, err)
	age := func() {
		require.NoError(t, s.Store.DB.Exec("UPDATE segments SET used_at = now() - interval '2 hours'").Error)
		require.NoError(t, s.Store.DB.Exec("UPDATE blobs SET touched_at = now() - interval '2 hours'").Error)
	}
	age()
	found, err := k.Find(ctx, []string{"key"})
	require.NoError(t, err)
	require.Equal(t, path, found["key"])
	n, err := k.Evict(ctx, false)
	require.NoError(t, err)
	assert.Zero(t, n, "it was found a moment ago")
	assert.FileExists(t, path)

	// Someone stores the same bytes just before the row goes.
	age()
	sha, _, err := s.Blobs.Put(ctx, strings.NewReader("frames"))
	require.NoError(t, err)
	_, err = k.Evict(ctx, false)
	require.NoError(t, err)
	assert.FileExists(t, path, "it may be referred to in a moment")
	removed, err := s.Store.RemoveBlob(ctx, s.Blobs, sha, time.Hour)
	require.NoError(t, err)
	assert.False(t, removed)
	age()
	removed, err = s.Store.RemoveBlob(ctx, s.Blobs, sha, time.Hour)
	require.NoError(t, err)
	assert.True(t, removed)
	assert.NoFileExists(t, path)
}

// A photo that has gone from the store fails the render with the slide and
// file in words, not the worker.
func TestFailedRenderNamesSlideAndFile(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	files := housetest.Three(t)
	files["song.flac"] = housetest.Song(t, 15)
	housetest.Bring(t, s, o.ID, files)
	var b store.Media
	require.NoError(t, s.Store.DB.Where("name = 'b.jpg'").Take(&b).Error)
	path, err := s.Blobs.Path(ctx, b.SHA256)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, []byte("not a picture any more"), 0o644))
	housetest.Edit(t, s, o.ID, edit.Shape{Frame: doc.Frame{W: 160, H: 90}})
	r, err := s.Making.Renders.Begin(ctx, o.ID, "")
	require.NoError(t, err)
	require.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "w", false))
	w := housetest.Load(t, s, o.ID)
	assert.Equal(t, store.RenderFailed, w.Renders[0].State)
	assert.Regexp(t, `^slide \d: b\.jpg: `, w.Renders[0].Error)
	assert.Contains(t, w.Next().Text, "Render failed: slide")
}

func TestFileName(t *testing.T) {
	assert.Equal(t, "A-B - C- D.mp4", making.FileName(store.Order{
		Client: "A/B",
		Event:  "C: D",
	}, store.Render{}))
}

func TestTimeLeft(t *testing.T) {
	began := time.Now().Add(-10 * time.Second)
	left, ok := making.TimeLeft(store.Render{
		State:       store.RenderRunning,
		StartedAt:   &began,
		FramesDone:  100,
		FramesTotal: 400,
	}, began.Add(10*time.Second))
	assert.True(t, ok)
	assert.Equal(t, 30*time.Second, left)
	_, ok = making.TimeLeft(store.Render{State: store.RenderRunning, StartedAt: &began}, time.Now())
	assert.False(t, ok, "nothing to go by yet")
}

// Films wait by due date: what is overdue or due today before what is due
// later, whenever it was asked for.
func TestFilmsWaitByDueDate(t *testing.T) {
	s := housetest.Open(t)
	song, photo := housetest.Song(t, 12), housetest.Photo(t, 1)
	for name, days := range map[string]int{"later": 9, "tomorrow": 1, "overdue": -3} {
		o, err := s.Orders.Heads.Open(ctx, orders.New{
			Head:    orders.Head{Client: name, Event: "x", Due: time.Now().AddDate(0, 0, days)},
			Details: map[string]string{"names": name, "date": "x"},
		}, nil)
		require.NoError(t, err)
		housetest.Bring(t, s, o.ID, map[string][]byte{"a.jpg": photo, "s.flac": song})
		_, err = s.Making.Renders.Begin(ctx, o.ID, "")
		require.NoError(t, err)
	}
	var waits []string
	require.NoError(t, s.Store.DB.Raw(
		`SELECT o.client FROM river_job j JOIN renders r ON r.id = (j.args->>'render_id')::bigint JOIN orders o ON o.id = r.order_id
		WHERE j.kind = 'render' AND j.state = 'available' ORDER BY j.priority, j.scheduled_at, j.id`).Scan(&waits).Error)
	assert.Equal(t, []string{"overdue", "tomorrow", "later"}, waits)
	pace, workers, err := s.Making.Turns.Pace(ctx)
	require.NoError(t, err)
	assert.Positive(t, pace, "a guess before anything was made")
	assert.Zero(t, workers)
}
