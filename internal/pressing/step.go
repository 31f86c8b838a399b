package pressing

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"nelko/internal/disc"
	"nelko/internal/disc/player"
	"nelko/internal/invalid"
	"nelko/internal/render"
	"nelko/internal/store"
)

// Stepped is what a disc shows when it is stepped through.
type Stepped struct {
	Disc     store.Disc
	Delivery store.Delivery
	Guide    player.Guide // of a video
	W, H     int          // of the stored frame, in which buttons are
	Files    []disc.Entry // of a data disc
}

// Step opens a disc's image to be stepped through, from the very files on it.
func (h *Stepper) Step(ctx context.Context, id int64) (s Stepped, err error) {
	if s.Disc, s.Delivery, err = h.Find(ctx, id); err != nil {
		return s, err
	}
	if s.Disc.Image == nil {
		return s, invalid.Field("disc", "The disc is not made yet.")
	}
	switch s.Disc.Setting.Kind {
	case store.DVDVideo:
		err = json.Unmarshal(s.Disc.Guide, &s.Guide)
		if x, e := h.Shelf.Profiles.Profile(ctx, s.Disc.Setting.Profiles[0]); e == nil && x.Stored != nil {
			s.W, s.H = x.Stored.W, x.Stored.H
		}
	case store.HDVideo:
		s.Guide, err = h.hdGuide(ctx, s.Disc)
	case store.DataDisc:
		var path string
		if path, err = h.image(ctx, s.Disc); err == nil {
			s.Files, err = disc.Read(path)
		}
	}
	return s, err
}

// hdGuide is where an HD disc without a menu leads: through its films.
func (h *Stepper) hdGuide(ctx context.Context, x store.Disc) (g player.Guide, err error) {
	films, err := h.films(ctx, x)
	if err != nil {
		return g, err
	}
	g.First = player.Place{Title: 1}
	for _, r := range films {
		f, err := h.Orders.FilmOf(ctx, r)
		if err != nil {
			return g, err
		}
		chapters := f.Chapters()
		if n := x.Setting.Every; n > 0 {
			chapters = f.Plan.Every(n)
		}
		t := player.Title{
			Seconds: r.Seconds,
			Words:   x.Setting.Subtitles != "" && len(f.Captions()) > 0,
			Shown:   x.Setting.Subtitles == "on",
		}
		for _, c := range chapters {
			t.Chapters = append(t.Chapters, f.Doc.Rate.Seconds(c.At))
		}
		g.Titles = append(g.Titles, t)
	}
	return g, nil
}

// ShowPage writes a page of a disc's menu as it plays, for browsers.
func (h *Stepper) ShowPage(ctx context.Context, s Stepped, page int, w io.Writer) error {
	path, err := h.image(ctx, s.Disc)
	if err != nil {
		return err
	}
	d, err := s.Guide.Page(path, page)
	if err != nil {
		return fmt.Errorf("%w: %w", store.ErrNotFound, err)
	}
	defer d.Close()
	return shown(ctx, d.Copy, nil, "mpeg", false, w)
}

// ShowTitle writes a film of a disc from a chapter on, with its subtitles or
// without, for browsers.
func (h *Stepper) ShowTitle(ctx context.Context, s Stepped, title, chapter int, words bool,
	w io.Writer) error {
	if title < 1 || title > len(s.Guide.Titles) {
		return store.ErrNotFound
	}
	t := s.Guide.Titles[title-1]
	if chapter < 1 || chapter > len(t.Chapters) {
		return store.ErrNotFound
	}
	path, err := h.image(ctx, s.Disc)
	if err != nil {
		return err
	}
	words = words && t.Words
	if s.Disc.Setting.Kind == store.HDVideo {
		return shown(ctx, func(to io.Writer) error {
			return disc.Splice(ctx, path, title, chapter, to)
		}, looked, "mpegts", words, w)
	}
	d, err := player.Open(path)
	if err != nil {
		return err
	}
	defer d.Close()
	if _, err = d.Settle(); err == nil {
		if err = d.Play(title, chapter); err == nil {
			_, err = d.Settle()
		}
	}
	if err != nil {
		return err
	}
	var colours []string
	for _, c := range d.Palette() {
		colours = append(colours, fmt.Sprintf("%06x", c))
	}
	return shown(ctx, d.Copy, append([]string{"-palette", strings.Join(colours, ",")}, looked...), "mpeg",
		words, w)
}

// looked are ffmpeg's arguments to find subtitles of which the first comes late:
// all before it is looked through.
var looked = []string{"-probesize", "500M", "-analyzeduration", "1G"}

// shown brings a stream to a browser: with args before it if subtitles are laid
// over it.
func shown(ctx context.Context, stream func(io.Writer) error, args []string, format string, words bool,
	w io.Writer) error {
	r, to := io.Pipe()
	done := make(chan struct{})
	go func() {
		defer close(done)
		to.CloseWithError(stream(to))
	}()
	if !words {
		args = nil
	}
	err := render.Show(ctx, r, append(slices.Clone(args), "-f", format, "-i", "pipe:0"), words, w)
	r.Close() // whoever still writes ends
	<-done    // before the disc is taken out
	return err
}

// Serve reads a file of a data disc from its image.
func (h *Stepper) Serve(ctx context.Context, id int64, name string,
	serve func(name string, in io.ReadSeeker)) error {
	x, _, err := h.Find(ctx, id)
	if err != nil {
		return err
	}
	if x.Setting.Kind != store.DataDisc {
		return store.ErrNotFound
	}
	path, err := h.image(ctx, x)
	if err != nil {
		return err
	}
	return disc.Serve(path, name, func(e disc.Entry, in io.ReadSeeker) { serve(e.Name, in) })
}
