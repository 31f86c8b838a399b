package makefilm

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"nelko/internal/core/cast"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/list"
	"nelko/internal/core/profile"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/listfile"
	"nelko/internal/media"
	"nelko/internal/patternfile"
	"nelko/themes"
)

// RunRequest is a Run to make: many films from one pattern, one list and one
// set of folders.
type RunRequest struct {
	Shelf   *themes.Shelf
	Theme   string // by ID; empty with a pattern
	Pattern string // zip of a pattern; empty: the theme alone
	List    string // file
	// headings by the role or the detail they stand for, instead of what was guessed
	Columns  map[string]string
	Folders  string   // with a folder a row; what is in its root is common to all
	Music    []string // song files, for all rows without one of their own
	Details  map[string]string
	Out      string            // folder
	Names    string            // pattern of the films' names; empty: the usual one
	Profiles []profile.Profile // at least one
	Frame    doc.Frame         // of a theme alone
	Seed     uint64
	Workers  int  // films at the same time; 0: one
	Likely   bool // folders go to the rows they are likely to belong to
	Report   func(RunRow)
}

// RunSummary tells what was made, what not, and why.
type RunSummary struct {
	Rows     []RunRow        `json:"rows"`
	Folders  []RunFolder     `json:"folders"` // that went to no row
	Problems []RunProblem    `json:"problems"`
	Refused  []RefusedFile   `json:"refused"`
	Made     int             `json:"made"`
	Kept     int             `json:"kept"` // were there already
	Not      int             `json:"not_made"`
	Frames   timecode.Frames `json:"frames"` // of all films
	Encoded  timecode.Frames `json:"frames_encoded"`
}

// RunRow is what became of a row.
type RunRow struct {
	Key      string          `json:"key"`
	Name     string          `json:"name"`
	Files    []string        `json:"files"`
	State    string          `json:"state"` // made, kept, left out or failed
	Why      string          `json:"why,omitempty"`
	Seconds  float64         `json:"seconds"` // of film
	Warnings []string        `json:"warnings,omitempty"`
	Frames   timecode.Frames `json:"frames"`
	Encoded  timecode.Frames `json:"frames_encoded"`
}

// RunFolder is a folder that went to no row.
type RunFolder struct {
	Folder string `json:"folder"`
	Likely string `json:"likely,omitempty"` // key of the row it may belong to
	Why    string `json:"why"`
}

// RunProblem is something doubtful in the list.
type RunProblem struct {
	Line   int    `json:"line"`
	Column string `json:"column,omitempty"`
	Text   string `json:"text"`
}

// workFolder is below the films' own, for segments and for what was made.
const workFolder = ".nelko"

// run is a Run being made.
type run struct {
	RunRequest
	mu      sync.Mutex
	house   film.House
	theme   *theme.Theme
	pattern doc.Slideshow
	library doc.Library // of all that was read
	shared  map[doc.MediaID]bool
	files   media.FilesIn
	sprites *media.Sprites
	roles   []list.Role
	rows    []list.Row
	folders map[string][]string // by row's key
	names   []string
	made    map[string]string // the film a file holds, by its name
	sum     RunSummary
}

// Run makes the films. It may be called again after it was stopped: what is
// whole is kept, and films that were begun go on with the segments they have.
// The summary is useful even when an error is returned.
func Run(ctx context.Context, r RunRequest) (RunSummary, error) {
	x := &run{
		RunRequest: r,
		library:    doc.Library{},
		shared:     map[doc.MediaID]bool{},
		files:      media.FilesIn{},
		folders:    map[string][]string{},
		made:       map[string]string{},
		sum: RunSummary{
			Rows:     []RunRow{},
			Folders:  []RunFolder{},
			Problems: []RunProblem{},
			Refused:  []RefusedFile{},
		},
	}
	for _, step := range []func(context.Context) error{x.open, x.readPattern, x.readList, x.readFolders,
		x.makeAll} {
		if err := step(ctx); err != nil {
			return x.sum, err
		}
	}
	return x.sum, nil
}

