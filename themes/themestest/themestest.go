// Package themestest gives tests the shipped shelf, and zips to put on it.
package themestest

import (
	"archive/zip"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"nelko/internal/core/theme"
	"nelko/themes"
)

// Shelf is a shelf of the shipped themes.
func Shelf(t require.TestingT) *themes.Shelf {
	s, err := themes.Shipped()
	require.NoError(t, err)
	return s
}

// Get is a shipped theme.
func Get(t require.TestingT, id string) *theme.Theme {
	th, err := Shelf(t).Get(id)
	require.NoError(t, err)
	return th
}

// Zip writes a theme's zip into a folder of its own: the shipped Waypoint under
// the zip's name, each file, by path and body, as change has it. An empty path
// leaves a file out.
func Zip(t testing.TB, name string, change func(path, body string) (string, string)) string {
	t.Helper()
	out := filepath.Join(t.TempDir(), name)
	f, err := os.Create(out)
	require.NoError(t, err)
	z := zip.NewWriter(f)
	for _, v := range Shelf(t).Versions() {
		if v.ID != "waypoint" {
			continue
		}
		require.NoError(t, fs.WalkDir(v.Files, ".", func(p string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			b, err := fs.ReadFile(v.Files, p)
			if err != nil {
				return err
			}
			path, body := change(p, strings.Replace(string(b), `"id": "waypoint"`, `"id": "`+
				strings.TrimSuffix(name, ".zip")+`"`, 1))
			if path == "" {
				return nil
			}
			w, err := z.Create(path)
			if err == nil {
				_, err = w.Write([]byte(body))
			}
			return err
		}))
	}
	require.NoError(t, z.Close())
	require.NoError(t, f.Close())
	return out
}

// Same changes nothing.
func Same(path, body string) (string, string) { return path, body }
