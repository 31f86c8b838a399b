package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strings"
	"text/tabwriter"

	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/makefilm"
	"nelko/themes"
)

type runCmd struct {
	Pattern string            `type:"existingfile" help:"Pattern of a Run, as its page gives it as a zip."`
	Theme   string            `help:"Theme identifier, instead of a pattern; see nelko themes."`
	List    string            `required:"" type:"existingfile" help:"The list: CSV, TSV, XLSX or ODS."`
	Column  map[string]string `mapsep:"none" help:"What a column of the list stands for, as detail=heading, such as date=Raced; give several times."`
	Folders string            `required:"" type:"existingdir" help:"Folder with a folder for each row; what lies beside these is common to all."`
	Music   []string          `type:"existingfile" sep:"none" help:"Song for all rows without one in their folder; give several times for several songs."`
	Detail  map[string]string `mapsep:"none" help:"Detail that all films have, as key=value; give several times."`
	Out     string            `required:"" type:"path" help:"Folder for the films."`
	Names   string            `help:"Pattern of the films' names, such as '{key} {names}'."`
	Profile []string          `help:"Profile to render in; give several times for several." default:"MP4"`
	Size    string            `default:"1920x1080" help:"Frame size in pixels, without a pattern."`
	Seed    uint64            `default:"1" help:"Another seed gives another arrangement, without a pattern."`
	Workers int               `default:"1" help:"Films made at the same time."`
	Likely  bool              `help:"Give folders to the rows they are likely to belong to; else only sure ones are."`
	JSON    bool              `name:"json" help:"Print a summary as JSON."`
}

// Run implements the subcommand.
func (c *runCmd) Run(ctx context.Context) error {
	if (c.Pattern == "") == (c.Theme == "") {
		return errors.New("give either --pattern or --theme")
	}
	shelf, err := themes.Shipped()
	if err != nil {
		return err
	}
	r := makefilm.RunRequest{
		Shelf:   shelf,
		Theme:   c.Theme,
		Pattern: c.Pattern,
		List:    c.List,
		Columns: c.Column,
		Folders: c.Folders,
		Music:   c.Music,
		Details: c.Detail,
		Out:     c.Out,
		Names:   c.Names,
		Seed:    c.Seed,
		Workers: c.Workers,
		Likely:  c.Likely,
	}
	if r.Frame, err = parseSize(c.Size); err != nil {
		return err
	}
	for _, name := range c.Profile {
		p, ok := shipped(name)
		if !ok {
			return fmt.Errorf("there is no profile %q", name)
		}
		r.Profiles = append(r.Profiles, p)
	}
	r.Report = func(row makefilm.RunRow) {
		fmt.Fprintf(os.Stderr, "%s %s: %s\n", row.Key, row.Name, said(row))
	}
	s, err := makefilm.Run(ctx, r)
	if c.JSON {
		enc := json.NewEncoder(os.Stdout)
		enc.SetIndent("", "  ")
		return errors.Join(err, enc.Encode(s))
	}
	for _, p := range s.Problems {
		fmt.Fprintf(os.Stderr, "list, row %d: %s %s\n", p.Line, p.Column, p.Text)
	}
	for _, f := range s.Refused {
		fmt.Fprintf(os.Stderr, "not used: %s: %s\n", f.File, f.Reason)
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 4, 2, ' ', 0)
	for _, row := range s.Rows {
		fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", row.Key, row.Name, timecode.Clock(row.Seconds), said(row))
	}
	for _, f := range s.Folders {
		why := f.Why
		if f.Likely != "" {
			why = "may be row " + f.Likely + "’s: " + why
		}
		fmt.Fprintf(w, "–\tfolder %s\t\tno row’s: %s\n", f.Folder, why)
	}
	if e := w.Flush(); e != nil {
		return e
	}
	fmt.Printf("%d made, %d were there already, %d not made; %d of %d frames encoded\n", s.Made, s.Kept,
		s.Not, s.Encoded, s.Frames)
	return err
}

func said(row makefilm.RunRow) string {
	if row.Why != "" {
		return row.State + ": " + row.Why
	}
	return row.State + " " + strings.Join(row.Files, ", ")
}

// shipped is a shipped profile by name.
func shipped(name string) (profile.Profile, bool) {
	for _, p := range append(profile.Shipped, profile.Draft) {
		if strings.EqualFold(p.Name, name) {
			return p, true
		}
	}
	return profile.Profile{}, false
}
