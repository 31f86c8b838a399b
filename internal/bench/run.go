package bench

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/edit"
	"nelko/internal/core/raster"
	"nelko/internal/demo/paint"
	"nelko/internal/film"
	"nelko/internal/house"
	"nelko/internal/intake"
	"nelko/internal/listfile"
	"nelko/internal/making"
	"nelko/internal/media"
	"nelko/internal/media/vips"
	"nelko/internal/runs"
	"nelko/internal/store"
)

// RunOptions say how large a Run is measured.
type RunOptions struct {
	Films   int // 24
	Own     int // pictures of each, 8
	Common  int // pictures all share, 5: a third of the slides, with opening and closing
	Waiting int // films in the queue while memory is measured, 200
}

// Run measures a Run: its time against the sum of its films made by
// themselves from cold, its time beyond the encoder's own for the segments that
// were really made, and the memory of films that wait.
func Run(ctx context.Context, out io.Writer, h *house.House, o RunOptions) error {
	if err := memoryOfWaiting(ctx, out, h, o.Waiting); err != nil {
		return err
	}
	id, err := fillRun(ctx, h, o)
	if err != nil {
		return err
	}
	s, err := h.Runs.Sheets.Sheet(ctx, id)
	if err != nil {
		return err
	}
	// Single films first, each from cold: nothing kept, nothing prepared.
	var single float64
	sample := min(singles, len(s.Rows))
	for i := range sample {
		if err := forget(ctx, h); err != nil {
			return err
		}
		t, _, err := makeOne(ctx, h, s.Rows[i*len(s.Rows)/sample].ID)
		if err != nil {
			return err
		}
		single += t.seconds
	}
	sum := single / float64(sample) * float64(len(s.Rows))
	if err := forget(ctx, h); err != nil {
		return err
	}
	var whole took
	var made int64
	segments := map[string]bool{}
	for _, r := range s.Rows {
		t, n, err := makeOne(ctx, h, r.ID)
		if err != nil {
			return err
		}
		whole.seconds += t.seconds
		whole.cpu += t.cpu
		made += n
		if err := note(ctx, h, r.ID, segments); err != nil {
			return err
		}
	}
	var all int64
	for _, r := range s.Rows {
		d, err := h.Orders.Load(ctx, r.ID)
		if err != nil {
			return err
		}
		all += int64(d.Plan.Frames)
	}
	floor, err := encoderFloor(ctx, h, s.Rows[0].ID, made)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(out,
		"run_films=%d\nrun_frames=%d\nrun_frames_made=%d\nrun_segments=%d\nrun_s=%.1f\nrun_singles_s=%.1f\nrun_share=%.3f\nrun_floor_s=%.1f\nrun_overhead=%.3f\nrun_cpu_overhead=%.3f\n",
		len(s.Rows), all, made, len(segments), whole.seconds, sum, whole.seconds/sum, floor.seconds,
		whole.seconds/floor.seconds, whole.cpu/floor.cpu)
	return err
}

// singles is how many films are made by themselves; the rest is reckoned from
// them, as all are alike.
const singles = 4

// note notes the segments of an order's film.
func note(ctx context.Context, h *house.House, order int64, segments map[string]bool) error {
	d, err := h.Orders.Load(ctx, order)
	if err != nil {
		return err
	}
	f, err := h.Orders.Film(d, d.Profile, "")
	if err != nil {
		return err
	}
	segs, err := f.Segments()
	for _, k := range film.Keys(segs) {
		segments[k] = true
	}
	return err
}

// forget does away with kept segments and prepared pictures.
func forget(ctx context.Context, h *house.House) error {
	h.Making.Sprites = media.NewSprites(store.MediaFiles{Blobs: h.Blobs}, h.Shelf.Themes, nil,
		media.DefaultBudget)
	return h.Store.DB.WithContext(ctx).Exec("DELETE FROM segments").Error
}

func makeOne(ctx context.Context, h *house.House, order int64) (t took, frames int64, err error) {
	r, err := h.Making.Renders.Begin(ctx, order, "")
	if err != nil {
		return t, 0, err
	}
	if t, err = measured(func() error {
		return h.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "bench", true)
	}); err != nil {
		return t, 0, err
	}
	done, err := store.One[store.Render](h.Store.DB.WithContext(ctx), "id = ?", r.ID)
	if err == nil && done.State != store.RenderDone {
		err = errors.New(done.Error)
	}
	if err != nil {
		return t, 0, err
	}
	// So that it can be made again.
	return t, done.FramesTotal, h.Store.DB.WithContext(ctx).Exec("DELETE FROM renders WHERE id = ?",
		r.ID).Error
}

