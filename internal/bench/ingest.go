package bench

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"nelko/internal/core/raster"
	"nelko/internal/house"
	"nelko/internal/intake"
	"nelko/internal/media"
	"nelko/internal/media/vips"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// ingestDifferent is how many different photos are brought in; the rest are
// these with some bytes behind the picture, which make other files of them.
const ingestDifferent = 6

// ingestAtOnce is how many files are looked at at the same time, as the
// intake's queue does.
const ingestAtOnce = 2

// Ingest measures photos of 24 megapixels coming into an order, received, read
// and kept, against the same thumbnails and small copies made by libvips alone;
// and how the memory of all processes grows from a tenth of the photos to all.
func Ingest(ctx context.Context, out io.Writer, h *house.House, photos int) error {
	dir, err := os.MkdirTemp("", "nelko-ingest-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := paintBases(dir, ingestDifferent); err != nil {
		return err
	}
	var files [][]byte
	for i := range ingestDifferent {
		_, path, err := enlarge(ctx, dir, i)
		if err != nil {
			return err
		}
		b, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		files = append(files, b)
	}
	// Both once before, so that neither pays for what is loaded the first time.
	if err := bringIn(ctx, h, files, 2*ingestDifferent); err != nil {
		return err
	}
	few := max(ingestDifferent, photos/10)
	floor, err := measured(func() error { return thumbnails(ctx, dir, few) })
	if err != nil {
		return err
	}
	var peaks [2]float64
	var took [2]took
	for i, n := range []int{few, photos} {
		peak := watchMemory(ctx)
		if took[i], err = measured(func() error { return bringIn(ctx, h, files, n) }); err != nil {
			return err
		}
		peaks[i] = peak()
	}
	fmt.Fprintf(out, "photos=%d\n", photos)
	fmt.Fprintf(out, "ingest_ratio=%.3f\n", took[0].seconds/floor.seconds)
	fmt.Fprintf(out, "ingest_ms_a_photo=%.1f\n", 1000*took[1].seconds/float64(photos))
	fmt.Fprintf(out, "ingest_rss_mb=%.0f\n", peaks[1])
	fmt.Fprintf(out, "ingest_rss_growth=%.3f\n", peaks[1]/peaks[0])
	return nil
}

// bringIn receives photos into an order of their own and looks at them.
func bringIn(ctx context.Context, h *house.House, files [][]byte, n int) error {
	row, err := h.Orders.Heads.Open(ctx, orders.New{Head: orders.Head{
		Client: "Bench",
		Event:  "Ingest",
		Due:    time.Now(),
	}}, nil)
	if err != nil {
		return err
	}
	var g errgroup.Group
	g.SetLimit(ingestAtOnce)
	for i := range n {
		g.Go(func() error {
			tail := binary.BigEndian.AppendUint64(nil, uint64(row.ID)<<32|uint64(i))
			r := io.MultiReader(bytes.NewReader(files[i%len(files)]), bytes.NewReader(tail))
			m, err := h.Intake.In.Receive(ctx, row.ID, fmt.Sprintf("bench-%d-%d", row.ID, i),
				fmt.Sprintf("%04d.jpg", i), r)
			if err != nil {
				return err
			}
			return h.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true})
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	if err := h.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: row.ID}); err != nil {
		return err
	}
	d, err := h.Orders.Load(ctx, row.ID)
	if err != nil {
		return err
	}
	for i := range d.Media {
		if d.Media[i].State != store.Ready || d.Media[i].Thumbnail == nil {
			return fmt.Errorf("%s was not read: %s", d.Media[i].Name, d.Media[i].Reason)
		}
	}
	if len(d.Media) != n {
		return fmt.Errorf("%d of %d photos came in", len(d.Media), n)
	}
	return nil
}

// thumbnails makes with libvips alone what the intake keeps of photos.
func thumbnails(ctx context.Context, dir string, n int) error {
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(ingestAtOnce)
	paths, err := filepath.Glob(filepath.Join(dir, "0*.jpg"))
	if err != nil || len(paths) == 0 {
		return fmt.Errorf("there are no photos to read: %w", err)
	}
	for i := range n {
		g.Go(func() error {
			for _, side := range []int{intake.ThumbSide, media.SmallSide} {
				if ctx.Err() != nil {
					return ctx.Err()
				}
				h, err := vips.ReadHeader(paths[i%len(paths)])
				if err != nil {
					return err
				}
				w, ht := media.Upright(h.Width, h.Height, h.Orientation)
				k := float64(side) / float64(max(w, ht))
				var p raster.Pixels
				if p, err = vips.Load(paths[i%len(paths)], int(float64(w)*k),
					int(float64(ht)*k)); err != nil {
					return err
				}
				jpg, err := vips.JPEG(p, 82)
				if err != nil {
					return err
				}
				if err := os.WriteFile(filepath.Join(dir, fmt.Sprintf("out-%d-%d", side, i)), jpg,
					0o644); err != nil {
					return err
				}
			}
			return nil
		})
	}
	return g.Wait()
}

// watchMemory looks at the memory of this process and its children until the
// function it gives is called, which tells the most there was in MB.
func watchMemory(ctx context.Context) func() float64 {
	ctx, stop := context.WithCancel(ctx)
	var most atomic.Int64
	done := make(chan struct{})
	go func() {
		defer close(done)
		for ctx.Err() == nil {
			if now := resident("self"); now > most.Load() {
				most.Store(now)
			}
			time.Sleep(50 * time.Millisecond)
		}
	}()
	return func() float64 {
		stop()
		<-done
		return float64(most.Load()) / (1 << 20)
	}
}

// resident is the resident memory of a process and its children, in bytes.
func resident(pid string) (sum int64) {
	if b, err := os.ReadFile("/proc/" + pid + "/statm"); err == nil {
		if f := strings.Fields(string(b)); len(f) > 1 {
			pages, _ := strconv.ParseInt(f[1], 10, 64) // what the kernel writes is a number
			sum = pages * int64(os.Getpagesize())
		}
	}
	lists, _ := filepath.Glob("/proc/" + pid + "/task/*/children") // the pattern is right
	for _, l := range lists {
		b, _ := os.ReadFile(l) // a thread that has ended has no children
		for _, child := range strings.Fields(string(b)) {
			sum += resident(child)
		}
	}
	return sum
}
