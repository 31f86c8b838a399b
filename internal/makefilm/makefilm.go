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
	"nelko/internal/core/naming"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/remedy"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/media"
	"nelko/internal/render"
	"nelko/themes"
)

// Request is what to make.
type Request struct {
	Shelf    *themes.Shelf
	Theme    string
	Media    string   // folder of photos and clips
	Music    []string // song files, in order
	Details  map[string]string
	Out      string // a file; of several profiles a folder
	Frame    doc.Frame
	Rate     timecode.Rate     // zero: the profiles'
	Profiles []profile.Profile // empty: the usual one
	Seed     uint64
	Fit      doc.Fit // zero: to the music, without limits
	Told     render.Told
	Progress func(done, total timecode.Frames)
}

// CannotFit means that the pictures cannot be fitted to the music within the
// limits, and says what would help.
type CannotFit struct {
	Why      string
	Remedies []remedy.Remedy
}

func (e *CannotFit) Error() string {
	var b strings.Builder
	fmt.Fprintf(&b, "the pictures cannot be fitted to the music: %s", e.Why)
	for i, r := range e.Remedies {
		b.WriteString(map[bool]string{true: "\nit would help to:", false: ""}[i == 0])
		fmt.Fprintf(&b, "\n- %s", r.Text)
		if r.Seconds > 0 {
			fmt.Fprintf(&b, " (%.1f s a picture)", r.Seconds)
		}
	}
	return b.String()
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
	// where the pictures cannot be fitted to the music
	Remedies []remedy.Remedy `json:"remedies,omitempty"`
	File     render.Facts    `json:"file"` // the first
	Files    []Output        `json:"files"`
}

// Output is a file that was made.
type Output struct {
	Profile string       `json:"profile"`
	Path    string       `json:"path"`
	Beside  []string     `json:"beside,omitempty"` // captions
	Facts   render.Facts `json:"facts"`
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

// made is a film and what its pictures are drawn from.
type made struct {
	*film.Film
	files   media.FilesIn
	sprites *media.Sprites
	source  film.Source
	house   film.House
}

func (m *made) lane(ctx context.Context) *media.Lane { return m.sprites.Lane(ctx, m.Library, false) }

// Film makes the film, in all profiles at once; what can be drawn once is. The
// summary is useful even when an error is returned.
func Film(ctx context.Context, r Request) (Summary, error) {
	s := newSummary(r)
	m, err := layOut(ctx, r, &s)
	if err != nil {
		return s, err
	}
	profiles := make([]profile.Profile, len(r.Profiles))
	for i, p := range r.Profiles {
		if profiles[i] = p; r.Rate.Valid() {
			profiles[i].Rate = r.Rate
		}
	}
	if len(profiles) == 0 {
		profiles = []profile.Profile{m.Profile}
	}
	profiles, leads := profile.Together(profiles, r.Frame.W, r.Frame.H)
	if len(profiles) > 1 {
		if err := os.MkdirAll(r.Out, 0o755); err != nil {
			return s, err
		}
	}
	jobs := make([]render.Job, len(profiles))
	for i, p := range profiles {
		f, err := m.in(p)
		if err != nil {
			return s, err
		}
		out := r.Out
		if len(profiles) > 1 {
			out = filepath.Join(r.Out, naming.Safe(p.Name)+"."+p.File.Extension)
		}
		s.Files = append(s.Files, Output{Profile: p.Name, Path: out})
		jobs[i] = render.Job{
			Film:  f.Film,
			Lanes: func(ctx context.Context) render.Lane { return f.lane(ctx) },
			Files: m.files,
			Out:   out,
			Told:  r.Told,
		}
		if i == 0 {
			jobs[i].Progress = r.Progress
		}
	}
	facts, err := render.Together(ctx, jobs, leads)
	if err != nil {
		return s, err
	}
	for i, f := range facts {
		s.Files[i].Facts = f
		if s.Files[i].Beside, err = render.Extra(jobs[i].Film, strings.TrimSuffix(s.Files[i].Path,
			filepath.Ext(s.Files[i].Path))); err != nil {
			return s, err
		}
	}
	s.File = facts[0]
	return s, nil
}

// in is the film in another profile, at a bit rate that keeps it within the
// size the profile allows.
func (m *made) in(p profile.Profile) (*made, error) {
	src := m.source
	src.Profile = p
	f, err := m.house.Lay(src)
	if err == nil && p.MaxBytes > 0 {
		if src.Profile, err = p.Sized(f.Frames(), src.Doc.Frame.W, src.Doc.Frame.H); err == nil {
			f, err = m.house.Lay(src)
		}
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.Name, err)
	}
	if err = f.Plan.FitError; err != nil {
		return nil, err
	}
	return &made{Film: f, files: m.files, sprites: m.sprites, source: src, house: m.house}, nil
}

func newSummary(r Request) Summary {
	return Summary{
		Out:      r.Out,
		Theme:    r.Theme,
		Seed:     r.Seed,
		FPS:      r.Rate.Fraction(),
		Width:    r.Frame.W,
		Height:   r.Frame.H,
		Files:    []Output{},
		Slides:   []SlideSummary{},
		Refused:  []RefusedFile{},
		Warnings: []string{},
	}
}

// layOut reads the material, casts it and fits it to the music.
func layOut(ctx context.Context, r Request, s *Summary) (*made, error) {
	t, err := r.Shelf.Get(r.Theme)
	if err != nil {
		return nil, err
	}
	m, err := gather(ctx, r, s)
	if err != nil {
		return nil, err
	}
	return m.arrange(r, t, s)
}

