// Package bench measures the engine. Every figure that means something is a
// ratio of two things done in the same run.
package bench

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/sys/unix"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/media"
	"nelko/internal/render"
	"nelko/themes"
)

// Options are the measures of a bench.
type Options struct {
	Photos  int     // of 24 megapixels
	Seconds float64 // length of the film
	Theme   string  // empty: tideline
	Clips   int     // of three seconds, among the photos
}

// show is the film that is measured: painted photos of 24 megapixels, motion
// on every slide, 1080p30.
type show struct {
	house film.House
	shelf *themes.Shelf
	theme *theme.Theme
	doc   doc.Slideshow
	lib   doc.Library
	files media.FilesIn
	order []doc.MediaID // photos
}

// Render measures a whole render against its floor, encoding the same frames
// ready-made with the same settings; against ffmpeg's own filters at equally
// smooth motion; making the film again after one caption was changed; and
// single preview frames.
func Render(ctx context.Context, out io.Writer, o Options) error {
	dir, s, err := begin(ctx, o)
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	say := func(name string, v float64, digits int) {
		// a lost line shows in the output
		fmt.Fprintf(out, "%s=%s\n", name, strconv.FormatFloat(v, 'f', digits, 64))
	}
	fmt.Fprintf(out, "kernels=%s\n", raster.Kernels())
	f, err := s.lay(profile.Film)
	if err != nil {
		return err
	}
	say("photos", float64(o.Photos), 0)
	say("frames", float64(f.Frames()), 0)
	ready, err := s.ready(ctx, f, dir)
	if err != nil {
		return err
	}
	before, err := ready.floor(ctx)
	if err != nil {
		return err
	}

	debug.FreeOSMemory()
	forgetPeak()
	cache := newDirCache(filepath.Join(dir, "cache"))
	whole, err := s.film(ctx, f, cache, filepath.Join(dir, "film.mp4"))
	if err != nil {
		return err
	}
	peak := peakMB()
	// Measured before and after, since a machine that others use too changes.
	after, err := ready.floor(ctx)
	if err != nil {
		return err
	}
	floor := took{(before.seconds + after.seconds) / 2, (before.cpu + after.cpu) / 2}
	say("encoder_floor_s", floor.seconds, 2)
	say("encoder_floor_cpu_s", floor.cpu, 2)
	say("floor_drift", after.cpu/before.cpu, 3)
	say("render_s", whole.seconds, 2)
	say("render_cpu_s", whole.cpu, 2)
	say("ratio_to_floor", whole.seconds/floor.seconds, 3)
	say("cpu_ratio_to_floor", whole.cpu/floor.cpu, 3)
	usual, err := ready.floorOf(ctx, veryfast())
	if err != nil {
		return err
	}
	say("render_to_veryfast", whole.cpu/usual.cpu, 3)
	say("frames_per_s", float64(f.Frames())/whole.seconds, 1)
	say("peak_rss_mb", peak, 0)

	changed := s.doc.Slides[len(s.doc.Slides)/2].ID
	if s.doc, err = edit.Do(s.doc, edit.Caption{
		Slides: []doc.SlideID{changed},
		Text:   "The start",
	}, s.with()); err != nil {
		return err
	}
	if f, err = s.lay(profile.Film); err != nil {
		return err
	}
	again, err := s.film(ctx, f, cache, filepath.Join(dir, "again.mp4"))
	if err != nil {
		return err
	}
	say("rerender_s", again.seconds, 2)
	say("rerender_share", again.seconds/whole.seconds, 4)
	say("cpu_rerender_share", again.cpu/whole.cpu, 4)

	filters, err := s.filtergraph(ctx, dir)
	if err != nil {
		return err
	}
	say("filtergraph_s_per_frame", filters.seconds, 4)
	say("speedup_vs_filtergraph", filters.seconds/(whole.seconds/float64(f.Frames())), 2)
	say("cpu_speedup_vs_filtergraph", filters.cpu/(whole.cpu/float64(f.Frames())), 2)
	if err := s.small(ctx); err != nil {
		return err
	}
	unseen, seen, err := s.previews(ctx)
	if err != nil {
		return err
	}
	say("preview_frame_unseen_p95_ms", unseen, 1)
	say("preview_frame_seen_p95_ms", seen, 1)
	first, err := s.firstSegment(ctx, dir)
	if err != nil {
		return err
	}
	say("play_first_segment_ms", first, 0)
	return nil
}

// Memory measures the highest memory use of the process while it renders a
// film of many large photos.
func Memory(ctx context.Context, out io.Writer, o Options) error {
	dir, s, err := begin(ctx, o)
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	f, err := s.lay(profile.Film)
	if err != nil {
		return err
	}
	debug.FreeOSMemory()
	forgetPeak()
	took, err := s.film(ctx, f, nil, filepath.Join(dir, "film.mp4"))
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(out, "photos=%d\nframes=%d\nrender_s=%.2f\npeak_rss_mb=%.0f\n", o.Photos, f.Frames(),
		took.seconds, peakMB())
	return err
}

