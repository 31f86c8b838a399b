package runs

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"strings"

	"gorm.io/gorm"

	"nelko/internal/intake"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// WatchFolder has a Run bring in what comes into a folder below the studio's
// watched one; an empty name ends it.
func (rs *Runs) WatchFolder(ctx context.Context, id int64, folder string) error {
	folder = strings.Trim(path.Clean("/"+strings.TrimSpace(folder)), "/")
	switch {
	case folder != "" && rs.Watch == "":
		return invalid.Field("watches", "No folder can be watched here: NELKO_WATCH names none.")
	case folder != "":
		root, err := os.OpenRoot(rs.Watch)
		if err != nil {
			return invalid.Field("watches", "The studio’s watched folder cannot be opened: %v.", err)
		}
		defer root.Close()
		if st, err := root.Stat(folder); err != nil || !st.IsDir() {
			return invalid.Field("watches", "There is no folder %q in the studio’s watched folder.", folder)
		}
	}
	return rs.Store.Tx(ctx, func(tx *gorm.DB) error { return change(tx, id, map[string]any{"watches": folder}) })
}

// lookIn brings in the files of a Run's watched folder that are new. A file
// that changed since is brought in again, and refused as the same if it is.
func (rs *Runs) lookIn(ctx context.Context, root *os.Root, run store.Run) error {
	var before []string
	err := rs.Store.DB.WithContext(ctx).Raw("SELECT upload_id FROM media WHERE upload_id LIKE ? UNION ALL SELECT upload_id FROM run_files WHERE run_id = ?", fmt.Sprintf("watch-%d-%%", run.ID), run.ID).Scan(&before).Error
	if err != nil {
		return err
	}
	had := map[string]bool{}
	for _, id := range before {
		had[id] = true
	}
	return fs.WalkDir(root.FS(), run.Watches, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || ctx.Err() != nil {
			return errors.Join(err, ctx.Err())
		}
		st, err := d.Info()
		if err != nil || !st.Mode().IsRegular() || rs.Now().Sub(st.ModTime()) < settled {
			return nil // gone, no file, or still being written
		}
		rel := strings.TrimPrefix(p, run.Watches+"/")
		id := intake.UploadID("watch", run.ID, rel, st.Size(), st.ModTime())
		if had[id] || rs.seen(id) {
			return nil
		}
		f, err := root.Open(p)
		if err != nil {
			return nil // looked at again next time
		}
		defer f.Close()
		return rs.Receive(ctx, run.ID, id, rel, f, nil)
	})
}

// seen remembers what leaves no row by which it would be known, such as a
// list, for as long as the process lives.
func (rs *Runs) seen(id string) bool {
	_, had := rs.watched.LoadOrStore(id, true)
	return had
}
