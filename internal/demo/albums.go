package demo

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"nelko/internal/demo/paint"
	"nelko/internal/media/vips"
)

// albums are those of the photo source that ships with the demo.
var albums = []struct {
	name   string
	scenes []paint.Scene
}{
	{"Harbour walk", []paint.Scene{paint.Quay, paint.Headland, paint.Lighthouse, paint.Quay, paint.Evening}},
	{"Crew evening", []paint.Scene{paint.Evening, paint.Portrait, paint.Portrait, paint.Lanterns}},
}

// Albums paints the photo source's albums into a folder, where they are not
// there yet.
func Albums(ctx context.Context, dir string) error {
	for n, a := range albums {
		sub := filepath.Join(dir, a.name)
		if err := os.MkdirAll(sub, 0o755); err != nil {
			return err
		}
		for i, sc := range a.scenes {
			file := filepath.Join(sub, fmt.Sprintf("HW_%04d.jpg", 100*n+i+1))
			if _, err := os.Stat(file); err == nil || ctx.Err() != nil {
				continue
			}
			px, err := paint.Paint(paint.Spec{Scene: sc, W: 1500, H: 1000, Seed: uint64(7000 + 100*n + i)})
			if err != nil {
				return err
			}
			jpg, err := vips.JPEG(px, 90)
			if err != nil {
				return err
			}
			taken := time.Date(2026, 9, 13, 17, 5*i, 0, 0, time.UTC)
			if err := os.WriteFile(file, withEXIF(jpg, 1, taken, "Saltmere Three"), 0o644); err != nil {
				return err
			}
		}
	}
	return nil
}
