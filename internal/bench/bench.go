// Package bench measures the engine. Every figure that means something is a
// ratio of two things done in the same run.
package bench

import (
	"bufio"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"time"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/demo/paint"
	"nelko/internal/media"
	"nelko/internal/media/pango"
	"nelko/internal/media/vips"
	"nelko/internal/render"
	"nelko/themes"
)

// Render measures a film of 30 photos in 1080p30 with motion on every slide:
// the whole render against encoding the same frames, made before, with the
// same settings.
func Render(ctx context.Context, out io.Writer) error {
	if err := media.Startup(themes.Fonts()); err != nil {
		return err
	}
	dir, err := os.MkdirTemp("", "nelko-bench-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	sc, assets, err := film(ctx, dir, 30, 45)
	if err != nil {
		return err
	}
	frames := filepath.Join(dir, "frames.yuv")
	if err := compose2file(sc, assets(), frames); err != nil {
		return err
	}
	start := time.Now()
	if err := encodeFile(ctx, sc, frames, filepath.Join(dir, "floor.mp4")); err != nil {
		return err
	}
	floor := time.Since(start).Seconds()
	start = time.Now()
	a := assets()
	_, err = render.Film(ctx, render.Job{
		Scene: sc, Lanes: func() render.Lane { return a.Lane() }, Profile: render.MP4, Out: filepath.Join(dir, "film.mp4"),
		Track: func(context.Context) (sound.Track, func(), error) {
			return sound.Track{Total: sc.Rate.SampleAt(sc.Frames)}, func() {}, nil
		},
	})
	if err != nil {
		return err
	}
	took := time.Since(start).Seconds()
	var self syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &self); err != nil {
		return err
	}
	_, err = fmt.Fprintf(out, "frames=%d\nencoder_floor_s=%.2f\nrender_s=%.2f\nratio_to_floor=%.3f\nframes_per_s=%.1f\npeak_rss_mb=%d\n",
		sc.Frames, floor, took, took/floor, float64(sc.Frames)/took, self.Maxrss/1024)
	return err
}

// film paints photos and lays them out to a length in seconds. assets makes
// fresh ones, with cold caches.
func film(ctx context.Context, dir string, photos int, seconds float64) (*scene.Scene, func() *media.Assets, error) {
	t, err := themes.Get("tideline")
	if err != nil {
		return nil, nil, err
	}
	lib, files := doc.Library{}, media.FilesIn{}
	var ids []doc.MediaID
	kinds := []paint.Scene{paint.Race, paint.Quay, paint.Portrait, paint.Headland, paint.Lanterns, paint.Start}
	for i := range photos {
		s := paint.Spec{Scene: kinds[i%len(kinds)], W: 1920, H: 1280, Seed: uint64(i), Club: [2]uint32{0x1f6f78, 0xf2c14e}}
		if s.Scene == paint.Portrait {
			s.W, s.H = 1200, 1600
		}
		px, err := paint.Paint(s)
		if err != nil {
			return nil, nil, err
		}
		jpg, err := vips.JPEG(px, 90)
		if err != nil {
			return nil, nil, err
		}
		name := fmt.Sprintf("%02d.jpg", i)
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, jpg, 0o644); err != nil {
			return nil, nil, err
		}
		m, _, err := media.Probe(ctx, path, name)
		if err != nil {
			return nil, nil, err
		}
		m.ID = doc.MediaID(name)
		lib[m.ID], files[m.ID] = m, path
		ids = append(ids, m.ID)
	}
	lib["song"] = doc.Media{ID: "song", Kind: doc.SongMedia, Length: timecode.Samples(math.Round(seconds * timecode.SampleRate))}
	d := doc.New(t.ID, 1)
	for _, op := range []edit.Op{
		edit.Details{Values: map[string]string{"names": "The Gannets", "date": "12 September 2026"}},
		edit.Pour{Media: append(ids, "song")}, edit.Fit{Mode: doc.ToMusic},
	} {
		if d, err = edit.Do(d, op, edit.Context{Theme: t, Library: lib}); err != nil {
			return nil, nil, err
		}
	}
	p := plan.Build(d, t, lib)
	if p.FitError != nil {
		return nil, nil, p.FitError
	}
	return scene.Build(d, t, p, lib, pango.Words, scene.Options{}), func() *media.Assets { return media.NewAssets(ctx, files, lib, media.DefaultBudget) }, nil
}

// compose2file writes all frames raw.
func compose2file(sc *scene.Scene, a *media.Assets, path string) error {
	lane := a.Lane()
	defer lane.Close()
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	c, fr := compose.New(sc, lane), raster.NewFrame(sc.W, sc.H)
	for n := range sc.Frames {
		if err := c.Frame(fr, n); err != nil {
			return err
		}
		for _, plane := range [][]byte{fr.Y, fr.U, fr.V} {
			if err := binary.Write(w, binary.LittleEndian, plane); err != nil {
				return err
			}
		}
	}
	return w.Flush()
}

func encodeFile(ctx context.Context, sc *scene.Scene, frames, out string) error {
	f, err := os.Open(frames)
	if err != nil {
		return err
	}
	defer f.Close()
	cmd := exec.CommandContext(ctx, "ffmpeg", append(render.PictureArgs(sc, render.MP4, 0), "-f", "mp4", out)...)
	// A pipe, as in a render; the kernel copies the file into it.
	in, err := cmd.StdinPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	_, err = io.CopyBuffer(in, struct{ io.Reader }{f}, make([]byte, sc.W*sc.H*3/2))
	in.Close()
	if e := cmd.Wait(); err == nil {
		err = e
	}
	return err
}
