// Package uploads takes files piece by piece by the tus protocol, and hands what has come in whole
// over to intake or a Run: at once, and whatever happens again until it is done. It owns the
// folder of uploads and the jobs that empty it; no row of the database.
package uploads

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"nelko/internal/intake"
	"nelko/internal/runs"
	"nelko/internal/store"

	"github.com/tus/tusd/v2/pkg/filestore"
	tusd "github.com/tus/tusd/v2/pkg/handler"
	"golang.org/x/sync/singleflight"
)

// maxUpload is the largest file that can be brought in, in bytes.
const maxUpload = 20 << 30

// Config is what uploads need.
type Config struct {
	Dir    string        // where they lie until they are handed over
	Silent time.Duration // how long nothing may come of one
	Intake *intake.Intake
	Runs   *runs.Runs
}

// Uploads are files on their way. One that has come in whole is stored in the background, since
// that takes as long as reading all of it; if it is not possible just then, because the database
// is away or the program was stopped, it is tried again until it is.
type Uploads struct {
	Config
	files   filestore.FileStore
	handler http.Handler
	clients http.Handler
	stop    context.CancelFunc
	done    sync.WaitGroup
	whole   chan string // uploads that have come in
	large   chan string // those of them that take long to be read
	storing singleflight.Group

	mu     sync.Mutex
	orders map[string]int64 // of uploads that are whole and not stored yet

	creating sync.Mutex        // clients' uploads are begun one after another
	begun    map[string]coming // those of the last moments, which may not be in the folder yet
}

// storers is how many files are stored at the same time, and one that is
// larger than largeUpload in bytes: small ones do not wait for it.
const (
	storers     = 2
	largeUpload = 256 << 20
)

// New begins to hand over what lies in the folder. Close must be called afterwards.
func New(c Config) (*Uploads, error) {
	if err := os.MkdirAll(c.Dir, 0o700); err != nil {
		return nil, fmt.Errorf("upload folder: %w", err)
	}
	u := &Uploads{
		Config: c,
		files:  filestore.New(c.Dir),
		whole:  make(chan string, 1000),
		large:  make(chan string, 1000),
		orders: map[string]int64{},
		begun:  map[string]coming{},
	}
	var err error
	if u.handler, err = u.protocol(Path, false); err != nil {
		return nil, err
	}
	if u.clients, err = u.protocol(ClientsPath, true); err != nil {
		return nil, err
	}
	ctx, stop := context.WithCancel(context.Background())
	u.stop = stop
	u.done.Go(func() { u.sweep(ctx) })
	for i := range storers + 1 {
		from := u.whole
		if i == storers {
			from = u.large
		}
		u.done.Go(func() { u.storeAll(ctx, from) })
	}
	return u, nil
}

// Close ends handing over; what lies in the folder is handed over by the next.
func (u *Uploads) Close() {
	u.stop()
	u.done.Wait()
}

// Studio receives the studio's own files, below Path: into an order or a Run.
func (u *Uploads) Studio() http.Handler { return u.handler }

// Clients receives what clients' pages send, below ClientsPath: into the page's order.
func (u *Uploads) Clients() http.Handler { return u.clients }

// BeingStored counts the files of an order that are here and not stored yet.
func (u *Uploads) BeingStored(order int64) (n int) {
	u.mu.Lock()
	defer u.mu.Unlock()
	for _, o := range u.orders {
		if o == order {
			n++
		}
	}
	return n
}

// storeAll hands over what is named by a channel, until ctx ends.
func (u *Uploads) storeAll(ctx context.Context, from <-chan string) {
	for {
		select {
		case <-ctx.Done():
			return
		case id := <-from:
			u.store(ctx, id)
		}
	}
}

// store hands a whole file over, unless that is being done.
func (u *Uploads) store(ctx context.Context, id string) {
	_, err, _ := u.storing.Do(id, func() (any, error) { return nil, u.handOver(ctx, id) })
	if err != nil && ctx.Err() == nil {
		slog.Warn("upload kept for later", "upload", id, "error", err)
	}
}

// handOver stores a file and forgets the upload. One that is not whole, or was
// handed over already, is left alone.
func (u *Uploads) handOver(ctx context.Context, id string) error {
	up, err := u.files.GetUpload(ctx, id)
	if errors.Is(err, tusd.ErrNotFound) {
		return nil // handed over already
	}
	if err != nil {
		return err
	}
	info, err := up.GetInfo(ctx)
	if err != nil || info.SizeIsDeferred || info.Offset != info.Size {
		return err // not whole yet
	}
	to, err := boundFor(info.MetaData)
	if err != nil {
		return fmt.Errorf("upload %s names no order: %w", id, err)
	}
	ctx = sentBy(ctx, info.MetaData)
	f, err := os.Open(filepath.Join(u.Dir, id))
	if err != nil {
		return err
	}
	defer f.Close()
	r := store.Given{File: f} // nobody writes to it any more, and it is removed below
	switch {
	case to.run != 0:
		err = u.Runs.Material.Receive(ctx, to.run, id, to.path, r, nil)
	case to.page != "":
		_, err = u.Intake.Pages.ReceiveByPage(ctx, to.page, id, info.MetaData["filename"], r)
	default:
		_, err = u.Intake.In.ReceiveKnown(ctx, intake.Known{
			OrderID: to.order,
			Upload:  id,
			Name:    info.MetaData["filename"],
			Sent:    sentAt(info.MetaData),
		}, r)
	}
	if err != nil {
		return err
	}
	t, ok := up.(tusd.TerminatableUpload)
	if !ok {
		return fmt.Errorf("upload %s cannot be removed", id)
	}
	u.mu.Lock()
	delete(u.orders, id)
	u.mu.Unlock()
	return t.Terminate(ctx)
}

// Uploads that were begun and never finished are forgotten after this time, those of clients'
// pages sooner.
const (
	abandonedAfter         = 7 * 24 * time.Hour
	abandonedByClientAfter = 24 * time.Hour
)

// abandoned reports whether nothing came of an upload for too long.
func (u *Uploads) abandoned(ctx context.Context, id string) bool {
	st, err := os.Stat(filepath.Join(u.Dir, id))
	if errors.Is(err, fs.ErrNotExist) {
		st, err = os.Stat(filepath.Join(u.Dir, id+".info"))
	}
	if err != nil {
		return false // it is handed over
	}
	idle := time.Since(st.ModTime())
	if idle <= abandonedByClientAfter {
		return false
	}
	if idle > abandonedAfter {
		return true
	}
	up, err := u.files.GetUpload(ctx, id)
	if err != nil {
		return false
	}
	info, err := up.GetInfo(ctx)
	return err == nil && info.MetaData["page"] != ""
}

// sweep hands over whole files left behind, every few seconds.
func (u *Uploads) sweep(ctx context.Context) {
	tick := time.NewTicker(3 * time.Second)
	defer tick.Stop()
	for {
		infos, err := filepath.Glob(filepath.Join(u.Dir, "*.info"))
		if err != nil {
			slog.Error("sweeping uploads", "error", err)
		}
		for _, p := range infos {
			id := strings.TrimSuffix(filepath.Base(p), ".info")
			u.store(ctx, id)
			if u.abandoned(ctx, id) {
				err := errors.Join(os.Remove(p), os.RemoveAll(strings.TrimSuffix(p, ".info")))
				slog.Info("abandoned upload removed", "upload", id, "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}
