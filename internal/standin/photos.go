package standin

import (
	"context"
	"crypto/subtle"
	"net/http"
	"os"

	"golang.org/x/net/webdav"
)

// Photos is a photo source: albums on a WebDAV server (RFC 4918), to be read
// only, by name and password.
type Photos struct {
	handler        http.Handler
	name, password string
}

// NewPhotos is the photo source of a folder of albums, whose addresses begin
// with prefix.
func NewPhotos(dir, prefix, name, password string) *Photos {
	return &Photos{
		handler: &webdav.Handler{
			Prefix:     prefix,
			FileSystem: readOnly{webdav.Dir(dir)},
			LockSystem: webdav.NewMemLS(),
		},
		name: name, password: password,
	}
}

// ServeHTTP implements http.Handler.
func (p *Photos) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	name, password, _ := r.BasicAuth()
	if subtle.ConstantTimeCompare([]byte(name), []byte(p.name))&subtle.ConstantTimeCompare([]byte(password),
		[]byte(p.password)) != 1 {
		w.Header().Set("WWW-Authenticate", `Basic realm="photos"`)
		http.Error(w, "Name and password, please.", http.StatusUnauthorized)
		return
	}
	switch r.Method {
	case http.MethodGet, http.MethodHead, http.MethodOptions, "PROPFIND":
		p.handler.ServeHTTP(w, r)
	default:
		http.Error(w, "These albums are for reading.", http.StatusForbidden)
	}
}

// readOnly is a file system nothing can be changed in.
type readOnly struct{ webdav.FileSystem }

// OpenFile implements webdav.FileSystem.
func (f readOnly) OpenFile(ctx context.Context, name string, flag int, perm os.FileMode) (webdav.File,
	error) {
	if flag&(os.O_WRONLY|os.O_RDWR|os.O_CREATE|os.O_TRUNC) != 0 {
		return nil, os.ErrPermission
	}
	return f.FileSystem.OpenFile(ctx, name, flag, perm)
}

// Mkdir implements webdav.FileSystem.
func (readOnly) Mkdir(context.Context, string, os.FileMode) error { return os.ErrPermission }

// RemoveAll implements webdav.FileSystem.
func (readOnly) RemoveAll(context.Context, string) error { return os.ErrPermission }

// Rename implements webdav.FileSystem.
func (readOnly) Rename(context.Context, string, string) error { return os.ErrPermission }
