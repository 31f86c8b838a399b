package demo

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/list"
	"nelko/internal/demo/paint"
	"nelko/internal/demo/synth"
	"nelko/internal/house"
	"nelko/internal/listfile"
	"nelko/internal/media/vips"
	"nelko/internal/runs"
	"nelko/internal/store"
)

// The demo's Run: twenty-four crews, a film each from one pattern, half of them
// delivered, with three exceptions.
const (
	runName  = "Lantern Regatta, 24 crews"
	runEvent = "Lantern Regatta, crew film"
	runDays  = 30 // until it is due: what is opened by hand is made first
	runMade  = 12 // crews whose films are delivered
)

// bell is the Run's song, and long that of the crew whose music is longer than
// a fit of its few pictures can be.
var (
	bell = synth.Piece{
		Name:    "Regatta Bell",
		BPM:     112,
		Bars:    16,
		Root:    62,
		Mood:    synth.Bright,
		Seed:    72,
		Chords:  []int{0, 4, 5, 3},
		Drums:   true,
		Arpeggi: true,
	}
	long = synth.Piece{
		Name:   "The Long Row",
		BPM:    72,
		Bars:   30,
		Root:   57,
		Minor:  true,
		Mood:   synth.Calm,
		Seed:   5,
		Chords: []int{0, 3, 5, 4},
	}
)

type crew struct{ name, coach, mail string }

var crews = func() (out []crew) {
	coaches := []string{"B. Reed", "M. Okoro", "L. Varga"}
	for i, n := range []string{"The Cormorants", "Harbour Terns", "The Kittiwakes", "Dunlin Eight", "",
		"North Mole", "The Oystercatchers", "Ferry Hands", "Lamplighters", "The Turnstones", "Eider Four",
		"Saltmere Pilots",
		"The Sanderlings", "Weir Street Four", "Storm Petrels", "The Guillemots", "O’Neill & Daughters",
		"Ropewalk Eight", "The Little Auks", "Zoë’s Crew", "Breakwater", "The Razorbills", "Old Tidemill",
		"Skerry Lights"} {
		c := crew{n, coaches[i%3], ""}
		if n != "" {
			c.mail = strings.Join(strings.Fields(strings.ToLower(list.Fold(n))), "-") + "@saltmere.example"
		}
		out = append(out, c)
	}
	return out
}()

const (
	nameless = 4  // index of the crew whose name is missing
	absent   = 15 // whose folder has not come
	longer   = 19 // with a song of its own, at a pace
)

// crewList is the list as the regatta's office wrote it.
func crewList() string {
	var b strings.Builder
	b.WriteString("Key;Crew;Date;Coach;E-mail;Pace\r\n")
	for i, c := range crews {
		pace := ""
		if i == longer {
			pace = "4"
		}
		fmt.Fprintf(&b, "%02d;%s;12 September 2026;%s;%s;%s\r\n", i+1, c.name, c.coach, c.mail, pace)
	}
	return b.String()
}

// crewTable reads the list, as from a file.
func crewTable() (list.Table, error) { return listfile.Trusted("crews.csv", []byte(crewList())) }

// beginRun begins the Run.
func beginRun(ctx context.Context, s *house.House) error {
	table, err := crewTable()
	if err != nil {
		return err
	}
	now := s.Orders.Now()
	run, err := s.Runs.Lists.Open(ctx, runs.New{
		Name:  runName,
		Event: runEvent,
		Due:   time.Date(now.Year(), now.Month(), now.Day()+runDays, 0, 0, 0, 0, time.UTC),
		Table: &table,
	}, nil)
	if err != nil {
		return err
	}
	for _, op := range []edit.Op{
		edit.Details{Values: map[string]string{
			"place":   "Saltmere Lantern Regatta",
			"message": "Thank you for rowing with us",
		}},
		edit.Shape{Frame: doc.Frame{W: 1280, H: 720}},
	} {
		if _, err := s.Orders.Edits.Do(ctx, *run.PatternID, op, nil); err != nil {
			return err
		}
	}
	return nil
}

// queueRun queues what paints the Run's material, and then brings half of it to
// its end.
func queueRun(ctx context.Context, s *house.House, tx *gorm.DB) error {
	jobs := []Make{{Run: true, Number: -1}}
	for i := range crews {
		if i != absent {
			jobs = append(jobs, Make{Run: true, Number: i})
		}
	}
	for _, j := range append(jobs, Make{Run: true, Finish: true}) {
		if err := s.Queue.Insert(ctx, tx, j); err != nil {
			return err
		}
	}
	return nil
}