// took is what something cost: seconds on the clock, and seconds of processor
// time of this process and those it waited for. On a machine that others use
// too only the second is steady.
type took struct{ seconds, cpu float64 }

// measured runs do and gives what it took.
func measured(do func() error) (took, error) {
	start, before := time.Now(), cpuSeconds()
	err := do()
	return took{time.Since(start).Seconds(), cpuSeconds() - before}, err
}

func cpuSeconds() (sum float64) {
	for _, who := range []int{unix.RUSAGE_SELF, unix.RUSAGE_CHILDREN} {
		var u unix.Rusage
		if unix.Getrusage(who, &u) == nil {
			sum += float64(u.Utime.Nano()+u.Stime.Nano()) / 1e9
		}
	}
	return sum
}

// film renders with cold sprites and silence, and gives what it took.
func (s *show) film(ctx context.Context, f *film.Film, cache render.Cache, out string) (took, error) {
	pool := s.sprites()
	silent := *f
	silent.Doc.Soundtrack.Items = nil
	job := render.Job{
		Film:  &silent,
		Lanes: func(ctx context.Context) render.Lane { return pool.Lane(ctx, f.Library, false) },
		Files: s.files,
		Out:   out,
		Cache: cache,
	}
	return measured(func() error {
		_, err := render.Film(ctx, job)
		return err
	})
}

// A long film's floor is measured on stretches of it, since all its frames
// would not stay in memory and reading them from a disk would be measured too.
const (
	stretch    = 90  // frames
	mostFrames = 900 // of all stretches
)

// stretches are the frames the floor is measured on: all, or stretches at even
// distances.
func stretches(all timecode.Frames) (out []timecode.Frames) {
	parts, each := timecode.Frames(1), all
	if all > mostFrames {
		parts, each = mostFrames/stretch, stretch
	}
	for k := range parts {
		for i := range each {
			out = append(out, all*k/parts+i)
		}
	}
	return out
}

// ready is a film's frames, or stretches of them, ready-made in a file that
// stays in memory.
type ready struct {
	film   *film.Film
	dir    string
	frames []timecode.Frames
}

func (s *show) ready(ctx context.Context, f *film.Film, dir string) (ready, error) {
	r := ready{f, dir, stretches(f.Frames())}
	return r, s.compose(ctx, f.Scene, r.frames, r.name())
}

func (r ready) name() string { return filepath.Join(r.dir, "frames.yuv") }

// floor encodes the frames through one encoder with the render's settings;
// they come by a pipe as in a render. It gives what the whole film would take.
func (r ready) floor(ctx context.Context) (took, error) {
	return r.floorOf(ctx, r.film.Profile.Video)
}

// floorOf is floor with other settings.
func (r ready) floorOf(ctx context.Context, v profile.Video) (took, error) {
	t, err := r.through(ctx, v, 0, filepath.Join(r.dir, "floor.mp4"))
	share := float64(len(r.frames)) / float64(r.film.Frames())
	return took{t.seconds / share, t.cpu / share}, err
}

// compose writes frames raw, on all processors.
func (s *show) compose(ctx context.Context, sc *scene.Scene, frames []timecode.Frames, name string) error {
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	pool := s.sprites()
	size := int64(sc.W * sc.H * 3 / 2)
	n := runtime.GOMAXPROCS(0)
	errs := make([]error, n)
	var wg sync.WaitGroup
	for k := range n {
		wg.Go(func() {
			lane := pool.Lane(ctx, s.lib, false)
			defer lane.Close()
			c, fr := compose.New(sc, lane), raster.NewFrame(sc.W, sc.H)
			for i := len(frames) * k / n; i < len(frames)*(k+1)/n && errs[k] == nil; i++ {
				if errs[k] = c.Frame(fr, frames[i]); errs[k] != nil {
					return
				}
				_, errs[k] = f.WriteAt(slices.Concat(fr.Y, fr.U, fr.V), int64(i)*size)
			}
		})
	}
	wg.Wait()
	return errors.Join(append(errs, f.Close())...)
}

// filterPhotos is how many photos the filter graph is tried with: it is slow.
const filterPhotos = 4

