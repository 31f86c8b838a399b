package app

import (
	"archive/tar"
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"nelko/internal/store"
)

// A backup is one tar file, which the standard tools read too:
//
//	database.dump   what pg_dump --format=custom wrote
//	blobs/SHA256    the files the database refers to
//	SHA256SUMS      the sums of all the others, as sha256sum writes them, last
//
// The dump and the list of files are of one moment, and no file is removed
// until the backup is done, so that it may be made while the studio works.
// What can be made again is left out: kept segments and the parts of renders
// that are under way.

// Names within a backup.
const (
	backupDump  = "database.dump"
	backupBlobs = "blobs/"
	backupSums  = "SHA256SUMS"
)

// ErrBackup means that a file is not a whole backup.
var ErrBackup = errors.New("this is not a whole backup")

// ErrNotEmpty means that there is a studio already where one was to be
// restored.
var ErrNotEmpty = errors.New("the database is not empty: restore into a new one, so that nothing is lost")

// ErrLacks means that a backup's database refers to files that it does not hold.
var ErrLacks = errors.New("the backup lacks files that its database refers to")

// lackText names the first of files that are lacking.
func lackText(shas []string) string {
	const most = 5
	text := strings.Join(shas[:min(most, len(shas))], ", ")
	if more := len(shas) - most; more > 0 {
		text += fmt.Sprintf(" and %d more", more)
	}
	return text
}

// Backup writes the whole studio into one new file and tells how many files
// of the blob store are in it. The file is there wholly or not at all.
func (a *App) Backup(ctx context.Context, out string) (files int, err error) {
	if _, err := os.Lstat(out); err == nil {
		return 0, fmt.Errorf("backing up: %s is there already", out)
	}
	tmp, err := os.CreateTemp(filepath.Dir(out), ".backup-*")
	if err != nil {
		return 0, fmt.Errorf("backing up: %w", err)
	}
	defer os.Remove(tmp.Name()) // after the rename there is nothing to remove
	defer tmp.Close()
	if files, err = a.writeBackup(ctx, tmp); err != nil {
		return 0, fmt.Errorf("backing up: %w", err)
	}
	if err := errors.Join(tmp.Sync(), tmp.Close()); err != nil {
		return 0, fmt.Errorf("backing up: %w", err)
	}
	if err := os.Rename(tmp.Name(), out); err != nil {
		return 0, fmt.Errorf("backing up: %w", err)
	}
	return files, nil
}

func (a *App) writeBackup(ctx context.Context, out io.Writer) (files int, err error) {
	dir, err := a.House.Blobs.TempDir("backup-*")
	if err != nil {
		return 0, err
	}
	defer os.RemoveAll(dir)
	dump := filepath.Join(dir, backupDump)
	t := tar.NewWriter(out)
	var sums bytes.Buffer
	put := func(name string, size int64, r io.Reader) (sum string, err error) {
		if err := t.WriteHeader(&tar.Header{
			Name:    name,
			Size:    size,
			Mode:    0o600,
			ModTime: time.Now(),
			Format:  tar.FormatPAX,
		}); err != nil {
			return "", err
		}
		h := sha256.New()
		if _, err := io.Copy(io.MultiWriter(t, h), r); err != nil {
			return "", err
		}
		sum = hex.EncodeToString(h.Sum(nil))
		fmt.Fprintf(&sums, "%s  %s\n", sum, name)
		return sum, nil
	}
	err = a.House.Store.Holding(ctx, func(snapshot string, blobs []store.Blob) error {
		if err := a.dump(ctx, dump, snapshot); err != nil {
			return err
		}
		f, err := os.Open(dump)
		if err != nil {
			return err
		}
		defer f.Close()
		info, err := f.Stat()
		if err != nil {
			return err
		}
		if _, err := put(backupDump, info.Size(), f); err != nil {
			return err
		}
		for _, b := range blobs {
			r, err := a.House.Blobs.Open(ctx, b.SHA256)
			if err != nil {
				return err
			}
			sum, err := put(backupBlobs+b.SHA256, r.Size(), r)
			if err := errors.Join(err, r.Close()); err != nil {
				return err
			}
			if sum != b.SHA256 {
				return fmt.Errorf("file %s… of the blob store is damaged: its sum is %s…", b.SHA256[:8],
					sum[:8])
			}
			files++
		}
		return nil
	})
	if err != nil {
		return 0, err
	}
	if err := t.WriteHeader(&tar.Header{
		Name:    backupSums,
		Size:    int64(sums.Len()),
		Mode:    0o600,
		ModTime: time.Now(),
		Format:  tar.FormatPAX,
	}); err != nil {
		return 0, err
	}
	if _, err := sums.WriteTo(t); err != nil {
		return 0, err
	}
	return files, t.Close()
}

