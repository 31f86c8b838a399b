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
	"syscall"

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

var installed sync.Map // fonts by content, each an *installing

// installing is fonts that are made known once.
type installing struct{ once func() error }

// InstallFonts makes a theme's fonts known to the typesetter under their
// content. Doing it again costs nothing.
func InstallFonts(shelf Shelf, content string) error {
	kept, _ := installed.LoadOrStore(content, &installing{sync.OnceValue(func() error {
		conf, err := unpackFonts(shelf, content)
		if err != nil {
			return fmt.Errorf("installing fonts: %w", err)
		}
		pango.AddFonts(content, conf)
		return nil
	})})
	err := kept.(*installing).once()
	if err != nil {
		installed.CompareAndDelete(content, kept) // so that it is tried again
	}
	return err
}

// ownFolder is a folder for what can be made again, of the user that this
// process runs as: nobody else puts anything into it.
func ownFolder() (string, error) {
	dir := filepath.Join(os.TempDir(), fmt.Sprintf("nelko-%d", os.Getuid()))
	if base, err := os.UserCacheDir(); err == nil {
		dir = filepath.Join(base, "nelko")
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", err
	}
	st, err := os.Stat(dir)
	if err != nil {
		return "", err
	}
	if sys, ok := st.Sys().(*syscall.Stat_t); ok && int(sys.Uid) != os.Getuid() {
		return "", fmt.Errorf("%s is another user's", dir)
	}
	return dir, nil
}

// unpackFonts writes fonts into a folder named for their content and gives
// the fontconfig file that shows them beside the system's own.
func unpackFonts(shelf Shelf, content string) (string, error) {
	files, err := shelf.Fonts(content)
	if err != nil {
		return "", err
	}
	base, err := ownFolder()
	if err != nil {
		return "", err
	}
	dir := filepath.Join(base, "fonts-"+content[:16])
	conf := filepath.Join(dir, "fonts.conf")
	if _, err := os.Stat(conf); err == nil {
		return conf, nil
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
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
	out, err := output(ctx, probeLimit, noCage, "fc-list", "--format", "%{file} %{fontversion}\n")
	if err != nil {
		return "", fmt.Errorf("listing the system's fonts: %w", err)
	}
	lines := bytes.Split(out, []byte("\n"))
	slices.SortFunc(lines, bytes.Compare)
	sum := sha256.Sum256(bytes.Join(lines, []byte("\n")))
	return fmt.Sprintf("libvips %s, Pango %s, fonts %s", vips.Version(), pango.Version(),
		hex.EncodeToString(sum[:4])), nil
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