// makeRun does one of the jobs of the Run.
func (p Painter) makeRun(ctx context.Context, j Make) error {
	s := p.House
	run, err := store.One[store.Run](s.Store.DB.WithContext(ctx).Select("id"), "name = ?", runName)
	if errors.Is(err, store.ErrNotFound) {
		return nil // someone has done away with it
	}
	if err != nil {
		return err
	}
	put := func(path string, data []byte) error {
		return s.Runs.Material.Receive(ctx, run.ID, "demo-run-"+path, path, bytes.NewReader(data), nil)
	}
	switch {
	case j.Finish:
		return finishRun(ctx, s, run.ID)
	case j.Number < 0:
		return commonMaterial(ctx, put)
	}
	return crewMaterial(ctx, j.Number, put)
}

// common are the pictures all films share.
var common = []paint.Scene{paint.Quay, paint.Start, paint.Headland, paint.Lanterns}

func commonMaterial(ctx context.Context, put func(path string, data []byte) error) error {
	b, err := songFile(ctx, bell)
	if err != nil {
		return err
	}
	if err := put(bell.Name+".flac", b); err != nil {
		return err
	}
	for i, sc := range common {
		if err := paintPhoto(paint.Spec{
			Scene: sc,
			W:     1440,
			H:     960,
			Seed:  uint64(7000 + i),
			Club:  [2]uint32{0x1f6f78, 0xf2c14e},
		}, time.Duration(i*3)*time.Hour, fmt.Sprintf("regatta_%d.jpg", i+1), put); err != nil {
			return err
		}
	}
	return nil
}

// own are the pictures of a crew.
var own = []paint.Scene{paint.Race, paint.Portrait, paint.Pair, paint.Race, paint.Start, paint.Lanterns}

func crewMaterial(ctx context.Context, i int, put func(path string, data []byte) error) error {
	folder := fmt.Sprintf("%02d %s/", i+1, crews[i].name)
	if i == nameless {
		folder = fmt.Sprintf("%02d/", i+1)
	}
	if i == longer {
		b, err := songFile(ctx, long)
		if err != nil {
			return err
		}
		if err := put(folder+long.Name+".flac", b); err != nil {
			return err
		}
	}
	clubs := [][2]uint32{{0x1f6f78, 0xf2c14e}, {0x8c2f39, 0xf4e4c1}, {0x2f5d8a, 0xffffff},
		{0x3c7a4d, 0xf6f1e1}, {0x7a3b69, 0xe9c46a}, {0xd1622b, 0x22395b}}
	for k, sc := range own {
		if err := ctx.Err(); err != nil {
			return err
		}
		w, h := 1080, 720
		if sc == paint.Portrait {
			w, h = 720, 960
		}
		s := paint.Spec{Scene: sc, W: w, H: h, Seed: uint64(9000 + i*50 + k), Club: clubs[i%len(clubs)]}
		if err := paintPhoto(s, time.Duration(60+k*23)*time.Minute, fmt.Sprintf("%sSQ2_%04d.jpg", folder, 100+
			i*10+k), put); err != nil {
			return err
		}
	}
	return nil
}

func paintPhoto(s paint.Spec, after time.Duration, path string,
	put func(path string, data []byte) error) error {
	px, err := paint.Paint(s)
	if err != nil {
		return err
	}
	jpg, err := vips.JPEG(px, 88)
	if err != nil {
		return err
	}
	return put(path, withEXIF(jpg, 1, time.Date(2026, 9, 12, 9, 40, 0, 0, time.UTC).Add(after),
		"Saltmere Three"))
}

// finishRun waits until the material is in the films, then renders and delivers
// the first crews'.
func finishRun(ctx context.Context, s *house.House, id int64) error {
	sheet := func(until func(runs.Row) bool) (*runs.Sheet, error) {
		for {
			sh, err := s.Runs.Sheets.Sheet(ctx, id)
			if err != nil {
				return nil, err
			}
			all := true
			for i, r := range sh.Rows {
				all = all && (i >= runMade || i == nameless || until(r))
			}
			if all {
				return sh, nil
			}
			select {
			case <-ctx.Done():
				return nil, ctx.Err()
			case <-time.After(time.Second):
			}
		}
	}
	sh, err := sheet(func(r runs.Row) bool { return r.Pictures >= len(own) && r.MusicSeconds > 0 })
	if err != nil {
		return err
	}
	for i, r := range sh.Rows {
		if i >= runMade || i == nameless || r.Render != nil {
			continue
		}
		if _, err := s.Making.Renders.Begin(ctx, r.ID, ""); err != nil {
			return err
		}
	}
	if _, err = sheet(func(r runs.Row) bool { return r.Render != nil && r.Render.State.Over() }); err != nil {
		return err
	}
	_, err = s.Runs.Acts.DoAll(ctx, id, runs.Mail)
	return err
}