// dump writes the database as it is in a snapshot.
func (a *App) dump(ctx context.Context, file, snapshot string) error {
	args := []string{"--format=custom", "--no-owner", "--no-privileges", "--snapshot=" + snapshot, "--file=" +
		file}
	for _, t := range store.MadeAgain {
		args = append(args, "--exclude-table-data="+t)
	}
	return postgresTool(ctx, "pg_dump", a.Settings.DatabaseURL, args...)
}

// postgresTool runs one of PostgreSQL's own programs on a database. The
// password goes through the environment, where other users cannot see it.
func postgresTool(ctx context.Context, name, databaseURL string, args ...string) error {
	cfg, err := pgx.ParseConfig(databaseURL)
	if err != nil {
		return fmt.Errorf("database URL: %w", err)
	}
	bin, err := findPostgresTool(name)
	if err != nil {
		return err
	}
	cmd := exec.CommandContext(ctx, bin, append(args, "--no-password", "--dbname="+cfg.Database)...)
	cmd.Env = append(os.Environ(), "PGHOST="+cfg.Host, fmt.Sprintf("PGPORT=%d", cfg.Port), "PGUSER="+cfg.User,
		"PGPASSWORD="+cfg.Password, "LC_ALL=C.UTF-8")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w: %s", name, err, lastLines(string(out), 3))
	}
	return nil
}

// findPostgresTool looks for a program where Debian puts the newest
// PostgreSQL, then in the path.
func findPostgresTool(name string) (string, error) {
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/" + name)
	if err != nil {
		return "", err
	}
	if len(found) > 0 {
		slices.SortFunc(found, func(a, b string) int {
			return len(a) - len(b) + strings.Compare(a, b) // by number: 9 before 15
		})
		return found[len(found)-1], nil
	}
	bin, err := exec.LookPath(name)
	if err != nil {
		return "", fmt.Errorf("%s is missing: install PostgreSQL's client programs: %w", name, err)
	}
	return bin, nil
}

func lastLines(s string, n int) string {
	lines := strings.Split(strings.TrimSpace(s), "\n")
	return strings.Join(lines[max(0, len(lines)-n):], "; ")
}

