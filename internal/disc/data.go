package disc

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"io"
	"os"
	"path/filepath"

	"nelko/internal/core/naming"
	"nelko/internal/core/timecode"
)

// File is a film on a data disc.
type File struct {
	Path    string
	Title   string
	Profile string
	Plays   bool // browsers play it
	Seconds float64
	Bytes   int64
	Poster  string // JPEG; empty: none
}

// listed is a file as the page of a data disc lists it.
type listed struct {
	File
	Name, Picture, Length string
}

// The page is a single file without anything from outside, so that it works
// from any disc or stick.
var dataPage = template.Must(template.New("page").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>{{.Title}}</title>
<style>body{font:16px/1.45 system-ui,sans-serif;margin:2rem auto;max-width:60rem;padding:0 1rem;background:#f4f4f4;color:#1c1c1c}video{width:100%;background:#000}h2{margin:1.5rem 0 .4rem;font-size:1.1rem}p{margin:.3rem 0}small{color:#555}</style></head>
<body><h1>{{.Title}}</h1>
{{range .Files}}<section><h2>{{.Title}}</h2>
{{if .Plays}}<video controls preload="metadata" src="{{.Name}}"{{if .Picture}} poster="{{.Picture}}"{{end}}></video>
{{end}}<p><a href="{{.Name}}">{{.Name}}</a> <small>{{.Profile}}, {{.Length}}</small></p></section>
{{end}}</body></html>
`))

// Folder writes films and a page that plays them into a folder, whose names no
// file system refuses.
func Folder(title string, files []File, dir string) error {
	if len(files) == 0 {
		return errors.New("there is no film for the disc")
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	var page []listed
	byName := map[string]int{}
	for _, f := range files {
		stem := f.Title
		byName[stem+filepath.Ext(f.Path)]++
		if n := byName[stem+filepath.Ext(f.Path)]; n > 1 {
			stem = fmt.Sprintf("%s (%s)", stem, f.Profile)
		}
		l := listed{
			File:   f,
			Name:   naming.Safe(stem) + filepath.Ext(f.Path),
			Length: timecode.Clock(f.Seconds),
		}
		if err := Link(f.Path, filepath.Join(dir, l.Name)); err != nil {
			return err
		}
		if f.Poster != "" {
			l.Picture = naming.Safe(stem) + ".jpg"
			if err := Link(f.Poster, filepath.Join(dir, l.Picture)); err != nil {
				return err
			}
		}
		page = append(page, l)
	}
	w, err := os.Create(filepath.Join(dir, "index.html"))
	if err != nil {
		return err
	}
	err = dataPage.Execute(w, map[string]any{"Title": title, "Files": page})
	return errors.Join(err, w.Close())
}

// Data makes an image of a data disc: ISO 9660 with Joliet and Rock Ridge
// names, and UDF.
func Data(ctx context.Context, title string, files []File, capacity int64, out string) error {
	dir, err := temp(out)
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	tree := filepath.Join(dir, "disc")
	if err := Folder(title, files, tree); err != nil {
		return err
	}
	part := filepath.Join(dir, "disc.iso")
	if err := isoImage(ctx, title, tree, part, "-J", "-joliet-long", "-R", "-udf",
		"-allow-limited-size"); err != nil {
		return err
	}
	st, err := os.Stat(part)
	if err != nil {
		return err
	}
	if st.Size() > capacity {
		return fmt.Errorf("the films take %.1f MB, the disc holds %.1f MB", float64(st.Size())/1e6,
			float64(capacity)/1e6)
	}
	return os.Rename(part, out)
}

// Link hands a file over: by a link where that can be, else by copying.
func Link(from, to string) error {
	if os.Link(from, to) == nil {
		return nil
	}
	r, err := os.Open(from)
	if err != nil {
		return err
	}
	defer r.Close()
	w, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	_, err = io.Copy(w, r)
	return errors.Join(err, w.Close())
}