// encoderFloor is the time the encoder alone takes for so many frames like
// those of a film: frames of the film itself, composed beforehand and given to
// one encoder from memory.
func encoderFloor(ctx context.Context, h *house.House, order int64, frames int64) (took, error) {
	var t took
	d, err := h.Orders.Load(ctx, order)
	if err != nil {
		return t, err
	}
	f, err := h.Orders.Film(d, d.Profile, "")
	if err != nil {
		return t, err
	}
	dir, err := os.MkdirTemp("", "nelko-floor-*")
	if err != nil {
		return t, err
	}
	defer os.RemoveAll(dir)
	x := &show{files: media.FilesIn{}, lib: f.Library, shelf: h.Shelf.Themes}
	for id := range f.Library {
		if x.files[id], err = h.Blobs.Path(ctx, string(id)); err != nil {
			return t, err
		}
	}
	frozen, err := x.ready(ctx, f, dir)
	if err != nil {
		return t, err
	}
	if t, err = frozen.floor(ctx); err != nil {
		return t, err
	}
	scale := float64(frames) / float64(f.Frames())
	return took{seconds: t.seconds * scale, cpu: t.cpu * scale}, nil
}

// fillRun begins a Run and brings in its list and material.
func fillRun(ctx context.Context, h *house.House, o RunOptions) (int64, error) {
	var list strings.Builder
	list.WriteString("Key;Names;Date\n")
	for i := range o.Films {
		fmt.Fprintf(&list, "%02d;Crew %d;12 September 2026\n", i+1, i+1)
	}
	id, err := openRun(ctx, h, "Bench", list.String())
	if err != nil {
		return 0, err
	}
	put := func(path string, b []byte) error {
		return h.Runs.Material.Receive(ctx, id, "bench-"+path, path, bytes.NewReader(b), nil)
	}
	// A few pictures, each encoded in many ways: to the program they are as many
	// different ones.
	var painted []raster.Pixels
	for i := range 12 {
		px, err := paint.Paint(paint.Spec{
			Scene: []paint.Scene{paint.Race, paint.Quay, paint.Pair}[i%3],
			W:     2400,
			H:     1600,
			Seed:  uint64(i),
			Club:  [2]uint32{0x1f6f78, 0xf2c14e},
		})
		if err != nil {
			return 0, err
		}
		painted = append(painted, px)
	}
	count := 0
	photo := func(path string) error {
		px := painted[count%len(painted)]
		b, err := vips.JPEG(px, 70+count/len(painted)%28)
		if err != nil {
			return err
		}
		count++
		return put(path, b)
	}
	song, err := tone(ctx, float64(2*(o.Own+o.Common)+8))
	if err != nil {
		return 0, err
	}
	if err := put("song.flac", song); err != nil {
		return 0, err
	}
	for i := range o.Common {
		if err := photo(fmt.Sprintf("common %d.jpg", i)); err != nil {
			return 0, err
		}
	}
	for i := range o.Films {
		for k := range o.Own {
			if err := photo(fmt.Sprintf("%02d/%d.jpg", i+1, k)); err != nil {
				return 0, err
			}
		}
	}
	return id, settleRun(ctx, h, id)
}

func openRun(ctx context.Context, h *house.House, name, csv string) (int64, error) {
	t, err := listfile.Trusted("list.csv", []byte(csv))
	if err != nil {
		return 0, err
	}
	r, err := h.Runs.Lists.Open(ctx, runs.New{Name: name, Due: time.Now().AddDate(0, 1, 0), Table: &t}, nil)
	if err != nil {
		return 0, err
	}
	_, err = h.Orders.Edits.Do(ctx, *r.PatternID, edit.AnyTime(), nil)
	return r.ID, err
}

