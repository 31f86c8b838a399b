package disc

import (
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"nelko/internal/core/plan"
)

// The dvdauthor script, as far as it is used here.
type dvdauthor struct {
	XMLName xml.Name `xml:"dvdauthor"`
	Dest    string   `xml:"dest,attr"`
	VMGM    vmgm     `xml:"vmgm"`
	Set     titleset `xml:"titleset"`
}

type vmgm struct {
	FPC   string `xml:"fpc"`
	Menus menus  `xml:"menus"`
}

type menus struct {
	Video videoTag `xml:"video"`
	Audio audioTag `xml:"audio"`
	PGC   []pgc    `xml:"pgc"`
}

type titleset struct {
	Titles titles `xml:"titles"`
}

type titles struct {
	Video videoTag   `xml:"video"`
	Audio audioTag   `xml:"audio"`
	Words *subtitles `xml:"subpicture"`
	PGC   []pgc      `xml:"pgc"`
}

type videoTag struct {
	Format string `xml:"format,attr"`
	Aspect string `xml:"aspect,attr"`
	Wide   string `xml:"widescreen,attr,omitempty"`
}

type audioTag struct {
	Format   string `xml:"format,attr"`
	Channels int    `xml:"channels,attr"`
	Language string `xml:"lang,attr,omitempty"`
}

type subtitles struct {
	Language string `xml:"lang,attr"`
}

type pgc struct {
	Entry   string      `xml:"entry,attr,omitempty"`
	Pre     string      `xml:"pre,omitempty"`
	VOB     vobTag      `xml:"vob"`
	Buttons []buttonTag `xml:"button"`
	Post    string      `xml:"post,omitempty"`
}

type vobTag struct {
	File     string `xml:"file,attr"`
	Chapters string `xml:"chapters,attr,omitempty"`
	Pause    string `xml:"pause,attr,omitempty"`
}

type buttonTag struct {
	Name string `xml:"name,attr"`
	Does string `xml:",chardata"`
}

// mostTitles is how many films DVD-Video has room for, mostChapters how many
// chapters each (from memory).
const (
	mostTitles   = 99
	mostChapters = 99
)

// DVD makes a DVD-Video, as an ISO image at out and, if folder is not empty, as
// the folder VIDEO_TS in it. Nothing is left under either name on an error.
func DVD(ctx context.Context, s Spec, out, folder string) (err error) {
	switch {
	case len(s.Titles) == 0:
		return errors.New("there is no film for the disc")
	case len(s.Titles) > mostTitles:
		return fmt.Errorf("a DVD has room for %d films, not %d", mostTitles, len(s.Titles))
	case s.Profile.Stored == nil:
		return fmt.Errorf("%s is no profile for DVD", s.Profile.Name)
	}
	dir, err := temp(out)
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	tree := filepath.Join(dir, "disc")
	script, err := s.script(ctx, dir)
	if err != nil {
		return err
	}
	script.Dest = tree
	b, err := xml.MarshalIndent(script, "", " ")
	if err != nil {
		return err
	}
	path := filepath.Join(dir, "dvd.xml")
	if err := os.WriteFile(path, b, 0o600); err != nil {
		return err
	}
	if err := run(ctx, dir, nil, nil, "dvdauthor", "-x", path); err != nil {
		return err
	}
	return s.finish(ctx, tree, out, folder, "-dvd-video", "-udf")
}

// script writes what dvdauthor is to do, with menus and subtitled films made.
func (s *Spec) script(ctx context.Context, dir string) (*dvdauthor, error) {
	video := videoTag{
		Format: strings.ToLower(s.standard()),
		Aspect: fmt.Sprintf("%d:%d", s.Profile.Stored.Shown.W, s.Profile.Stored.Shown.H),
	}
	if video.Aspect == "16:9" {
		video.Wide = "nopanscan"
	}
	audio := audioTag{Format: "ac3", Channels: 2, Language: s.Language}
	d := &dvdauthor{}
	d.Set.Titles.Video, d.Set.Titles.Audio = video, audio
	d.VMGM.Menus.Video, d.VMGM.Menus.Audio = video, audioTag{Format: "ac3", Channels: 2}
	if s.Menu != nil {
		pages, err := s.menus(ctx, dir)
		if err != nil {
			return nil, err
		}
		for i, p := range pages {
			m := pgc{VOB: vobTag{File: p.file}, Post: "jump cell 1;"}
			if i == 0 {
				m.Entry = "title"
			}
			if p.seconds < 2 {
				m.VOB.Pause, m.Post = "inf", ""
			}
			for k, b := range p.buttons {
				m.Buttons = append(m.Buttons, buttonTag{name(k), b.does})
			}
			d.VMGM.Menus.PGC = append(d.VMGM.Menus.PGC, m)
		}
	}
	d.VMGM.FPC = "g0=1; jump title 1;"
	if s.Menu != nil && !s.PlayFirst {
		d.VMGM.FPC = "jump menu 1;"
	}
	for i, t := range s.Titles {
		file := t.File
		if s.Subtitles != nil {
			if d.Set.Titles.Words == nil {
				d.Set.Titles.Words = &subtitles{s.Language}
			}
			if len(t.Lines) > 0 {
				var err error
				if file, err = s.subtitled(ctx, t, dir, fmt.Sprintf("title%d", i+1)); err != nil {
					return nil, err
				}
			}
		}
		p := pgc{VOB: vobTag{File: file, Chapters: chapters(t)}, Post: s.after(i)}
		if s.Subtitles != nil {
			p.Pre = map[bool]string{true: "subtitle=64;", false: "subtitle=0;"}[s.Subtitles.On]
		}
		d.Set.Titles.PGC = append(d.Set.Titles.PGC, p)
	}
	return d, nil
}

// after is what happens when film i is over: the next one if all are played,
// the first again on a disc that goes round, else the menu's page, or nothing.
func (s *Spec) after(i int) string {
	last := i == len(s.Titles)-1
	var b strings.Builder
	switch {
	case !last:
		fmt.Fprintf(&b, "if (g0 eq 1) jump title %d; ", i+2)
	case s.Loop:
		b.WriteString("if (g0 eq 1) jump title 1; ")
	}
	switch {
	case s.Menu == nil && s.Loop:
		b.WriteString("jump title 1;")
	case s.Menu == nil:
		b.WriteString("exit;")
	default:
		fmt.Fprintf(&b, "call vmgm menu %d;", i/perPage+1)
	}
	return b.String()
}

// chapters are a film's chapters as dvdauthor reads them.
func chapters(t Title) string {
	list := t.Chapters
	if len(list) == 0 {
		list = []plan.Chapter{{}}
	}
	var out []string
	for _, c := range list[:min(len(list), mostChapters)] {
		out = append(out, clock(t.Rate, c.At))
	}
	return strings.Join(out, ",")
}
