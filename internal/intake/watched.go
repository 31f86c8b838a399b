package intake

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path"
	"strconv"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"
	"gorm.io/gorm"

	"nelko/internal/invalid"
	"nelko/internal/store"
)

// The watched folder holds a folder for each order, named by its number, with
// whatever words behind it: 12, or "12 The Gannets". A file that has stopped
// growing is taken; once it has been read it lies in done, or in refused with
// the reason beside it. Files in folders below are taken as well.
const (
	doneFolder    = "done"
	refusedFolder = "refused"
)

// lookEvery is how often the folder is looked into, whatever the file system tells.
const lookEvery = 10 * time.Second

// WatchFolder brings in what comes into the watched folder, until ctx ends: at
// once when the file system tells of it, and by looking every so often.
func (r *Watched) WatchFolder(ctx context.Context) {
	if r.Folder == "" {
		return
	}
	told, failed := make(<-chan fsnotify.Event), make(<-chan error)
	w, err := fsnotify.NewWatcher()
	if err != nil {
		slog.WarnContext(ctx, "the file system does not tell of changes; the watched folder is looked into "+
			"every so often", "error", err)
	} else {
		defer w.Close()
		told, failed = w.Events, w.Errors
	}
	// Looking once more when a file has had time to settle.
	soon := time.NewTimer(0)
	defer soon.Stop()
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-told:
			soon.Reset(time.Second)
			continue
		case err := <-failed:
			// it is looked into every so often
			slog.WarnContext(ctx, "watched folder", "folder", r.Folder, "error", err)
			continue
		case <-soon.C:
		case <-tick.C:
		}
		again, err := r.LookIntoFolder(ctx)
		if err != nil && ctx.Err() == nil {
			slog.WarnContext(ctx, "watched folder", "folder", r.Folder, "error", err)
		}
		if again {
			soon.Reset(time.Second)
		}
		if w != nil {
			r.listen(w)
		}
	}
}

// listen has the file system tell of the folders there are. One that cannot be
// listened to is still looked into.
func (r *Watched) listen(w *fsnotify.Watcher) {
	_ = fs.WalkDir(os.DirFS(r.Folder), ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || !d.IsDir() {
			return nil //nolint:nilerr // gone, or not to be read: looked at next time
		}
		if base := path.Base(p); base == doneFolder || base == refusedFolder {
			return fs.SkipDir
		}
		_ = w.Add(path.Join(r.Folder, p)) // adding again does nothing
		return nil
	})
}

// LookIntoFolder brings in, once, what lies in the watched folder and has
// stopped growing. It reports whether something is still being written or
// read.
func (r *Watched) LookIntoFolder(ctx context.Context) (again bool, err error) {
	if err := os.MkdirAll(r.Folder, 0o755); err != nil {
		return false, err
	}
	root, err := os.OpenRoot(r.Folder)
	if err != nil {
		return false, err
	}
	defer root.Close()
	folders, err := fs.ReadDir(root.FS(), ".")
	if err != nil {
		return false, err
	}
	for _, f := range folders {
		if !f.IsDir() {
			continue
		}
		more, trouble, e := r.lookInto(ctx, root, f.Name())
		again = again || more
		if e == nil {
			e = r.tellTrouble(ctx, orderOf(f.Name()), trouble)
		}
		if e != nil {
			// the others are looked into all the same
			err = errors.Join(err, fmt.Errorf("%s: %w", f.Name(), e))
		}
	}
	return again, err
}

// tellTrouble keeps with an order what is wrong with its folder, or that nothing is any more.
func (r *Watched) tellTrouble(ctx context.Context, order int64, trouble string) error {
	if order == 0 {
		return nil
	}
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Order{}).Where("id = ? AND trouble <> ?", order, trouble).Update("trouble",
			trouble)
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		return r.Orders.Days.Changed(ctx, tx, order)
	})
}

