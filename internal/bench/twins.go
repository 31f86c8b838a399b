package bench

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/demo/paint"
	"nelko/internal/house"
	"nelko/internal/intake"
	"nelko/internal/making"
	"nelko/internal/media/vips"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// The twins: two orders with the same photos, song, theme and details.
const (
	twinPhotos  = 24
	twinSeconds = 60
)

// Twins measures what the second of two orders with equal material costs.
func Twins(ctx context.Context, out io.Writer, h *house.House) error {
	files := map[string][]byte{}
	for i := range twinPhotos {
		px, err := paint.Paint(paint.Spec{
			Scene: []paint.Scene{paint.Race, paint.Quay, paint.Portrait}[i%3],
			W:     1200,
			H:     800,
			Seed:  uint64(i),
			Club:  [2]uint32{0x1f6f78, 0xf2c14e},
		})
		if err != nil {
			return err
		}
		if files[fmt.Sprintf("%02d.jpg", i)], err = vips.JPEG(px, 90); err != nil {
			return err
		}
	}
	dir, err := os.MkdirTemp("", "nelko-twins-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	tune := filepath.Join(dir, "song.flac")
	if msg, err := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		fmt.Sprintf("sine=330:d=%d,tremolo=f=3:d=0.8", twinSeconds), tune).CombinedOutput(); err != nil {
		return fmt.Errorf("making a song: %s: %w", msg, err)
	}
	if files["song.flac"], err = os.ReadFile(tune); err != nil {
		return err
	}
	var times [2]took
	for i := range times {
		id, err := twin(ctx, h, i, files)
		if err != nil {
			return err
		}
		r, err := h.Making.Renders.Begin(ctx, id, "")
		if err != nil {
			return err
		}
		times[i], err = measured(func() error {
			return h.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "bench", true)
		})
		if err != nil {
			return err
		}
		done, err := store.One[store.Render](h.Store.DB.WithContext(ctx), "id = ?", r.ID)
		if err != nil {
			return err
		}
		if done.State != store.RenderDone {
			return errors.New(done.Error)
		}
		fmt.Fprintf(out, "twin_%d_s=%.2f\ntwin_%d_frames_made=%d\n", i+1, times[i].seconds, i+1,
			done.FramesTotal)
	}
	_, err = fmt.Fprintf(out, "twin_share=%.4f\ncpu_twin_share=%.4f\n", times[1].seconds/times[0].seconds,
		times[1].cpu/times[0].cpu)
	return err
}

// twin opens an order and brings the material in.
func twin(ctx context.Context, h *house.House, n int, files map[string][]byte) (int64, error) {
	o, err := h.Orders.Heads.Open(ctx, orders.New{
		Head:    orders.Head{Client: fmt.Sprint("Twin ", n), Event: "Bench", Due: time.Now()},
		Details: map[string]string{"names": "The Twins", "date": "2026"},
	}, nil)
	if err != nil {
		return 0, err
	}
	for name, b := range files {
		m, err := h.Intake.In.Receive(ctx, o.ID, fmt.Sprint(n, name), name, bytes.NewReader(b))
		if err == nil {
			err = h.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true})
		}
		if err != nil {
			return 0, err
		}
	}
	if err := h.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: o.ID}); err != nil {
		return 0, err
	}
	d, err := h.Orders.Load(ctx, o.ID)
	if err != nil {
		return 0, err
	}
	_, err = h.Orders.Edits.Edit(ctx, o.ID, d.Slideshow.Head, edit.Several{
		Called: "Fitted",
		Ops:    []edit.Op{edit.AnyTime(), edit.Fit{Mode: doc.ToMusic}},
	}, nil)
	return o.ID, err
}