func (x *run) open(ctx context.Context) error {
	if err := media.Startup(); err != nil {
		return err
	}
	tools, err := film.ToolsHere(ctx)
	if err != nil {
		return err
	}
	if len(x.Profiles) == 0 {
		x.Profiles = []profile.Profile{profile.Film}
	}
	if err := os.MkdirAll(filepath.Join(x.Out, workFolder), 0o755); err != nil {
		return fmt.Errorf("the folder for the films: %w", err)
	}
	b, err := os.ReadFile(x.madePath())
	if err == nil {
		err = json.Unmarshal(b, &x.made)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("what was made before (%s): %w", x.madePath(), err)
	}
	x.house = film.House{Tools: tools, Shelf: x.Shelf}
	x.sprites = media.NewSprites(x.files, x.Shelf, nil, media.DefaultBudget)
	return nil
}

func (x *run) madePath() string { return filepath.Join(x.Out, workFolder, "made.json") }

func (x *run) readPattern(ctx context.Context) (err error) {
	if x.Pattern == "" {
		if x.theme, err = x.Shelf.Get(x.Theme); err != nil {
			return err
		}
		d := doc.New(x.theme.ID, x.Seed)
		d.ThemeVersion = x.theme.Content
		if x.Frame.W > 0 {
			d.Frame = x.Frame
		}
		x.pattern, err = edit.Do(d, edit.NewPattern{}, edit.Context{Theme: x.theme})
		return err
	}
	p, err := patternfile.Open(x.Pattern)
	if err != nil {
		return err
	}
	defer p.Close()
	x.pattern = p.Doc
	maps.Copy(x.pattern.Details, p.Details)
	if x.theme, err = x.Shelf.Get(x.pattern.Theme); err != nil {
		return err
	}
	if x.pattern.ThemeVersion != x.theme.Content {
		x.sum.Problems = append(x.sum.Problems,
			RunProblem{Text: "the pattern was made with another version of the theme " + x.theme.Name})
		x.pattern.ThemeVersion = x.theme.Content
	}
	dir := filepath.Join(x.Out, workFolder, "pattern")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for _, m := range p.Media {
		to := filepath.Join(dir, m.SHA256+path.Ext(m.Name))
		if err := p.Extract(m, to); err != nil {
			return fmt.Errorf("the pattern %s: %s: %w", x.Pattern, m.Name, err)
		}
		id, err := x.take(ctx, to, m.Name)
		if err != nil {
			return fmt.Errorf("the pattern %s: %s: %w", x.Pattern, m.Name, err)
		}
		x.shared[id] = true
	}
	return nil
}

func (x *run) readList(ctx context.Context) error {
	b, err := os.ReadFile(x.List)
	if err != nil {
		return fmt.Errorf("the list: %w", err)
	}
	t, err := listfile.Read(ctx, filepath.Base(x.List), b)
	if err != nil {
		return err
	}
	var details []list.Detail
	for _, d := range x.theme.Details {
		details = append(details, list.Detail{Key: d.Key, Label: d.Label, Required: d.Required})
	}
	x.roles = t.Recognise(details)
	if err := t.Assign(x.roles, x.Columns, details); err != nil {
		return fmt.Errorf("%s: %w", x.List, err)
	}
	var problems []list.Problem
	x.rows, problems = t.Read(x.roles)
	for _, p := range problems {
		x.sum.Problems = append(x.sum.Problems, RunProblem(p))
	}
	if len(x.rows) == 0 {
		return fmt.Errorf("%s has no rows", x.List)
	}
	var byRow []string
	for _, r := range x.roles {
		if k, ok := r.Detail(); ok {
			byRow = append(byRow, k)
		}
	}
	with := edit.Context{Theme: x.theme, Library: x.library}
	if x.pattern, err = edit.Do(x.pattern, edit.Leave{Details: byRow}, with); err != nil {
		return err
	}
	if len(x.Details) > 0 {
		x.pattern, err = edit.Do(x.pattern, edit.Details{Values: x.Details}, with)
	}
	return err
}

