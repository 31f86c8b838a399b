// Package themes is the shelf: the themes that ship with the program, the
// fonts and pictures they are made of, and a studio's own themes from a
// folder of zip files.
package themes

import (
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"nelko/internal/core/theme"
)

//go:embed */theme.json */fonts/* */*.svg
var shipped embed.FS

// Schema is the JSON Schema of theme.json.
//
//go:embed theme.schema.json
var Schema []byte

// shelf is the themes by ID, and the folder each has.
type shelf struct {
	mu     sync.Mutex
	loaded bool
	err    error
	themes map[string]*theme.Theme
	files  map[string]fs.FS
}

var here = &shelf{}

// load reads the shipped themes once.
func (s *shelf) load() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.loaded {
		return s.err
	}
	s.loaded, s.themes, s.files = true, map[string]*theme.Theme{}, map[string]fs.FS{}
	paths, err := fs.Glob(shipped, "*/theme.json")
	for _, p := range paths {
		dir, e := fs.Sub(shipped, path.Dir(p))
		if e == nil {
			var t *theme.Theme
			if t, e = read(dir); e == nil && t.ID != path.Dir(p) {
				e = fmt.Errorf("id %q is not its folder's name", t.ID)
			}
			if e == nil {
				s.themes[t.ID], s.files[t.ID] = t, dir
			}
		}
		if e != nil {
			err = errors.Join(err, fmt.Errorf("%s: %w", p, e))
		}
	}
	s.err = err
	return err
}

// Get finds a theme by its ID.
func Get(id string) (*theme.Theme, error) {
	if err := here.load(); err != nil {
		return nil, err
	}
	here.mu.Lock()
	defer here.mu.Unlock()
	if t, ok := here.themes[id]; ok {
		return t, nil
	}
	return nil, fmt.Errorf("there is no theme %q; there are: %s", id, strings.Join(here.ids(), ", "))
}

// All lists the shelf by ID.
func All() ([]*theme.Theme, error) {
	if err := here.load(); err != nil {
		return nil, err
	}
	here.mu.Lock()
	defer here.mu.Unlock()
	var out []*theme.Theme
	for _, id := range here.ids() {
		out = append(out, here.themes[id])
	}
	return out, nil
}

func (s *shelf) ids() []string {
	var out []string
	for id := range s.themes {
		out = append(out, id)
	}
	slices.Sort(out)
	return out
}

// AddDir puts the themes of a folder on the shelf, each a zip file. Broken
// ones are refused with the reason, one error for each; the others go in.
func AddDir(dir string) (added []string, refused []error) {
	if err := here.load(); err != nil {
		return nil, []error{err}
	}
	names, err := filepath.Glob(filepath.Join(dir, "*.zip"))
	if err != nil {
		return nil, []error{err}
	}
	if _, err := os.Stat(dir); err != nil {
		return nil, []error{fmt.Errorf("folder of themes: %w", err)}
	}
	for _, name := range names {
		t, files, err := OpenZip(name)
		if err == nil {
			err = here.add(t, files)
		}
		if err != nil {
			refused = append(refused, fmt.Errorf("%s: %w", filepath.Base(name), err))
			continue
		}
		added = append(added, t.ID)
	}
	return added, refused
}

func (s *shelf) add(t *theme.Theme, files fs.FS) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if old, ok := s.themes[t.ID]; ok {
		return fmt.Errorf("id: there is a theme %q already (%s)", t.ID, old)
	}
	s.themes[t.ID], s.files[t.ID] = t, files
	return nil
}

// Fonts holds every theme's fonts and pictures, in a folder named by its ID.
func Fonts() fs.FS { return folders{} }

// folders shows all themes' folders as one tree.
type folders struct{}

var _ fs.ReadDirFS = folders{}

// Open implements fs.FS.
func (folders) Open(name string) (fs.File, error) {
	if err := here.load(); err != nil {
		return nil, err
	}
	if name == "." {
		return shipped.Open(".") // its entries are not used: ReadDir lists them
	}
	id, rest, inner := strings.Cut(name, "/")
	here.mu.Lock()
	dir, ok := here.files[id]
	here.mu.Unlock()
	if !ok {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
	}
	if !inner {
		rest = "."
	}
	return dir.Open(rest)
}

// ReadDir implements fs.ReadDirFS.
func (f folders) ReadDir(name string) ([]fs.DirEntry, error) {
	if name == "." {
		if err := here.load(); err != nil {
			return nil, err
		}
		here.mu.Lock()
		defer here.mu.Unlock()
		var out []fs.DirEntry
		for _, id := range here.ids() {
			info, err := fs.Stat(here.files[id], ".")
			if err != nil {
				return nil, err
			}
			out = append(out, named{fs.FileInfoToDirEntry(info), id})
		}
		return out, nil
	}
	id, rest, inner := strings.Cut(name, "/")
	here.mu.Lock()
	dir, ok := here.files[id]
	here.mu.Unlock()
	if !ok {
		return nil, &fs.PathError{Op: "readdir", Path: name, Err: fs.ErrNotExist}
	}
	if !inner {
		rest = "."
	}
	return fs.ReadDir(dir, rest)
}

// named is an entry under another name.
type named struct {
	fs.DirEntry
	name string
}

// Name implements fs.DirEntry.
func (n named) Name() string { return n.name }
