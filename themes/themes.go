// Package themes is the shelf: the themes that ship with the program, the
// fonts and pictures they are made of, and a studio's own themes from a
// folder of zip files. Every version of a theme that was ever on the shelf is
// told apart by its content.
package themes

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
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
	"time"

	"nelko/internal/core/theme"
)

//go:embed */theme.json */fonts/* */*.svg
var shippedFiles embed.FS

// Schema is the JSON Schema of theme.json.
//
//go:embed theme.schema.json
var Schema []byte

// ErrUnknown means that the shelf has no such theme, version or file.
var ErrUnknown = errors.New("not on the shelf")

// ErrLater means that a theme could not be kept now, and can be when it is looked at again.
var ErrLater = errors.New("not kept now")

// Version is one version of a theme, with its files.
type Version struct {
	*theme.Theme
	Files fs.FS
}

// Shelf holds themes. It is safe for use by several goroutines.
type Shelf struct {
	// Earlier finds a version that is no longer among those put on the shelf,
	// by its content; nil where none are kept. It must be set before use.
	Earlier func(content string) (Version, error)

	mu      sync.RWMutex
	newest  map[string]Version // by theme ID
	own     map[string]bool    // IDs that came from a folder
	content map[string]Version // by content of the whole
	fonts   map[string]Version // by content of the fonts: one that has them
	files   map[string]place   // by content

	looking sync.Mutex       // of who looks into the folder
	seen    map[string]stamp // its zips, by name
}

// place is where a file of a theme lies.
type place struct {
	dir  fs.FS
	name string
}

// stamp tells whether a file of a folder is still the same.
type stamp struct {
	size  int64
	mtime time.Time
	err   error // why it was refused
}

// shipped reads the themes that ship once.
var shipped = sync.OnceValues(func() ([]Version, error) {
	var out []Version
	paths, err := fs.Glob(shippedFiles, "*/theme.json")
	for _, p := range paths {
		dir, e := fs.Sub(shippedFiles, path.Dir(p))
		if e == nil {
			var v Version
			if v, e = read(dir); e == nil && v.ID != path.Dir(p) {
				e = fmt.Errorf("id %q is not its folder's name", v.ID)
			} else if e == nil {
				e = v.presentable()
			}
			out = append(out, v)
		}
		if e != nil {
			err = errors.Join(err, fmt.Errorf("%s: %w", p, e))
		}
	}
	return out, err
})

// Shipped is a shelf with the themes that ship with the program.
func Shipped() (*Shelf, error) {
	all, err := shipped()
	if err != nil {
		return nil, err
	}
	s := &Shelf{
		newest:  map[string]Version{},
		own:     map[string]bool{},
		content: map[string]Version{},
		fonts:   map[string]Version{},
		files:   map[string]place{},
		seen:    map[string]stamp{},
	}
	for _, v := range all {
		s.put(v)
		s.newest[v.ID] = v
	}
	return s, nil
}

// put makes a version's files known. The lock must be held, or nobody else
// have the shelf.
func (s *Shelf) put(v Version) {
	s.content[v.Content] = v
	s.fonts[v.FontsContent] = v
	for name, c := range v.Contents {
		s.files[c] = place{v.Files, name}
	}
}

// Get finds the newest version of a theme by its ID.
func (s *Shelf) Get(id string) (*theme.Theme, error) {
	s.mu.RLock()
	defer s.mu.RUnlock()
	if v, ok := s.newest[id]; ok {
		return v.Theme, nil
	}
	return nil, fmt.Errorf("there is no theme %q; there are: %s: %w", id, strings.Join(s.ids(), ", "),
		ErrUnknown)
}

// At finds a version of a theme by its content; without one it is Get.
func (s *Shelf) At(id, content string) (*theme.Theme, error) { return s.AtBy(id, content, s.Earlier) }

