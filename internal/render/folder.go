package render

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// Folder is a cache in a folder, for what is made without a studio.
type Folder struct{ Dir string }

// Find implements Cache.
func (f Folder) Find(_ context.Context, keys []string) (map[string]string, error) {
	out := map[string]string{}
	for _, k := range keys {
		path := filepath.Join(f.Dir, k)
		_, err := os.Stat(path)
		if err == nil {
			out[k] = path
		} else if !errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
	}
	return out, nil
}

// Drop implements Cache.
func (f Folder) Drop(_ context.Context, key string) error {
	for _, name := range []string{key, key + comparedEnding} {
		if err := os.Remove(filepath.Join(f.Dir, name)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

// comparedEnding is of the empty file beside one that was compared.
const comparedEnding = ".compared"

// Compared implements Cache.
func (f Folder) Compared(_ context.Context, keys []string) (map[string]bool, error) {
	out := map[string]bool{}
	for _, k := range keys {
		_, err := os.Stat(filepath.Join(f.Dir, k+comparedEnding))
		if out[k] = err == nil; err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
	}
	return out, nil
}

// SetCompared implements Cache.
func (f Folder) SetCompared(_ context.Context, keys []string) error {
	for _, k := range keys {
		if _, err := os.Stat(filepath.Join(f.Dir, k)); err != nil {
			continue // it is not kept
		}
		if err := os.WriteFile(filepath.Join(f.Dir, k+comparedEnding), nil, 0o600); err != nil {
			return err
		}
	}
	return nil
}

// Keep implements Cache. A file is there wholly or not at all.
func (f Folder) Keep(_ context.Context, key, path string) (string, error) {
	if err := os.MkdirAll(f.Dir, 0o755); err != nil {
		return "", err
	}
	to := filepath.Join(f.Dir, key)
	tmp, err := os.CreateTemp(f.Dir, "put-*")
	if err != nil {
		return "", err
	}
	defer os.Remove(tmp.Name())
	defer tmp.Close()
	in, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer in.Close()
	if _, err := io.Copy(tmp, in); err != nil {
		return "", err
	}
	if err := os.Remove(to + comparedEnding); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return "", err
	}
	if err := errors.Join(tmp.Close(), os.Rename(tmp.Name(), to)); err != nil {
		return "", fmt.Errorf("keeping a segment: %w", err)
	}
	return to, nil
}
