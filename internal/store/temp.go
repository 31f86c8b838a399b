package store

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"golang.org/x/sys/unix"
)

// tempFolder is the folder in the cache below which all temporary files are, each process's in a
// folder of its own. A process holds the lock of its folder as long as it lives, so that what a
// dead one left is known at once and goes whole.
const tempFolder = "temp"

// ownTemp is this process's folder of temporary files.
type ownTemp struct {
	mu   sync.Mutex
	dir  string   // empty: there is none yet
	lock *os.File // held
}

const lockEnding = ".lock"

// TempFile makes a temporary file, as os.CreateTemp does; who makes it removes it.
func (b *Blobs) TempFile(pattern string) (*os.File, error) {
	dir, err := b.own()
	if err != nil {
		return nil, err
	}
	return os.CreateTemp(dir, pattern)
}

// TempDir makes a temporary folder, as os.MkdirTemp does; who makes it removes it.
func (b *Blobs) TempDir(pattern string) (string, error) {
	dir, err := b.own()
	if err != nil {
		return "", err
	}
	return os.MkdirTemp(dir, pattern)
}

// own is this process's folder, which is made when it is first needed, and anew if it was removed.
func (b *Blobs) own() (string, error) {
	t := &b.temp
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.dir != "" {
		if err := os.MkdirAll(t.dir, 0o700); err != nil {
			return "", err
		}
		return t.dir, nil
	}
	root := filepath.Join(b.cache, tempFolder)
	if err := os.MkdirAll(root, 0o700); err != nil {
		return "", err
	}
	for {
		lock, err := os.CreateTemp(root, "own-*"+lockEnding)
		if err != nil {
			return "", err
		}
		// Another process may have taken the new file for one that a dead process left.
		var st unix.Stat_t
		err = unix.Flock(int(lock.Fd()), unix.LOCK_EX|unix.LOCK_NB)
		if err == nil {
			err = unix.Fstat(int(lock.Fd()), &st)
		}
		if errors.Is(err, unix.EWOULDBLOCK) || err == nil && st.Nlink == 0 {
			_ = lock.Close() // nothing was written
			continue
		}
		dir := strings.TrimSuffix(lock.Name(), lockEnding)
		if err == nil {
			err = os.Mkdir(dir, 0o700)
		}
		if err != nil {
			return "", errors.Join(err, lock.Close())
		}
		t.dir, t.lock = dir, lock
		return dir, nil
	}
}

// closeTemp removes this process's folder.
func (b *Blobs) closeTemp() error {
	t := &b.temp
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.dir == "" {
		return nil
	}
	err := errors.Join(os.RemoveAll(t.dir), os.Remove(t.lock.Name()), t.lock.Close())
	t.dir, t.lock = "", nil
	return err
}

// DeadTemp tells of the folders that processes left that are no more, and removes those of which
// it is told so.
func (b *Blobs) DeadTemp(remove func(dir string) bool) error {
	root := filepath.Join(b.cache, tempFolder)
	entries, err := os.ReadDir(root)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	var all error
	for _, e := range entries {
		name, isLock := strings.CutSuffix(e.Name(), lockEnding)
		if !isLock {
			continue
		}
		lock, err := os.Open(filepath.Join(root, e.Name()))
		if err != nil {
			continue // its process ended well meanwhile
		}
		if unix.Flock(int(lock.Fd()), unix.LOCK_EX|unix.LOCK_NB) == nil {
			dir := filepath.Join(root, name)
			if remove(dir) {
				all = errors.Join(all, os.RemoveAll(dir), os.Remove(lock.Name()))
			}
		}
		_ = lock.Close() // nothing was written
	}
	return all
}
