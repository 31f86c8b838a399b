package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"gocloud.dev/blob"
	_ "gocloud.dev/blob/fileblob" // file: URLs
	_ "gocloud.dev/blob/memblob"  // mem: URLs, for trying things out
	_ "gocloud.dev/blob/s3blob"   // s3: URLs
	"gocloud.dev/gcerrors"

	"nelko/internal/core/doc"
)

// Blobs is a content-addressed store of files: each is named by its SHA-256
// and never changes.
type Blobs struct {
	// Touch notes, before a file is stored or found to be there already, that
	// someone is about to refer to it, so that nothing removes it meanwhile. It
	// must be set before use where files are removed (Store.TouchBlob).
	Touch func(ctx context.Context, sha string, size int64) error

	bucket *blob.Bucket
	at     string                 // where it is, without secrets
	mark   atomic.Pointer[string] // which the store must carry; nil: any
	seen   atomic.Int64           // when it last did, in Unix nanoseconds
	away   atomic.Int64           // when it last was found not to
	mount  atomic.Uint64          // on which its folder was seen last; 0: not known
	local  string                 // folder of the bucket if it is one, else ""
	cache  string                 // folder for local copies
	temp   ownTemp

	watched  sync.Once
	unwatch  context.CancelFunc
	watching sync.WaitGroup
}

// OpenBlobs opens the store at any gocloud.dev URL, such as
// file:///srv/nelko/blobs or s3://bucket?region=…. cache is a folder for
// temporary and local copies.
func OpenBlobs(ctx context.Context, rawURL, cache string) (*Blobs, error) {
	u, err := url.Parse(rawURL)
	if err != nil {
		return nil, fmt.Errorf("blob store URL: %w", err)
	}
	b := &Blobs{cache: cache, at: u.Redacted()}
	if err := os.MkdirAll(cache, 0o700); err != nil {
		return nil, fmt.Errorf("cache folder: %w", err)
	}
	if u.Scheme == "file" {
		b.local = u.Path
		q := u.Query()
		// Files are written beside their final place and renamed into it.
		q.Set("no_tmp_dir", "true")
		q.Set("create_dir", "true")
		q.Set("metadata", "skip")
		u.RawQuery = q.Encode()
	}
	if b.bucket, err = blob.OpenBucket(ctx, u.String()); err != nil {
		return nil, fmt.Errorf("opening the blob store: %w", err)
	}
	return b, nil
}

// Close releases the store.
func (b *Blobs) Close() error {
	b.watched.Do(func() {}) // not any more
	if b.unwatch != nil {
		b.unwatch()
	}
	b.watching.Wait()
	return errors.Join(b.closeTemp(), b.bucket.Close())
}

func key(sha string) string { return sha[:2] + "/" + sha }

// ErrGone means that a file is not where it was kept.
var ErrGone = errors.New(
	"its file is missing from the store: send it in again, or bring the backup back with “nelko restore”")

// Given is a file that its owner changes no more and is about to remove. Where
// the store is a folder on the same disk it is not copied: it becomes the blob.
type Given struct{ *os.File }

