package store

import (
	"errors"

	"golang.org/x/sys/unix"
)

// SpareRoom is how much of a disk is left alone, in bytes: the database and
// what is under way need it.
const SpareRoom = 16 << 20

// Free is how much room there is on the disk of a folder, in bytes, SpareRoom
// aside. A disk that does not say has room without end.
func Free(dir string) int64 {
	var st unix.Statfs_t
	if unix.Statfs(dir, &st) != nil {
		return 1 << 62
	}
	return max(0, int64(st.Bavail)*st.Bsize-SpareRoom)
}

// Free is how much room there is for more files; where the store is no folder,
// room without end.
func (b *Blobs) Free() int64 {
	if b.local == "" {
		return 1 << 62
	}
	return Free(b.local)
}

// Full reports whether an error is that a disk is full: PostgreSQL's (53100,
// disk_full, of its appendix A) or this machine's.
func Full(err error) bool {
	return errors.Is(err, unix.ENOSPC) || errors.Is(err, unix.EDQUOT) || codeOf(err) == "53100"
}
