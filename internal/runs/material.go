package runs

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/list"
	"nelko/internal/invalid"
	"nelko/internal/listfile"
	"nelko/internal/media"
	"nelko/internal/queue"
	"nelko/internal/store"
)

// sorting is the queue of the room.
const sorting = "runs"

// Sort is the job that gives the files of a Run to its rows, and then sees to
// what follows from it.
type Sort struct {
	RunID int64 `json:"run_id"`
}

// Kind implements river.JobArgs.
func (Sort) Kind() string { return "run_sort" }

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Sort) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: sorting, MaxAttempts: 8} }

// Unpack is the job that takes a zip of material apart.
type Unpack struct {
	RunID    int64  `json:"run_id"`
	UploadID string `json:"upload_id"`
	Name     string `json:"name"`
	SHA256   string `json:"sha256"`
}

// Kind implements river.JobArgs.
func (Unpack) Kind() string { return "run_unpack" }

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Unpack) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: sorting, MaxAttempts: 3}
}

// MayReceive tells whether there is a Run to bring files into.
func (m *Material) MayReceive(ctx context.Context, id int64) error {
	_, err := store.One[store.Run](m.Store.DB.WithContext(ctx).Select("id"), "id = ?", id)
	if errors.Is(err, store.ErrNotFound) {
		return invalid.Field("run", "there is no such Run")
	}
	return err
}

// nobodys reports whether a file is what an operating system leaves in
// folders, which nobody brought in.
func nobodys(p string) bool {
	for _, part := range strings.Split(p, "/") {
		if strings.HasPrefix(part, ".") || part == "__MACOSX" || strings.EqualFold(part, "Thumbs.db") ||
			strings.EqualFold(part, "desktop.ini") {
			return true
		}
	}
	return false
}