// nameOf is what a row is called.
func nameOf(r list.Row) string {
	for _, role := range []list.Role{list.DetailRole("names"), list.Client} {
		if v := r.Values[role]; v != "" {
			return strings.Join(strings.Fields(v), " ")
		}
	}
	return r.Key
}

// readFolders matches folders to rows and reads what is common to all.
func (x *run) readFolders(ctx context.Context) error {
	entries, err := os.ReadDir(x.Folders)
	if err != nil {
		return fmt.Errorf("the folders: %w", err)
	}
	var named []list.Named
	for _, r := range x.rows {
		named = append(named, list.Named{
			Key:    r.Key,
			Folder: r.Values[list.FolderName],
			Names:  []string{nameOf(r)},
		})
	}
	var folders, common []string
	for _, e := range entries {
		at := filepath.Join(x.Folders, e.Name())
		switch {
		case strings.HasPrefix(e.Name(), "."), at == filepath.Clean(x.Out), at == filepath.Clean(x.List):
		case e.IsDir():
			folders = append(folders, e.Name())
		default:
			if i := list.FileRow(e.Name(), named); i >= 0 {
				x.folders[x.rows[i].Key] = append(x.folders[x.rows[i].Key], at)
			} else if !listfile.Known(e.Name()) {
				common = append(common, at)
			}
		}
	}
	for _, m := range list.Folders(folders, named) {
		if m.Sure == list.Exact || m.Sure == list.Likely && x.Likely {
			k := x.rows[m.Row].Key
			x.folders[k] = append(x.folders[k], filepath.Join(x.Folders, m.Folder))
			continue
		}
		f := RunFolder{Folder: m.Folder, Why: m.Why}
		if m.Row >= 0 {
			f.Likely = x.rows[m.Row].Key
		}
		if f.Why == "" {
			f.Why = "no row is called like it"
		}
		x.sum.Folders = append(x.sum.Folders, f)
	}
	slices.SortFunc(common, cast.CompareNames)
	ids := x.takeAll(ctx, append(common, x.Music...))
	for _, id := range ids {
		x.shared[id] = true
	}
	if ctx.Err() != nil || len(ids) == 0 {
		return ctx.Err()
	}
	x.pattern, err = edit.Do(x.pattern, edit.Pour{Media: ids}, edit.Context{
		Theme:   x.theme,
		Library: x.library,
	})
	return err
}

// takeAll reads files; what cannot be used is told.
func (x *run) takeAll(ctx context.Context, paths []string) (ids []doc.MediaID) {
	for _, p := range paths {
		id, err := x.take(ctx, p, filepath.Base(p))
		if err != nil {
			x.mu.Lock()
			x.sum.Refused = append(x.sum.Refused, RefusedFile{p, err.Error()})
			x.mu.Unlock()
			continue
		}
		if !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	return ids
}

// take reads a file, which other rows may hold too.
func (x *run) take(ctx context.Context, path, name string) (doc.MediaID, error) {
	id, err := media.ContentOf(path)
	if err != nil {
		return "", err
	}
	x.mu.Lock()
	_, known := x.library[id]
	x.mu.Unlock()
	if known {
		return id, nil
	}
	m, _, err := media.Probe(ctx, path, name)
	if err != nil {
		return "", err
	}
	m.ID = id
	x.mu.Lock()
	defer x.mu.Unlock()
	x.library[id], x.files[id] = m, path
	return id, nil
}

// below are the files of folders and files, by name.
func below(paths []string) (out []string, err error) {
	for _, p := range paths {
		e := filepath.WalkDir(p, func(at string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || strings.HasPrefix(d.Name(), ".") {
				return err
			}
			out = append(out, at)
			return nil
		})
		err = errors.Join(err, e)
	}
	slices.SortFunc(out, cast.CompareNames)
	return out, err
}
