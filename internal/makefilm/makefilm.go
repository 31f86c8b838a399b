// Package makefilm renders one film from a folder of media, songs, a theme
// and details, with no database and no server.
package makefilm

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"nelko/internal/core/cast"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
	"nelko/internal/media/pango"
	"nelko/internal/render"
	"nelko/themes"
)

// Request is what to make.
type Request struct {
	Theme    string
	Media    string   // folder of photos and clips
	Music    []string // song files, in order
	Details  map[string]string
	Out      string
	Frame    doc.Frame
	Rate     timecode.Rate
	Seed     uint64
	Progress func(done, total timecode.Frames)
}

// Summary tells what was made.
type Summary struct {
	Out          string          `json:"out"`
	Theme        string          `json:"theme"`
	Seed         uint64          `json:"seed"`
	Frames       timecode.Frames `json:"frames"`
	FPS          string          `json:"fps"` // exact fraction
	Width        int             `json:"width"`
	Height       int             `json:"height"`
	FilmSeconds  float64         `json:"film_seconds"`
	MusicSeconds float64         `json:"music_seconds"`
	Arithmetic   string          `json:"arithmetic"`
	Slides       []SlideSummary  `json:"slides"`
	Refused      []RefusedFile   `json:"refused"`
	Warnings     []string        `json:"warnings"`
	File         render.Facts    `json:"file"`
}

// SlideSummary is one slide in frames of the film.
type SlideSummary struct {
	Kind    string          `json:"kind"`
	Layout  string          `json:"layout,omitempty"`
	Media   []string        `json:"media"`
	Start   timecode.Frames `json:"start_frame"`
	Frames  timecode.Frames `json:"frames"`
	Overlap timecode.Frames `json:"overlap_frames"` // shared with the next slide
}

// RefusedFile is a file that could not be used.
type RefusedFile struct {
	File   string `json:"file"`
	Reason string `json:"reason"`
}

// laidOut is a film ready to be rendered.
type laidOut struct {
	doc    doc.Slideshow
	plan   plan.Plan
	lib    doc.Library
	files  media.FilesIn
	scene  *scene.Scene
	assets *media.Assets
}

// Film makes the film. The summary is useful even when an error is returned.
func Film(ctx context.Context, r Request) (Summary, error) {
	s := newSummary(r)
	f, err := layOut(ctx, r, &s)
	if err != nil {
		return s, err
	}
	s.File, err = render.Film(ctx, render.Job{
		Scene: f.scene, Lanes: func() render.Lane { return f.assets.Lane() }, Profile: render.MP4,
		Track: func(ctx context.Context) (sound.Track, func(), error) {
			return render.SoundTrack(ctx, f.doc, f.plan, f.lib, f.files)
		},
		Out: r.Out, Progress: r.Progress, Title: r.Details["names"],
	})
	return s, err
}

func newSummary(r Request) Summary {
	return Summary{Out: r.Out, Theme: r.Theme, Seed: r.Seed, FPS: r.Rate.Fraction(), Width: r.Frame.W, Height: r.Frame.H,
		Slides: []SlideSummary{}, Refused: []RefusedFile{}, Warnings: []string{}}
}

// layOut reads the material, casts it and fits it to the music.
func layOut(ctx context.Context, r Request, s *Summary) (*laidOut, error) {
	t, err := themes.Get(r.Theme)
	if err != nil {
		return nil, err
	}
	lib, files, err := gather(ctx, r, s)
	if err != nil {
		return nil, err
	}
	return arrange(ctx, r, t, lib, files, s)
}