// Put stores what r gives and returns its SHA-256 in hex and its size. The
// file is there wholly or not at all; one of this size that is there already is
// kept.
func (b *Blobs) Put(ctx context.Context, r io.Reader) (sha string, size int64, err error) {
	defer func() {
		if err != nil {
			err = fmt.Errorf("storing a file: %w", err)
		}
	}()
	h := sha256.New()
	g, given := r.(Given)
	file := g.File
	if given = given && b.local != ""; given {
		size, err = io.Copy(h, file)
	} else {
		if file, err = b.TempFile("put-*"); err != nil {
			return "", 0, err
		}
		defer os.Remove(file.Name())
		defer file.Close()
		size, err = io.Copy(io.MultiWriter(file, h), r)
	}
	if err != nil {
		return "", 0, err
	}
	sha = hex.EncodeToString(h.Sum(nil))
	// It may go away while it is written to, and what is written below a mount's place is lost.
	if err := b.Here(ctx); err != nil {
		return "", 0, err
	}
	defer func() {
		if err == nil {
			err = b.Here(ctx)
		}
	}()
	if b.Touch != nil {
		if err := b.Touch(ctx, sha, size); err != nil {
			return "", 0, err
		}
	}
	switch at, err := b.bucket.Attributes(ctx, key(sha)); {
	case err == nil && at.Size == size:
		return sha, size, nil
	case err == nil: // half of it, left by what does not keep what is said here
		if err := b.bucket.Delete(ctx, key(sha)); err != nil {
			return "", 0, err
		}
	case gcerrors.Code(err) != gcerrors.NotFound:
		return "", 0, err
	}
	if b.local != "" && b.link(file, sha) == nil {
		return sha, size, nil
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return "", 0, err
	}
	return sha, size, b.upload(ctx, file, sha)
}

// Keep is Put of what can be had from nobody else: once it returns, the file
// outlives a power cut.
func (b *Blobs) Keep(ctx context.Context, r io.Reader) (sha string, size int64, err error) {
	sha, size, err = b.Put(ctx, r)
	if err != nil || b.local == "" {
		return sha, size, err
	}
	path := filepath.Join(b.local, filepath.FromSlash(key(sha)))
	// its content, its name, its folder's name
	for _, p := range []string{path, filepath.Dir(path), b.local} {
		if err := syncDisk(p); err != nil {
			return "", 0, fmt.Errorf("storing a file: %w", err)
		}
	}
	return sha, size, nil
}

func syncDisk(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}

// upload copies a file into the bucket. What is not copied wholly is called off:
// a bucket's own Upload keeps, where it is a folder, what came before the failure.
func (b *Blobs) upload(ctx context.Context, f io.Reader, sha string) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	w, err := b.bucket.NewWriter(ctx, key(sha), &blob.WriterOptions{ContentType: "application/octet-stream"})
	if err != nil {
		return err
	}
	if _, err := io.Copy(w, f); err != nil {
		cancel()
		_ = w.Close() // says only that it was called off
		return err
	}
	return w.Close()
}

// link makes a file the blob itself, without copying it. On another disk, or one
// that knows no links, it cannot be.
func (b *Blobs) link(f *os.File, sha string) error {
	to := filepath.Join(b.local, filepath.FromSlash(key(sha)))
	err := os.MkdirAll(filepath.Dir(to), 0o700)
	if err == nil {
		err = f.Chmod(0o600)
	}
	if err == nil {
		err = os.Link(f.Name(), to)
	}
	if errors.Is(err, fs.ErrExist) {
		return nil // somebody else stored the same meanwhile
	}
	return err
}

// Open reads a file; the reader can seek.
func (b *Blobs) Open(ctx context.Context, sha string) (*blob.Reader, error) {
	if len(sha) != 64 {
		return nil, fmt.Errorf("blob %q: %w", sha, ErrNotFound)
	}
	if err := b.Here(ctx); err != nil {
		return nil, err
	}
	r, err := b.bucket.NewReader(ctx, key(sha), nil)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return nil, b.orAway(ctx, fmt.Errorf("%w: %w", ErrGone, err))
	}
	if err != nil {
		return nil, fmt.Errorf("reading file %s…: %w", sha[:8], err)
	}
	return r, nil
}

