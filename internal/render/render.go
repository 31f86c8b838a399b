// Package render makes a film file from a scene and a soundtrack: it composes
// and encodes segments, joins them without encoding again, and verifies what
// came out.
package render

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"sync"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
)

// Profile is a way of encoding.
type Profile struct {
	Name      string
	CRF       int    // x264 constant rate factor, lower is better
	Preset    string // x264 preset
	AudioKbps int
}

// MP4 plays on anything: H.264 High with AAC in an MP4 whose index comes
// first, so that it starts before it is loaded.
var MP4 = Profile{Name: "MP4", CRF: 20, Preset: "veryfast", AudioKbps: 192}

// Draft encodes preview segments: quickly, and small.
var Draft = Profile{Name: "Draft", CRF: 27, Preset: "ultrafast", AudioKbps: 128}

// DraftFrames is the most frames of a preview segment, so that playing starts
// soon.
const DraftFrames = 40

// Lane is one goroutine's view of a film's assets.
type Lane interface {
	compose.Assets
	Close()
}

// Cache keeps encoded segments and soundtracks by key. Files it names stay
// readable until the render is over.
type Cache interface {
	// Find gives the local files of those keys that are kept.
	Find(ctx context.Context, keys []string) (map[string]string, error)
	// Keep stores a file under a key and gives a path to read it from.
	Keep(ctx context.Context, key, path string) (string, error)
}

// Job is one film to make.
type Job struct {
	Scene    *scene.Scene
	Lanes    func() Lane
	Track    func(ctx context.Context) (t sound.Track, close func(), err error)
	SoundKey string // names all the soundtrack depends on; empty: not kept
	Profile  Profile
	Content  func(doc.MediaID) string          // what names a medium's contents; nil: segments are not kept
	Cache    Cache                             // may be nil
	Workers  int                               // encoders at the same time; 0: one a processor
	Threads  int                               // of each encoder; 0: one
	Out      string                            // final name; nothing is left under it on failure
	Progress func(done, total timecode.Frames) // may be nil; of the frames to be made, called by one goroutine at a time
	Title    string                            // written into the file
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

// Film renders the job and verifies the file. On any error nothing is left
// behind but what the cache keeps.
func Film(ctx context.Context, j Job) (Facts, error) {
	if j.Scene.Frames < 1 {
		return Facts{}, errors.New("the film has no frames")
	}
	dir, err := os.MkdirTemp(filepath.Dir(j.Out), ".render-*")
	if err != nil {
		return Facts{}, fmt.Errorf("making room for the render: %w", err)
	}
	defer os.RemoveAll(dir)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var wg sync.WaitGroup
	var track string
	wg.Go(func() {
		var err error
		if track, err = j.Soundtrack(ctx, dir); err != nil {
			cancel(err)
		}
	})
	files, err := j.segments(ctx, dir, cancel)
	wg.Wait()
	if cause := context.Cause(ctx); cause != nil {
		return Facts{}, cause
	}
	if err != nil {
		return Facts{}, err
	}
	return j.Join(ctx, files, track, dir)
}

// segments makes all segments that are not kept already and gives the files
// of all, in order.
func (j *Job) segments(ctx context.Context, dir string, cancel context.CancelCauseFunc) ([]string, error) {
	segs, err := Segments(j.Scene, j.Profile, j.Content)
	if err != nil {
		return nil, err
	}
	files := make([]string, len(segs))
	missing := segs
	at := map[timecode.Frames]int{}
	for i, s := range segs {
		at[s.From] = i
	}
	if j.Cache != nil && j.Content != nil {
		kept, err := j.Cache.Find(ctx, Keys(segs))
		if err != nil {
			return nil, fmt.Errorf("looking for segments: %w", err)
		}
		missing = nil
		for i, s := range segs {
			if files[i] = kept[s.Key]; files[i] == "" {
				missing = append(missing, s)
			}
		}
	}
	workers := j.Workers
	if workers < 1 {
		workers = runtime.GOMAXPROCS(0)
	}
	runs := Runs(missing, workers)
	if j.Threads == 0 {
		j.Threads = Threads(len(runs), workers)
	}
	work := make(chan []Segment)
	var wg sync.WaitGroup
	p := newTally(missing, j.Progress)
	var mu sync.Mutex
	for range workers {
		wg.Go(func() {
			for run := range work {
				made, err := j.Encode(ctx, run, dir, p.made)
				if err != nil {
					cancel(err)
					return
				}
				mu.Lock()
				for k, f := range made {
					files[at[run[k].From]] = f
				}
				mu.Unlock()
			}
		})
	}
	for _, run := range runs {
		select {
		case work <- run:
			continue
		case <-ctx.Done():
		}
		break
	}
	close(work)
	wg.Wait()
	return files, context.Cause(ctx)
}

// Keys lists the keys of segments, in order.
func Keys(segs []Segment) []string {
	keys := make([]string, len(segs))
	for i, s := range segs {
		keys[i] = s.Key
	}
	return keys
}

// tally counts the frames made by all workers.
type tally struct {
	mu          sync.Mutex
	done, total timecode.Frames
	report      func(done, total timecode.Frames)
}

func newTally(missing []Segment, report func(done, total timecode.Frames)) *tally {
	t := &tally{report: report}
	for _, s := range missing {
		t.total += s.Frames()
	}
	return t
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
// *SegmentError. made hears of every frame.
func (j *Job) Encode(ctx context.Context, run []Segment, dir string, made func(timecode.Frames)) ([]string, error) {
	var files []string
	var err error
	for range tries {
		counted := timecode.Frames(0)
		files, err = j.encodeOnce(ctx, run, dir, func() { counted++; made(1) })
		if err == nil || ctx.Err() != nil {
			break
		}
		made(-counted)
		var se *compose.SlideError
		if errors.As(err, &se) {
			break // the material is as it is
		}
	}
	if ctx.Err() != nil {
		return nil, context.Cause(ctx)
	}
	if err != nil {
		var se *compose.SlideError
		if errors.As(err, &se) {
			return nil, err
		}
		return nil, &SegmentError{run[0].Slide, err}
	}
	if j.Cache != nil && j.Content != nil {
		for i, f := range files {
			if files[i], err = j.Cache.Keep(ctx, run[i].Key, f); err != nil {
				return nil, fmt.Errorf("keeping a segment: %w", err)
			}
		}
	}
	return files, nil
}
