package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"time"

	"golang.org/x/term"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/makefilm"
	"nelko/internal/render"
	"nelko/internal/schema"
	"nelko/themes"
)

type makeCmd struct {
	Theme  string            `required:"" help:"Theme identifier; see nelko themes."`
	Media  string            `required:"" type:"existingdir" help:"Folder of photos and clips."`
	Music  []string          `required:"" type:"existingfile" sep:"none" help:"Song; give several times for several songs."`
	Detail map[string]string `mapsep:"none" help:"Detail the theme asks for, as key=value; give several times."`
	Out    string            `required:"" type:"path" help:"File to write; a folder if several profiles are given."`
	Size   string            `default:"1920x1080" help:"Frame size in pixels."`
	FPS    string            `name:"fps" help:"Frame rate: 24, 25, 29.97, 30, 50, 59.94 or 60; the profile's without it."`

	Profile  []string `sep:"none" help:"Way of encoding; give several times for several files at once. See nelko profiles."`
	Fit      string   `enum:"music,beats,pace" default:"music" help:"What sets the lengths: music, to end with it to the frame; beats, the same with cuts on its beats; or pace, the theme's seconds a picture."`
	Strict   float64  `default:"0.8" help:"How strictly cuts keep to the beat, from 0 to 1."`
	Shortest float64  `default:"1.5" help:"Seconds a picture is wholly seen at least, between its joins; 0 for a frame."`
	Longest  float64  `default:"10" help:"Seconds a picture is wholly seen at most; 0 for any time."`
	Language string   `help:"Language of words and sound, as three letters of ISO 639-2."`
	Seed     uint64   `default:"1" help:"Another seed gives another arrangement."`
	JSON     bool     `name:"json" help:"Print a summary as JSON."`
}

// Run implements the subcommand.
func (c *makeCmd) Run(ctx context.Context) error {
	shelf, err := themes.Shipped()
	if err != nil {
		return err
	}
	r := makefilm.Request{
		Shelf:   shelf,
		Theme:   c.Theme,
		Media:   c.Media,
		Music:   c.Music,
		Details: c.Detail,
		Out:     c.Out,
		Seed:    c.Seed,
	}
	r.Fit = doc.Fit{Mode: doc.FitMode(c.Fit), Shortest: c.Shortest, Longest: c.Longest}
	if c.Fit == "beats" {
		r.Fit.Mode, r.Fit.Beat, r.Fit.Strict = doc.ToMusic, doc.AnyBeat, c.Strict
	}
	r.Told = render.Told{Language: c.Language}
	if c.FPS != "" {
		if r.Rate, err = timecode.ParseRate(c.FPS); err != nil {
			return err
		}
	}
	if r.Profiles, err = profiles(c.Profile); err != nil {
		return err
	}
	if r.Frame, err = parseSize(c.Size); err != nil {
		return err
	}
	if term.IsTerminal(int(os.Stderr.Fd())) {
		r.Progress = progressLine()
	}
	s, err := makefilm.Film(ctx, r)
	if r.Progress != nil {
		fmt.Fprint(os.Stderr, "\r\033[K")
	}
	for _, f := range s.Refused {
		fmt.Fprintf(os.Stderr, "not used: %s: %s\n", f.File, f.Reason)
	}
	var cannot *makefilm.CannotFit
	if c.JSON && (err == nil || errors.As(err, &cannot)) {
		enc := json.NewEncoder(os.Stdout)
		enc.SetIndent("", "  ")
		if err := enc.Encode(s); err != nil {
			return err
		}
	}
	if err != nil || c.JSON {
		return err
	}
	for _, w := range s.Warnings {
		fmt.Fprintln(os.Stderr, "check:", w)
	}
	fmt.Println(s.Arithmetic)
	for _, f := range s.Files {
		fmt.Printf("%s: %d frames at %s, %s, %d bytes\n", f.Path, f.Facts.Frames, f.Facts.Rate,
			timecode.Clock(f.Facts.SoundSec), f.Facts.Bytes)
	}
	return nil
}

// profiles finds shipped profiles by name.
func profiles(names []string) (out []profile.Profile, err error) {
	for _, n := range names {
		p, ok := profile.Named(n)
		if !ok {
			return nil, fmt.Errorf("there is no profile %q; nelko profiles lists them", n)
		}
		out = append(out, p)
	}
	return out, nil
}

type profilesCmd struct{}

// Run implements the subcommand.
func (profilesCmd) Run() error {
	for _, p := range profile.Shipped {
		fmt.Printf("%s\t%s\t%s\n", p.Name, p, p.About)
	}
	return nil
}

func parseSize(s string) (doc.Frame, error) {
	f, err := doc.ParseFrame(s)
	if err != nil {
		return f, fmt.Errorf("size %w", err)
	}
	return f, nil
}

// progressLine shows frames, share and the time left by the measured rate.
func progressLine() func(done, total timecode.Frames) {
	start, last := time.Now(), time.Time{}
	return func(done, total timecode.Frames) {
		if time.Since(last) < 200*time.Millisecond && done < total {
			return
		}
		last = time.Now()
		left := time.Duration(float64(time.Since(start)) / float64(done) * float64(total-done)).
			Round(time.Second)
		fmt.Fprintf(os.Stderr, "\r\033[K%d of %d frames, %d %%, %s left", done, total, 100*done/total, left)
	}
}

type sheetCmd struct {
	Theme  string            `help:"Theme identifier; see nelko themes. Without it all themes are shown."`
	Media  string            `required:"" type:"existingdir" help:"Folder of photos and clips."`
	Detail map[string]string `mapsep:"none" help:"Detail the theme asks for, as key=value; give several times."`
	Out    string            `required:"" type:"path" help:"JPEG to write."`
	Size   string            `default:"1920x1080" help:"Frame size in pixels; its shape is what matters."`
	Cells  int               `default:"16" help:"How many moments of one theme to show."`
	Seed   uint64            `default:"1" help:"Another seed gives another arrangement."`
}

// Run implements the subcommand.
func (c *sheetCmd) Run(ctx context.Context) error {
	f, err := parseSize(c.Size)
	if err != nil {
		return err
	}
	shelf, err := themes.Shipped()
	if err != nil {
		return err
	}
	r := makefilm.Request{
		Shelf:   shelf,
		Theme:   c.Theme,
		Media:   c.Media,
		Details: c.Detail,
		Out:     c.Out,
		Frame:   f,
		Rate:    timecode.R30,
		Seed:    c.Seed,
	}
	if c.Theme == "" {
		_, err = makefilm.Shelf(ctx, r)
	} else {
		_, err = makefilm.Sheet(ctx, r, c.Cells)
	}
	return err
}

type themesCmd struct {
	Schema bool   `help:"Print the JSON Schema of theme.json."`
	Check  string `type:"existingfile" help:"Check a theme's zip and say what is wrong with it."`
}

// Run implements the subcommand.
func (c themesCmd) Run() error {
	if c.Schema {
		b, err := schema.Theme()
		if err == nil {
			_, err = os.Stdout.Write(b)
		}
		return err
	}
	if c.Check != "" {
		t, err := themes.OpenZip(c.Check)
		if err == nil {
			fmt.Printf("%s\t%s\tcan be put on the shelf\n", t.ID, t.Theme)
		}
		return err
	}
	shelf, err := themes.Shipped()
	if err != nil {
		return err
	}
	for _, t := range shelf.All() {
		fmt.Printf("%s\t%s\t%s\n", t.ID, t.Name, t.About)
	}
	return nil
}