// filtergraph makes the same kind of show by ffmpeg's filters, at equally
// smooth motion: each photo scaled up four times before zoompan, which steps
// in whole pixels, and cross-fades between. It gives what a
// frame takes.
func (s *show) filtergraph(ctx context.Context, dir string) (perFrame took, err error) {
	const each, lap = 90, 24 // frames
	args := []string{"-v", "error", "-nostdin", "-y"}
	var graph strings.Builder
	for i := range filterPhotos {
		args = append(args, "-i", s.files[s.order[i]])
		fmt.Fprintf(&graph, "[%d]scale=7680:4320:force_original_aspect_ratio=increase,crop=7680:4320,zoompan=z='1+0.12*on/%d':x='iw/2-iw/zoom/2':y='ih/2-ih/zoom/2':d=%d:s=1920x1080:fps=30,format=yuv420p[v%d];", i, each-1, each, i)
	}
	last := "v0"
	for i := 1; i < filterPhotos; i++ {
		fmt.Fprintf(&graph, "[%s][v%d]xfade=transition=fade:duration=%.3f:offset=%.3f[x%d];", last, i,
			float64(lap)/30, float64(i*(each-lap))/30, i)
		last = fmt.Sprintf("x%d", i)
	}
	frames := filterPhotos*each - (filterPhotos-1)*lap
	args = append(args, "-filter_complex", strings.TrimSuffix(graph.String(), ";"), "-map", "["+last+"]",
		"-c:v", "libx264", "-preset", profile.Film.Video.Preset, "-crf", fmt.Sprint(profile.Film.Video.CRF),
		filepath.Join(dir, "filters.mp4"))
	t, err := measured(func() error {
		msg, err := exec.CommandContext(ctx, "ffmpeg", args...).CombinedOutput()
		if err != nil {
			err = fmt.Errorf("ffmpeg's filters: %s: %w", msg, err)
		}
		return err
	})
	return took{t.seconds / float64(frames), t.cpu / float64(frames)}, err
}

// small makes the small copies that previews are made from, as the application
// does when a photo comes in.
func (s *show) small(ctx context.Context) error {
	for _, id := range s.order {
		m := s.lib[id]
		m.Small = id + ".small"
		jpg, err := (*media.Readers)(nil).Smaller(ctx, s.files[id], media.SmallSide, media.White)
		if err == nil {
			err = os.WriteFile(s.files[id]+".small", jpg, 0o644)
		}
		if err != nil {
			return err
		}
		s.lib[id], s.files[m.Small] = m, s.files[id]+".small"
	}
	return nil
}

// previews draws single frames of 960×540 as JPEG: of slides not seen before,
// and another frame of a slide that was. It gives the 95th percentiles in
// milliseconds.
func (s *show) previews(ctx context.Context) (unseen, seen float64, err error) {
	f, err := s.lay(profile.Look(960, timecode.R30))
	if err != nil {
		return 0, 0, err
	}
	lane := s.sprites().Lane(ctx, s.lib, true)
	defer lane.Close()
	sc := f.Scene
	still := func(n timecode.Frames) (float64, error) {
		start := time.Now()
		_, err := f.Still(lane, n, 85)
		return float64(time.Since(start).Microseconds()) / 1000, err
	}
	var first, then []float64
	for _, sl := range sc.Slides {
		a, err := still(sl.Start + sl.Length/2)
		if err != nil {
			return 0, 0, err
		}
		b, err := still(sl.Start + sl.Length/2 + 3)
		if err != nil {
			return 0, 0, err
		}
		first, then = append(first, a), append(then, b)
	}
	return p95(first), p95(then), nil
}

func p95(v []float64) float64 {
	slices.Sort(v)
	return v[min(len(v)-1, len(v)*95/100)]
}

// firstSegment is how long the first segment of a played preview takes, in
// milliseconds; the browser adds what it needs itself.
func (s *show) firstSegment(ctx context.Context, dir string) (float64, error) {
	pool := s.sprites()
	start := time.Now()
	f, err := s.lay(profile.Draft)
	if err != nil {
		return 0, err
	}
	segs, err := f.Segments()
	if err != nil {
		return 0, err
	}
	job := render.Job{
		Film:  f,
		Lanes: func(ctx context.Context) render.Lane { return pool.Lane(ctx, f.Library, true) },
	}
	_, err = job.Encode(ctx, segs[:1], dir, func(timecode.Frames) {})
	return float64(time.Since(start).Milliseconds()), err
}

// forgetPeak makes the kernel count the peak memory anew (proc(5),
// clear_refs).
// elsewhere the peak is that of the whole run
func forgetPeak() { _ = os.WriteFile("/proc/self/clear_refs", []byte("5"), 0) }

func peakMB() float64 {
	b, err := os.ReadFile("/proc/self/status")
	if err != nil {
		return 0
	}
	for _, line := range strings.Split(string(b), "\n") {
		if v, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			kb, _ := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(v, "kB")), 64)
			return kb / 1024
		}
	}
	return 0
}

// dirCache keeps segments in a folder, into which they are moved.
type dirCache struct {
	render.Folder
	mu sync.Mutex
}

func newDirCache(dir string) *dirCache { return &dirCache{Folder: render.Folder{Dir: dir}} }

// Keep implements render.Cache.
func (c *dirCache) Keep(_ context.Context, key, path string) (string, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if err := os.MkdirAll(c.Dir, 0o755); err != nil {
		return "", err
	}
	p := filepath.Join(c.Dir, key)
	return p, os.Rename(path, p)
}
