// Package demo fills an empty studio with the demo: a harbour town, its
// regatta, and orders in all states. Everything in it is painted and
// synthesised from fixed seeds.
package demo

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/delivery"
	"nelko/internal/demo/paint"
	"nelko/internal/demo/synth"
	"nelko/internal/house"
	"nelko/internal/invalid"
	"nelko/internal/media/vips"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/store"
)

// Begin makes the demo's account and queues its orders, if the studio has no
// account yet.
func Begin(ctx context.Context, s *house.House) error {
	if any, err := s.Accounts.Any(ctx); err != nil || any {
		return err
	}
	if _, err := s.Accounts.Add(ctx, Email, "Wren Ashdown", Password, store.Owner); err != nil {
		return fmt.Errorf("demo: %w", err)
	}
	for _, o := range commissions {
		n := o.newOrder()
		now := s.Orders.Now()
		n.Due = time.Date(now.Year(), now.Month(), now.Day()+o.due, 0, 0, 0, 0, time.UTC)
		if _, err := s.Orders.Heads.Open(ctx, n, nil); err != nil {
			return fmt.Errorf("demo: %w", err)
		}
	}
	if err := beginRun(ctx, s); err != nil {
		return fmt.Errorf("demo: %w", err)
	}
	return s.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&store.Studio{}).Where("id = 1").Updates(map[string]any{
			"name": studioName,
			"demo": true,
		}).Error; err != nil {
			return err
		}
		var jobs []Make
		for i, o := range commissions {
			if len(o.pictures) > 0 {
				jobs = append(jobs, Make{Number: i})
			}
		}
		// Films take longest and come last.
		for i, o := range commissions {
			if o.state != fresh {
				jobs = append(jobs, Make{Number: i, Finish: true})
			}
		}
		for _, j := range jobs {
			if err := s.Queue.Insert(ctx, tx, j); err != nil {
				return err
			}
		}
		return queueRun(ctx, s, tx)
	})
}

// Make is the job that paints the material of one order of the demo or, later,
// brings the order to its state.
type Make struct {
	Number int  `json:"number"`
	Finish bool `json:"finish"`
	Run    bool `json:"run,omitempty"` // of the demo's Run: a crew's material, or below 0 what all share
}

// Kind implements river.JobArgs.
func (Make) Kind() string { return "demo" }

// painter is the queue of the demo's painting.
const painter = "painter"

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Make) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: painter, MaxAttempts: 3} }

// Painter is the room that makes the demo.
type Painter struct{ House *house.House }

// Jobs implements queue.Room.
func (p Painter) Jobs(js *queue.Jobs) {
	js.Serve(painter, 1)
	queue.Handle(js, queue.Kind[Make]{Work: func(ctx context.Context, j queue.Job[Make]) error {
		return p.Make(ctx, j.Args)
	}})
}

// Make does one of the jobs that Begin queued. It may be called again after a
// crash.
func (p Painter) Make(ctx context.Context, j Make) error {
	s := p.House
	if j.Run {
		if err := p.makeRun(ctx, j); err != nil {
			return fmt.Errorf("demo Run: %w", err)
		}
		return nil
	}
	if j.Number < 0 || j.Number >= len(commissions) {
		return nil
	}
	number, o := j.Number, commissions[j.Number]
	row, err := store.One[store.Order](s.Store.DB.WithContext(ctx), "client = ? AND event = ?", o.client,
		o.event)
	if errors.Is(err, store.ErrNotFound) {
		return nil // someone has done away with it
	}
	if err != nil {
		return fmt.Errorf("demo order %d: %w", number, err)
	}
	if j.Finish {
		if err = bring(ctx, s, row.ID, o.state); err == nil && number == 0 {
			err = library(ctx, s)
		}
	} else {
		err = o.material(ctx, number, func(name string, data []byte) error {
			_, err := s.Intake.In.Receive(ctx, row.ID, fmt.Sprintf("demo-%d-%s", number, name), name,
				bytes.NewReader(data))
			return err
		})
	}
	if err != nil {
		return fmt.Errorf("demo order %d: %w", number, err)
	}
	return nil
}

