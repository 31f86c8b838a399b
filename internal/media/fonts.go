// Package media reads what clients send: photos through libvips, clips and
// songs through ffmpeg and ffprobe; and prepares the sprites that scenes ask
// for.
package media

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"sync"

	"nelko/internal/media/pango"
	"nelko/internal/media/vips"
)

// Startup starts libvips. It must be called before other functions of the
// package; calling it again does nothing.
func Startup() error { return start() }

var start = sync.OnceValue(vips.Startup)

// Shelf gives what themes are made of, by content.
type Shelf interface {
	// File is a theme's file.
	File(content string) ([]byte, error)
	// Fonts are font files, by name.
	Fonts(content string) (map[string][]byte, error)
}

var installed sync.Map // fonts by content, each a func() error that is run once

// InstallFonts makes a theme's fonts known to the typesetter under their
// content. Doing it again costs nothing.
func InstallFonts(shelf Shelf, content string) error {
	once, _ := installed.LoadOrStore(content, sync.OnceValue(func() error {
		conf, err := unpackFonts(shelf, content)
		if err != nil {
			return fmt.Errorf("installing fonts: %w", err)
		}
		pango.AddFonts(content, conf)
		return nil
	}))
	err := once.(func() error)()
	if err != nil {
		installed.CompareAndDelete(content, once) // so that it is tried again
	}
	return err
}

// unpackFonts writes fonts into a folder named for their content and gives
// the fontconfig file that shows them beside the system's own.
func unpackFonts(shelf Shelf, content string) (string, error) {
	files, err := shelf.Fonts(content)
	if err != nil {
		return "", err
	}
	base, err := os.UserCacheDir()
	if err != nil {
		base = os.TempDir()
	}
	dir := filepath.Join(base, "nelko", "fonts-"+content[:16])
	conf := filepath.Join(dir, "fonts.conf")
	if _, err := os.Stat(conf); err == nil {
		return conf, nil
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", err
	}
	for _, name := range slices.Sorted(maps.Keys(files)) {
		if err := writeWhole(filepath.Join(dir, name), files[name]); err != nil {
			return "", err
		}
	}
	xml := `<?xml version="1.0"?><!DOCTYPE fontconfig SYSTEM "fonts.dtd"><fontconfig>` +
		`<include ignore_missing="yes">/etc/fonts/fonts.conf</include><dir>` + dir + `</dir></fontconfig>`
	return conf, writeWhole(conf, []byte(xml))
}

// DrawnBy names the versions of what draws: libvips, Pango, and the system's
// fonts, by which words are set that a theme's own fonts lack letters for.
// Equal names mean equal frames.
func DrawnBy(ctx context.Context) (string, error) {
	out, err := output(ctx, probeLimit, "fc-list", "--format", "%{file} %{fontversion}\n")
	if err != nil {
		return "", fmt.Errorf("listing the system's fonts: %w", err)
	}
	lines := bytes.Split(out, []byte("\n"))
	slices.SortFunc(lines, bytes.Compare)
	sum := sha256.Sum256(bytes.Join(lines, []byte("\n")))
	return fmt.Sprintf("libvips %s, Pango %s, fonts %s", vips.Version(), pango.Version(), hex.EncodeToString(sum[:4])), nil
}

// writeWhole writes a file so that it is there wholly or not at all.
func writeWhole(name string, data []byte) error {
	tmp, err := os.CreateTemp(filepath.Dir(name), ".part-*")
	if err != nil {
		return err
	}
	defer os.Remove(tmp.Name()) // after a rename there is nothing to remove
	if _, err := tmp.Write(data); err != nil {
		tmp.Close()
		return err
	}
	if err := tmp.Close(); err != nil {
		return err
	}
	return os.Rename(tmp.Name(), name)
}
