package themes

import (
	"archive/zip"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// zipped writes a theme's zip: the shipped Waypoint under another name, each
// file as the given function has it.
func zipped(t *testing.T, name string, change func(path, body string) (string, string)) string {
	out := filepath.Join(t.TempDir(), name)
	f, err := os.Create(out)
	require.NoError(t, err)
	z := zip.NewWriter(f)
	dir, err := fs.Sub(shipped, "waypoint")
	require.NoError(t, err)
	require.NoError(t, fs.WalkDir(dir, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(dir, p)
		if err != nil {
			return err
		}
		path, body := change(p, strings.Replace(string(b), `"id": "waypoint"`, `"id": "`+strings.TrimSuffix(name, ".zip")+`"`, 1))
		if path == "" {
			return nil
		}
		w, err := z.Create(path)
		if err == nil {
			_, err = w.Write([]byte(body))
		}
		return err
	}))
	require.NoError(t, z.Close())
	require.NoError(t, f.Close())
	return out
}

func same(p, b string) (string, string) { return p, b }

func TestThemesComeFromZips(t *testing.T) {
	good := zipped(t, "charter.zip", same)
	dir := filepath.Dir(good)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "broken.zip"), []byte("no zip"), 0o644))
	added, refused := AddDir(dir)
	assert.Equal(t, []string{"charter"}, added)
	require.Len(t, refused, 1)
	assert.ErrorContains(t, refused[0], "broken.zip: not a zip file")
	th, err := Get("charter")
	require.NoError(t, err)
	assert.Equal(t, "Waypoint", th.Name)
	b, err := fs.ReadFile(Fonts(), "charter/compass.svg")
	require.NoError(t, err)
	assert.Contains(t, string(b), "<svg")
	n := 0
	require.NoError(t, fs.WalkDir(Fonts(), ".", func(p string, d fs.DirEntry, err error) error {
		if strings.HasPrefix(p, "charter/fonts/") {
			n++
		}
		return err
	}))
	assert.Greater(t, n, 1, "its fonts are found")
	_, refused = AddDir(dir)
	assert.Len(t, refused, 2, "the same theme twice is refused")
}

func TestBrokenZipsAreRefusedWithPathAndReason(t *testing.T) {
	for want, change := range map[string]func(p, b string) (string, string){
		"theme.json: missing": func(p, b string) (string, string) {
			if p == "theme.json" {
				return "", ""
			}
			return p, b
		},
		`the file "compass.svg" is not in the theme`: func(p, b string) (string, string) {
			if p == "compass.svg" {
				return "", ""
			}
			return p, b
		},
		"transitions.set[0].kind": func(p, b string) (string, string) {
			return p, strings.Replace(b, `"kind": "drift"`, `"kind": "melt"`, 1)
		},
		"a theme holds no files of this kind": func(p, b string) (string, string) {
			if p == "compass.svg" {
				return "compass.exe", b
			}
			return p, b
		},
		"not a path inside the theme": func(p, b string) (string, string) {
			if p == "compass.svg" {
				return "../compass.svg", b
			}
			return p, b
		},
	} {
		_, _, err := OpenZip(zipped(t, "bad.zip", change))
		assert.ErrorContains(t, err, want)
	}
}