// arrange casts material into a theme and fits it to the music.
func arrange(ctx context.Context, r Request, t *theme.Theme, lib doc.Library, files media.FilesIn, s *Summary) (*laidOut, error) {
	f := &laidOut{lib: lib, files: files}
	d := doc.New(t.ID, r.Seed)
	d.Frame, d.Rate = r.Frame, r.Rate
	with := edit.Context{Theme: t, Library: f.lib}
	var ids []doc.MediaID
	var err error
	for id, m := range f.lib {
		if m.Kind != doc.SongMedia {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 {
		return nil, fmt.Errorf("there is no photo or clip that can be used in %s", r.Media)
	}
	slices.Sort(ids)
	songs := make([]doc.MediaID, len(r.Music))
	for i := range songs {
		songs[i] = songID(i)
	}
	ops := []edit.Op{edit.Details{Values: r.Details}, edit.Pour{Media: ids}}
	if len(songs) > 0 {
		ops = append(ops, edit.Songs{Songs: songs}, edit.Fit{Mode: doc.ToMusic})
	}
	for _, op := range ops {
		if d, err = edit.Do(d, op, with); err != nil {
			return nil, err
		}
	}
	f.doc, f.plan = d, plan.Build(d, t, f.lib)
	if f.plan.FitError != nil {
		return nil, fmt.Errorf("the pictures cannot be fitted to the music: %w", f.plan.FitError)
	}
	s.describe(d, f.plan, f.lib)
	for _, c := range plan.Checks(d, f.plan, t, f.lib) {
		s.Warnings = append(s.Warnings, c.Text)
	}
	f.assets = media.NewAssets(ctx, f.files, f.lib, media.DefaultBudget)
	f.scene = scene.Build(d, t, f.plan, f.lib, pango.Words, scene.Options{})
	for _, x := range f.scene.Findings {
		s.Warnings = append(s.Warnings, plan.Finding(d, f.lib, x.Slide, string(x.Kind), x.Media, x.Words, x.By).Text)
	}
	return f, nil
}

func songID(i int) doc.MediaID { return doc.MediaID(fmt.Sprintf("song:%d", i)) }

// gather probes the folder's files (not its sub-folders, nor hidden files)
// and the songs.
func gather(ctx context.Context, r Request, s *Summary) (doc.Library, media.FilesIn, error) {
	if err := media.Startup(themes.Fonts()); err != nil {
		return nil, nil, err
	}
	lib, files := doc.Library{}, media.FilesIn{}
	entries, err := os.ReadDir(r.Media)
	if err != nil {
		return nil, nil, fmt.Errorf("reading the media folder: %w", err)
	}
	slices.SortFunc(entries, func(a, b os.DirEntry) int { return cast.CompareNames(a.Name(), b.Name()) })
	for _, e := range entries {
		if e.IsDir() || strings.HasPrefix(e.Name(), ".") {
			continue
		}
		path := filepath.Join(r.Media, e.Name())
		m, _, err := media.Probe(ctx, path, e.Name())
		if err == nil && m.Kind == doc.SongMedia {
			err = &media.Refused{Reason: "it is a song; give it with --music to hear it"}
		}
		var refused *media.Refused
		if errors.As(err, &refused) {
			s.Refused = append(s.Refused, RefusedFile{e.Name(), refused.Reason})
			continue
		}
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", e.Name(), err)
		}
		m.ID = doc.MediaID(e.Name())
		lib[m.ID], files[m.ID] = m, path
	}
	for i, path := range r.Music {
		m, _, err := media.Probe(ctx, path, filepath.Base(path))
		if err != nil {
			return nil, nil, fmt.Errorf("song %s: %w", path, err)
		}
		if m.Kind != doc.SongMedia {
			return nil, nil, fmt.Errorf("song %s: it is a %s", path, m.Kind)
		}
		m.ID = songID(i)
		lib[m.ID], files[m.ID] = m, path
	}
	return lib, files, nil
}

func (s *Summary) describe(d doc.Slideshow, p plan.Plan, lib doc.Library) {
	s.Frames = p.Pictures
	s.FilmSeconds = d.Rate.Seconds(p.Pictures)
	s.MusicSeconds = float64(p.Music) / timecode.SampleRate
	s.Arithmetic = p.Arithmetic()
	for _, sl := range p.Slides {
		ss := SlideSummary{Kind: string(sl.Kind), Layout: sl.Layout, Media: []string{}, Start: sl.Start, Frames: sl.Length, Overlap: sl.Overlap}
		for _, id := range sl.Media {
			ss.Media = append(ss.Media, lib[id].Name)
		}
		s.Slides = append(s.Slides, ss)
	}
}
