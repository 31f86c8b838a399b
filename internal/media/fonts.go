// Package media reads what clients send: photos through libvips, clips and
// songs through ffmpeg and ffprobe; and prepares the sprites that scenes ask
// for.
package media

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"
	"sync"

	"nelko/internal/media/vips"
)

// Startup makes the shelf's fonts known to fontconfig and starts libvips.
// shelf holds a folder for each theme, with its fonts and pictures. Startup
// must be called before other functions of the package; calling it again does
// nothing.
func Startup(shelf fs.FS) error {
	return startup(shelf)
}

var (
	startOnce sync.Once
	errStart  error
	shelf     fs.FS // of the themes
)

func startup(fonts fs.FS) error {
	startOnce.Do(func() {
		shelf = fonts
		if errStart = installFonts(fonts); errStart == nil {
			errStart = vips.Startup()
		}
	})
	return errStart
}

// installFonts unpacks the shipped fonts into a folder named for their
// contents and points fontconfig at it, beside the system's own fonts.
func installFonts(fonts fs.FS) error {
	type font struct {
		name string
		data []byte
	}
	var all []font
	sum := sha256.New()
	err := fs.WalkDir(fonts, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || path.Ext(p) != ".ttf" {
			return err
		}
		b, err := fs.ReadFile(fonts, p)
		all = append(all, font{strings.ReplaceAll(p, "/", "-"), b})
		sum.Write([]byte(p))
		sum.Write(b)
		return err
	})
	if err != nil {
		return fmt.Errorf("reading the shipped fonts: %w", err)
	}
	base, err := os.UserCacheDir()
	if err != nil {
		base = os.TempDir()
	}
	dir := filepath.Join(base, "nelko", "fonts-"+hex.EncodeToString(sum.Sum(nil)[:8]))
	conf := filepath.Join(dir, "fonts.conf")
	if _, err := os.Stat(conf); err != nil {
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return fmt.Errorf("unpacking the shipped fonts: %w", err)
		}
		for _, f := range all {
			if err := writeWhole(filepath.Join(dir, f.name), f.data); err != nil {
				return fmt.Errorf("unpacking the shipped fonts: %w", err)
			}
		}
		xml := `<?xml version="1.0"?><!DOCTYPE fontconfig SYSTEM "fonts.dtd"><fontconfig>` +
			`<include ignore_missing="yes">/etc/fonts/fonts.conf</include><dir>` + dir + `</dir></fontconfig>`
		if err := writeWhole(conf, []byte(xml)); err != nil {
			return fmt.Errorf("unpacking the shipped fonts: %w", err)
		}
	}
	return os.Setenv("FONTCONFIG_FILE", conf)
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
