package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/term"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/profile"
	"nelko/internal/disc"
	"nelko/internal/makefilm"
	"nelko/internal/render"
	"nelko/themes"
)

type deliverCmd struct {
	DVD  dvdCmd  `cmd:"" help:"Make a DVD-Video, as an image."`
	HD   hdCmd   `cmd:"" name:"hd" help:"Make a high-definition disc, as an image."`
	Data dataCmd `cmd:"" help:"Make a data disc with a page that plays its films, as an image."`
	Zip  zipCmd  `cmd:"" help:"Make a zip of films with a page that plays them."`
}

// films is what all kinds of delivery are made of.
type films struct {
	Theme    string            `required:"" help:"Theme identifier; see nelko themes."`
	Film     []string          `required:"" type:"existingdir" sep:"none" help:"Folder of one film's photos, clips and songs, named like the film; give several times for several films."`
	Name     string            `help:"What the disc is called; the first film's name without it."`
	Detail   map[string]string `mapsep:"none" help:"Detail the theme asks for, as key=value; give several times. The first one is the film's name without it."`
	Out      string            `required:"" type:"path" help:"File to write."`
	Size     string            `default:"1920x1080" help:"Frame size the films are laid out for."`
	Seed     uint64            `default:"1" help:"Another seed gives another arrangement."`
	Language string            `default:"eng" help:"Language of words and sound, as three letters of ISO 639-2."`
	Captions bool              `help:"Caption each picture with the name of its file."`
	JSON     bool              `name:"json" help:"Print a summary as JSON."`
}

func (c films) request() (r makefilm.DiscRequest, err error) {
	r = makefilm.DiscRequest{Films: c.Film, Name: c.Name, Out: c.Out, Named: c.Captions}
	if r.Shelf, err = themes.Shipped(); err != nil {
		return r, err
	}
	if r.Name == "" {
		r.Name = filepath.Base(c.Film[0])
	}
	r.Theme, r.Details, r.Seed, r.Told = c.Theme, c.Detail, c.Seed, render.Told{Language: c.Language}
	if term.IsTerminal(int(os.Stderr.Fd())) {
		r.Progress = progressLine()
	}
	r.Say = func(format string, a ...any) { fmt.Fprintf(os.Stderr, "\r\033[K"+format+"\n", a...) }
	r.Frame, err = parseSize(c.Size)
	return r, err
}

func (c films) told(m makefilm.Made, err error) error {
	if err != nil {
		return err
	}
	if c.JSON {
		enc := json.NewEncoder(os.Stdout)
		enc.SetIndent("", "  ")
		return enc.Encode(m)
	}
	fmt.Printf("%s: %d films, %.1f MB of %.1f MB\n", m.Out, len(m.Titles), float64(m.Bytes)/1e6,
		float64(m.Capacity)/1e6)
	return nil
}

// playing is what discs that play in players are told beside.
type playing struct {
	films
	Folder    string `type:"path" help:"Folder to put the disc's files into too; it must not be there yet."`
	PlayFirst bool   `help:"The first film plays when the disc is put in, not the menu."`
	Loop      bool   `help:"Films go round for ever."`
	Subtitles string `enum:"none,off,on" default:"none" help:"Captions as subtitles, off or on when the disc starts; in the picture without."`
	Colour    string `default:"#ffffff" help:"Colour of subtitles."`
	Chapters  int    `help:"A chapter every so many pictures; where the film has them without."`
}

func (c playing) request() (makefilm.DiscRequest, error) {
	r, err := c.films.request()
	if err != nil {
		return r, err
	}
	r.Folder, r.PlayFirst, r.Loop, r.Every = c.Folder, c.PlayFirst, c.Loop, c.Chapters
	if c.Subtitles != "none" {
		r.Subtitles = &disc.Subtitles{On: c.Subtitles == "on"}
		if n, _ := fmt.Sscanf(strings.TrimPrefix(c.Colour, "#"), "%02x%02x%02x", &r.Subtitles.Colour.R,
			&r.Subtitles.Colour.G, &r.Subtitles.Colour.B); n != 3 {
			return r, fmt.Errorf("colour %q is not of the form #ffcc00", c.Colour)
		}
	}
	return r, nil
}

type dvdCmd struct {
	playing
	Standard string `enum:"pal,ntsc" default:"pal" help:"Television standard: pal or ntsc."`
	Aspect   string `enum:"16:9,4:3" default:"16:9" help:"Shape of the frame: 16:9 or 4:3."`
	Blank    string `enum:"4.7,8.5" default:"4.7" help:"Size of the disc in GB: 4.7 or 8.5."`
	NoMenu   bool   `help:"No menu: films play one after another."`
	Still    bool   `help:"The menu's backdrop keeps still."`
	Music    string `type:"existingfile" help:"Song under the menu."`
}

// Run implements the subcommand.
func (c *dvdCmd) Run(ctx context.Context) error {
	r, err := c.request()
	if err != nil {
		return err
	}
	r.Blank = map[string]discs.Blank{"4.7": discs.DVD5, "8.5": discs.DVD9}[c.Blank]
	if !c.NoMenu {
		r.Menu = &disc.Menu{Moves: !c.Still, Music: c.Music}
	}
	p := map[string]profile.Profile{
		"pal16:9":  profile.DVDPALWide,
		"pal4:3":   profile.DVDPALNarrow,
		"ntsc16:9": profile.DVDNTSCWide,
		"ntsc4:3":  profile.DVDNTSCNarrow,
	}[c.Standard+c.Aspect]
	return c.told(makefilm.Video(ctx, r, p))
}

type hdCmd struct{ playing }

// Run implements the subcommand.
func (c *hdCmd) Run(ctx context.Context) error {
	r, err := c.request()
	if err != nil {
		return err
	}
	r.Blank = discs.BD25
	return c.told(makefilm.Video(ctx, r, profile.HDDisc))
}

type filesOf struct {
	films
	Profile []string `sep:"none" help:"Way of encoding; give several times. See nelko profiles."`
}

func (c filesOf) request() (makefilm.DiscRequest, error) {
	r, err := c.films.request()
	if err == nil {
		r.Profiles, err = profiles(c.Profile)
	}
	if len(c.Profile) == 0 {
		r.Profiles = []profile.Profile{profile.Film}
	}
	return r, err
}

type dataCmd struct {
	filesOf
	Blank string `enum:"4.7,8.5,25" default:"4.7" help:"Size of the disc in GB: 4.7, 8.5 or 25."`
}

// Run implements the subcommand.
func (c *dataCmd) Run(ctx context.Context) error {
	r, err := c.request()
	if err != nil {
		return err
	}
	r.Blank = map[string]discs.Blank{"4.7": discs.DVD5, "8.5": discs.DVD9, "25": discs.BD25}[c.Blank]
	return c.told(makefilm.Data(ctx, r, false))
}

type zipCmd struct{ filesOf }

// Run implements the subcommand.
func (c *zipCmd) Run(ctx context.Context) error {
	r, err := c.request()
	if err != nil {
		return err
	}
	return c.told(makefilm.Data(ctx, r, true))
}
