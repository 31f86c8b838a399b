package delivery

import (
	"context"
	"errors"
	"io"
	"net/http"
	"net/url"
	"path"
	"time"

	"github.com/studio-b12/gowebdav"
	"gocloud.dev/blob"
	"gocloud.dev/gcerrors"
)

// file is what a folder tells of a file.
type file struct {
	Size int64
	At   time.Time
}

// folder is where films are put as files. Nothing is under a name before it is
// there wholly.
type folder interface {
	Look(ctx context.Context, name string) (f file, there bool, err error)
	Write(ctx context.Context, name string, r io.Reader) error
	Read(ctx context.Context, name string) (io.ReadCloser, error)
	Close() error
}

// openFolder opens the studio's folder at any blob URL, or of a WebDAV server.
func openFolder(ctx context.Context, address string) (folder, error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, err
	}
	if isDAV(u) {
		return openDAV(u), nil
	}
	if u.Scheme == "file" {
		q := u.Query()
		q.Set("no_tmp_dir", "true") // files are written beside their place and renamed into it
		q.Set("create_dir", "true")
		q.Set("metadata", "skip")
		u.RawQuery = q.Encode()
	}
	b, err := blob.OpenBucket(ctx, u.String())
	return bucket{b}, err
}

// bucket is a folder of a blob store.
type bucket struct{ *blob.Bucket }

func (b bucket) Look(ctx context.Context, name string) (file, bool, error) {
	a, err := b.Attributes(ctx, name)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return file{}, false, nil
	}
	if err != nil {
		return file{}, false, err
	}
	return file{a.Size, a.ModTime}, true, nil
}

func (b bucket) Write(ctx context.Context, name string, r io.Reader) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel() // a writer whose context ends leaves nothing behind
	w, err := b.NewWriter(ctx, name, &blob.WriterOptions{ContentType: "application/octet-stream"})
	if err != nil {
		return err
	}
	if _, err := io.Copy(w, r); err != nil {
		cancel()
		return errors.Join(err, w.Close())
	}
	return w.Close()
}

func (b bucket) Read(ctx context.Context, name string) (io.ReadCloser, error) {
	return b.NewReader(ctx, name, nil)
}

func isDAV(u *url.URL) bool { return u.Scheme == "dav" || u.Scheme == "davs" }

// dav is a folder of a WebDAV server (RFC 4918).
type dav struct {
	*gowebdav.Client
	dir string
}

// davQuiet is how long a WebDAV server may be silent.
const davQuiet = time.Minute

func openDAV(u *url.URL) dav {
	base := url.URL{Scheme: map[string]string{"dav": "http", "davs": "https"}[u.Scheme], Host: u.Host, Path: "/"}
	password, _ := u.User.Password()
	c := gowebdav.NewClient(base.String(), u.User.Username(), password)
	c.SetTransport(&http.Transport{ResponseHeaderTimeout: davQuiet})
	return dav{c, path.Join("/", u.Path)}
}

func (d dav) at(name string) string { return path.Join(d.dir, name) }

func (d dav) Look(_ context.Context, name string) (file, bool, error) {
	i, err := d.Stat(d.at(name))
	if gowebdav.IsErrNotFound(err) {
		return file{}, false, nil
	}
	if err != nil {
		return file{}, false, err
	}
	return file{i.Size(), i.ModTime()}, true, nil
}

// Write writes beside the file's place and moves it there.
func (d dav) Write(ctx context.Context, name string, r io.Reader) error {
	if err := d.MkdirAll(d.dir, 0o755); err != nil {
		return err
	}
	part := d.at("." + name + ".part")
	if err := d.WriteStream(part, &untilDone{ctx, r}, 0o644); err != nil {
		return errors.Join(err, d.Remove(part))
	}
	return d.Rename(part, d.at(name), true)
}

func (d dav) Read(_ context.Context, name string) (io.ReadCloser, error) {
	return d.ReadStream(d.at(name))
}

// Close implements folder.
func (dav) Close() error { return nil }

// untilDone reads until a context ends.
type untilDone struct {
	ctx context.Context //nolint:containedctx // of one call
	r   io.Reader
}

// Read implements io.Reader.
func (u *untilDone) Read(p []byte) (int, error) {
	if err := u.ctx.Err(); err != nil {
		return 0, err
	}
	return u.r.Read(p)
}
