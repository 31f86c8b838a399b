// Package render makes a film file from a laid-out film: it composes and
// encodes segments, joins them without encoding again, and verifies what came
// out.
package render

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sync"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/media"
)

// Lane is one goroutine's view of a film's assets.
type Lane interface {
	compose.Assets
	Close()
	// Complaint is an error that a decoder told of and went on, a
	// *media.Complaint, or nil. It is asked once the lane is closed.
	Complaint() error
}

// Cache keeps encoded segments and soundtracks by key. Files it names stay
// readable until the render is over.
type Cache interface {
	// Find gives the local files of those keys that are kept.
	Find(ctx context.Context, keys []string) (map[string]string, error)
	// Keep stores a file under a key and gives a path to read it from.
	Keep(ctx context.Context, key, path string) (string, error)
	// Drop forgets a segment that turned out to be wrong.
	Drop(ctx context.Context, key string) error
	// Compared tells of which of those keys what is kept was compared with what is drawn,
	// and SetCompared notes that it was.
	Compared(ctx context.Context, keys []string) (map[string]bool, error)
	SetCompared(ctx context.Context, keys []string) error
}

// Job is one film to make.
type Job struct {
	Film  *film.Film
	Also  []*film.Film // drawn with it: their segments are kept by the cache, for jobs of their own
	Lanes func(context.Context) Lane
	Files media.Files // of what is heard

	Told    Told   // what the file tells beside
	Cache   Cache  // may be nil: nothing is kept
	Workers int    // encoders at the same time; 0: one a processor
	Out     string // final name; nothing is left under it on failure
	// may be nil; of the frames to be made, called by one goroutine at a time
	Progress func(done, total timecode.Frames)
}

// SegmentError tells which slide a segment that could not be encoded belongs
// to.
type SegmentError struct {
	Slide doc.SlideID
	Err   error
}

func (e *SegmentError) Error() string { return fmt.Sprintf("slide %s: %v", e.Slide, e.Err) }

// Unwrap gives the cause.
func (e *SegmentError) Unwrap() error { return e.Err }

// ErrFull means that there is no room left where films are made: of the
// moment, not of the material.
var ErrFull = errors.New("the disk is full")

// Film renders the job and verifies the file. On any error nothing is left
// behind but what the cache keeps.
func Film(ctx context.Context, j Job) (Facts, error) {
	if j.Film.Frames() < 1 {
		return Facts{}, errors.New("the film has no frames")
	}
	dir, err := os.MkdirTemp(filepath.Dir(j.Out), ".render-*")
	if err != nil {
		return Facts{}, fmt.Errorf("making room for the render: %w", err)
	}
	defer os.RemoveAll(dir)
	segs, err := j.Film.Segments()
	if err != nil {
		return Facts{}, err
	}
	return j.Assemble(ctx, dir, func(ctx context.Context) ([]string, error) {
		return j.segments(ctx, segs, dir)
	})
}

// Assemble makes the soundtrack in dir while segments makes the segments,
// whose files it gives in order, joins them and verifies the film. The first
// error ends both.
func (j *Job) Assemble(ctx context.Context, dir string, segments func(context.Context) ([]string,
	error)) (Facts, error) {
	if err := known(j.Film.Profile); err != nil {
		return Facts{}, err
	}
	switch j.Film.Profile.Kind {
	case profile.OfStill:
		return j.still(ctx, dir)
	case profile.OfSound:
		segments = func(context.Context) ([]string, error) { return nil, nil }
	}
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var wg sync.WaitGroup
	var track string
	wg.Go(func() {
		var err error
		if track, err = j.soundtrack(ctx, dir); err != nil {
			cancel(err)
		}
	})
	files, err := segments(ctx)
	if err != nil {
		cancel(err)
	}
	wg.Wait()
	if cause := context.Cause(ctx); cause != nil {
		return Facts{}, cause
	}
	return j.join(ctx, files, track, dir)
}

