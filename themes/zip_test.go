package themes_test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/themes"
	"nelko/themes/themestest"
)

func TestThemesComeFromZips(t *testing.T) {
	good := themestest.Zip(t, "charter.zip", themestest.Same)
	dir := filepath.Dir(good)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "broken.zip"), []byte("no zip"), 0o644))
	shelf, err := themes.Shipped()
	require.NoError(t, err)
	added, refused := shelf.Look(dir, nil)
	require.Len(t, added, 1)
	assert.Equal(t, "charter", added[0].ID)
	require.Len(t, refused, 1)
	assert.ErrorContains(t, refused[0], "broken.zip: not a zip file")
	th, err := shelf.Get("charter")
	require.NoError(t, err)
	assert.Equal(t, "Waypoint", th.Name)
	b, err := shelf.File(th.Contents["compass.svg"])
	require.NoError(t, err)
	assert.Contains(t, string(b), "<svg")
	fonts, err := shelf.Fonts(th.FontsContent)
	require.NoError(t, err)
	assert.Len(t, fonts, 2, "its fonts are found")
	added, refused = shelf.Look(dir, nil)
	assert.Empty(t, added, "nothing has changed")
	assert.Empty(t, refused)

	// A changed theme takes the place of its earlier version, which stays
	// available by its content.
	changed := themestest.Zip(t, "charter.zip", func(p, b string) (string, string) {
		return p, strings.Replace(b, `"name": "Waypoint"`, `"name": "Charter"`, 1)
	})
	require.NoError(t, os.Rename(changed, good))
	require.NoError(t, os.Chtimes(good, time.Now(), time.Now().Add(time.Minute)))
	added, _ = shelf.Look(dir, nil)
	require.Len(t, added, 1)
	now, err := shelf.Get("charter")
	require.NoError(t, err)
	assert.Equal(t, "Charter", now.Name)
	assert.NotEqual(t, th.Content, now.Content)
	assert.Equal(t, th.FontsContent, now.FontsContent)
	before, err := shelf.At("charter", th.Content)
	require.NoError(t, err)
	assert.Equal(t, "Waypoint", before.Name)
	_, err = shelf.At("charter", "another")
	assert.ErrorIs(t, err, themes.ErrUnknown)

	// Its own name is not for others to take.
	require.NoError(t, os.Rename(themestest.Zip(t, "waypoint.zip", themestest.Same),
		filepath.Join(dir, "waypoint.zip")))
	_, refused = shelf.Look(dir, nil)
	require.Len(t, refused, 1)
	assert.ErrorContains(t, refused[0], "ships with the program")
	_, refused = shelf.Look(filepath.Join(dir, "nowhere"), nil)
	assert.NotEmpty(t, refused)
}

// A version packed and unpacked is the same, file for file.
func TestVersionsSurvivePacking(t *testing.T) {
	shelf, err := themes.Shipped()
	require.NoError(t, err)
	for _, v := range shelf.Versions() {
		zip, err := v.Pack()
		require.NoError(t, err)
		back, err := themes.Unpack(zip)
		require.NoError(t, err)
		assert.Equal(t, v.Theme, back.Theme, v.ID)
	}
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
		"id: \"bad\\x00": func(p, b string) (string, string) {
			return p, strings.Replace(b, `"id": "bad"`, `"id": "bad\u0000"`, 1)
		},
		`id: "Bad Theme" must be`: func(p, b string) (string, string) {
			return p, strings.Replace(b, `"id": "bad"`, `"id": "Bad Theme"`, 1)
		},
		`layouts[0].id: "Über"`: func(p, b string) (string, string) {
			return p, regexp.MustCompile(`("layouts": \[\s*\{\s*"id": )"[^"]*"`).ReplaceAllString(b,
				`$1"Über"`)
		},
		"has a control character": func(p, b string) (string, string) {
			return p, strings.Replace(b, `"author": "`, `"author": "\u001b[2J`, 1)
		},
		"a file's name has a control character": func(p, b string) (string, string) {
			if strings.HasPrefix(p, "fonts/") {
				return p + "\x01.txt", b
			}
			return p, b
		},
		"not a font that can be read": func(p, b string) (string, string) {
			if strings.HasPrefix(p, "fonts/") && strings.HasSuffix(p, ".ttf") {
				return p, b[:200]
			}
			return p, b
		},
		"more memory or time than themes do": func(p, b string) (string, string) {
			if p == "theme.json" {
				return p, strings.Replace(b, `"layouts": [`, `"layouts": [`+strings.Repeat("{},", 3_000_000),
					1)
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
		_, err := themes.OpenZip(themestest.Zip(t, "bad.zip", change))
		assert.ErrorContains(t, err, want)
	}
}

// A theme that cannot be kept is refused and told of as long as it lies there; one that only
// could not be kept just then is looked at again.
func TestWhatIsNotKeptIsAside(t *testing.T) {
	dir := filepath.Dir(themestest.Zip(t, "charter.zip", themestest.Same))
	shelf := themestest.Shelf(t)
	why := fmt.Errorf("away: %w", themes.ErrLater)
	keep := func(themes.Version) error { return why }
	_, refused := shelf.Look(dir, keep)
	require.Len(t, refused, 1)
	_, err := shelf.Get("charter")
	assert.ErrorIs(t, err, themes.ErrUnknown)
	why = errors.New("no place for it")
	_, refused = shelf.Look(dir, keep)
	require.Len(t, refused, 1, "it is looked at again")
	_, refused = shelf.Look(dir, keep)
	assert.Empty(t, refused, "it is told of once")
	assert.Equal(t, []themes.Aside{{File: "charter.zip", Why: "no place for it"}}, shelf.Asides())
	require.NoError(t, os.Remove(filepath.Join(dir, "charter.zip")))
	shelf.Look(dir, keep)
	assert.Empty(t, shelf.Asides())
}
