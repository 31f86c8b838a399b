package bench

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/demo/paint"
	"nelko/internal/film"
	"nelko/internal/media"
	"nelko/internal/media/vips"
	"nelko/themes"
)

func begin(ctx context.Context, o Options) (string, *show, error) {
	if err := media.Startup(); err != nil {
		return "", nil, err
	}
	dir, err := os.MkdirTemp("", "nelko-bench-*")
	if err != nil {
		return "", nil, err
	}
	s, err := newShow(ctx, dir, o)
	if err != nil {
		return "", nil, fmt.Errorf("%w: %w", err, os.RemoveAll(dir))
	}
	return dir, s, nil
}

// paintings is how many different pictures are painted; the photos are large
// cuts of them with grain of their own.
const paintings = 12

func newShow(ctx context.Context, dir string, o Options) (*show, error) {
	if err := paintBases(dir, min(paintings, o.Photos)); err != nil {
		return nil, err
	}
	s := &show{lib: doc.Library{}, files: media.FilesIn{}}
	tools, err := film.ToolsHere(ctx)
	if err == nil {
		s.shelf, err = themes.Shipped()
	}
	if err != nil {
		return nil, err
	}
	s.house = film.House{Tools: tools, Shelf: s.shelf}
	for i := range o.Photos {
		m, path, err := enlarge(ctx, dir, i)
		if err != nil {
			return nil, err
		}
		s.lib[m.ID], s.files[m.ID] = m, path
		s.order = append(s.order, m.ID)
	}
	for i := range o.Clips {
		m, path, err := paintClip(ctx, dir, i)
		if err != nil {
			return nil, err
		}
		s.lib[m.ID], s.files[m.ID] = m, path
		s.order = slices.Insert(s.order, (i+1)*o.Photos/(o.Clips+1)+i, m.ID)
	}
	s.lib["song"] = doc.Media{
		ID:     "song",
		Kind:   doc.SongMedia,
		Length: timecode.Samples(math.Round(o.Seconds * timecode.SampleRate)),
	}
	s.files["song"] = filepath.Join(dir, "song.flac")
	if msg, err := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		fmt.Sprintf("sine=330:d=%g:r=48000", o.Seconds), s.files["song"]).CombinedOutput(); err != nil {
		return nil, fmt.Errorf("making a song: %s: %w", msg, err)
	}
	return s, s.in(cmp.Or(o.Theme, "tideline"))
}

// in casts the material into a theme, fitted to the song.
func (s *show) in(themeID string) (err error) {
	if s.theme, err = s.shelf.Get(themeID); err != nil {
		return err
	}
	s.doc = doc.New(s.theme.ID, 1)
	for _, op := range []edit.Op{
		edit.Details{Values: map[string]string{"names": "The Gannets", "date": "12 September 2026"}},
		edit.Pour{Media: append(slices.Clone(s.order), "song")}, edit.AnyTime(), edit.Fit{Mode: doc.ToMusic},
	} {
		if s.doc, err = edit.Do(s.doc, op, s.with()); err != nil {
			return err
		}
	}
	return nil
}

// different is how many different files stand for the photos at most: reading
// one twice costs as much as reading two.
const different = 60

// paintBases paints the pictures that enlarge makes photos of, so many of them.
func paintBases(dir string, n int) error {
	kinds := []paint.Scene{paint.Race, paint.Quay, paint.Portrait, paint.Headland, paint.Lanterns,
		paint.Start}
	for i := range n {
		p := paint.Spec{
			Scene: kinds[i%len(kinds)],
			W:     900,
			H:     600,
			Seed:  uint64(i),
			Club:  [2]uint32{0x1f6f78, 0xf2c14e},
		}
		if p.Scene == paint.Portrait {
			p.W, p.H = 600, 900
		}
		px, err := paint.Paint(p)
		if err != nil {
			return err
		}
		jpg, err := vips.JPEG(px, 95)
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, fmt.Sprintf("base%d.jpg", i)), jpg, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// enlarge makes photo i: 24 megapixels, with grain.
func enlarge(ctx context.Context, dir string, i int) (doc.Media, string, error) {
	m := doc.Media{
		ID:   doc.MediaID(fmt.Sprintf("%03d.jpg", i)),
		Kind: doc.PhotoMedia,
		Name: fmt.Sprintf("%03d.jpg", i),
		W:    6000,
		H:    4000,
	}
	size := "6000:4000"
	if i%paintings%6 == 2 {
		m.W, m.H, size = 4000, 6000, "4000:6000"
	}
	path := filepath.Join(dir, fmt.Sprintf("%03d.jpg", i%different))
	if _, err := os.Stat(path); err == nil {
		return m, path, nil
	}
	off := float64(i/paintings) * 0.01
	msg, err := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-y", "-i",
		filepath.Join(dir, fmt.Sprintf("base%d.jpg", i%paintings)),
		"-vf", fmt.Sprintf("crop=iw*0.94:ih*0.94:iw*%g:ih*%g,scale=%s:flags=bicubic,noise=alls=3:all_seed=%d",
			off, off, size, i), "-q:v", "5", path).CombinedOutput()
	if err != nil {
		return m, "", fmt.Errorf("making a photo: %s: %w", msg, err)
	}
	return m, path, nil
}

// clipFrames is the length of the bench's clips, at 25 frames a second.
const clipFrames = 75

// paintClip paints clip i in motion, with the grain of a small sensor.
func paintClip(ctx context.Context, dir string, i int) (doc.Media, string, error) {
	path := filepath.Join(dir, fmt.Sprintf("clip%d.mp4", i))
	kinds := []paint.Scene{paint.Race, paint.Headland, paint.Lanterns}
	cmd := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb24",
		"-s", "960x540", "-r", "25", "-i", "pipe:0",
		"-vf", "scale=1920:1080,noise=alls=6:allf=t:all_seed=1", "-pix_fmt", "yuv420p", "-c:v", "libx264",
		"-preset", "veryfast", "-crf", "18", path)
	in, err := cmd.StdinPipe()
	if err == nil {
		err = cmd.Start()
	}
	if err != nil {
		return doc.Media{}, "", err
	}
	for n := range clipFrames {
		px, err := paint.Paint(paint.Spec{
			Scene: kinds[i%len(kinds)],
			W:     960,
			H:     540,
			Seed:  uint64(100 + i),
			Club:  [2]uint32{0x1f6f78, 0xf2c14e},
			Time:  float64(n) / 25,
		})
		if err == nil {
			_, err = in.Write(px.Pix)
		}
		if err != nil {
			return doc.Media{}, "", errors.Join(err, in.Close(), cmd.Wait())
		}
	}
	if err := errors.Join(in.Close(), cmd.Wait()); err != nil {
		return doc.Media{}, "", fmt.Errorf("making a clip: %w", err)
	}
	m, _, err := media.Probe(ctx, path, filepath.Base(path))
	m.ID = doc.MediaID(m.Name)
	return m, path, err
}

func (s *show) with() edit.Context { return edit.Context{Theme: s.theme, Library: s.lib} }

// lay lays the film out in a profile.
func (s *show) lay(p profile.Profile) (*film.Film, error) {
	f, err := s.house.Lay(film.Source{Doc: s.doc, Theme: s.theme, Library: s.lib, Profile: p})
	if err == nil {
		err = f.Plan.FitError
	}
	return f, err
}

func (s *show) sprites() *media.Sprites {
	return media.NewSprites(s.files, s.shelf, nil, media.DefaultBudget)
}