// Path is a local file with the contents: the blob itself where the store is
// a folder, else a copy in the cache.
func (b *Blobs) Path(ctx context.Context, sha string) (string, error) {
	if len(sha) != 64 {
		return "", fmt.Errorf("blob %q: %w", sha, ErrNotFound)
	}
	if err := b.Here(ctx); err != nil {
		return "", err
	}
	if b.local != "" {
		path := filepath.Join(b.local, filepath.FromSlash(key(sha)))
		if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
			return "", b.orAway(ctx, ErrGone)
		}
		return path, nil
	}
	path := filepath.Join(b.cache, sha)
	if _, err := os.Stat(path); err == nil {
		now := time.Now()
		_ = os.Chtimes(path, now, now) // what is used stays; a failure makes it go earlier
		return path, nil
	}
	r, err := b.Open(ctx, sha)
	if err != nil {
		return "", err
	}
	defer r.Close()
	tmp, err := b.TempFile("get-*")
	if err != nil {
		return "", err
	}
	defer os.Remove(tmp.Name()) // after the rename there is nothing to remove
	if _, err := io.Copy(tmp, r); err != nil {
		return "", errors.Join(err, tmp.Close())
	}
	if err := tmp.Close(); err != nil {
		return "", err
	}
	return path, os.Rename(tmp.Name(), path)
}

// Exists reports whether a file is there.
func (b *Blobs) Exists(ctx context.Context, sha string) (bool, error) {
	if len(sha) != 64 {
		return false, nil
	}
	if err := b.Here(ctx); err != nil {
		return false, err
	}
	there, err := b.bucket.Exists(ctx, key(sha))
	if !there && err == nil {
		err = b.orAway(ctx, nil) // it may have gone with the store, after it was asked for
	}
	return there, err
}

// orAway is err, or that the store is away by now: that a file is not there says nothing then.
func (b *Blobs) orAway(ctx context.Context, err error) error {
	if away := b.Here(ctx); away != nil {
		return away
	}
	return err
}

// Damaged reads a file back and says what is wrong with it, and how much was
// read; name is what it is called there. An error says that nothing is known.
func (b *Blobs) Damaged(ctx context.Context, sha, name string) (why string, n int64, err error) {
	begun := time.Now()
	there, err := b.Exists(ctx, sha)
	if err != nil {
		return "", 0, err // the store is away
	}
	if !there {
		return name + " is gone", 0, nil
	}
	in, err := b.Open(ctx, sha)
	if err != nil {
		return "", 0, err
	}
	n = in.Size()
	got, err := SumOf(in)
	if err := errors.Join(err, in.Close()); err != nil {
		if err := b.HereSince(ctx, begun); err != nil {
			return "", n, err
		}
		return fmt.Sprintf("%s cannot be read (%v)", name, err), n, nil
	}
	if got != sha {
		return fmt.Sprintf("%s is not what it was (SHA-256 %.12s… in place of %.12s…)", name, got, sha), n,
			nil
	}
	return "", n, nil
}

// Delete removes a file. One that is not there is no error.
func (b *Blobs) Delete(ctx context.Context, sha string) error {
	if err := b.Here(ctx); err != nil {
		return err
	}
	err := b.bucket.Delete(ctx, key(sha))
	if err != nil && gcerrors.Code(err) != gcerrors.NotFound {
		return fmt.Errorf("removing file %s…: %w", sha[:8], err)
	}
	if b.local == "" {
		if err := os.Remove(filepath.Join(b.cache, sha)); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	return nil
}

// Folders are where files lie that Path gives.
func (b *Blobs) Folders() []string {
	if b.local != "" {
		return []string{b.local, b.cache}
	}
	return []string{b.cache}
}

// Cache is the folder for temporary files.
func (b *Blobs) Cache() string { return b.cache }

// SumOf is the SHA-256, in hex, of all that r gives.
func SumOf(r io.Reader) (string, error) {
	h := sha256.New()
	if _, err := io.Copy(h, r); err != nil {
		return "", err
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}

// MediaFiles finds media, which documents name by content, in the store.
type MediaFiles struct{ Blobs *Blobs }

// Path is a local file with a medium's contents, as Blobs.Path.
func (m MediaFiles) Path(ctx context.Context, id doc.MediaID) (string, error) {
	return m.Blobs.Path(ctx, string(id))
}
