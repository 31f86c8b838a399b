package disc

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"time"

	"github.com/kdomanski/iso9660"
)

// Entry is a file of a data disc's image.
type Entry struct {
	Name string
	Size int64
}

// Read lists the files of a data disc from its image.
func Read(path string) (out []Entry, err error) {
	err = inImage(path, func(f *iso9660.File) error {
		out = append(out, Entry{f.Name(), f.Size()})
		return nil
	})
	return out, err
}

// errFound ends looking through an image.
var errFound = errors.New("found")

// Serve reads a file of a data disc from its image.
func Serve(path, name string, serve func(Entry, io.ReadSeeker)) error {
	err := inImage(path, func(f *iso9660.File) error {
		if f.Name() != name {
			return nil
		}
		r, ok := f.Reader().(io.ReadSeeker)
		if !ok {
			return fmt.Errorf("%s cannot be read from anywhere in it", name)
		}
		serve(Entry{f.Name(), f.Size()}, r)
		return errFound
	})
	if errors.Is(err, errFound) {
		return nil
	}
	if err == nil {
		err = fmt.Errorf("%s: %w", name, fs.ErrNotExist)
	}
	return err
}

// inImage calls do for each file of an image's root.
func inImage(path string, do func(*iso9660.File) error) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	img, err := iso9660.OpenImage(f)
	if err != nil {
		return fmt.Errorf("reading the disc: %w", err)
	}
	root, err := img.RootDir()
	if err != nil {
		return fmt.Errorf("reading the disc: %w", err)
	}
	list, err := root.GetChildren()
	if err != nil {
		return fmt.Errorf("reading the disc: %w", err)
	}
	for _, x := range list {
		if x.IsDir() {
			continue
		}
		if err := do(x); err != nil {
			return err
		}
	}
	return nil
}

// Splice writes a film of an HD disc's image, from a chapter on, as a transport
// stream; both count from 1.
func Splice(ctx context.Context, path string, title, chapter int, w io.Writer) error {
	cmd := exec.CommandContext(ctx, "bd_splice", "-t", fmt.Sprint(title), "-c",
		fmt.Sprintf("%d-999", chapter), path)
	cmd.WaitDelay = 2 * time.Second
	cmd.Stdout = w
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("reading film %d of the disc: %w", title, err)
	}
	return nil
}
