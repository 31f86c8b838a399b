package web

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"maps"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"nelko/internal/intake"
	"nelko/internal/invalid"
	"nelko/internal/store"

	"github.com/tus/tusd/v2/pkg/filelocker"
	"github.com/tus/tusd/v2/pkg/filestore"
	tusd "github.com/tus/tusd/v2/pkg/handler"
	xslog "golang.org/x/exp/slog"
	"golang.org/x/sync/singleflight"
)

// maxUpload is the largest file that can be brought in, in bytes.
const maxUpload = 20 << 30

// uploads receives files piece by piece with the tus protocol. A file that
// has come in whole is stored in the background, since that takes as long as
// reading all of it; if it is not possible just then, because the database is
// away or the program was stopped, it is tried again until it is.
type uploads struct {
	server  *Server
	dir     string
	files   filestore.FileStore
	handler http.Handler
	clients http.Handler // of clients' pages
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

// coming is an upload of a client's page that has not come in whole.
type coming struct {
	page string
	size int64
	at   time.Time // when something came of it last
}

// justBegun is within what time an upload that may be created is in the folder.
const justBegun = 30 * time.Second

// coming are the uploads by clients' pages that are in the folder, or about to be.
func (u *uploads) coming(ctx context.Context) (map[string]coming, error) {
	infos, err := filepath.Glob(filepath.Join(u.dir, "*.info"))
	if err != nil {
		return nil, err
	}
	out := map[string]coming{}
	for id, c := range u.begun {
		if time.Since(c.at) > justBegun {
			delete(u.begun, id)
			continue
		}
		out[id] = c
	}
	for _, p := range infos {
		id := strings.TrimSuffix(filepath.Base(p), ".info")
		up, err := u.files.GetUpload(ctx, id)
		if err != nil {
			continue // it is whole and was handed over meanwhile
		}
		info, err := up.GetInfo(ctx)
		if err != nil || info.MetaData["page"] == "" {
			continue
		}
		c := coming{page: info.MetaData["page"], size: info.Size}
		if st, err := os.Stat(filepath.Join(u.dir, id)); err == nil {
			c.at = st.ModTime()
		}
		out[id] = c
	}
	return out, nil
}

// mayComeByPage tells whether a client's page takes one more upload, beside all that are on
// their way, and gives it its name.
func (u *uploads) mayComeByPage(ctx context.Context, page string, size int64) (id string, err error) {
	u.creating.Lock()
	defer u.creating.Unlock()
	all, err := u.coming(ctx)
	if err != nil {
		return "", err
	}
	var by, total intake.Load
	for _, c := range all {
		total.Files, total.Bytes = total.Files+1, total.Bytes+c.size
		if c.page == page {
			by.Files, by.Bytes = by.Files+1, by.Bytes+c.size
		}
	}
	if err := u.server.House.Intake.MayReceiveByPage(ctx, page, size, by, total); err != nil {
		return "", err
	}
	if store.Free(u.dir)-total.Bytes-size < leftToStudio {
		return "", errNoRoom
	}
	id = rand.Text()
	u.begun[id] = coming{page, size, time.Now()}
	return id, nil
}

// leftToStudio is the room that clients' pages leave to the studio itself, in bytes.
const leftToStudio = 2 << 30

var errNoRoom = tusd.NewError("ERR_FULL", "The studio’s disk has no room for this file.", http.StatusInsufficientStorage)

// storers is how many files are stored at the same time, and one that is
// larger than largeUpload in bytes: small ones do not wait for it.
const (
	storers     = 2
	largeUpload = 256 << 20
)

func newUploads(s *Server) (*uploads, error) {
	if err := os.MkdirAll(s.UploadDir, 0o700); err != nil {
		return nil, fmt.Errorf("upload folder: %w", err)
	}
	u := &uploads{server: s, dir: s.UploadDir, files: filestore.New(s.UploadDir), whole: make(chan string, 1000), large: make(chan string, 1000), orders: map[string]int64{}, begun: map[string]coming{}}
	composer := tusd.NewStoreComposer()
	u.files.UseIn(composer)
	filelocker.New(s.UploadDir).UseIn(composer)
	for at, to := range map[string]*http.Handler{"/uploads/": &u.handler, "/bring-uploads/": &u.clients} {
		h, err := tusd.NewHandler(tusd.Config{
			BasePath: at, StoreComposer: composer, MaxSize: maxUpload, Logger: xslog.New(xslog.NewTextHandler(io.Discard, nil)),
			RespectForwardedHeaders: true, DisableDownload: true, DisableConcatenation: true, NetworkTimeout: s.SilentFor, Cors: &tusd.CorsConfig{Disable: true}, PreFinishResponseCallback: u.finished,
			PreUploadCreateCallback: func(e tusd.HookEvent) (tusd.HTTPResponse, tusd.FileInfoChanges, error) {
				return u.mayCreate(e, to == &u.clients)
			},
		})
		if err != nil {
			return nil, fmt.Errorf("uploads: %w", err)
		}
		*to = http.StripPrefix(at, h)
	}
	ctx, stop := context.WithCancel(context.Background())
	u.stop = stop
	u.done.Go(func() { u.sweep(ctx) })
	for i := range storers + 1 {
		from := u.whole
		if i == storers {
			from = u.large
		}
		u.done.Go(func() {
			for {
				select {
				case <-ctx.Done():
					return
				case id := <-from:
					u.store(ctx, id)
				}
			}
		})
	}
	return u, nil
}

func (u *uploads) close() {
	u.stop()
	u.done.Wait()
}

// ServeHTTP implements http.Handler.
func (u *uploads) ServeHTTP(w http.ResponseWriter, r *http.Request) { u.handler.ServeHTTP(w, r) }

// bound is where an upload goes: into an order, by a client's page, or into a
// Run at its path in the tree of material.
type bound struct {
	order, run int64
	page       string // token of a client's page
	path       string
}

func boundFor(meta tusd.MetaData) (b bound, err error) {
	if meta["run"] != "" {
		b.run, err = strconv.ParseInt(meta["run"], 10, 64)
		if b.path = meta["path"]; b.path == "" {
			b.path = meta["filename"]
		}
		return b, err
	}
	if b.page = meta["page"]; b.page != "" {
		return b, nil
	}
	b.order, err = strconv.ParseInt(meta["order"], 10, 64)
	return b, err
}

// sentAt is when the browser says that a file was sent; nil if it does not say so or
// cannot know.
func sentAt(meta tusd.MetaData) *time.Time {
	ms, err := strconv.ParseInt(meta["sent"], 10, 64)
	at := time.UnixMilli(ms)
	if err != nil || time.Since(at).Abs() > abandonedAfter {
		return nil
	}
	return &at
}

// senderMeta is what an upload's sender is kept under.
const senderMeta = "nelko-sender"

// sender is who acts in a context, as it is kept with an upload.
func sender(ctx context.Context) (string, error) {
	b, err := json.Marshal(store.ActorOf(ctx))
	return string(b), err
}

// sentBy is the context of who sent an upload.
func sentBy(ctx context.Context, meta tusd.MetaData) context.Context {
	var a store.Actor
	if json.Unmarshal([]byte(meta[senderMeta]), &a) != nil {
		return ctx // of before that was kept
	}
	return store.As(ctx, &a)
}

// mayCreate refuses an upload that names no order and no Run, before a byte is
// sent. A client may name only the page the client has, which takes no more
// than it should, and must say how large the file is.
func (u *uploads) mayCreate(e tusd.HookEvent, client bool) (tusd.HTTPResponse, tusd.FileInfoChanges, error) {
	to, err := boundFor(e.Upload.MetaData)
	var changes tusd.FileInfoChanges
	switch {
	case err != nil:
	case store.Free(u.dir) < e.Upload.Size:
		return tusd.HTTPResponse{}, changes, errNoRoom
	case client != (to.page != "") || (client && e.Upload.SizeIsDeferred):
		err = strconv.ErrSyntax
	case to.page != "":
		if changes.ID, err = u.mayComeByPage(e.Context, to.page, e.Upload.Size); errors.Is(err, errNoRoom) {
			return tusd.HTTPResponse{}, tusd.FileInfoChanges{}, err
		}
	case to.run != 0:
		err = u.server.House.Runs.MayReceive(e.Context, to.run)
	default:
		err = u.server.House.Intake.MayReceive(e.Context, to.order)
	}
	var none *invalid.Input
	switch {
	case err == nil:
		// Who sends it is not for the browser to say, and is known again when it is
		// stored.
		changes.MetaData = maps.Clone(e.Upload.MetaData)
		changes.MetaData[senderMeta], err = sender(e.Context)
		return tusd.HTTPResponse{}, changes, err
	case client && errors.As(err, &none):
		return tusd.HTTPResponse{}, tusd.FileInfoChanges{}, tusd.NewError("ERR_PAGE", none.Problem, http.StatusUnprocessableEntity)
	case errors.As(err, &none) || errors.Is(err, strconv.ErrSyntax):
		return tusd.HTTPResponse{}, tusd.FileInfoChanges{}, tusd.NewError("ERR_ORDER", "there is no such order or Run", http.StatusUnprocessableEntity)
	}
	return tusd.HTTPResponse{}, tusd.FileInfoChanges{}, tusd.NewError("ERR_AWAY", "the database cannot be reached", http.StatusServiceUnavailable)
}

// finished has a whole file stored. The browser's last piece is answered at
// once: the file is here, and whatever happens it is tried again.
func (u *uploads) finished(e tusd.HookEvent) (tusd.HTTPResponse, error) {
	if to, err := boundFor(e.Upload.MetaData); err == nil && to.order != 0 {
		u.mu.Lock()
		u.orders[e.Upload.ID] = to.order
		u.mu.Unlock()
	}
	to := u.whole
	if e.Upload.Size > largeUpload {
		to = u.large
	}
	select {
	case to <- e.Upload.ID:
	default: // so many at once: the sweep takes it
	}
	return tusd.HTTPResponse{}, nil
}

// beingStored counts the files of an order that are here and not stored yet.
func (u *uploads) beingStored(order int64) (n int) {
	u.mu.Lock()
	defer u.mu.Unlock()
	for _, o := range u.orders {
		if o == order {
			n++
		}
	}
	return n
}

// store hands a whole file over, unless that is being done.
func (u *uploads) store(ctx context.Context, id string) {
	_, err, _ := u.storing.Do(id, func() (any, error) { return nil, u.handOver(ctx, id) })
	if err != nil && ctx.Err() == nil {
		slog.Warn("upload kept for later", "upload", id, "error", err)
	}
}

// handOver stores a file and forgets the upload. One that is not whole, or was
// handed over already, is left alone.
func (u *uploads) handOver(ctx context.Context, id string) error {
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
	f, err := os.Open(filepath.Join(u.dir, id))
	if err != nil {
		return err
	}
	defer f.Close()
	r := store.Given{File: f} // nobody writes to it any more, and it is removed below
	switch {
	case to.run != 0:
		err = u.server.House.Runs.Receive(ctx, to.run, id, to.path, r, nil)
	case to.page != "":
		_, err = u.server.House.Intake.ReceiveByPage(ctx, to.page, id, info.MetaData["filename"], r)
	default:
		_, err = u.server.House.Intake.ReceiveKnown(ctx, intake.Known{OrderID: to.order, Upload: id, Name: info.MetaData["filename"], Sent: sentAt(info.MetaData)}, r)
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
func (u *uploads) abandoned(ctx context.Context, id string) bool {
	st, err := os.Stat(filepath.Join(u.dir, id))
	if errors.Is(err, fs.ErrNotExist) {
		st, err = os.Stat(filepath.Join(u.dir, id+".info"))
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
func (u *uploads) sweep(ctx context.Context) {
	tick := time.NewTicker(3 * time.Second)
	defer tick.Stop()
	for {
		infos, err := filepath.Glob(filepath.Join(u.dir, "*.info"))
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
