// Package themes is the shelf: the themes that ship with the program and the
// fonts they are set in.
package themes

import (
	"embed"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"

	"nelko/internal/core/theme"
)

//go:embed */theme.json */fonts/* */*.svg
var files embed.FS

var load = sync.OnceValues(func() (map[string]*theme.Theme, error) {
	paths, err := fs.Glob(files, "*/theme.json")
	if err != nil {
		return nil, err
	}
	shelf := map[string]*theme.Theme{}
	for _, p := range paths {
		b, err := files.ReadFile(p)
		if err != nil {
			return nil, err
		}
		t, err := theme.Parse(b)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", p, err)
		}
		if t.ID != path.Dir(p) {
			return nil, fmt.Errorf("%s: id %q is not its folder's name", p, t.ID)
		}
		shelf[t.ID] = t
	}
	return shelf, nil
})

// Get finds a theme by its ID.
func Get(id string) (*theme.Theme, error) {
	shelf, err := load()
	if err != nil {
		return nil, err
	}
	if t, ok := shelf[id]; ok {
		return t, nil
	}
	return nil, fmt.Errorf("there is no theme %q; there are: %s", id, strings.Join(ids(shelf), ", "))
}

// All lists the shelf by ID.
func All() ([]*theme.Theme, error) {
	shelf, err := load()
	if err != nil {
		return nil, err
	}
	var out []*theme.Theme
	for _, id := range ids(shelf) {
		out = append(out, shelf[id])
	}
	return out, nil
}

func ids(shelf map[string]*theme.Theme) []string {
	var out []string
	for id := range shelf {
		out = append(out, id)
	}
	slices.Sort(out)
	return out
}

// Fonts holds every theme's font files.
func Fonts() fs.FS { return files }