// segments makes all segments that are not kept already and gives the files
// of all, in order.
func (j *Job) segments(ctx context.Context, segs []film.Segment, dir string) ([]string, error) {
	kept := map[string]string{}
	if j.Cache != nil {
		var err error
		if kept, err = j.Cache.Find(ctx, film.Keys(segs)); err != nil {
			return nil, fmt.Errorf("looking for segments: %w", err)
		}
	}
	workers := j.Workers
	if workers < 1 {
		workers = runtime.GOMAXPROCS(0)
	}
	todo := film.Divide(segs, func(s film.Segment) bool {
		return kept[s.Key] != ""
	}, workers, j.Film.LongestRun())
	own := &ownParts{todo: todo, files: kept}
	total := timecode.Frames(0)
	for _, p := range todo {
		total += p.Frames
	}
	progress := tally{total: total, report: j.Progress}
	err := Share(ctx, own, workers, func(ctx context.Context, p film.Part) error {
		run := segs[p.First : p.Last+1]
		made, err := j.Encode(ctx, run, dir, progress.made)
		if err == nil {
			own.keep(run, made)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	files := make([]string, len(segs))
	for i, s := range segs {
		files[i] = own.files[s.Key]
	}
	return files, nil
}

// tally counts the frames made by all workers.
type tally struct {
	mu          sync.Mutex
	done, total timecode.Frames
	report      func(done, total timecode.Frames)
}

// made counts n more frames, or takes them back when a run is begun anew.
func (t *tally) made(n timecode.Frames) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.done += n
	if t.report != nil {
		t.report(t.done, t.total)
	}
}

// tries is how often a run of segments is encoded before it counts as
// failed.
const tries = 2

// Encode makes a run of segments that follow one another, with one encoder,
// and keeps them. Files are in the run's order. A run that fails is tried
// again; then the error names the slide, as a *compose.SlideError or a
// *SegmentError, unless there is no room (ErrFull). made hears of every frame.
func (j *Job) Encode(ctx context.Context, run []film.Segment, dir string,
	made func(timecode.Frames)) ([]string, error) {
	var all [][]string
	var err error
	for range tries {
		counted := timecode.Frames(0)
		all, err = j.encodeOnce(ctx, run, dir, func() { counted++; made(1) })
		if err == nil || ctx.Err() != nil {
			break
		}
		made(-counted)
		var se *compose.SlideError
		var told *media.Complaint
		if errors.As(err, &told) && told.Middle {
			continue // from its start it may have nothing to tell
		}
		if errors.As(err, &se) || errors.Is(err, ErrFull) {
			break // trying again helps neither the material nor the disk
		}
	}
	if ctx.Err() != nil {
		return nil, context.Cause(ctx)
	}
	if err != nil {
		var se *compose.SlideError
		if errors.As(err, &se) || errors.Is(err, ErrFull) {
			return nil, err
		}
		return nil, &SegmentError{run[0].Slide, err}
	}
	if j.Cache == nil {
		return all[0], nil
	}
	keys, err := j.keys(run)
	if err != nil {
		return nil, err
	}
	for n, files := range all {
		for i, f := range files {
			if files[i], err = j.Cache.Keep(ctx, keys[n][i], f); err != nil {
				return nil, fmt.Errorf("keeping a segment: %w", outOfRoom(err, dir))
			}
		}
	}
	return all[0], nil
}

// keys are the keys of a run of the film's segments, and of the same stretch of
// each of the others.
func (j *Job) keys(run []film.Segment) ([][]string, error) {
	out := [][]string{film.Keys(run)}
	for _, f := range j.Also {
		segs, err := f.Segments()
		if err != nil {
			return nil, err
		}
		first := slices.IndexFunc(segs, func(s film.Segment) bool { return s.From == run[0].From })
		if first < 0 || first+len(run) > len(segs) || segs[first+len(run)-1].To != run[len(run)-1].To {
			return nil, fmt.Errorf("the %s is not cut like the film it is drawn with", f.Profile.Name)
		}
		out = append(out, film.Keys(segs[first:first+len(run)]))
	}
	return out, nil
}

// Together renders films of one slideshow at once. Those whose profile has them
// drawn in the size of another of them are encoded from that one's frames;
// leads are as profile.Together gives them. Without a cache of
// their own a folder beside the first film serves while they are made. On an
// error no further film is made; those that are done stay.
func Together(ctx context.Context, jobs []Job, leads []int) ([]Facts, error) {
	dir, err := os.MkdirTemp(filepath.Dir(jobs[0].Out), ".together-*")
	if err != nil {
		return nil, fmt.Errorf("making room for the renders: %w", err)
	}
	defer os.RemoveAll(dir)
	shared := &Folder{Dir: dir}
	facts := make([]Facts, len(jobs))
	for _, led := range []bool{false, true} {
		for i, j := range jobs {
			if (leads[i] != i) != led {
				continue
			}
			if j.Cache == nil {
				j.Cache = shared
			}
			for k := range jobs {
				if k != i && leads[k] == i {
					j.Also = append(j.Also, jobs[k].Film)
				}
			}
			if facts[i], err = Film(ctx, j); err != nil {
				return facts, fmt.Errorf("%s: %w", j.Film.Profile.Name, err)
			}
		}
	}
	return facts, nil
}
