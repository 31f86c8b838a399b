package makefilm

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/naming"
	"nelko/internal/core/profile"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/disc"
	"nelko/internal/media"
	"nelko/internal/render"
	"nelko/internal/zipentry"
)

// DiscRequest is a disc to be made of folders, each of them a film: its
// pictures, clips and songs.
type DiscRequest struct {
	Request            // of every film; Media, Music and Out are not used
	Films     []string // folders, named like the films
	Name      string   // of the disc
	Out       string   // image, or zip
	Folder    string   // where the disc's files are put too; empty: nowhere
	Blank     discs.Blank
	Menu      *disc.Menu
	PlayFirst bool
	Loop      bool
	Subtitles *disc.Subtitles
	Every     int  // a chapter every so many pictures; 0: where the film has them
	Named     bool // captions are the names of the pictures' files
	Say       func(format string, a ...any)
}

// sourceFilm is a film's folder, read and cast.
type sourceFilm struct {
	*made
	name string
}

// songs are the files of a folder that are songs, in the order of their names.
func songs(ctx context.Context, dir string) (out []string, err error) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		path := filepath.Join(dir, e.Name())
		m, _, err := media.Probe(ctx, path, e.Name())
		if err == nil && m.Kind == doc.SongMedia {
			out = append(out, path)
		}
	}
	return out, nil
}

func (r *DiscRequest) read(ctx context.Context) (out []sourceFilm, err error) {
	if len(r.Films) == 0 {
		return nil, errors.New("there is no film for the disc")
	}
	if err := media.Startup(); err != nil {
		return nil, err
	}
	for _, dir := range r.Films {
		one := r.Request
		one.Media = dir
		if one.Music, err = songs(ctx, dir); err != nil {
			return nil, err
		}
		if len(one.Music) == 0 {
			return nil, fmt.Errorf("%s: there is no song in it", dir)
		}
		name := filepath.Base(dir)
		t, err := r.Shelf.Get(r.Theme)
		if err != nil {
			return nil, err
		}
		one.Details = withName(r.Details, t, name)
		s := newSummary(one)
		m, err := layOut(ctx, one, &s)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", dir, err)
		}
		if r.Named {
			if err := m.captioned(); err != nil {
				return nil, fmt.Errorf("%s: %w", dir, err)
			}
		}
		out = append(out, sourceFilm{m, name})
	}
	return out, nil
}

// captioned captions every picture with the name of its file, those of one slide beside each
// other.
func (m *made) captioned() error {
	var slides []doc.SlideID
	for _, s := range m.source.Doc.Slides {
		if len(s.Media) > 0 {
			slides = append(slides, s.ID)
		}
	}
	n, err := edit.Do(m.source.Doc, edit.CaptionNames{Slides: slides}, edit.Context{
		Theme:   m.source.Theme,
		Library: m.source.Library,
	})
	if err == nil {
		n.Details, n.Rate = m.source.Doc.Details, m.source.Doc.Rate
		m.source.Doc = n
	}
	return err
}

// withName is details with the first the theme asks for, if it is not given.
func withName(details map[string]string, t *theme.Theme, name string) map[string]string {
	out := maps.Clone(details)
	if out == nil {
		out = map[string]string{}
	}
	if len(t.Details) > 0 && out[t.Details[0].Key] == "" {
		out[t.Details[0].Key] = name
	}
	return out
}

// film renders one film in a profile into dir.
func (r *DiscRequest) film(ctx context.Context, m sourceFilm, p profile.Profile, dir string, n int) (*made,
	string, error) {
	f, err := m.in(p)
	if err != nil {
		return nil, "", err
	}
	out := filepath.Join(dir, fmt.Sprintf("%02d-%s.%s", n, naming.Safe(p.Name), p.File.Extension))
	r.say("%s as %s", m.name, p.Name)
	_, err = render.Film(ctx, render.Job{
		Film:     f.Film,
		Lanes:    func(ctx context.Context) render.Lane { return f.lane(ctx) },
		Files:    f.files,
		Out:      out,
		Progress: r.Progress,
		Told:     r.Told,
	})
	return f, out, err
}

func (r *DiscRequest) say(format string, a ...any) {
	if r.Say != nil {
		r.Say(format, a...)
	}
}

// poster draws a film's poster frame into dir.
func poster(ctx context.Context, m *made, dir string, n int) (string, error) {
	p := profile.Look(960, m.Profile.Rate)
	f, err := m.in(p)
	if err != nil {
		return "", err
	}
	lane := f.lane(ctx)
	defer lane.Close()
	jpg, err := f.Still(lane, f.Poster(), 90)
	if err != nil {
		return "", err
	}
	path := filepath.Join(dir, fmt.Sprintf("%02d.jpg", n))
	return path, os.WriteFile(path, jpg, 0o644)
}

// workshop is a folder beside a file for what is made on the way to it.
func workshop(out string) (string, error) {
	if err := os.MkdirAll(filepath.Dir(out), 0o755); err != nil {
		return "", err
	}
	return os.MkdirTemp(filepath.Dir(out), ".deliver-*")
}

// Made tells of a disc that was made.
type Made struct {
	Out      string      `json:"out"`
	Bytes    int64       `json:"bytes"`
	Capacity int64       `json:"capacity"`
	Kbps     int         `json:"kbps,omitempty"` // of the picture
	Budget   string      `json:"budget,omitempty"`
	Titles   []DiscTitle `json:"titles"`
}

