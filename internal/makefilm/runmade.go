package makefilm

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"golang.org/x/sync/errgroup"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/list"
	"nelko/internal/core/naming"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/film"
	"nelko/internal/render"
)

func (x *run) makeAll(ctx context.Context) error {
	fields := make([]map[string]string, len(x.rows))
	for i, r := range x.rows {
		fields[i] = map[string]string{"key": r.Key, "client": nameOf(r)}
		maps.Copy(fields[i], r.Cells)
		for k, v := range x.pattern.Details {
			fields[i][k] = v
		}
		for role, v := range r.Values {
			if k, ok := role.Detail(); ok {
				fields[i][k] = v
			}
		}
	}
	if x.Names == "" {
		x.Names = naming.Usual
	}
	if err := naming.Check(x.Names, slices.Sorted(maps.Keys(fields[0]))); err != nil {
		return fmt.Errorf("the names of files: %w", err)
	}
	x.names = naming.Names(x.Names, fields, "")
	x.sum.Rows = make([]RunRow, len(x.rows))
	var g errgroup.Group
	g.SetLimit(max(1, x.Workers))
	for i := range x.rows {
		g.Go(func() error {
			row, err := x.row(ctx, i)
			x.mu.Lock()
			defer x.mu.Unlock()
			if err != nil {
				row.State, row.Why = "failed", err.Error()
			}
			x.sum.Rows[i] = row
			switch row.State {
			case "made":
				x.sum.Made++
			case "kept":
				x.sum.Kept++
			default:
				x.sum.Not++
			}
			x.sum.Frames += row.Frames
			x.sum.Encoded += row.Encoded
			if x.Report != nil {
				x.Report(row)
			}
			// A full disk or a stop ends the Run; what is wrong with one row does not.
			if ctx.Err() != nil || errors.Is(err, render.ErrFull) {
				return errors.Join(ctx.Err(), err)
			}
			return nil
		})
		if ctx.Err() != nil {
			break
		}
	}
	return g.Wait()
}

// row makes a row's films.
func (x *run) row(ctx context.Context, i int) (RunRow, error) {
	r := x.rows[i]
	out := RunRow{Key: r.Key, Name: nameOf(r), Files: []string{}}
	paths, err := below(x.folders[r.Key])
	if err != nil {
		return out, err
	}
	ids := x.takeAll(ctx, paths)
	if err := ctx.Err(); err != nil {
		return out, err
	}
	d, lib, err := x.arrangeRow(r, ids)
	if err != nil {
		return out, err
	}
	for _, p := range x.Profiles {
		f, err := x.house.Lay(film.Source{Doc: d, Theme: x.theme, Library: lib, Profile: p})
		if err != nil {
			return out, err
		}
		for _, c := range append(plan.Checks(f.Doc, f.Plan, x.theme, lib), f.Findings()...) {
			if c.Weight == plan.Stops {
				out.State, out.Why = "left out", wording.Lower(c.Text)
				return out, nil
			}
			if len(x.Profiles) == 1 || p.Name == x.Profiles[0].Name {
				out.Warnings = append(out.Warnings, c.Text)
			}
		}
		if f.Plan.FitError != nil {
			return out, fmt.Errorf("the pictures cannot be fitted to the music: %w", f.Plan.FitError)
		}
		if len(x.folders[r.Key]) == 0 && len(x.folders) > 0 {
			out.State, out.Why = "left out", "no folder matches"
			return out, nil
		}
		if err := x.film(ctx, f, x.fileName(i, p), &out); err != nil {
			return out, err
		}
	}
	return out, nil
}

func (x *run) fileName(i int, p profile.Profile) string {
	name := x.names[i]
	if len(x.Profiles) > 1 {
		name += " " + naming.Safe(p.Name)
	}
	return name + "." + p.File.Extension
}

// arrangeRow is a row's film as the pattern has it, with the row's own.
func (x *run) arrangeRow(r list.Row, ids []doc.MediaID) (doc.Slideshow, doc.Library, error) {
	x.mu.Lock()
	lib := doc.Library{}
	for id, m := range x.library {
		if x.shared[id] || slices.Contains(ids, id) {
			lib[id] = m
		}
	}
	x.mu.Unlock()
	values := map[string]string{}
	for role, v := range r.Values {
		if k, ok := role.Detail(); ok {
			values[k] = v
		}
	}
	d := doc.New(x.theme.ID, x.pattern.Seed)
	d.Follows = &doc.Follows{}
	own := slices.DeleteFunc(slices.Clone(ids), func(id doc.MediaID) bool { return x.shared[id] })
	ops := []edit.Op{edit.Follow{Pattern: x.pattern}, edit.Details{Values: values}, edit.Pour{Media: own}}
	if v := r.Values[list.Pace]; v != "" {
		seconds, err := doc.ParsePace(v)
		if err != nil {
			return d, lib, err
		}
		ops = append(ops, edit.Fit{Mode: doc.AtPace, Pace: seconds})
	}
	var err error
	for _, op := range ops {
		if d, err = edit.Do(d, op, edit.Context{Theme: x.theme, Library: lib}); err != nil {
			return d, lib, err
		}
	}
	return d, lib, nil
}

// film makes a file unless it is there already.
func (x *run) film(ctx context.Context, f *film.Film, name string, out *RunRow) error {
	is, err := f.Name()
	if err != nil {
		return err
	}
	is += " " + f.Profile.Name
	path := filepath.Join(x.Out, name)
	out.Files = append(out.Files, path)
	out.Frames += f.Frames()
	out.Seconds = f.Plan.Rate.Seconds(f.Frames())
	x.mu.Lock()
	had := x.made[name]
	x.mu.Unlock()
	_, there := os.Stat(path)
	if there == nil && had == is {
		if out.State == "" {
			out.State = "kept"
		}
		return nil
	}
	if there == nil && had == "" {
		return fmt.Errorf("%s is there already and was not made here; it is left alone", path)
	}
	var encoded timecode.Frames
	job := render.Job{
		Film: f,
		Lanes: func(ctx context.Context) render.Lane {
			return x.sprites.Lane(ctx, f.Library, false)
		},
		Files: x.files,
		Out:   path,
		Cache: render.Folder{Dir: filepath.Join(x.Out, workFolder, "segments")},
		Progress: func(_, total timecode.Frames) {
			encoded = total
		},
	}
	if _, err := render.Film(ctx, job); err != nil {
		return err
	}
	out.State = "made"
	out.Encoded += encoded
	return x.note(name, is)
}

// note keeps down which film a file holds.
func (x *run) note(name, is string) error {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.made[name] = is
	b, err := json.MarshalIndent(x.made, "", "  ")
	if err != nil {
		return err
	}
	tmp := x.madePath() + ".new"
	return errors.Join(os.WriteFile(tmp, b, 0o644), os.Rename(tmp, x.madePath()))
}
