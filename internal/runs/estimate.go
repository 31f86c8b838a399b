package runs

import (
	"context"
	"fmt"
	"sync"

	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/film"
)

// laid is what rows' films are made of, as far as it was worked out: laying a film out takes some
// hundredths of a second, and a Run has hundreds. It holds the latest revision of each row.
type laid struct {
	mu   sync.Mutex
	rows map[int64]laidFilm
}

type laidFilm struct {
	head int
	segs []laidSegment
}

type laidSegment struct {
	key    string
	frames timecode.Frames
}

// mostLaid is of how many rows it is remembered.
const mostLaid = 4000

func (l *laid) get(r Row) ([]laidSegment, bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	f, ok := l.rows[r.ID]
	return f.segs, ok && f.head == r.Head
}

func (l *laid) put(r Row, segs []film.Segment) (out []laidSegment) {
	for _, s := range segs {
		out = append(out, laidSegment{s.Key, s.Frames()})
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.rows == nil || len(l.rows) >= mostLaid {
		l.rows = map[int64]laidFilm{}
	}
	l.rows[r.ID] = laidFilm{r.Head, out}
	return out
}

// Estimate is how much work films are.
type Estimate struct {
	Frames  timecode.Frames // to be made
	Had     timecode.Frames // that are kept from other films, or that several of these share
	Whole   bool            // all of it was counted; else Frames is too much rather than too little
	Minutes float64         // about, on the workers there are
	Workers int
}

// Estimate tells how much work the films of rows are: what was made for others before, or is the
// same in several, is made once. Films that nobody laid out yet count wholly, unless look: then
// they are laid out, which takes a while.
func (y *Sheets) Estimate(ctx context.Context, s *Sheet, rows []Row, look bool) (Estimate, error) {
	e := Estimate{Whole: true}
	seen := map[string]bool{}
	var all []laidSegment
	var keys []string
	for _, r := range rows {
		segs, ok := y.laid.get(r)
		if !ok && look {
			d, err := y.Orders.Load(ctx, r.ID)
			if err != nil {
				return e, err
			}
			f, err := y.Orders.Film(d, d.Profile, "")
			if err != nil {
				return e, err
			}
			made, err := f.Segments()
			if err != nil {
				return e, err
			}
			segs, ok = y.laid.put(r, made), true
		}
		if !ok {
			e.Whole = false
			e.Frames += s.wholly(r)
			continue
		}
		for _, g := range segs {
			if seen[g.key] {
				e.Had += g.frames
				continue
			}
			seen[g.key] = true
			all, keys = append(all, g), append(keys, g.key)
		}
	}
	kept, err := y.Making.Kept.Find(ctx, keys)
	if err != nil {
		return e, err
	}
	for _, g := range all {
		if kept[g.key] != "" {
			e.Had += g.frames
		} else {
			e.Frames += g.frames
		}
	}
	e.Minutes, e.Workers, err = y.lasts(ctx, float64(e.Frames), len(rows))
	return e, err
}

// lasts is about how many minutes frames of so many films take, by the pace of the latest, on the
// workers there are.
func (y *Sheets) lasts(ctx context.Context, frames float64, films int) (minutes float64, workers int,
	err error) {
	pace, workers, err := y.Making.Turns.Pace(ctx)
	if err != nil {
		return 0, workers, err
	}
	return frames / pace / float64(max(1, min(workers, films))) / 60, workers, nil
}

// wholly is how many frames a row's film has.
func (s *Sheet) wholly(r Row) timecode.Frames {
	return timecode.Frames(r.PictureSeconds * s.Pattern.Doc.Rate.FPS())
}

// anew is the work of films that are made by another profile than the usual: none of it is known
// to be there.
func (y *Sheets) anew(ctx context.Context, s *Sheet, rows []Row) (e Estimate, err error) {
	for _, r := range rows {
		e.Frames += s.wholly(r)
	}
	e.Minutes, e.Workers, err = y.lasts(ctx, float64(e.Frames), len(rows))
	return e, err
}

// ifLong says how long the work takes where that is more than a minute.
func (e Estimate) ifLong() string {
	if e.Minutes < 1 {
		return ""
	}
	return e.InWords()
}

// InWords says how long the work takes: "about 18 min on 2 workers, 40 % is made already".
func (e Estimate) InWords() string {
	text := "under a minute"
	if e.Minutes >= 1 {
		text = fmt.Sprintf("about %.0f min", e.Minutes)
		if !e.Whole {
			text = "at most " + text
		}
	}
	text += " on " + wording.Counted(e.Workers, "worker")
	if share := 100 * e.Had / max(1, e.Had+e.Frames); e.Whole && share > 0 {
		text += fmt.Sprintf(", %d %% is made once for several or made already", share)
	}
	return text
}