// bring waits for an order's material to be read, then fits, renders and
// delivers it.
func bring(ctx context.Context, s *house.House, orderID int64, to state) error {
	w, err := until(ctx, s, orderID, func(w *orders.Dossier) bool {
		used := w.Doc.Uses()
		for _, m := range w.Media {
			if m.State == store.Waiting || (m.State == store.Ready && m.Kind != doc.SongMedia &&
				!used[m.DocID()]) {
				return false
			}
		}
		return len(w.Doc.Soundtrack.Songs()) > 0 && len(used) > 0
	})
	if err != nil {
		return err
	}
	if w.Doc.Fit.Mode != doc.ToMusic {
		if _, err := s.Orders.Edits.Edit(ctx, orderID, w.Slideshow.Head, edit.Fit{Mode: doc.ToMusic},
			nil); err != nil {
			return err
		}
	}
	if to < rendered {
		return nil
	}
	if len(w.Renders) == 0 {
		if _, err := s.Making.Renders.Begin(ctx, orderID, ""); err != nil {
			return err
		}
	}
	w, err = until(ctx, s, orderID, func(w *orders.Dossier) bool { return w.Renders[0].State.Over() })
	if err != nil {
		return err
	}
	if to < delivered || len(w.Links) > 0 || w.Renders[0].State != store.RenderDone {
		return nil
	}
	_, _, err = s.Delivery.Links.MakeLink(ctx, orderID, delivery.NewLink{
		RenderID:     w.Renders[0].ID,
		Title:        w.Theme.FilmTitle(w.Doc.Details) + " · " + w.Order.Event,
		Downloadable: true,
		Days:         60,
		Mail:         w.Order.ClientEmail != "",
	})
	return err
}

func until(ctx context.Context, s *house.House, orderID int64,
	ready func(*orders.Dossier) bool) (*orders.Dossier, error) {
	for {
		w, err := s.Orders.Load(ctx, orderID)
		if err != nil || ready(w) {
			return w, err
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(300 * time.Millisecond):
		}
	}
}

// sizes are the cameras' pictures, in pixels: wide ones and upright ones.
var wide = [][2]int{{1920, 1280}, {1728, 1152}, {1600, 1200}, {1920, 1080}}
var upright = [][2]int{{1200, 1600}, {1152, 1728}}

// material paints an order's files one after another.
func (o commission) material(ctx context.Context, number int,
	put func(name string, data []byte) error) error {
	day := time.Date(2026, 9, 12, 9, 40, 0, 0, time.UTC)
	for i, sc := range o.pictures {
		if err := ctx.Err(); err != nil {
			return err
		}
		seed := uint64(number*1000 + i)
		size := wide[(i*7+number)%len(wide)]
		if sc == paint.Portrait || sc == paint.Lighthouse {
			size = upright[(i+number)%len(upright)]
		}
		px, err := paint.Paint(paint.Spec{Scene: sc, W: size[0], H: size[1], Seed: seed, Club: o.club})
		if err != nil {
			return err
		}
		// Two cameras; the second one's clock is 37 minutes slow.
		taken, camera, name := day.Add(time.Duration(i)*47*time.Minute/2), "Saltmere One",
			fmt.Sprintf("SQ1_%04d.jpg", 210+number*40+i)
		if i%3 == 2 {
			taken, camera, name = taken.Add(-37*time.Minute), "Saltmere Two", fmt.Sprintf("P%07d.JPG", 90100+
				number*60+i)
		}
		orientation := 1
		if size[0] < size[1] {
			orientation = []int{6, 8, 1}[i%3]
		}
		jpg, err := vips.JPEG(stored(px, orientation), 90)
		if err != nil {
			return err
		}
		if err := put(name, withEXIF(jpg, orientation, taken, camera)); err != nil {
			return err
		}
		if i == min(3, len(o.pictures)-1) {
			// Songs come early, so that the order can be worked on at once.
			if err := o.putSongs(ctx, put); err != nil {
				return err
			}
		}
	}
	for i, sc := range o.clips {
		b, err := clip(ctx, paint.Spec{
			Scene: sc,
			W:     960,
			H:     540,
			Seed:  uint64(number*1000 + 500 + i),
			Club:  o.club,
		}, day.Add(3*time.Hour))
		if err != nil {
			return err
		}
		if err := put(fmt.Sprintf("clip_%02d.mp4", i+1), b); err != nil {
			return err
		}
	}
	return nil
}

func (o commission) putSongs(ctx context.Context, put func(name string, data []byte) error) error {
	for _, id := range o.songs {
		p := songs[id]
		b, err := songFile(ctx, p)
		if err != nil {
			return err
		}
		if err := put(p.Name+".flac", b); err != nil {
			return err
		}
	}
	return nil
}