// orderOf is the number a folder's name begins with; 0 if it begins with none.
func orderOf(folder string) int64 {
	digits, _, _ := strings.Cut(folder, " ")
	n, err := strconv.ParseInt(digits, 10, 64)
	if err != nil || n < 1 {
		return 0
	}
	return n
}

// lookInto brings in what lies in one folder. trouble is the first thing that could not be read;
// the rest is brought in beside it.
func (r *Watched) lookInto(ctx context.Context, root *os.Root, folder string) (again bool, trouble string,
	err error) {
	order := orderOf(folder)
	var none *invalid.Input
	if order != 0 {
		if err := r.MayReceive(ctx, order); errors.As(err, &none) {
			order = 0
		} else if err != nil {
			return false, "", err
		}
	}
	wrong := func(what string, err error) {
		if trouble == "" && !errors.Is(err, fs.ErrNotExist) { // what is gone was taken away
			trouble = "In the watched folder, " + what + " " + Why(err)
		}
	}
	err = fs.WalkDir(root.FS(), folder, func(p string, d fs.DirEntry, err error) error {
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case err != nil:
			wrong("“"+p+"”", err)
			return nil
		case d.IsDir():
			if rel := strings.TrimPrefix(p, folder+"/"); rel == doneFolder || rel == refusedFolder {
				return fs.SkipDir
			}
			return nil
		case Unfinished(d.Name()):
			return nil
		}
		st, err := d.Info()
		if err != nil || !st.Mode().IsRegular() {
			return nil //nolint:nilerr // gone, or no file
		}
		if !r.still.Still(p, st, r.Now()) {
			again = true
			return nil
		}
		rel := strings.TrimPrefix(p, folder+"/")
		if order == 0 {
			return setAside(root, folder, rel, refusedFolder, fmt.Sprintf("%q begins with no order’s number",
				folder))
		}
		f, err := root.Open(p)
		if err != nil {
			wrong("“"+rel+"”", err)
			return nil
		}
		m, err := r.receiver.Receive(ctx, order, UploadID("folder", order, rel, st.Size(), st.ModTime()),
			path.Base(rel), f)
		if e := f.Close(); err == nil {
			err = e
		}
		switch {
		case err != nil:
			return err
		case m.State == store.Waiting:
			again = true
			return nil
		case m.State == store.Refused:
			return setAside(root, folder, rel, refusedFolder, m.Reason)
		}
		r.still.Forget(p)
		return setAside(root, folder, rel, doneFolder, "")
	})
	return again, trouble, err
}

// UploadID names a file that is looked at again and again where it lies, by
// what it is in, its path there, its size and its time: the same file is
// received once, a changed one anew.
func UploadID(kind string, in int64, path string, size int64, at time.Time) string {
	sum := sha256.Sum256(fmt.Appendf(nil, "%s %d %d", path, size, at.UnixNano()))
	return fmt.Sprintf("%s-%d-%s", kind, in, hex.EncodeToString(sum[:12]))
}

// setAside moves a file that needs no more attention into done or refused,
// with the reason in a text beside it. A file of the same name that is there
// already stays; this one gets a number.
func setAside(root *os.Root, folder, rel, to, reason string) error {
	ext := path.Ext(rel)
	name := path.Join(folder, to, rel)
	if err := root.MkdirAll(path.Dir(name), 0o755); err != nil {
		return err
	}
	for i := 2; ; i++ {
		if _, err := root.Stat(name); errors.Is(err, fs.ErrNotExist) {
			break
		}
		name = path.Join(folder, to, fmt.Sprintf("%s (%d)%s", strings.TrimSuffix(rel, ext), i, ext))
	}
	if err := root.Rename(path.Join(folder, rel), name); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err // not there: another process moved it
	}
	if reason == "" {
		return nil
	}
	return root.WriteFile(name+".txt", []byte("Refused: "+reason+".\n"), 0o644)
}
