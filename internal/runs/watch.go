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
func (m *Material) WatchFolder(ctx context.Context, id int64, folder string) error {
	folder = strings.Trim(path.Clean("/"+strings.TrimSpace(folder)), "/")
	switch {
	case folder != "" && m.Watch == "":
		return invalid.Field("watches", "No folder can be watched here: NELKO_WATCH names none.")
	case folder != "":
		root, err := os.OpenRoot(m.Watch)
		if err != nil {
			return invalid.Field("watches", "The studio’s watched folder cannot be opened: %v.", err)
		}
		defer root.Close()
		if st, err := root.Stat(folder); err != nil || !st.IsDir() {
			return invalid.Field("watches", "There is no folder %q in the studio’s watched folder.", folder)
		}
	}
	return m.Store.Tx(ctx, func(tx *gorm.DB) error {
		return change(tx, id, map[string]any{"watches": folder, "trouble": ""})
	})
}

// lookIn brings in the files of a Run's watched folder that are new. A file
// that changed since is brought in again, and refused as the same if it is.
// trouble is the first thing that could not be read; the rest is brought in beside it.
func (m *Material) lookIn(ctx context.Context, root *os.Root, run store.Run) (trouble string, err error) {
	var before []string
	err = m.Store.DB.WithContext(ctx).Raw("SELECT upload_id FROM media WHERE upload_id LIKE ? UNION ALL "+
		"SELECT upload_id FROM run_files WHERE run_id = ?", fmt.Sprintf("watch-%d-%%", run.ID), run.ID).
		Scan(&before).Error
	if err != nil {
		return "", err
	}
	had := map[string]bool{}
	for _, id := range before {
		had[id] = true
	}
	wrong := func(what string, err error) {
		if trouble == "" {
			trouble = what + " " + intake.Why(err)
		}
	}
	err = fs.WalkDir(root.FS(), run.Watches, func(p string, d fs.DirEntry, err error) error {
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case err != nil && p == run.Watches:
			wrong("The watched folder “"+p+"”", err)
			return nil
		case err != nil:
			if !errors.Is(err, fs.ErrNotExist) { // what is gone was taken away
				wrong("In the watched folder, “"+p+"”", err)
			}
			return nil
		case d.IsDir() || intake.Unfinished(d.Name()):
			return nil
		}
		st, err := d.Info()
		if err != nil || !st.Mode().IsRegular() {
			return nil //nolint:nilerr // gone, or no file
		}
		rel := strings.TrimPrefix(p, run.Watches+"/")
		id := intake.UploadID("watch", run.ID, rel, st.Size(), st.ModTime())
		if _, taken := m.watched.Load(id); had[id] || taken || !m.still.Still(p, st, m.Now()) {
			return nil
		}
		f, err := root.Open(p)
		if err != nil {
			wrong("In the watched folder, “"+rel+"”", err)
			return nil
		}
		defer f.Close()
		if err := m.Receive(ctx, run.ID, id, rel, f, nil); err != nil {
			return err
		}
		m.watched.Store(id, true)
		m.still.Forget(p)
		return nil
	})
	return trouble, err
}