// settleRun does what the queue would until all material is in the films.
func settleRun(ctx context.Context, h *house.House, id int64) error {
	if err := h.Runs.Material.Sort(ctx, runs.Sort{RunID: id}); err != nil {
		return err
	}
	tx := h.Store.DB.WithContext(ctx)
	var waiting []store.Media
	if err := tx.Where("state = 'waiting'").Find(&waiting).Error; err != nil {
		return err
	}
	for _, m := range waiting {
		if err := h.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}); err != nil {
			return err
		}
	}
	var all []store.Order
	if err := tx.Where("run_id = ?", id).Find(&all).Error; err != nil {
		return err
	}
	for _, o := range all {
		if err := h.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: o.ID}); err != nil {
			return err
		}
	}
	for range 2 {
		if _, err := h.Runs.Patterns.Tend(ctx, runs.Tend{RunID: id}); err != nil {
			return err
		}
	}
	return nil
}

// memoryOfWaiting tells how much more memory is in use with many films waiting
// than with none.
func memoryOfWaiting(ctx context.Context, out io.Writer, h *house.House, films int) error {
	var list strings.Builder
	list.WriteString("Key;Names;Date\n")
	for i := range films {
		fmt.Fprintf(&list, "%03d;Crew %d;12 September 2026\n", i+1, i+1)
	}
	id, err := openRun(ctx, h, "Waiting", list.String())
	if err != nil {
		return err
	}
	song, err := tone(ctx, 20)
	if err != nil {
		return err
	}
	px, err := paint.Paint(paint.Spec{Scene: paint.Quay, W: 1200, H: 800, Seed: 1})
	if err != nil {
		return err
	}
	jpg, err := vips.JPEG(px, 90)
	if err != nil {
		return err
	}
	for name, b := range map[string][]byte{"song.flac": song, "a.jpg": jpg} {
		if err := h.Runs.Material.Receive(ctx, id, "waiting-"+name, name, bytes.NewReader(b),
			nil); err != nil {
			return err
		}
	}
	if err := settleRun(ctx, h, id); err != nil {
		return err
	}
	inUse := func() float64 {
		runtime.GC()
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return float64(m.HeapAlloc) / 1e6
	}
	before := inUse()
	t, err := measured(func() error {
		done, err := h.Runs.Acts.DoAll(ctx, id, runs.Render)
		if err == nil && done.Begun != films {
			err = fmt.Errorf("%d of %d films were queued: %s", done.Begun, films, done.InWords())
		}
		return err
	})
	if err != nil {
		return err
	}
	after := inUse()
	if _, err := fmt.Fprintf(out,
		"waiting_films=%d\nwaiting_queue_s=%.2f\nwaiting_heap_before_mb=%.1f\nwaiting_heap_after_mb=%.1f\nwaiting_mb_per_film=%.3f\n", films, t.seconds, before, after, (after-before)/float64(films)); err != nil {
		return err
	}
	_, err = h.Runs.Work.Cancel(ctx, id)
	return errors.Join(err, h.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		return tx.Exec("DELETE FROM river_job WHERE kind = 'render'").Error
	}))
}

// tone is a song of so many seconds.
func tone(ctx context.Context, seconds float64) ([]byte, error) {
	dir, err := os.MkdirTemp("", "nelko-tone-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "song.flac")
	if msg, err := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		fmt.Sprintf("sine=330:d=%g,tremolo=f=3:d=0.8", seconds), path).CombinedOutput(); err != nil {
		return nil, fmt.Errorf("making a song: %s: %w", msg, err)
	}
	return os.ReadFile(path)
}

// Gestures runs the browser test of a Run and prints how many gestures it took:
// clicks, keys and drops from sign-in to cards, corrections aside. It is run
// from the project's own folder.
func Gestures(ctx context.Context, out io.Writer) error {
	dir, err := os.MkdirTemp("", "nelko-gestures-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	told := filepath.Join(dir, "gestures")
	cmd := exec.CommandContext(ctx, "node", "--test", "--test-concurrency=1", "e2e/runs.test.mjs")
	cmd.Env = append(os.Environ(), "NELKO_GESTURES="+told)
	if msg, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("the browser test of a Run: %s: %w", msg, err)
	}
	b, err := os.ReadFile(told)
	if err == nil {
		_, err = out.Write(b)
	}
	return err
}

// UI measures the running order's page in a browser with so many slides, and
// prints what it finds. It is run from the project's own folder.
func UI(ctx context.Context, out io.Writer, slides int) error {
	cmd := exec.CommandContext(ctx, "node", "e2e/bench-ui.mjs", fmt.Sprint(slides))
	cmd.Stdout, cmd.Stderr = out, os.Stderr
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("the page could not be measured: %w", err)
	}
	return nil
}