// songFile renders a piece to FLAC.
func songFile(ctx context.Context, p synth.Piece) ([]byte, error) {
	samples := synth.Render(p)
	raw := make([]byte, 0, len(samples)*4)
	for _, v := range samples {
		raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(v))
	}
	return ffmpeg(ctx, bytes.NewReader(raw), "flac", "-f", "f32le", "-ar", fmt.Sprint(synth.Rate), "-ac", "2",
		"-i", "pipe:0",
		"-sample_fmt", "s16", "-metadata", "title="+p.Name, "-metadata", "artist="+studioName, "-bitexact",
		"-f", "flac")
}

// clipFrames is the length of the demo's clips, at 25 frames a second.
const clipFrames = 80

// clip paints a short clip in motion.
func clip(ctx context.Context, s paint.Spec, taken time.Time) ([]byte, error) {
	r, w := io.Pipe()
	go func() {
		for i := range clipFrames {
			s.Time = float64(i) / 25
			px, err := paint.Paint(s)
			if err == nil {
				_, err = w.Write(px.Pix)
			}
			if err != nil || ctx.Err() != nil {
				w.CloseWithError(errors.Join(err, ctx.Err()))
				return
			}
		}
		w.Close()
	}()
	defer r.Close()
	return ffmpeg(ctx, r, "mp4", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", fmt.Sprintf("%dx%d", s.W, s.H),
		"-r", "25", "-i", "pipe:0",
		"-vf", "scale=out_color_matrix=bt709:out_range=tv", "-c:v", "libx264", "-crf", "19", "-pix_fmt",
		"yuv420p", "-colorspace", "bt709",
		"-metadata", "creation_time="+taken.Format(time.RFC3339), "-bitexact", "-movflags", "+faststart",
		"-f", "mp4")
}

// ffmpeg encodes what in gives and returns the file.
func ffmpeg(ctx context.Context, in io.Reader, ext string, args ...string) ([]byte, error) {
	dir, err := os.MkdirTemp("", "nelko-demo-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	out := filepath.Join(dir, "out."+ext)
	cmd := exec.CommandContext(ctx, "ffmpeg", append(append([]string{"-v", "error", "-y"}, args...), out)...)
	cmd.Stdin = in
	if msg, err := cmd.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("encoding the demo's %s: %s: %w", ext, msg, err)
	}
	return os.ReadFile(out)
}

// Paint writes the demo's material into a folder, one sub-folder an order.
func Paint(ctx context.Context, dir string) error {
	if err := vips.Startup(); err != nil {
		return err
	}
	regatta := filepath.Join(dir, runName)
	put := func(path string, data []byte) error {
		path = filepath.Join(regatta, filepath.FromSlash(path))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			return err
		}
		return os.WriteFile(path, data, 0o644)
	}
	if err := put("crews.csv", []byte(crewList())); err != nil {
		return err
	}
	if err := commonMaterial(ctx, put); err != nil {
		return err
	}
	for i := range crews {
		if i == absent {
			continue
		}
		if err := crewMaterial(ctx, i, put); err != nil {
			return err
		}
	}
	for i, o := range commissions {
		sub := filepath.Join(dir, fmt.Sprintf("%02d %s", i+1, o.client))
		if err := os.MkdirAll(sub, 0o755); err != nil {
			return err
		}
		err := o.material(ctx, i, func(name string, data []byte) error {
			return os.WriteFile(filepath.Join(sub, name), data, 0o644)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// library fills the studio's music.
func library(ctx context.Context, s *house.House) error {
	until := time.Now().AddDate(1, 0, 0)
	for id, n := range map[string]store.Music{
		"kiln": {Mood: "glad", Occasion: "workshop, birthday", Licence: "made for the studio"},
		"tide": {
			Mood:         "calm",
			Occasion:     "wedding, farewell",
			Licence:      "one studio, one year",
			LicenceUntil: &until,
			Favourite:    true,
		},
	} {
		b, err := songFile(ctx, songs[id])
		if err != nil {
			return err
		}
		song, err := s.Intake.Songs.AddSong(ctx, songs[id].Name+".flac", bytes.NewReader(b))
		var there *invalid.Input
		if errors.As(err, &there) {
			continue // an earlier attempt got so far
		}
		if err != nil {
			return err
		}
		n.MediaID = song.MediaID
		if err := s.Intake.Songs.Note(ctx, n); err != nil {
			return err
		}
	}
	return nil
}
