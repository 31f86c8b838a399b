package storetest

import (
	"os"
	"path/filepath"
	"testing"

	"golang.org/x/sys/unix"

	"nelko/internal/store"
)

// SmallDisk is a blob store on a Small file system, and where that is.
func SmallDisk(t testing.TB, size string) (b *store.Blobs, small string) {
	t.Helper()
	small = Small(t, size)
	b, err := store.OpenBlobs(t.Context(), "file://"+filepath.Join(small, "blobs"),
		filepath.Join(small, "cache"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = b.Close() }) // what it holds goes with the disk
	return b, small
}

// Small is a folder that is a file system of its own, of a size as mount(8)
// writes it, such as "48m". A test that may not mount one is skipped.
func Small(t testing.TB, size string) string {
	t.Helper()
	small := filepath.Join(t.TempDir(), "small")
	if err := os.Mkdir(small, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := unix.Mount("tmpfs", small, "tmpfs", 0, "size="+size); err != nil {
		t.Skip("needs the right to mount a small disk: ", err)
	}
	t.Cleanup(func() {
		if err := unix.Unmount(small, unix.MNT_DETACH); err != nil {
			t.Error(err)
		}
	})
	return small
}

// Fill fills a small disk, and gives the file that does.
func Fill(t testing.TB, small string) (filler string) {
	t.Helper()
	var st unix.Statfs_t
	if err := unix.Statfs(small, &st); err != nil {
		t.Fatal(err)
	}
	filler = filepath.Join(small, "filler")
	if err := os.WriteFile(filler, make([]byte, int64(st.Bavail)*st.Bsize), 0o600); err != nil {
		t.Fatal(err)
	}
	return filler
}
