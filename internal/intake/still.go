package intake

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"
	"time"
)

// Stillness tells of files that others write whether they are written still: one is whole when
// two looks at it, some time apart, found the same size and the same time. The zero value is
// ready; it is safe for use by several goroutines.
type Stillness struct {
	mu   sync.Mutex
	seen map[string]sight
}

type sight struct {
	size int64
	time time.Time
	at   time.Time // when it was first seen like that
}

// Apart is how far apart two looks must be. Who uploads by a slow line pauses for some seconds.
const Apart = 8 * time.Second

// mostSeen is of how many files it is remembered how they were.
const mostSeen = 200_000

// Still reports whether a file is as it was when it was looked at before.
func (s *Stillness) Still(path string, st fs.FileInfo, now time.Time) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	was, ok := s.seen[path]
	if ok && was.size == st.Size() && was.time.Equal(st.ModTime()) {
		return now.Sub(was.at) >= Apart
	}
	if s.seen == nil || len(s.seen) >= mostSeen {
		s.seen = map[string]sight{}
	}
	s.seen[path] = sight{st.Size(), st.ModTime(), now}
	return false
}

// Forget forgets a file that was taken.
func (s *Stillness) Forget(path string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.seen, path)
}

// half are the endings by which programs call what they have not written wholly (common practice,
// no source).
var half = []string{".part", ".partial", ".filepart", ".crdownload", ".download", ".tmp", ".temp", ".!ut",
	".opdownload"}

// Unfinished reports whether a file's name says that it is hidden, or half there.
func Unfinished(name string) bool {
	if strings.HasPrefix(name, ".") || strings.HasPrefix(name, "~$") {
		return true
	}
	return slices.Contains(half, strings.ToLower(path.Ext(name)))
}

// Why says of an error of the file system what is wrong, without its path.
func Why(err error) string {
	var at *fs.PathError
	if errors.As(err, &at) {
		err = at.Err
	}
	switch {
	case errors.Is(err, fs.ErrPermission):
		return "may not be read"
	case errors.Is(err, fs.ErrNotExist):
		return "is missing"
	}
	return fmt.Sprintf("cannot be read (%v)", err)
}