// Restore puts the studio that a backup holds into an empty database and blob
// store, and tells how many files it put back. The sum of every file is
// compared; the database is restored last, and whole or not at all. Where it refers to
// files that the backup does not hold, all else is back and ErrLacks names them.
func Restore(ctx context.Context, s Settings, from string) (files int, err error) {
	if err := os.MkdirAll(s.Var, 0o755); err != nil {
		return 0, fmt.Errorf("folder for local files: %w", err)
	}
	db, err := store.Open(ctx, s.DatabaseURL)
	if err != nil {
		return 0, err
	}
	defer db.Close()
	if empty, err := db.Empty(ctx); err != nil {
		return 0, err
	} else if !empty {
		return 0, ErrNotEmpty
	}
	blobs, err := store.OpenBlobs(ctx, s.Blobs, filepath.Join(s.Var, "cache"))
	if err != nil {
		return 0, err
	}
	defer blobs.Close()
	f, err := os.Open(from)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	dir, err := blobs.TempDir("backup-*")
	if err != nil {
		return 0, err
	}
	defer os.RemoveAll(dir)
	dump := filepath.Join(dir, backupDump)
	held, err := unpack(ctx, f, dump, blobs)
	if err != nil {
		return 0, fmt.Errorf("restoring: %w", err)
	}
	if err := postgresTool(ctx, "pg_restore", s.DatabaseURL, "--single-transaction", "--exit-on-error",
		"--no-owner", "--no-privileges", dump); err != nil {
		return 0, fmt.Errorf("restoring: %w", err)
	}
	if err := db.Migrate(ctx, themeVersions(s.Themes)); err != nil {
		return 0, err
	}
	if err := db.ForgetBlobsBut(ctx, held); err != nil {
		return 0, fmt.Errorf("restoring: %w", err)
	}
	if err := db.MarkRestored(ctx, blobs); err != nil {
		return 0, fmt.Errorf("restoring: %w", err)
	}
	lacks, err := db.BlobsBut(ctx, held)
	if err == nil && len(lacks) > 0 {
		err = fmt.Errorf("the studio is back, but %w: %s", ErrLacks, lackText(lacks))
	}
	return len(held), err
}

// unpack stores a backup's files, compares the sum of each with the one it was
// packed with, and writes the dump beside them.
func unpack(ctx context.Context, r io.Reader, dump string, blobs *store.Blobs) (held []string, err error) {
	t := tar.NewReader(bufio.NewReaderSize(r, 1<<20))
	sums := map[string]string{}
	for {
		h, err := t.Next()
		if errors.Is(err, io.EOF) {
			return nil, fmt.Errorf("%w: it ends before its sums", ErrBackup)
		}
		if err != nil {
			return nil, fmt.Errorf("%w: %w", ErrBackup, err)
		}
		switch {
		case h.Name == backupSums:
			return held, compareSums(t, sums)
		case h.Name == backupDump:
			if sums[h.Name], err = writeSummed(dump, t); err != nil {
				return nil, cutShort(err)
			}
		case strings.HasPrefix(h.Name, backupBlobs):
			sha, _, err := blobs.Put(ctx, t)
			if err != nil {
				return nil, cutShort(err)
			}
			if h.Name != backupBlobs+sha {
				return nil, errors.Join(fmt.Errorf("%w: %s is not what was backed up", ErrBackup, h.Name),
					blobs.Delete(ctx, sha))
			}
			sums[h.Name] = sha
			held = append(held, sha)
		default:
			return nil, fmt.Errorf("%w: it holds %q", ErrBackup, h.Name)
		}
	}
}

// cutShort tells the fault of the backup from one of the machine.
func cutShort(err error) error {
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return fmt.Errorf("%w: %w", ErrBackup, err)
	}
	return err
}

func writeSummed(file string, r io.Reader) (sum string, err error) {
	f, err := os.Create(file)
	if err != nil {
		return "", err
	}
	h := sha256.New()
	_, err = io.Copy(io.MultiWriter(f, h), r)
	return hex.EncodeToString(h.Sum(nil)), errors.Join(err, f.Close())
}

// compareSums compares a list as sha256sum writes it with the sums found.
func compareSums(list io.Reader, found map[string]string) error {
	lines := bufio.NewScanner(list)
	n := 0
	for lines.Scan() {
		sum, name, ok := strings.Cut(lines.Text(), "  ")
		if !ok || found[name] != sum {
			return fmt.Errorf("%w: %s is missing or not what was backed up", ErrBackup, name)
		}
		n++
	}
	if err := lines.Err(); err != nil {
		return fmt.Errorf("%w: %w", ErrBackup, err)
	}
	if n != len(found) || found[backupDump] == "" {
		return fmt.Errorf("%w: its sums are of other files", ErrBackup)
	}
	return nil
}