// place parts a file's path in a tree of material into the folder that may be a
// row's, empty at the root, and the file's name.
func place(p string) (folder, name string) {
	p = path.Clean("/" + strings.ReplaceAll(p, `\`, "/"))[1:]
	folder, _, in := strings.Cut(p, "/")
	if !in {
		folder = ""
	}
	return folder, media.Base(p)
}

// Receive keeps a file that came for a Run: a list, a zip of material, or a
// file of the material at its path in the tree. uploadID names the upload:
// receiving the same one twice does nothing.
func (m *Material) Receive(ctx context.Context, id int64, uploadID, filePath string, r io.Reader,
	author *int64) error {
	folder, name := place(filePath)
	if nobodys(filePath) {
		return nil
	}
	if folder == "" && listfile.Known(name) {
		b, err := io.ReadAll(io.LimitReader(r, listfile.MaxBytes+1))
		if err != nil {
			return err
		}
		t, err := listfile.Read(ctx, name, b)
		if err != nil {
			return m.say(ctx, id, err.Error())
		}
		return m.lists.Bring(ctx, id, t, author)
	}
	sha, size, err := m.Blobs.Keep(ctx, r)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	return m.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := store.KeepBlob(tx, sha, size); err != nil {
			return err
		}
		if err := store.NoteRun(tx, store.DidUpload, id, name); err != nil {
			return err
		}
		if strings.EqualFold(filepath.Ext(name), ".zip") && folder == "" {
			return m.Queue.Insert(ctx, tx, Unpack{id, uploadID, name, sha})
		}
		return m.wait(ctx, tx, store.RunFile{
			RunID:    id,
			Folder:   folder,
			Name:     name,
			UploadID: uploadID,
			SHA256:   sha,
			Size:     size,
		})
	})
}

// say keeps what could not be done with a file that came, for the sheet to
// show.
func (h *room) say(ctx context.Context, id int64, text string) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error { return change(tx, id, map[string]any{"said": text}) })
}

// Dismiss forgets what was said.
func (m *Material) Dismiss(ctx context.Context, id int64) error { return m.say(ctx, id, "") }

// once queues a job of a Run unless one like it waits already. Whoever changes
// what the job looks at holds the Run's row meanwhile, in share or whole, so
// that one which waits begins after that.
func (h *room) once(ctx context.Context, tx *gorm.DB, j river.JobArgs, run int64) error {
	waits, err := queue.Waits(tx, j.Kind(), "run_id", run)
	if err != nil || waits {
		return err
	}
	return h.Queue.Insert(ctx, tx, j)
}

// wait registers a file that waits to be given to a row, and its folder.
func (m *Material) wait(ctx context.Context, tx *gorm.DB, f store.RunFile) error {
	if _, err := store.One[store.Run](tx.Clauses(clause.Locking{Strength: "SHARE"}).Select("id"), "id = ?",
		f.RunID); err != nil {
		return fmt.Errorf("Run %d: %w", f.RunID, err)
	}
	var there int64
	if err := tx.Model(&store.Media{}).Where("upload_id = ?", f.UploadID).Count(&there).Error; err != nil ||
		there > 0 {
		return err // received before
	}
	if err := tx.Clauses(clause.OnConflict{
		Columns:   []clause.Column{{Name: "upload_id"}},
		DoNothing: true,
	}).Create(&f).Error; err != nil {
		return err
	}
	if f.Folder != "" {
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&store.RunFolder{
			RunID: f.RunID,
			Name:  f.Folder,
		}).Error; err != nil {
			return err
		}
	}
	return m.once(ctx, tx, Sort{f.RunID}, f.RunID)
}

// Limits on a zip of material.
const (
	maxEntries     = 50_000
	maxEntryBytes  = 20 << 30
	maxUnpackBytes = 400 << 30
)

// Unpack takes a zip of material apart. One folder around all of it is left
// out.
func (m *Material) Unpack(ctx context.Context, j Unpack) error {
	local, err := m.Blobs.Path(ctx, j.SHA256)
	if err != nil {
		return err
	}
	z, err := zip.OpenReader(local)
	if err != nil {
		return m.say(ctx, j.RunID, fmt.Sprintf("%s cannot be taken apart: %v.", j.Name, err))
	}
	defer z.Close()
	var files []*zip.File
	var total uint64
	for _, f := range z.File {
		if f.FileInfo().IsDir() || nobodys(f.Name) {
			continue
		}
		files = append(files, f)
		total += f.UncompressedSize64
	}
	if len(files) > maxEntries || total > maxUnpackBytes {
		return m.say(ctx, j.RunID,
			fmt.Sprintf("%s holds %d files of %d GB; at most %d of %d GB are taken apart.", j.Name,
				len(files), total>>30, maxEntries, maxUnpackBytes>>30))
	}
	names := make([]string, len(files))
	for i, f := range files {
		names[i] = strings.TrimPrefix(path.Clean("/"+strings.ReplaceAll(f.Name, `\`, "/")), "/")
	}
	around := Around(names)
	for i, f := range files {
		if err := m.unpackOne(ctx, j, i, f, strings.TrimPrefix(names[i], around)); err != nil {
			return err
		}
	}
	return nil
}

func (m *Material) unpackOne(ctx context.Context, j Unpack, i int, f *zip.File, name string) error {
	r, err := f.Open()
	if err != nil {
		return m.say(ctx, j.RunID, fmt.Sprintf("%s: %s cannot be taken out: %v.", j.Name, name, err))
	}
	defer r.Close()
	err = m.Receive(ctx, j.RunID, fmt.Sprintf("%s-%d", j.UploadID, i), name,
		io.LimitReader(r, maxEntryBytes), nil)
	if errors.Is(err, zip.ErrChecksum) || errors.Is(err, zip.ErrFormat) {
		return m.say(ctx, j.RunID, fmt.Sprintf("%s: %s is damaged.", j.Name, name))
	}
	return err
}

// Around is the folder around all files of a tree, with a slash at its end, if
// there is one and there are folders in it; else it is empty, as the one folder
// is a row's.
func Around(paths []string) string {
	if len(paths) == 0 {
		return ""
	}
	first, _, ok := strings.Cut(paths[0], "/")
	deeper := false
	for _, p := range paths {
		rest, in := strings.CutPrefix(p, first+"/")
		if !in {
			return ""
		}
		deeper = deeper || strings.Contains(rest, "/")
	}
	if !ok || !deeper {
		return ""
	}
	return first + "/"
}

// Named are the rows as folders may name them.
func named(held []store.Order) []list.Named {
	out := make([]list.Named, len(held))
	for i, o := range held {
		out[i] = list.Named{Key: o.RunKey, Folder: o.RunValues[list.FolderName], Names: []string{o.Client}}
		if n := o.Details["names"]; n != "" && n != o.Client {
			out[i].Names = append(out[i].Names, n, strings.Join(strings.Fields(n), " "))
		}
	}
	return out
}

// Sort matches folders to rows and gives each row the files that are surely
// its own. What is doubtful waits.
func (m *Material) Sort(ctx context.Context, j Sort) error {
	return m.Store.Tx(ctx, func(tx *gorm.DB) error {
		run, err := lock(tx, j.RunID)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		held, err := rows(tx, run.ID, false)
		if err != nil {
			return err
		}
		if err := m.folders.match(tx, run, held); err != nil {
			return err
		}
		if err := m.folders.give(ctx, tx, run, held); err != nil {
			return err
		}
		if err := store.Tell(tx, store.Event{What: store.RunChanged, ID: run.ID}); err != nil {
			return err
		}
		return m.once(ctx, tx, Tend{run.ID}, run.ID)
	})
}

// WatchFolders brings in what is new in the folders that Runs watch, until ctx
// ends. A file is taken once it has not changed for a while.
func (m *Material) WatchFolders(ctx context.Context) {
	tick := time.NewTicker(watchEvery)
	defer tick.Stop()
	for {
		if err := m.Look(ctx); err != nil && ctx.Err() == nil {
			slog.WarnContext(ctx, "watched folders", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

const watchEvery = 5 * time.Second

// Look brings in, once, what is new in the folders that Runs watch.
func (m *Material) Look(ctx context.Context) error {
	if m.Watch == "" {
		return nil
	}
	root, err := os.OpenRoot(m.Watch)
	if err != nil {
		return err
	}
	defer root.Close()
	var all []store.Run
	if err := m.Store.DB.WithContext(ctx).Omit("list", "pending").
		Where("watches <> '' AND archived_at IS NULL").Find(&all).Error; err != nil {
		return err
	}
	var wrong error
	for _, run := range all {
		trouble, err := m.lookIn(ctx, root, run)
		if err == nil && trouble != run.Trouble {
			err = m.Store.Tx(ctx, func(tx *gorm.DB) error {
				return change(tx, run.ID, map[string]any{"trouble": trouble})
			})
		}
		if err != nil {
			// the others are looked into all the same
			wrong = errors.Join(wrong, fmt.Errorf("%s: %w", run.Watches, err))
		}
	}
	return wrong
}
