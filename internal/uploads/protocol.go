package uploads

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"strconv"
	"time"

	"nelko/internal/invalid"
	"nelko/internal/store"

	"github.com/tus/tusd/v2/pkg/filelocker"
	tusd "github.com/tus/tusd/v2/pkg/handler"
	xslog "golang.org/x/exp/slog"
)

// Where uploads are sent to.
const (
	Path        = "/uploads/"
	ClientsPath = "/bring-uploads/"
)

// protocol speaks tus at an address; of clients it takes only what their pages may send.
func (u *Uploads) protocol(at string, clients bool) (http.Handler, error) {
	composer := tusd.NewStoreComposer()
	u.files.UseIn(composer)
	filelocker.New(u.Dir).UseIn(composer)
	h, err := tusd.NewHandler(tusd.Config{
		BasePath:                  at,
		StoreComposer:             composer,
		MaxSize:                   maxUpload,
		Logger:                    xslog.New(xslog.NewTextHandler(io.Discard, nil)),
		RespectForwardedHeaders:   true,
		DisableDownload:           true,
		DisableConcatenation:      true,
		NetworkTimeout:            u.Silent,
		Cors:                      &tusd.CorsConfig{Disable: true},
		PreFinishResponseCallback: u.finished,
		PreUploadCreateCallback: func(e tusd.HookEvent) (tusd.HTTPResponse, tusd.FileInfoChanges, error) {
			return u.mayCreate(e, clients)
		},
	})
	if err != nil {
		return nil, fmt.Errorf("uploads: %w", err)
	}
	return http.StripPrefix(at, h), nil
}

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
func (u *Uploads) mayCreate(e tusd.HookEvent, client bool) (tusd.HTTPResponse, tusd.FileInfoChanges, error) {
	to, err := boundFor(e.Upload.MetaData)
	var changes tusd.FileInfoChanges
	switch {
	case err != nil:
	case store.Free(u.Dir) < e.Upload.Size:
		return tusd.HTTPResponse{}, changes, errNoRoom
	case client != (to.page != "") || (client && e.Upload.SizeIsDeferred):
		err = strconv.ErrSyntax
	case to.page != "":
		if changes.ID, err = u.mayComeByPage(e.Context, to.page, e.Upload.Size); errors.Is(err, errNoRoom) {
			return tusd.HTTPResponse{}, tusd.FileInfoChanges{}, err
		}
	case to.run != 0:
		err = u.Runs.Material.MayReceive(e.Context, to.run)
	default:
		err = u.Intake.MayReceive(e.Context, to.order)
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
		return tusd.HTTPResponse{}, tusd.FileInfoChanges{}, tusd.NewError("ERR_PAGE", none.Problem,
			http.StatusUnprocessableEntity)
	case errors.As(err, &none) || errors.Is(err, strconv.ErrSyntax):
		return tusd.HTTPResponse{}, tusd.FileInfoChanges{}, tusd.NewError("ERR_ORDER",
			"there is no such order or Run", http.StatusUnprocessableEntity)
	}
	return tusd.HTTPResponse{}, tusd.FileInfoChanges{},
		tusd.NewError("ERR_AWAY", "the database cannot be reached", http.StatusServiceUnavailable)
}

// finished has a whole file stored. The browser's last piece is answered at
// once: the file is here, and whatever happens it is tried again.
func (u *Uploads) finished(e tusd.HookEvent) (tusd.HTTPResponse, error) {
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