// material is what a film is made from.
type material struct {
	house film.House
	lib   doc.Library
	files media.FilesIn
	order []doc.MediaID // photos and clips, by name
	songs []doc.MediaID
	pool  *media.Sprites
}

// arrange casts material into a theme and fits it to the music.
func (m *material) arrange(r Request, t *theme.Theme, s *Summary) (*made, error) {
	d := doc.New(t.ID, r.Seed)
	d.Frame = r.Frame
	with := edit.Context{Theme: t, Library: m.lib}
	if len(m.order) == 0 {
		return nil, fmt.Errorf("there is no photo or clip that can be used in %s", r.Media)
	}
	ops := []edit.Op{edit.Details{Values: r.Details}, edit.Pour{Media: m.order}}
	if len(m.songs) > 0 {
		mode := r.Fit.Mode
		if mode == "" {
			mode = doc.ToMusic
		}
		ops = append(ops, edit.Songs{Songs: m.songs}, edit.Fit{
			Mode:   mode,
			Pace:   r.Fit.PaceSeconds,
			Beat:   &r.Fit.Beat,
			Strict: &r.Fit.Strict,
		}, edit.Limits{Shortest: &r.Fit.Shortest, Longest: &r.Fit.Longest})
	}
	var err error
	for _, op := range ops {
		if d, err = edit.Do(d, op, with); err != nil {
			return nil, err
		}
	}
	p := profile.Film
	if len(r.Profiles) > 0 {
		p = r.Profiles[0]
	}
	if r.Rate.Valid() {
		p.Rate = r.Rate
	}
	src := film.Source{Doc: d, Theme: t, Library: m.lib, Profile: p}
	f, err := m.house.Lay(src)
	if err != nil {
		return nil, err
	}
	if f.Plan.FitError != nil {
		d.Rate = p.Rate
		s.Remedies = remedy.For(d, with)
		return nil, &CannotFit{f.Plan.CannotFit(), s.Remedies}
	}
	s.describe(f)
	for _, c := range append(plan.Checks(f.Doc, f.Plan, t, f.Library), f.Findings()...) {
		s.Warnings = append(s.Warnings, c.Text)
	}
	return &made{f, m.files, m.pool, src, m.house}, nil
}

// gather probes the folder's files (not its sub-folders, nor hidden files)
// and the songs. A file that is there twice is used once.
func gather(ctx context.Context, r Request, s *Summary) (*material, error) {
	if err := media.Startup(); err != nil {
		return nil, err
	}
	tools, err := film.ToolsHere(ctx)
	if err != nil {
		return nil, err
	}
	m := &material{
		house: film.House{Tools: tools, Shelf: r.Shelf},
		lib:   doc.Library{},
		files: media.FilesIn{},
	}
	m.pool = media.NewSprites(m.files, r.Shelf, nil, media.DefaultBudget)
	entries, err := os.ReadDir(r.Media)
	if err != nil {
		return nil, fmt.Errorf("reading the media folder: %w", err)
	}
	slices.SortFunc(entries, func(a, b os.DirEntry) int { return cast.CompareNames(a.Name(), b.Name()) })
	for _, e := range entries {
		if e.IsDir() || strings.HasPrefix(e.Name(), ".") {
			continue
		}
		id, err := m.take(ctx, filepath.Join(r.Media, e.Name()))
		if err == nil && m.lib[id].Kind == doc.SongMedia {
			delete(m.lib, id)
			err = &media.Refused{Reason: "it is a song; give it with --music to hear it"}
		}
		var refused *media.Refused
		if errors.As(err, &refused) {
			s.Refused = append(s.Refused, RefusedFile{e.Name(), refused.Reason})
			continue
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", e.Name(), err)
		}
		m.order = append(m.order, id)
	}
	for _, path := range r.Music {
		id, err := m.take(ctx, path)
		if err != nil {
			return nil, fmt.Errorf("song %s: %w", path, err)
		}
		if k := m.lib[id].Kind; k != doc.SongMedia {
			return nil, fmt.Errorf("song %s: it is a %s", path, k)
		}
		m.songs = append(m.songs, id)
	}
	return m, nil
}

// take reads a file into the library.
func (m *material) take(ctx context.Context, path string) (doc.MediaID, error) {
	x, _, err := media.Probe(ctx, path, filepath.Base(path))
	if err != nil {
		return "", err
	}
	if x.ID, err = media.ContentOf(path); err != nil {
		return "", err
	}
	if twin, ok := m.lib[x.ID]; ok {
		return "", &media.Refused{Reason: "the same file as " + twin.Name}
	}
	m.lib[x.ID], m.files[x.ID] = x, path
	return x.ID, nil
}

func (s *Summary) describe(f *film.Film) {
	p := f.Plan
	s.Frames = p.Frames
	s.FilmSeconds = p.Rate.Seconds(p.Frames)
	s.MusicSeconds = float64(p.Music) / timecode.SampleRate
	s.Arithmetic = p.Arithmetic()
	for _, sl := range p.Slides {
		ss := SlideSummary{
			Kind:    string(sl.Kind),
			Layout:  sl.Layout,
			Media:   []string{},
			Start:   sl.Start,
			Frames:  sl.Length,
			Overlap: sl.Overlap,
		}
		for _, id := range sl.Media {
			ss.Media = append(ss.Media, f.Library[id].Name)
		}
		s.Slides = append(s.Slides, ss)
	}
}