// DiscTitle is a film on a disc.
type DiscTitle struct {
	Name   string          `json:"name"`
	Frames timecode.Frames `json:"frames"`
	FPS    string          `json:"fps"`
}

// Video makes a DVD-Video or an HD disc, by its profile, at the highest bit
// rate that fits. What does not fit is a *disc.TooLong error.
func Video(ctx context.Context, r DiscRequest, p profile.Profile) (Made, error) {
	out := Made{Out: r.Out, Capacity: r.Blank.Bytes()}
	r.Profiles, r.Rate = []profile.Profile{p}, timecode.Rate{}
	films, err := r.read(ctx)
	if err != nil {
		return out, err
	}
	rates, hd := discs.DVD, p.Stored == nil
	if hd {
		rates = discs.HD
	}
	var lengths []float64
	for _, f := range films {
		lengths = append(lengths, f.Doc.Rate.Seconds(f.Frames()))
	}
	fits, err := discs.Budget(r.Blank, lengths, rates, disc.MenuBudget(len(films), r.Menu))
	if err != nil {
		return out, err
	}
	out.Kbps, out.Budget = fits.Kbps, fits.String()
	r.say("%s", fits)
	p.Video.Kbps = fits.Kbps
	if r.Subtitles == nil && p.Captions == profile.None {
		p.Captions = profile.Burnt
	}
	dir, err := workshop(r.Out)
	if err != nil {
		return out, err
	}
	defer os.RemoveAll(dir)
	spec := disc.Spec{
		Name:      r.Name,
		Profile:   p,
		Blank:     r.Blank,
		Theme:     films[0].Theme,
		Shelf:     r.Shelf,
		Language:  disc.Language(r.Told.Language),
		Menu:      r.Menu,
		PlayFirst: r.PlayFirst,
		Loop:      r.Loop,
		Subtitles: r.Subtitles,
	}
	for i, m := range films {
		f, file, err := r.film(ctx, m, p, dir, i+1)
		if err != nil {
			return out, err
		}
		t := disc.Title{
			File:     file,
			Name:     m.name,
			Frames:   f.Frames(),
			Rate:     f.Doc.Rate,
			Chapters: f.Chapters(),
			Lines:    f.Captions(),
		}
		if r.Every > 0 {
			t.Chapters = f.Plan.Every(r.Every)
		}
		if t.Poster, err = poster(ctx, f, dir, i+1); err != nil {
			return out, err
		}
		spec.Titles = append(spec.Titles, t)
		out.Titles = append(out.Titles, DiscTitle{m.name, t.Frames, t.Rate.Fraction()})
	}
	if hd {
		err = disc.BDMV(ctx, spec, r.Out, r.Folder)
	} else {
		err = disc.DVD(ctx, spec, r.Out, r.Folder)
	}
	if err != nil {
		return out, err
	}
	out.Bytes, err = disc.Size(r.Out, r.Blank)
	return out, err
}

// Data makes a data disc, or a zip, of films in several profiles, with a page
// that plays them.
func Data(ctx context.Context, r DiscRequest, zipped bool) (Made, error) {
	out := Made{Out: r.Out, Capacity: r.Blank.Bytes()}
	films, err := r.read(ctx)
	if err != nil {
		return out, err
	}
	dir, err := workshop(r.Out)
	if err != nil {
		return out, err
	}
	defer os.RemoveAll(dir)
	var files []disc.File
	for i, m := range films {
		pic, err := poster(ctx, m.made, dir, i+1)
		if err != nil {
			return out, err
		}
		for _, p := range r.Profiles {
			f, path, err := r.film(ctx, m, p, dir, i+1)
			if err != nil {
				return out, err
			}
			st, err := os.Stat(path)
			if err != nil {
				return out, err
			}
			files = append(files, disc.File{
				Path:    path,
				Title:   m.name,
				Profile: p.Name,
				Plays:   p.File.Plays(),
				Seconds: f.Doc.Rate.Seconds(f.Frames()),
				Bytes:   st.Size(),
				Poster:  pic,
			})
			pic = "" // once for each film
			out.Titles = append(out.Titles, DiscTitle{m.name, f.Frames(), f.Doc.Rate.Fraction()})
		}
	}
	if zipped {
		err = zipOf(r.Name, files, dir, r.Out)
	} else {
		err = disc.Data(ctx, r.Name, files, r.Blank.Bytes(), r.Out)
	}
	if err != nil {
		return out, err
	}
	st, err := os.Stat(r.Out)
	if err == nil {
		out.Bytes = st.Size()
	}
	return out, err
}

// zipOf packs films and their page, stored as they are: they are compressed
// already.
func zipOf(name string, files []disc.File, dir, out string) error {
	tree := filepath.Join(dir, "zip")
	if err := disc.Folder(name, files, tree); err != nil {
		return err
	}
	part := filepath.Join(dir, "out.zip")
	w, err := os.Create(part)
	if err != nil {
		return err
	}
	z := zip.NewWriter(w)
	err = filepath.WalkDir(tree, func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		in, err := os.Open(path)
		if err != nil {
			return err
		}
		defer in.Close()
		st, err := in.Stat()
		if err != nil {
			return err
		}
		to, err := z.CreateHeader(zipentry.New(e.Name(), zip.Store, st.ModTime()))
		if err == nil {
			_, err = io.Copy(to, in)
		}
		return err
	})
	if err := errors.Join(err, z.Close(), w.Close()); err != nil {
		return err
	}
	return os.Rename(part, out)
}