// AtBy is At that reads a version that is not at hand by earlier; nil: none is.
func (s *Shelf) AtBy(id, content string, earlier func(content string) (Version, error)) (*theme.Theme,
	error) {
	if content == "" {
		return s.Get(id)
	}
	s.mu.RLock()
	v, ok := s.content[content]
	s.mu.RUnlock()
	if ok {
		return v.Theme, nil
	}
	if earlier == nil {
		return nil, fmt.Errorf("the version %.12s of the theme %q: %w", content, id, ErrUnknown)
	}
	v, err := earlier(content)
	if err != nil {
		return nil, fmt.Errorf("the version %.12s of the theme %q: %w", content, id, err)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.put(v)
	return v.Theme, nil
}

// All lists the newest version of every theme by ID.
func (s *Shelf) All() []*theme.Theme {
	var out []*theme.Theme
	for _, v := range s.Versions() {
		out = append(out, v.Theme)
	}
	return out
}

// Versions is All with the files.
func (s *Shelf) Versions() []Version {
	s.mu.RLock()
	defer s.mu.RUnlock()
	var out []Version
	for _, id := range s.ids() {
		out = append(out, s.newest[id])
	}
	return out
}

func (s *Shelf) ids() []string {
	var out []string
	for id := range s.newest {
		out = append(out, id)
	}
	slices.Sort(out)
	return out
}

// File reads a file of any theme by its content.
func (s *Shelf) File(content string) ([]byte, error) {
	s.mu.RLock()
	p, ok := s.files[content]
	s.mu.RUnlock()
	if !ok {
		return nil, fmt.Errorf("the file %.12s: %w", content, ErrUnknown)
	}
	return fs.ReadFile(p.dir, p.name)
}

// Fonts gives the font files of that content, by name.
func (s *Shelf) Fonts(content string) (map[string][]byte, error) {
	s.mu.RLock()
	v, ok := s.fonts[content]
	s.mu.RUnlock()
	if !ok {
		return nil, fmt.Errorf("the fonts %.12s: %w", content, ErrUnknown)
	}
	out := map[string][]byte{}
	for name := range v.Contents {
		if isFont(name) {
			b, err := fs.ReadFile(v.Files, name)
			if err != nil {
				return nil, err
			}
			out[path.Base(name)] = b
		}
	}
	return out, nil
}

func isFont(name string) bool {
	e := strings.ToLower(path.Ext(name))
	return e == ".ttf" || e == ".otf"
}

// Look puts the themes of a folder on the shelf, each a zip file, unless they
// are there already. Changed ones take the place of their earlier version.
// Broken ones are refused with the reason, one error for each, and so are those
// that keep, which may be nil, has no place for; the others go in. It may be
// called again and again.
func (s *Shelf) Look(dir string, keep func(Version) error) (added []Version, refused []error) {
	names, err := filepath.Glob(filepath.Join(dir, "*.zip"))
	if err == nil {
		_, err = os.Stat(dir)
	}
	if err != nil {
		return nil, []error{fmt.Errorf("folder of themes: %w", err)}
	}
	s.looking.Lock()
	defer s.looking.Unlock()
	for name := range s.seen {
		if !slices.Contains(names, name) {
			delete(s.seen, name) // what was refused is gone
		}
	}
	for _, name := range names {
		st, err := os.Stat(name)
		if err != nil {
			continue // gone meanwhile
		}
		now := stamp{size: st.Size(), mtime: st.ModTime()}
		if was, ok := s.seen[name]; ok && was.size == now.size && was.mtime.Equal(now.mtime) {
			continue
		}
		v, err := OpenZip(name)
		if err == nil && s.ships(v.ID) {
			err = fmt.Errorf("id: there is a theme %q already that ships with the program", v.ID)
		}
		if err == nil && keep != nil {
			err = keep(v)
		}
		if now.err = err; err != nil {
			refused = append(refused, fmt.Errorf("%s: %w", filepath.Base(name), err))
		}
		if !errors.Is(err, ErrLater) {
			s.seen[name] = now
		}
		if err != nil {
			continue
		}
		s.mu.Lock()
		s.put(v)
		s.newest[v.ID], s.own[v.ID] = v, true
		s.mu.Unlock()
		added = append(added, v)
	}
	return added, refused
}

// ships reports whether a theme comes with the program.
func (s *Shelf) ships(id string) bool {
	s.mu.RLock()
	defer s.mu.RUnlock()
	_, there := s.newest[id]
	return there && !s.own[id]
}

// Aside is a theme of the studio's folder that was not taken, by its file, and why.
type Aside struct{ File, Why string }

// Asides are the files of the studio's folder that were not taken when it was looked at last.
func (s *Shelf) Asides() (out []Aside) {
	s.looking.Lock()
	defer s.looking.Unlock()
	for _, name := range slices.Sorted(maps.Keys(s.seen)) {
		if err := s.seen[name].err; err != nil {
			out = append(out, Aside{filepath.Base(name), err.Error()})
		}
	}
	return out
}

// name gives a theme its content and that of its files.
func name(t *theme.Theme, dir fs.FS) error {
	t.Contents = map[string]string{}
	var lines, fonts []string
	err := fs.WalkDir(dir, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(dir, p)
		if err != nil {
			return err
		}
		c := sum(b)
		t.Contents[p] = c
		lines = append(lines, p+" "+c+"\n")
		if isFont(p) {
			fonts = append(fonts, path.Base(p)+" "+c+"\n")
		}
		return nil
	})
	slices.Sort(lines)
	slices.Sort(fonts)
	t.Content, t.FontsContent = sum([]byte(strings.Join(lines, ""))), sum([]byte(strings.Join(fonts, "")))
	return err
}

func sum(b []byte) string {
	h := sha256.Sum256(b)
	return hex.EncodeToString(h[:])
}

// Pack writes a version as a zip, from which Unpack reads the same.
func (v Version) Pack() ([]byte, error) {
	var b bytes.Buffer
	err := pack(&b, v)
	return b.Bytes(), err
}
